"""Dates, places, closed days, clashes and calendars."""
