"""The Set station."""
