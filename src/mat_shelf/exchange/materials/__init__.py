"""Materials in open formats."""
