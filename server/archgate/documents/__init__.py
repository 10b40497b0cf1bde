"""The calculators, and the reading of JSON documents: strictly, every fault at once. The core gets values."""
