"""What reads or touches many subjects: today, find, the planner, a page of a person, checks, undo."""
