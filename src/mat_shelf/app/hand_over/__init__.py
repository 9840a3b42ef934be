"""The Hand over station: shots, their files, and the finish of the light."""
