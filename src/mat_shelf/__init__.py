"""Mat Shelf: a workshop for the surface materials of products."""

__version__ = "0.1.0"
