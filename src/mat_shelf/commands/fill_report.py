"""Report on a fill: how much is in it, its section, and how many drops and bubbles there are; worked out aside."""

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from psygnal import Signal

from mat_shelf.document.fill import Fill
from mat_shelf.fills.cavity import MM3_PER_ML
from mat_shelf.fills.liquid import LiquidBody
from mat_shelf.fills.modelled_liquid import modelled_liquid
from mat_shelf.fills.section import section_outlines
from mat_shelf.fills.strewing import MOST_DROPS
from mat_shelf.fills.vessel import VesselError, frame_of, make_vessel
from mat_shelf.scene.filled_cavities import open_parts, up_of
from mat_shelf.scene.held_parts import standing_mesh
from mat_shelf.scene.poured_liquids import (
    PouredLiquid,
    poured_liquid,
    standing,
    volume_below,
    wanted_volume,
)
from mat_shelf.scene.poured_streams import poured_stream
from mat_shelf.scene.strewn_beads import bead_caps, bubble_caps, foam_caps

_SAME_CAVITY = ("vessel", "near", "tilt", "direction")
"""Values of a fill by which it is in the same space, standing the same way."""


class Section(NamedTuple):
    """A vessel and its liquid, cut upright through the middle of the cavity, mm.

    vessel : list of (N, 2) float64; outlines
    liquids : list of (list of (N, 2) float64, bool)
        Outlines of each liquid, the uppermost first, and whether it is the one on the board; each goes on through those
        below.
    across_cavity : (float, float); its left and right end
    level, bottom, spill : float; heights
    origin, across, up : (3,) float64; where the plane is in the world: its point (0, 0), and its directions
    """

    vessel: list[np.ndarray]
    liquids: list[tuple[list[np.ndarray], bool]]
    across_cavity: tuple[float, float]
    level: float
    bottom: float
    spill: float
    origin: np.ndarray
    across: np.ndarray
    up: np.ndarray


class FillReport:
    """Values of the fill on the board; a part of `FillCommands`.

    Attributes
    ----------
    liquid : PouredLiquid or None
        The liquid, as it was poured last.
    section : Section or None
    fault : str
        Reason why it cannot be poured.
    working : str
        Deed that is under way, in words.
    note : str
        What else there is to say about what is in the vessel.
    drop_count, bubble_count, foam_count : int
    stream_words : str
        What there is to say about the stream.
    told
        Signal: there is another report.
    """

    told = Signal()

    def __init__(self):
        self.liquid: PouredLiquid | None = None
        self.section: Section | None = None
        self.fault = self.working = self.note = self.stream_words = ""
        self._now: tuple[tuple, tuple[float, float]] | None = None
        self.drop_count = self.bubble_count = self.foam_count = 0
        self._told_of: tuple | None = None
        self._told_fill: Fill | None = None
        self._is_busy = False

    @property
    def is_unknown(self) -> bool:
        """True if nothing was told yet of the parts that are on the board."""
        told = self._told_of
        shown = self.fill_part, self.beads_part, self.bubbles_part, self.foam_part, self.stream_part
        return told is None or any((a and a.id) != (b and b.id) for a, b in zip(told, shown, strict=False))

    @property
    def now(self) -> tuple[float, float] | None:
        """Level, mm, and volume, ml, as the project has them now, while the report may still be of an older state.

        None where nothing is poured.
        """
        fill, poured, told = self.fill, self.liquid, self._told_fill
        if fill is None or poured is None or told is None:
            return None
        if told == fill or any(getattr(told, name) != getattr(fill, name) for name in _SAME_CAVITY):
            return poured.body.level, poured.volume_ml
        if self._now is None or self._now[0] != (fill, poured.cavity):  # it is asked for at every stroke of a drag
            below = volume_below(self.project, fill, poured.cavity)
            volume = wanted_volume(fill, poured.cavity, below)
            self._now = (fill, poured.cavity), (poured.cavity.level_of(below + volume), volume / MM3_PER_ML)
        return self._now[1]

    def _show_working(self, words: str) -> None:
        """Says that something is under way; that it ended where there are no words."""
        self.working = words
        self.told.emit()

    def tell(self) -> None:
        """Finds out, aside, what there is to say about what is on the board; `told` follows where that is new.

        While it is found out nothing else is; whoever wants to know has to ask again once it is told. During a drag no
        one should: what is poured for a report is not what is poured for the picture.
        """
        if self._is_busy:
            return
        project, assets = self.project, self.session.assets
        fill_part, beads_part, stacked = self.fill_part, self.beads_part, self.stacked
        bubbles_part, foam_part, stream_part = self.bubbles_part, self.foam_part, self.stream_part
        view = np.asarray(self.session.camera.position) - np.asarray(self.session.camera.target)
        wanted = (
            fill_part,
            beads_part,
            bubbles_part,
            foam_part,
            stream_part,
            project.product.parts,
            project.marks,
            assets,
            tuple(np.round(view, -1)),
        )
        if self._told_of is not None and all(a is b or a == b for a, b in zip(self._told_of, wanted, strict=True)):
            return
        self._told_of, self._is_busy = wanted, True

        def work() -> tuple:
            """Pour, cut and count.

            Returns
            -------
            (PouredLiquid or None, Section or None, str, str, str, int, int, int)
            """
            poured, section, fault, note = None, None, "", ""
            if fill_part is not None:
                try:
                    poured = poured_liquid(project, fill_part, assets)
                    bodies = _bodies_of(project, stacked, assets)
                    open_ = open_parts(project, standing(project, fill_part.fill), assets)
                    note = _open_words([part.name for part in open_])
                    section = section_of(poured, standing(project, fill_part.fill), view, bodies)
                except VesselError as why:
                    fault = str(why)
            made = (
                bead_caps(project, beads_part, assets) if beads_part is not None else None,
                bubble_caps(project, bubbles_part, assets) if bubbles_part is not None else None,
                foam_caps(project, foam_part, assets) if foam_part is not None else None,
            )
            words, why = _stream_words(project, stream_part, assets)
            if bubbles_part is not None and fill_part is None and not len(made[1]):
                why = why or _still_words(project, bubbles_part, assets)
            return poured, section, fault, why or note, words, *(len(caps) if caps is not None else 0 for caps in made)

        def done(found: tuple) -> None:
            """Take it over.

            Parameters
            ----------
            found : tuple
                Result of the work.
            """
            self._is_busy = False
            self.liquid, self.section, self.fault, self.note, self.stream_words, *counts = found
            self.drop_count, self.bubble_count, self.foam_count = counts
            self._told_fill = standing(project, fill_part.fill) if fill_part is not None else None
            self.told.emit()

        def failed(fault: Exception) -> None:
            """Let it be asked for again.

            Parameters
            ----------
            fault : Exception
                The reason.
            """
            self._is_busy = False
            raise fault

        self.session.aside(work, done, failed)

    @staticmethod
    def is_most(count: int) -> bool:
        """True if there are as many drops or bubbles as can be shown.

        Parameters
        ----------
        count : int
            Their number.

        Returns
        -------
        bool
        """
        return count >= MOST_DROPS


