"""Models in and out: STEP, glTF, OBJ, STL, PLY."""
