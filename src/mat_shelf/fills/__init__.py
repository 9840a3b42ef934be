"""Things put in vessels and on surfaces: cavities, liquids and their edge, beads."""
