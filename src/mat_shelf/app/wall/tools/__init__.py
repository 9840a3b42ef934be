"""Tools of the viewport, a file each: what mouse, keys and drops do on the picture, and what is drawn over it."""
