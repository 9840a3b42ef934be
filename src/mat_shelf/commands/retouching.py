"""Retouching: spots healed and areas painted in the pictures of the view in use."""

from mat_shelf.commands.command import command
from mat_shelf.document.finish import MOST_MASKED, MaskedAdjustment
from mat_shelf.document.ids import new_id, with_one
from mat_shelf.document.retouch import (
    MOST_SPOTS,
    MOST_STROKES,
    AreaBrush,
    AreaStroke,
    HealedSpot,
    PaintedArea,
    Place,
)

HEAL, PAINT = "heal", "paint"
"""What the hand does in the picture; empty for nothing of it."""


class Retouching:
    """Commands on spots and areas; a part of `HandOverCommands`.

    Attributes
    ----------
    hand : str
        `HEAL`, `PAINT`, or empty.
    brush : AreaBrush
        What areas are painted with; spots are as wide.
    """

    hand = ""
    brush = AreaBrush()

    def take(self, hand: str) -> None:
        """Begins to heal or to paint, or ends it.

        Parameters
        ----------
        hand : str
            `HEAL`, `PAINT`, or empty.
        """
        if hand and self.session.free_camera is not None:
            self.session.said.emit("Return to the view first; retouching is of its picture.")
            hand = ""
        self.hand = hand
        if hand == PAINT and self.area is None:
            self.add_area()
        self.changed.emit()

    def set_brush(self, **values) -> None:
        """Changes the brush.

        Parameters
        ----------
        **values
            Fields of the brush.
        """
        self.brush = self.brush.with_(**values)
        self.changed.emit()

    @property
    def area(self) -> PaintedArea | None:
        """The painted area on the board, where it is one of the view in use."""
        masked = self.masked
        found = masked.area if masked is not None else None
        return found if found is not None and found.view == self.project.current_view else None

    @property
    def spots(self) -> tuple[HealedSpot, ...]:
        """Spots that are healed in the view in use."""
        return tuple(each for each in self.finish.healed if each.view == self.project.current_view)

    @command
    def add_area(self) -> None:
        """Adds an adjustment of an area that is painted in the view in use, and puts it on the board."""
        if len(self.finish.masked) >= MOST_MASKED:
            self.session.said.emit(f"A finish holds {MOST_MASKED} masks at most; remove one first.")
            return
        view = self.project.view
        made = MaskedAdjustment(id=new_id("mask"), kind="area", area=PaintedArea(view=view.id))
        finish = self.finish.with_(masked=(*self.finish.masked, made))
        self.session.edit(f"Paint an area in {view.name}", self.project.with_finish(finish))
        self.choose_adjustment(made.id)

    @command
    def paint(self, stroke: AreaStroke, goes_on: bool, gesture: str | None = None) -> None:
        """Adds a stroke to the area on the board.

        Parameters
        ----------
        stroke : AreaStroke
            The stroke.
        goes_on : bool
            Whether it stands in the place of the last one, which has grown.
        gesture : str or None
            Edits of one gesture are one step of the history.
        """
        masked, area = self.masked, self.area
        if masked is None or area is None:
            return
        strokes = area.strokes[:-1] if goes_on else area.strokes
        if len(strokes) >= MOST_STROKES:
            self.session.said.emit(f"An area has {MOST_STROKES} strokes at most; paint the rest as another one.")
            return
        changed = masked.with_(area=area.with_(strokes=(*strokes, stroke)))
        finish = self.finish.with_(masked=with_one(self.finish.masked, changed))
        self.session.edit("Paint", self.project.with_finish(finish), gesture)

    @command
    def heal(self, place: Place) -> None:
        """Fills a disc of the picture from its surroundings.

        Parameters
        ----------
        place : (x, y)
            Its middle, mm on the film.
        """
        if len(self.finish.healed) >= MOST_SPOTS:
            self.session.said.emit(f"A finish holds {MOST_SPOTS} spots at most; remove one first.")
            return
        radius = min(max(self.brush.width / 2, 0.02), 10.0)
        spot = HealedSpot(view=self.project.current_view, place=place, radius=radius)
        finish = self.finish.with_(healed=(*self.finish.healed, spot))
        self.session.edit("Heal a spot", self.project.with_finish(finish))

    @command
    def leave_spot(self, spot: HealedSpot) -> None:
        """Shows a healed spot again as it was rendered.

        Parameters
        ----------
        spot : HealedSpot
            The spot.
        """
        rest = tuple(each for each in self.finish.healed if each is not spot)
        self.session.edit("Leave a spot as it was", self.project.with_finish(self.finish.with_(healed=rest)))
