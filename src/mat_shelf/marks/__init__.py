"""What is put on surfaces: artwork, how it lies on them, and the relief of stamps."""
