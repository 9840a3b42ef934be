"""The menu bar, and every command by its name."""
