"""Patterns that feed inputs, and those that are relief."""

from mat_shelf.commands.command import command
from mat_shelf.document.ids import new_id
from mat_shelf.document.pattern import Feed, Relief
from mat_shelf.document.recipe import Recipe
from mat_shelf.patterns.evaluation import is_colored
from mat_shelf.patterns.ready import READY

_HEIGHTS = {ready.pattern.steps[0].kind: ready.height for ready in reversed(READY) if ready.height}


class FeedCommands:
    """Edits of feeds and relief; a part of `PatternCommands`."""

    def uses_of(self, pattern_id: str) -> list[str]:
        """Uses of a pattern, in words.

        Parameters
        ----------
        pattern_id : str
            Id of the pattern.

        Returns
        -------
        list of str
        """
        overlay = self.session.overlay
        is_mask = overlay is not None and overlay.mask_of == "overlay" and overlay.mask == pattern_id
        return ["Mask"] * is_mask + self.recipe.uses_of(pattern_id)

    @command
    def feed(self, name: str, pattern_id: str) -> None:
        """Feeds an input with a pattern, in the range that suits the input's value.

        Parameters
        ----------
        name : str
            Name.
        pattern_id : str
            Id of the pattern.
        """
        recipe = self.recipe
        old = recipe.feed(name)
        colored = is_colored(recipe.pattern(pattern_id), self.context)
        feed = usual_feed(recipe, name, pattern_id, colored)
        if old is not None and not isinstance(old.low, tuple):
            feed = old.with_(pattern=pattern_id)
        self.edit(f"Feed {Recipe.field_label(name)}", recipe.with_feed(feed))

    @command
    def set_feed(self, feed: Feed, gesture: str | None = None) -> None:
        """Change the feed of an input.

        Parameters
        ----------
        feed : Feed
            The feed.
        gesture : str or None
            Edits of one gesture are one step of the history.
        """
        title = Recipe.field_label(feed.input)
        self._tried(title, lambda: self.recipe.with_feed(feed), gesture and f"{gesture} feed {feed.input}")

    @command
    def remove_feed(self, name: str) -> None:
        """Disconnect an input from its pattern.

        Parameters
        ----------
        name : str
            Name.
        """
        self.edit(f"Disconnect {Recipe.field_label(name)}", self.recipe.without_feed(name))

    @command
    def add_relief(self, pattern_id: str) -> str:
        """Adds a row of relief at the height that is usual for the pattern's source; returns its id.

        Parameters
        ----------
        pattern_id : str
            Id of the pattern.

        Returns
        -------
        str
        """
        source = self.recipe.pattern(pattern_id).steps[0]
        row = Relief(id=new_id("relief"), pattern=pattern_id, height=_HEIGHTS.get(source.kind, 0.02))
        self.edit("Add relief", self.recipe.with_relief(row))
        return row.id

    @command
    def set_relief(self, row: Relief, gesture: str | None = None) -> None:
        """Change a row of relief.

        Parameters
        ----------
        row : Relief
            The row.
        gesture : str or None
            Edits of one gesture are one step of the history.
        """
        self.edit("Relief", self.recipe.with_relief(row), gesture and f"{gesture} relief {row.id}")

    @command
    def remove_relief(self, row_id: str) -> None:
        """Remove a row of relief.

        Parameters
        ----------
        row_id : str
            Id of the row of relief.
        """
        rows = tuple(row for row in self.recipe.relief if row.id != row_id)
        self.edit("Remove relief", self.recipe.with_(relief=rows))


def usual_feed(recipe: Recipe, name: str, pattern_id: str, colored: bool) -> Feed:
    """The range in which a pattern is first let at an input: narrow, about its value.

    Parameters
    ----------
    recipe : Recipe
        Recipe of the material.
    name : str
        Name.
    pattern_id : str
        Id of the pattern.
    colored : bool
        Whether the pattern gives colours.

    Returns
    -------
    Feed
    """
    value = getattr(recipe, name)
    if isinstance(value, tuple):
        if colored:
            return Feed(input=name, pattern=pattern_id, low=(0.0, 0.0, 0.0), high=(1.0, 1.0, 1.0))
        return Feed(input=name, pattern=pattern_id, low=tuple(round(0.55 * c, 5) for c in value), high=value)
    low, high = Recipe.limits(name)
    span = 0.14 if high <= 1 else 0.5 * max(value, 0.02 * high)
    start = min(max(value - span / 2, low), high - span)
    return Feed(input=name, pattern=pattern_id, low=round(start, 4), high=round(start + span, 4))
