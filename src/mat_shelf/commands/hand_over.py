"""Shots and the finish: what leaves the project, and how its light is finished."""

from collections.abc import Iterable, Sequence
from itertools import product

from psygnal import Signal

from mat_shelf.commands.color_tables import ColorTables
from mat_shelf.commands.command import command
from mat_shelf.commands.kept_looks import KeptLooks
from mat_shelf.commands.retouching import Retouching
from mat_shelf.commands.session import Session
from mat_shelf.document.finish import MOST_MASKED, TONES, Adjustment, Finish, MaskedAdjustment
from mat_shelf.document.ids import FreeNames, by_id, name_of_copy, new_id, with_one
from mat_shelf.document.project import Project
from mat_shelf.document.shot import MOST_SHOTS, Shot, Swap
from mat_shelf.document.turn import GOING

_MM_PER_INCH = 25.4


def printed(across_mm: float, up_mm: float, dpi: float, bleed_mm: float = 0.0) -> tuple[int, int, float]:
    """Pixels and resolution of a page.

    Parameters
    ----------
    across_mm, up_mm : float
        Size of the trimmed page.
    dpi : float
        Pixels per inch.
    bleed_mm : float
        What is cut off on each side.

    Returns
    -------
    width, height : int
    dpi : float
    """
    sides = (round((side + 2 * bleed_mm) / _MM_PER_INCH * dpi) for side in (across_mm, up_mm))
    return *sides, dpi


SIZES = {
    "Full HD": (1920, 1080, 72.0),
    "4K": (3840, 2160, 72.0),
    "Square, shop": (2000, 2000, 72.0),
    "Landscape 3 : 2": (2400, 1600, 72.0),
    "Portrait 4 : 5": (1600, 2000, 72.0),
    "Upright 9 : 16": (1080, 1920, 72.0),
    "A4 upright, 300 dpi": printed(210, 297, 300),
    "A4 across, 300 dpi": printed(297, 210, 300),
    "A5 upright, 300 dpi": printed(148, 210, 300),
    "A4 upright, 300 dpi, 3 mm bleed": printed(210, 297, 300, 3),
    "A4 across, 300 dpi, 3 mm bleed": printed(297, 210, 300, 3),
    "Proof": (960, 640, 72.0),
}
"""Sizes to choose from: pixels, and pixels per inch (ISO 216 pages; common practice for the others)."""
WHOLE = ""
"""In place of the id of a masked adjustment: the whole picture."""


