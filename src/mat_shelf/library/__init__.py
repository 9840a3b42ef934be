"""The library on disk: swatch packages, their index and their thumbnails; the shipped swatches."""
