"""Proof sheets: pictures of materials in sets on shapes, or of a product and all that it wears, with their values."""
