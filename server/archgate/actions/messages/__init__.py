"""What is written to people and sent on to other programs."""
