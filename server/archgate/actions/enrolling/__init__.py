"""Who is on a run, who waits, who leaves, and what is written about it."""
