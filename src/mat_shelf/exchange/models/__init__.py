"""Models in and out: STEP, IGES, glTF, USD, OBJ, STL, PLY, 3MF."""
