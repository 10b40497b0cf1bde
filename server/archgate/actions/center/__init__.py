"""The center itself: made, its clock, its backups."""
