"""Steps of a pattern, and the strokes of a painted one."""

from mat_shelf.commands.command import command
from mat_shelf.document.pattern import Step
from mat_shelf.patterns.sources.painted import Brush, Painted


class StripCommands:
    """Edits of the pattern on the strip; a part of `PatternCommands`."""

    @property
    def painted(self) -> Painted | None:
        """The source of the pattern on the strip, if that is painted."""
        source = self.pattern.steps[0] if self.pattern else None
        return source if isinstance(source, Painted) else None

    def set_brush(self, brush: Brush, gesture: str | None = None) -> bool:
        """Change the brush.

        Parameters
        ----------
        brush : Brush
            The brush.
        gesture : str or None
            Edits of one gesture are one step of the history.

        Returns
        -------
        bool
        """
        self.brush = brush
        self.opened.emit()
        return True

    @command
    def put_painted(self, make, gesture: str | None = None) -> bool:
        """Puts what `make` gives, the source with other strokes, into the pattern on the strip.

        Parameters
        ----------
        make : callable
            Makes the new value.
        gesture : str or None
            Edits of one gesture are one step of the history.

        Returns
        -------
        bool
        """
        return self._tried("Paint", lambda: self.recipe.with_pattern(self.pattern.with_step(0, make())), gesture)

    @command
    def clear_strokes(self) -> None:
        """Remove every stroke of the painted pattern."""
        if self.painted is not None:
            self.put_painted(lambda: self.painted.with_(strokes=()))

    @command
    def put_step(self, place: int, step: Step, gesture: str | None = None) -> bool:
        """Change a step of the pattern on the strip.

        Parameters
        ----------
        place : int
            Place of the step; 0 is the source.
        step : Step
            The step.
        gesture : str or None
            Edits of one gesture are one step of the history.

        Returns
        -------
        bool
        """
        return self.put(self.pattern.with_step(place, step), step.label, gesture)

    @command
    def add_step(self, step: Step) -> None:
        """Adds a step behind the chosen one, and chooses it.

        Parameters
        ----------
        step : Step
            The step.
        """
        pattern, place = self.pattern, self.place + 1
        steps = (*pattern.steps[:place], step, *pattern.steps[place:])
        if self.put(pattern.with_(steps=steps), f"Add {step.label.lower()}"):
            self.choose_step(place)

    @command
    def replace_source(self, step: Step) -> None:
        """Begins the pattern on the strip with another source.

        Parameters
        ----------
        step : Step
            The step.
        """
        pattern = self.pattern
        placement = pattern.placement.with_(size=step.usual.size, projection=step.usual.projection)
        self.put(pattern.with_(steps=(step, *pattern.steps[1:]), placement=placement), f"Source {step.label}")

    @command
    def move_step(self, place: int, to: int) -> None:
        """Moves a step to another place; the source stays the first.

        Parameters
        ----------
        place : int
            Place of the step; 0 is the source.
        to : int
            New place.
        """
        steps = list(self.pattern.steps)
        to = min(max(to, 1), len(steps) - 1)
        if place == 0 or to == place:
            return
        steps.insert(to, steps.pop(place))
        if self.put(self.pattern.with_(steps=tuple(steps)), "Move step"):
            self.choose_step(to)

    @command
    def remove_step(self, place: int) -> None:
        """Remove a step.

        Parameters
        ----------
        place : int
            Place of the step; 0 is the source.
        """
        steps = self.pattern.steps
        if place > 0 and self.put(self.pattern.with_(steps=steps[:place] + steps[place + 1 :]), "Remove step"):
            self.choose_step(min(place, len(steps) - 2))

    @command
    def duplicate_step(self, place: int) -> None:
        """Duplicate a step.

        Parameters
        ----------
        place : int
            Place of the step; 0 is the source.
        """
        steps = self.pattern.steps
        if place > 0:
            self.put(self.pattern.with_(steps=(*steps[: place + 1], *steps[place:])), "Duplicate step")

    @command
    def switch_step(self, place: int) -> None:
        """Switch a step on or off.

        Parameters
        ----------
        place : int
            Place of the step; 0 is the source.
        """
        step = self.pattern.steps[place]
        if place > 0:
            self.put_step(place, step.with_(is_on=not step.is_on))
