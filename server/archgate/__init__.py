"""Arch Gate: runs, seats, fees and rosters for people who administer training."""

import zoneinfo

# One source of time zones on every machine: the tzdata package, never the system's files.
zoneinfo.reset_tzpath(to=[])
