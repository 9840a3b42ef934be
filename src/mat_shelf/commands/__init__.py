"""What a user can do to a project, each with its undo text; no part of it knows a screen."""
