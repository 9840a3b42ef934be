"""Patterns in the window: chips, the card of patterns, the strip."""
