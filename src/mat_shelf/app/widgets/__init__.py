"""Widgets that all stations share."""
