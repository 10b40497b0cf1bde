"""Many at once from a list."""
