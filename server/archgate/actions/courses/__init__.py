"""Courses and what holds for all their runs."""
