"""Runs: making, moving, copying, deciding, calling off."""
