"""Choices of the user for every project, kept from start to start."""
