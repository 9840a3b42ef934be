"""Commands of a user on a project, each with its undo text; no part of it knows a screen."""