class HandOverCommands(KeptLooks, ColorTables, Retouching):
    """Edits of shots and of the finish.

    Parameters
    ----------
    session : Session
        The session.

    Attributes
    ----------
    changed
        Another shot or adjustment is on the board.
    """

    changed = Signal()

    def __init__(self, session: Session):
        self.session = session
        self._shot_id: str | None = None
        self._adjusted_id = WHOLE

    @property
    def project(self) -> Project:
        """The project."""
        return self.session.project

    @property
    def shots(self) -> tuple[Shot, ...]:
        """All shots of the project."""
        return self.project.hand_over.shots

    @property
    def shot(self) -> Shot | None:
        """The shot on the board; the first one where none was chosen."""
        return next((shot for shot in self.shots if shot.id == self._shot_id), next(iter(self.shots), None))

    def choose_shot(self, shot_id: str) -> None:
        """Puts a shot on the board.

        Parameters
        ----------
        shot_id : str
            Its id.
        """
        self._shot_id = shot_id
        self.changed.emit()

    def swaps(self) -> list[tuple[str, Swap]]:
        """Variants that can be worn in place of a material that is worn, with their names.

        Returns
        -------
        list of (str, Swap)
        """
        project, worn = self.project, self.project.wearers()
        return [(m.name, Swap(material=m.parent, variant=m.id)) for m in project.materials if m.parent in worn]

    @command
    def add_shots(
        self,
        views: Sequence[str] = (),
        sets: Sequence[str] = (),
        swaps: Sequence[Swap | None] = (None,),
        size: tuple[int, int, float] | None = None,
        **fields,
    ) -> None:
        """Adds a shot for each view, set and variant.

        Parameters
        ----------
        views, sets : sequence of id
            Those in use by default.
        swaps : sequence of Swap or None
            Variants; None for the product as it is.
        size : (int, int, float), optional
            Pixels, and pixels per inch; that of the next render by default.
        **fields
            Further fields of the shots.
        """
        project = self.project
        combined = list(product(views or [project.current_view], sets or [project.current_set], swaps or [None]))
        if len(self.shots) + len(combined) > MOST_SHOTS:
            self.session.said.emit(f"A project holds {MOST_SHOTS} shots at most; remove some first.")
            return
        width, height, dpi = size or (*self.session.picture_size, 72.0)
        free, made = FreeNames({shot.name for shot in self.shots}), []
        for view, studio, swap in combined:
            words = [by_id(project.views, view).name]
            if len(sets) > 1:
                words.append(by_id(project.sets, studio).name)
            if swap is not None:
                words.append(by_id(project.materials, swap.variant).name)
            if fields.get("turn") is not None:
                words.append(GOING[fields["turn"].going].lower())
            form = {"width": width, "height": height, "dpi": dpi} | fields
            name = free.take(", ".join(words)[:120])
            made.append(Shot(id=new_id("shot"), name=name, view=view, set=studio, swap=swap, **form))
        self._shot_id = made[0].id
        label = f"Add shot {made[0].name}" if len(made) == 1 else f"Add {len(made)} shots"
        self.session.edit(label, project.with_shots((*self.shots, *made)))
        self.changed.emit()

    @command
    def change_shot(self, label: str, gesture: str | None = None, **fields) -> None:
        """Changes the shot on the board.

        Parameters
        ----------
        label : str
            Undo text.
        gesture : str or None
            Edits of one gesture are one step of the history.
        **fields
            New values.
        """
        shot = self.shot
        if shot is not None and any(getattr(shot, name) != value for name, value in fields.items()):
            shots = with_one(self.shots, shot.with_(**fields))
            self.session.edit(label, self.project.with_shots(shots), gesture)

    @command
    def tick_shot(self, shot_id: str, is_on: bool) -> None:
        """Chooses if a shot is rendered with the others.

        Parameters
        ----------
        shot_id : str
            Id of the shot.
        is_on : bool
            Whether it is.
        """
        shot = by_id(self.shots, shot_id).with_(is_on=is_on)
        self.session.edit("Tick shot" if is_on else "Untick shot", self.project.with_shots(with_one(self.shots, shot)))

    @command
    def duplicate_shot(self) -> None:
        """Adds a copy of the shot on the board behind it."""
        shot = self.shot
        if shot is None or len(self.shots) >= MOST_SHOTS:
            return
        made = shot.with_(id=new_id("shot"), name=name_of_copy(shot.name, {each.name for each in self.shots}))
        place = self.shots.index(shot) + 1
        self._shot_id = made.id
        self.session.edit(
            f"Duplicate {shot.name}", self.project.with_shots((*self.shots[:place], made, *self.shots[place:]))
        )
        self.changed.emit()

    @command
    def remove_shot(self) -> None:
        """Removes the shot on the board."""
        shot = self.shot
        if shot is not None:
            place = self.shots.index(shot)
            rest = tuple(each for each in self.shots if each is not shot)
            self._shot_id = rest[min(place, len(rest) - 1)].id if rest else None
            self.session.edit(f"Remove {shot.name}", self.project.with_shots(rest))
            self.changed.emit()

    @command
    def move_shot(self, step: int) -> None:
        """Moves the shot on the board among the others.

        Parameters
        ----------
        step : int
            Places; below 0 upwards.
        """
        shot = self.shot
        if shot is None:
            return
        shots = [each for each in self.shots if each is not shot]
        place = min(max(self.shots.index(shot) + step, 0), len(shots))
        shots.insert(place, shot)
        if tuple(shots) != self.shots:
            self._shot_id = shot.id
            self.session.edit(f"Move {shot.name}", self.project.with_shots(shots))

    @command
    def set_pattern(self, pattern: str) -> None:
        """Changes the names of the files.

        Parameters
        ----------
        pattern : str
            With words in braces, see `exchange.shot_files.TOKENS`; an empty one changes nothing.
        """
        handed = self.project.hand_over
        if pattern.strip() and pattern.strip() != handed.pattern:
            self.session.edit("File names", self.project.with_(hand_over=handed.with_(pattern=pattern.strip())))

    @property
    def finish(self) -> Finish:
        """The finish of the project."""
        return self.project.finish

    @property
    def masked(self) -> MaskedAdjustment | None:
        """The masked adjustment on the board; None for the whole picture."""
        return next((each for each in self.finish.masked if each.id == self._adjusted_id), None)

    @property
    def adjustment(self) -> Adjustment:
        """The adjustment on the board."""
        masked = self.masked
        return self.finish.whole if masked is None else masked.adjustment

    def with_adjustment(self, adjustment: Adjustment) -> Project:
        """The project with another adjustment in place of the one on the board.

        Parameters
        ----------
        adjustment : Adjustment
            The new one.

        Returns
        -------
        Project
        """
        masked = self.masked
        if masked is None:
            return self.project.with_finish(self.finish.with_(whole=adjustment))
        changed = masked.with_(adjustment=adjustment)
        return self.project.with_finish(self.finish.with_(masked=with_one(self.finish.masked, changed)))

    def choose_adjustment(self, adjusted_id: str) -> None:
        """Puts an adjustment on the board.

        Parameters
        ----------
        adjusted_id : str
            Id of a masked one, or `WHOLE`.
        """
        self._adjusted_id = adjusted_id
        self.changed.emit()

    def mask_words(self, each: MaskedAdjustment) -> str:
        """The thing that a masked adjustment is for, in words.

        Parameters
        ----------
        each : MaskedAdjustment
            The adjustment.

        Returns
        -------
        str
        """
        if each.kind in ("backdrop", "product"):
            return "Backdrop" if each.kind == "backdrop" else "Product"
        if each.kind == "area":
            own = next((view.name for view in self.project.views if each.area and view.id == each.area.view), "no view")
            return f"Painted area, {own}"
        names = {key: words for kind, key, words in self.mask_targets() if kind == each.kind}
        return names.get(each.target, "Not in the project")

    def mask_targets(self) -> Iterable[tuple[str, str, str]]:
        """All that an adjustment can be for: kind, target and words.

        Yields
        ------
        kind, target, words : str
        """
        yield "product", "", "Product"
        yield "backdrop", "", "Backdrop"
        for tones, words in TONES.items():
            yield "tones", tones, words
        for part in self.project.product.parts:
            yield "part", part.id, part.name
            for zone in part.zones:
                yield "zone", f"{part.id}/{zone.id}", f"{part.name}, {zone.name}"
        for material in self.project.materials:
            yield "material", material.id, material.name

    @command
    def add_masked(self, kind: str, target: str = "") -> None:
        """Adds an adjustment of one thing alone, and puts it on the board; one that is there already is chosen.

        Parameters
        ----------
        kind : str
            As `MaskedAdjustment.kind`.
        target : str
            As `MaskedAdjustment.target`.
        """
        found = next((each for each in self.finish.masked if (each.kind, each.target) == (kind, target)), None)
        if found is None:
            if len(self.finish.masked) >= MOST_MASKED:
                self.session.said.emit(f"A finish holds {MOST_MASKED} masks at most; remove one first.")
                return
            found = MaskedAdjustment(id=new_id("mask"), kind=kind, target=target)
            finish = self.finish.with_(masked=(*self.finish.masked, found))
            self.session.edit(f"Adjust {self.mask_words(found)}", self.project.with_finish(finish))
        self.choose_adjustment(found.id)

    @command
    def remove_masked(self) -> None:
        """Removes the masked adjustment on the board."""
        masked = self.masked
        if masked is not None:
            rest = tuple(each for each in self.finish.masked if each.id != masked.id)
            self.session.edit(
                f"Remove adjustment of {self.mask_words(masked)}",
                self.project.with_finish(self.finish.with_(masked=rest)),
            )
            self.choose_adjustment(WHOLE)

    @command
    def reset_adjustment(self) -> None:
        """Takes back all of the adjustment on the board."""
        if self.adjustment != Adjustment():
            self.session.edit("Reset adjustment", self.with_adjustment(Adjustment()))

    @command
    def switch_finish(self, is_on: bool) -> None:
        """Applies the finish, or leaves it out.

        Parameters
        ----------
        is_on : bool
            Whether it is applied.
        """
        label = "Finish on" if is_on else "Finish off"
        self.session.edit(label, self.project.with_finish(self.finish.with_(is_on=is_on)))
