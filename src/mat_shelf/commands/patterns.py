"""Patterns, feeds and relief of the material on the board."""

from psygnal import Signal
from pydantic import ValidationError

from mat_shelf.commands.command import command
from mat_shelf.commands.feeds import FeedCommands, usual_feed
from mat_shelf.commands.materials import Wearable
from mat_shelf.commands.session import Session
from mat_shelf.commands.strip import StripCommands
from mat_shelf.document.ids import free_name, name_of_copy, new_id
from mat_shelf.document.parameter import explain
from mat_shelf.document.pattern import Pattern, Placement, Step
from mat_shelf.document.recipe import Recipe
from mat_shelf.patterns.evaluation import is_colored
from mat_shelf.patterns.placement_edit import PlacementHit, drag_placement, hide_seam
from mat_shelf.patterns.ready import READY
from mat_shelf.patterns.sources.painted import Brush
from mat_shelf.patterns.step import PatternContext

PLACING, PAINTING = "placing", "painting"
"""What drags on the product do while a pattern is open, beside going round it."""


class PatternCommands(StripCommands, FeedCommands):
    """Edits of patterns, feeds and relief, and which pattern the strip shows.

    Parameters
    ----------
    session : Session
        The session.

    Attributes
    ----------
    opened
        Another pattern, step, or none, is on the strip, or it is looked at another way.
    hand : str
        What drags on the product do: `PLACING` moves the pattern on the strip, `PAINTING` paints it.
    brush : Brush
        What it is painted with.
    """

    opened = Signal()

    def __init__(self, session: Session):
        self.session = session
        self.pattern_id: str | None = None
        self._place = 0
        self.is_alone = False
        self.hand = ""
        self.brush = Brush()
        self.copied_placement: Placement | None = None
        session.selection_changed.connect(self._leave_if_gone)
        session.project_changed.connect(self._leave_if_gone)

    @property
    def recipe(self) -> Recipe:
        """The one on the board; a plain one where there is none."""
        return self.session.layer or Recipe()

    @property
    def context(self) -> PatternContext:
        """Patterns and images of the recipe on the board."""
        return PatternContext({p.id: p for p in self.recipe.patterns}, self.session.assets.pictures)

    @property
    def pattern(self) -> Pattern | None:
        """The pattern on the strip."""
        return next((p for p in self.recipe.patterns if p.id == self.pattern_id), None)

    @property
    def place(self) -> int:
        """Place of the chosen step on the strip; views may ask before they are told that there are fewer."""
        pattern = self.pattern
        return min(self._place, len(pattern.steps) - 1) if pattern is not None else 0

    def open(self, pattern_id: str | None, place: int | None = None) -> None:
        """Brings a pattern to the strip; None goes back to the material.

        Parameters
        ----------
        pattern_id : str or None
            Id of the pattern.
        place : int or None
            Step to choose; the last one by default.
        """
        self.pattern_id = pattern_id
        self.is_alone = self.is_alone and pattern_id is not None
        self.hand = ""
        pattern = self.pattern
        self._place = len(pattern.steps) - 1 if pattern and place is None else place or 0
        self._follow_alone()
        self.opened.emit()

    def choose_step(self, place: int) -> None:
        """Choose a step of the pattern on the strip.

        Parameters
        ----------
        place : int
            Place of the step; 0 is the source.
        """
        self._place = place
        self._follow_alone()
        self.opened.emit()

    def _leave_if_gone(self) -> None:
        pattern = self.pattern
        if self.pattern_id is not None and pattern is None:
            self.open(None)
        elif pattern is not None:
            self._place = self.place
            self._follow_alone()

    def show_alone(self, is_alone: bool) -> None:
        """Shows the pattern on the strip, up to the chosen step, by itself on the product.

        Parameters
        ----------
        is_alone : bool
            Whether the pattern is shown alone.
        """
        self.is_alone = is_alone
        self._follow_alone()
        self.opened.emit()

    def _follow_alone(self) -> None:
        pattern = self.pattern if self.is_alone else None
        if pattern is not None:
            pattern = pattern.with_(steps=pattern.steps[: self.place + 1])
        self.session.show_alone(pattern)

    def edit(self, label: str, recipe: Recipe, gesture: str | None = None) -> None:
        """Puts another recipe in place of the one on the board.

        Parameters
        ----------
        label : str
            Undo text.
        recipe : Recipe
            Recipe of the material.
        gesture : str or None
            Edits of one gesture are one step of the history.
        """
        if self.session.layer is not None and recipe is not self.session.layer:
            self.session.edit(label, self.session.with_layer(recipe), gesture)

    def end_gesture(self) -> None:
        """The next edit is a step of its own, in whatever project is open by then."""
        self.session.history.end_gesture()

    def _tried(self, label: str, make, gesture: str | None = None) -> bool:
        """Makes and puts in a recipe; where it cannot be, says why."""
        try:
            self.edit(label, make(), gesture)
        except ValidationError as fault:
            self.session.said.emit(f"{label}: {explain(fault)}.")
            return False
        except ValueError as fault:
            self.session.said.emit(f"{str(fault)[:1].upper()}{str(fault)[1:]}.")
            return False
        return True

    @command
    def begin(self, steps: tuple[Step, ...], name: str, placement: Placement) -> str:
        """Adds a new pattern to the material on the board; returns its id.

        Parameters
        ----------
        steps : tuple of Step
            Steps, the source first.
        name : str
            Name.
        placement : Placement
            Placement of the pattern.

        Returns
        -------
        str
        """
        taken = {p.name for p in self.recipe.patterns}
        pattern = Pattern(id=new_id("pattern"), name=free_name(name, taken), steps=steps, placement=placement)
        self.edit(f"New pattern {pattern.name}", self.recipe.with_pattern(pattern))
        return pattern.id

    @command
    def put(self, pattern: Pattern, label: str, gesture: str | None = None) -> bool:
        """Changes a pattern; where it turns from grey to colour or back, the colours that it feeds follow.

        Parameters
        ----------
        pattern : Pattern
            The pattern.
        label : str
            Undo text.
        gesture : str or None
            Edits of one gesture are one step of the history.

        Returns
        -------
        bool
        """

        def made() -> Recipe:
            """The recipe with the pattern.

            Returns
            -------
            Recipe
            """
            recipe = self.recipe.with_pattern(pattern)
            colored = is_colored(
                pattern, PatternContext({p.id: p for p in recipe.patterns}, self.session.assets.pictures)
            )
            if colored != is_colored(self.recipe.pattern(pattern.id), self.context):
                for feed in recipe.feeds:
                    if feed.pattern == pattern.id and isinstance(feed.low, tuple):
                        recipe = recipe.with_feed(usual_feed(recipe, feed.input, pattern.id, colored))
            return recipe

        return self._tried(label, made, gesture)

    @command
    def put_placement(self, placement: Placement, gesture: str | None = None) -> bool:
        """Change the placement of the pattern on the strip.

        Parameters
        ----------
        placement : Placement
            Placement of the pattern.
        gesture : str or None
            Edits of one gesture are one step of the history.

        Returns
        -------
        bool
        """
        return self.put(self.pattern.with_(placement=placement), "Placement", gesture and f"{gesture} placement")

    def copy_placement(self) -> None:
        """Keeps how the pattern on the strip lies, for another one, of this or another material."""
        self.copied_placement = self.pattern.placement
        self.opened.emit()

    @command
    def paste_placement(self) -> None:
        """Give the pattern on the strip the copied placement."""
        if self.copied_placement is not None:
            self.put_placement(self.copied_placement)

    @command
    def turn_seam_away(self) -> None:
        """Lays the seam of the pattern on the strip on the far side of the selected part."""
        workshop, placement = self.session, self.pattern.placement
        part = workshop.selected_part
        if part is None:
            workshop.said.emit("Select a part that wears this material first; its seam is turned away from the camera.")
            return
        seam = hide_seam(part, workshop.assets.meshes[part.mesh], placement, workshop.camera.position)
        self.put_placement(placement.with_(seam=round(seam, 2)))

    def take_in_hand(self, hand: str) -> None:
        """Says what drags on the product do.

        Parameters
        ----------
        hand : str
            PLACING, PAINTING or empty.
        """
        self.hand = hand
        self.opened.emit()

    @command
    def place_by_hand(self, before: Placement, start: PlacementHit, now: PlacementHit) -> None:
        """Shifts the pattern so that what lay at one place of the product lies at another.

        Parameters
        ----------
        before : Placement
            Placement before the drag.
        start : PlacementHit
            Place under the pointer at its start.
        now : PlacementHit
            Place under the pointer now.
        """
        part = self.session.project.part(now.part)
        moved = drag_placement(before, part, self.session.assets.meshes[part.mesh], start, now)
        self.put_placement(moved, "by hand")

    @command
    def rename(self, name: str) -> None:
        """Rename the pattern on the strip.

        Parameters
        ----------
        name : str
            Name.
        """
        if name.strip() and self.pattern is not None and name.strip() != self.pattern.name:
            self.put(self.pattern.with_(name=name.strip()[:120]), "Rename pattern")

    def duplicate(self, pattern_id: str) -> str:
        """Duplicate a pattern.

        Parameters
        ----------
        pattern_id : str
            Id of the pattern.

        Returns
        -------
        str
        """
        pattern = self.recipe.pattern(pattern_id)
        return self.begin(
            pattern.steps, name_of_copy(pattern.name, {p.name for p in self.recipe.patterns}), pattern.placement
        )

    @command
    def remove(self, pattern_id: str) -> None:
        """Throws a pattern out; what it fed is constant again.

        Parameters
        ----------
        pattern_id : str
            Id of the pattern.
        """
        name, overlay = self.recipe.pattern(pattern_id).name, self.session.overlay
        if overlay is not None and overlay.mask_of == "overlay" and overlay.mask == pattern_id:
            self.session.said.emit(f"{name} is the mask of {overlay.name}; choose another mask first.")
            return
        self._tried(f"Remove {name}", lambda: self.recipe.without_pattern(pattern_id))

    def begin_with_ready(self, ready_id: str) -> str | None:
        """Adds a ready pattern to the material on the board; returns its id there, or None where there is no such.

        Parameters
        ----------
        ready_id : str
            Id of the ready pattern.

        Returns
        -------
        str or None
        """
        ready = next((one for one in READY if one.pattern.id == ready_id), None)
        if ready is None or self.session.selected_material is None:
            return None
        return self.begin(ready.pattern.steps, ready.pattern.name, ready.pattern.placement)

    def _begin_with_kept(self, swatch_id: str) -> str | None:
        """Id of a pattern that the library keeps by itself, copied into the recipe on the board."""
        session = self.session
        swatch = session.find(Wearable("swatch", swatch_id))
        if swatch is None or swatch.kind != "pattern":
            return None
        session.take_images(swatch)
        recipe, ids = self.recipe.with_patterns_of(swatch.recipe, [swatch.pattern_id])
        self.edit(f"New pattern {swatch.name}", recipe)
        return ids[swatch.pattern_id]

    @command
    def copy_from(self, material_id: str, overlay_id: str, pattern_id: str) -> str | None:
        """Id of a pattern in the recipe on the board; one of another material is copied into it first.

        Parameters
        ----------
        material_id, overlay_id : str
            Where the pattern is now; empty ones mean a ready pattern, and the material itself.
        pattern_id : str
            Id of the pattern.

        Returns
        -------
        str or None
            None where it is gone, or where no material is on the board.
        """
        if self.session.selected_material is None:
            return None
        if not material_id:
            return self.begin_with_ready(pattern_id) or self._begin_with_kept(pattern_id)
        try:
            origin = self.session.project.material(material_id).recipe
            if overlay_id:
                origin = origin.overlay(overlay_id).recipe
            origin.pattern(pattern_id)
        except KeyError:
            return None
        if origin is self.recipe:
            return pattern_id
        recipe, ids = self.recipe.with_patterns_of(origin, [pattern_id])
        self.edit("Copy pattern", recipe)
        return ids[pattern_id]
