"""The Marks station."""
