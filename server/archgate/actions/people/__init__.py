"""Records of people and organizations."""
