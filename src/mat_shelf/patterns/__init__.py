"""Patterns: maps on surfaces: sources, steps, placements, one evaluator."""

from mat_shelf.patterns import sources, steps  # they enter themselves as kinds of steps

__all__ = ["sources", "steps"]