def _open_words(names: list[str]) -> str:
    """One line about parts that push no liquid aside."""
    if not names:
        return ""
    if len(names) > 1:
        return f"{names[0]} and {len(names) - 1} more push nothing aside: their surfaces have holes; mend them."
    return f"{names[0]} pushes nothing aside, since its surface has holes; mend it in the Product station."


def _stream_words(project, part, assets) -> tuple[str, str]:
    """A few words about a stream: how much flows and how thick it ends; and why it does not."""
    if part is None:
        return "", ""
    try:
        poured = poured_stream(project, part, assets)
    except VesselError as why:
        return "not poured", f"The stream is not poured: {why}."
    return ("" if poured is None else f"{poured.fall.flow:.3g} ml/s, {2 * poured.fall.foot:.2g} mm"), ""


def _still_words(project, part, assets) -> str:
    """One line about a modelled liquid in which no bubbles rise; none where it is as it should be."""
    liquid = next((p for p in project.product.parts if p.id == part.bubbles.liquid), None)
    if liquid is None:
        return "No bubbles are shown: their liquid is gone."
    try:
        modelled_liquid(make_vessel(standing_mesh(liquid, assets)))
    except VesselError as why:
        return f"No bubbles rise in it: {why}."
    return ""


def _bodies_of(project, stacked, assets) -> list[LiquidBody]:
    """The bodies of all liquids of a cavity that can be poured, the uppermost first."""
    found = []
    for part in reversed(stacked):
        try:
            found.append(poured_liquid(project, part, assets).body)
        except VesselError:
            continue
    return found


def section_of(poured: PouredLiquid, fill: Fill, view: np.ndarray, bodies: Sequence[LiquidBody] = ()) -> Section:
    """A vessel and its liquid, cut along the picture.

    Parameters
    ----------
    poured : PouredLiquid
        The liquid.
    fill : Fill
        Its fill.
    view : (3,) float64
        Direction towards the camera.
    bodies : sequence of LiquidBody
        All liquids in the cavity, the uppermost first; that one alone by default.

    Returns
    -------
    Section
    """
    cavity, turn = poured.cavity, frame_of(up_of(fill))
    towards = turn @ view
    across = np.array([towards[2], 0.0, -towards[0]])
    length = float(np.linalg.norm(across))
    across = across / length if length > 1e-6 else np.array([1.0, 0.0, 0.0])
    wet = cavity.vessel.vertices[np.isfinite(cavity.reached)]
    origin = (wet.min(axis=0) + wet.max(axis=0)) / 2
    origin[1] = 0.0
    vessel = section_outlines(cavity.vessel.vertices, cavity.vessel.triangles, origin, across)
    liquids = [
        (section_outlines(body.mesh.vertices, body.mesh.triangles, origin, across), body is poured.body)
        for body in bodies or (poured.body,)
    ]
    up = turn.T @ np.array([0.0, 1.0, 0.0])
    ends = (wet - origin) @ across
    sides = float(ends.min()), float(ends.max())
    return Section(
        vessel, liquids, sides, poured.body.level, cavity.bottom, cavity.spill, turn.T @ origin, turn.T @ across, up
    )
