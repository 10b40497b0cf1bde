"""Who sits where: the count of seats under its lock, and parties."""
