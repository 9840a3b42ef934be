"""The project as immutable data, its history, and its words. No numerics, no files, no interface."""
