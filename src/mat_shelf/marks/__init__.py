"""Marks on surfaces: artwork, local coordinates, and the relief of stamps."""
