"""Who gets in: staff, and learners on their own page."""
