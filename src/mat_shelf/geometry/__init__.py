"""Meshes in millimetres: their data, GLB files, and the solids the demo is made of."""
