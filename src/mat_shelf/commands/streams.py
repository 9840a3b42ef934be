"""A stream that is poured onto the liquid on the board."""

import math

import numpy as np

from mat_shelf.commands.command import command
from mat_shelf.document.fill import FARTHEST, Stream
from mat_shelf.document.ids import free_name, new_id
from mat_shelf.document.product import Part
from mat_shelf.document.project import Project
from mat_shelf.fills.pouring import Fall
from mat_shelf.scene.poured_liquids import fall_on

_OVER, _LEAST_OVER = 0.5, 12.0
"""Height of a new stream over the vessel, of its depth, and mm."""
_LOWEST = 1.0
"""mm over the surface that a mouth is dragged to."""


class StreamCommands:
    """Edits of a stream; a part of `FillCommands`."""

    @property
    def stream_part(self) -> Part | None:
        """The stream that falls onto the liquid on the board."""
        return self._standing_by_liquid("stream", self.fill_part)

    @property
    def stream(self) -> Stream | None:
        """Its values."""
        part = self.stream_part
        return part.stream if part is not None else None

    @command
    def add_stream(self) -> None:
        """Pours a stream onto the liquid on the board."""
        liquid = self.fill_part
        if liquid is None:
            self.session.said.emit("Fill a vessel first; then a stream can be poured into it.")
            return
        if liquid is not self.stacked[-1]:
            self.session.said.emit(f"A stream lands on the uppermost liquid: {self.stacked[-1].name}.")
            return
        stream = Stream(liquid=liquid.id)
        if (poured := self.liquid) is not None:  # half as high above the vessel as that is deep
            over = min(max(_OVER * poured.cavity.spill_depth, _LEAST_OVER), stream.height)
            stream = stream.with_(height=round(max(poured.headspace_mm, 0) + over, 1))
        name = free_name(f"Stream of {liquid.name}", {p.name for p in self.project.product.parts})
        part = Part(id=new_id("stream"), name=name, mesh=liquid.mesh, material=liquid.material, stream=stream)
        label = f"Pour {liquid.name}"
        with self.session.as_one(label):
            self.session.edit(label, self.project.with_parts((*self.project.product.parts, part)))
            self.session.select(self.project.product.carriers_of(part)[0].id)

    def with_stream(self, stream: Stream) -> Project:
        """The project with another stream on the board.

        Parameters
        ----------
        stream : Stream
            The stream.

        Returns
        -------
        Project
        """
        part = self.stream_part
        return self.project if part is None else self.project.with_part(part.with_(stream=stream))

    def _fall(self) -> tuple[Fall, float] | None:
        """The fall of the stream now, and the height of the surface, in the frame of the vessel."""
        part, poured, now = self.stream_part, self.liquid, self.now
        if part is None or part.is_hidden or poured is None or now is None:
            return None
        return fall_on(part.stream, poured.cavity), now[0]

    @property
    def stream_ends(self) -> tuple[np.ndarray, np.ndarray] | None:
        """Its mouth and where it lands, (3,) mm each."""
        known = self._fall()
        if known is None:
            return None
        fall, level = known
        ends = fall.line(np.array([0.0, fall.duration])) + (0, level, 0)
        return tuple(ends @ self.liquid.to_world.T)

    @property
    def stream_up(self) -> np.ndarray:
        """Direction against gravity, (3,)."""
        return self.liquid.to_world @ np.array([0.0, 1.0, 0.0])

    @command
    def move_mouth(self, place, gesture: str | None = None) -> None:
        """Puts the mouth of the stream to a place.

        Parameters
        ----------
        place : (3,) float
            The place, mm.
        gesture : str or None
            Edits of one gesture are one step of the history.
        """
        known = self._fall()
        if known is None:
            return
        fall, level = known
        x, y, z = self.liquid.to_world.T @ np.asarray(place, np.float64) - (fall.x, level, fall.z)
        aside = math.hypot(x, z)
        values = {"height": min(max(y, _LOWEST), FARTHEST), "aside": min(aside, FARTHEST)}
        if aside > 0.05:
            values["direction"] = math.degrees(math.atan2(-z, x))
        self._put_stream("Mouth of the stream", values, gesture)

    @command
    def move_landing(self, place, gesture: str | None = None) -> None:
        """Lets the stream land at a place of the surface; its mouth goes along.

        Parameters
        ----------
        place : (3,) float
            The place, mm.
        gesture : str or None
            Edits of one gesture are one step of the history.
        """
        if self._fall() is None:
            return
        middle = self.liquid.cavity.middle
        x, _, z = self.liquid.to_world.T @ np.asarray(place, np.float64) - middle
        values = {"across": min(max(x, -FARTHEST), FARTHEST), "ahead": min(max(z, -FARTHEST), FARTHEST)}
        self._put_stream("Landing of the stream", values, gesture)

    def _put_stream(self, label: str, values: dict[str, float], gesture: str | None) -> None:
        values = {name: round(float(value), 2) for name, value in values.items()}
        self.session.edit(label, self.with_stream(self.stream.with_(**values)), gesture)
