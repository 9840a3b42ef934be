"""Lights of the set: added, switched, aimed by pointing at what they should do."""

import numpy as np

from mat_shelf.commands.command import command
from mat_shelf.document.ids import free_name, name_of_copy
from mat_shelf.document.set import MOST_LIGHTS, Set, Softbox
from mat_shelf.scene.lights import carried_round

_NEAREST, _FARTHEST = 5.0, 1e5
"""mm, of a light from what it faces."""


class LightCommands:
    """Commands on the lights of the set in use; a part of `Session`."""

    _light_place = 0

    @property
    def light_place(self) -> int:
        """Place of the selected light in the set, the last one where there are fewer; -1 where there is none."""
        return min(self._light_place, len(self.project.set.softboxes) - 1)

    @property
    def light(self) -> Softbox | None:
        """The selected light, as it stands before the lights of the set are rotated."""
        return self.project.set.softboxes[self.light_place] if self.light_place >= 0 else None

    def select_light(self, place: int) -> None:
        """Selects a light.

        Parameters
        ----------
        place : int
            Its place in the set.
        """
        self._light_place = place
        self.light_changed.emit()

    def with_light(self, light: Softbox) -> Set:
        """The set in use, with another light in place of the selected one.

        Parameters
        ----------
        light : Softbox
            The light.

        Returns
        -------
        Set
        """
        boxes = list(self.project.set.softboxes)
        boxes[self.light_place] = light
        return self.project.set.with_(softboxes=tuple(boxes))

    def _put_light(self, label: str, light: Softbox, gesture: str | None = None) -> None:
        self.edit(label, self.project.with_set(self.with_light(light)), gesture)

    def _put_lights(self, label: str, boxes: list[Softbox], place: int) -> None:
        self._light_place = place
        self.edit(label, self.project.with_set(self.project.set.with_(softboxes=tuple(boxes))))
        self.light_changed.emit()

    @command
    def add_light(self, middle, size: float, eye) -> None:
        """Adds a softbox beside the camera, above what it looks at, and selects it.

        Parameters
        ----------
        middle : (3,) float
            What it faces, mm.
        size : float
            Longest side of that, mm; it becomes as large.
        eye : (3,) float
            Position of the camera, mm.
        """
        boxes = list(self.project.set.softboxes)
        if len(boxes) >= MOST_LIGHTS:
            self.said.emit(f"A set holds {MOST_LIGHTS} lights at most; remove one first.")
            return
        size = float(np.clip(size, 10.0, 5000.0))
        toward = np.subtract(eye, middle) * (1, 0, 1)
        toward = toward / max(float(np.linalg.norm(toward)), 1e-9)
        side = np.array([-toward[2], 0.0, toward[0]])
        position = np.add(middle, size * (1.2 * side + 1.3 * np.array([0, 1, 0]) + 0.6 * toward))
        name = free_name("Softbox", {box.name for box in boxes})
        turn = -self.project.set.turn
        made = Softbox(name=name, position=_point(position), target=_point(middle), width=size, height=size)
        self._put_lights(f"Add {name}", [*boxes, carried_round(made, turn)], len(boxes))

    @command
    def duplicate_light(self) -> None:
        """Add a copy of the selected light beside it."""
        light, boxes = self.light, list(self.project.set.softboxes)
        if light is None or len(boxes) >= MOST_LIGHTS:
            self.said.emit("Select a light first." if light is None else f"A set holds {MOST_LIGHTS} lights at most.")
            return
        name = name_of_copy(light.name, {box.name for box in boxes})
        away = np.subtract(light.position, light.target)
        aside = np.cross(away, (0, 1, 0)) if np.hypot(away[0], away[2]) > 1e-3 else np.array([1.0, 0.0, 0.0])
        aside = aside / np.linalg.norm(aside) * 1.1 * light.width
        copied = light.with_(name=name, position=_point(np.add(light.position, aside)))
        place = self.light_place + 1
        self._put_lights(f"Duplicate {light.name}", [*boxes[:place], copied, *boxes[place:]], place)

    @command
    def remove_light(self) -> None:
        """Removes the selected light."""
        light, boxes = self.light, list(self.project.set.softboxes)
        if light is not None:
            del boxes[self.light_place]
            self._put_lights(f"Remove {light.name}", boxes, self.light_place)

    @command
    def switch_light(self, place: int, is_on: bool) -> None:
        """Switches a light on or off.

        Parameters
        ----------
        place : int
            Its place in the set.
        is_on : bool
            Whether it is on.
        """
        boxes = list(self.project.set.softboxes)
        boxes[place] = boxes[place].with_(is_on=is_on)
        studio = self.project.set.with_(softboxes=tuple(boxes))
        self.edit(f"Switch {boxes[place].name} {'on' if is_on else 'off'}", self.project.with_set(studio))

    @command
    def solo_light(self) -> None:
        """Switches all lights but the selected one off, or all on again where that is so."""
        boxes = self.project.set.softboxes
        if self.light is None:
            return
        alone = all(box.is_on == (place == self.light_place) for place, box in enumerate(boxes))
        made = tuple(box.with_(is_on=alone or place == self.light_place) for place, box in enumerate(boxes))
        label = "All lights on" if alone else f"{self.light.name} alone"
        self.edit(label, self.project.with_set(self.project.set.with_(softboxes=made)))

    @command
    def rename_light(self, place: int, name: str) -> None:
        """Rename a light.

        Parameters
        ----------
        place : int
            Its place in the set.
        name : str
            New name; an empty one changes nothing.
        """
        boxes = list(self.project.set.softboxes)
        if name.strip() and name.strip() != boxes[place].name:
            boxes[place] = boxes[place].with_(name=name.strip()[:120])
            self.edit("Rename light", self.project.with_set(self.project.set.with_(softboxes=tuple(boxes))))

    @command
    def put_highlight(self, point, normal, eye, gesture: str | None = None) -> None:
        """Moves the selected light, at its distance, to where a mirror at a point would show it.

        Parameters
        ----------
        point : (3,) float
            Where its highlight should lie, mm, of the world.
        normal : (3,) float
            Unit normal of the surface there.
        eye : (3,) float
            Position of the camera, mm.
        gesture : str or None
            Edits of one gesture are one step of the history.
        """
        if self.light is None:
            self.said.emit("Add a light first.")
            return
        point, normal = np.asarray(point, np.float64), np.asarray(normal, np.float64)
        way = np.subtract(eye, point)
        way = way / np.linalg.norm(way)
        normal = normal if way @ normal >= 0 else -normal
        mirrored = 2 * (way @ normal) * normal - way
        distance = float(np.linalg.norm(np.subtract(self.light.position, self.light.target)))
        aimed = self.light.with_(position=_point(point + mirrored * distance), target=_point(point))
        self._put_light("Place highlight", carried_round(aimed, -self.project.set.turn), gesture)

    @command
    def aim_light(self, point, gesture: str | None = None) -> None:
        """Lets the selected light face a point from where it is.

        Parameters
        ----------
        point : (3,) float
            The point, mm, of the world.
        gesture : str or None
            Edits of one gesture are one step of the history.
        """
        if self.light is None:
            self.said.emit("Add a light first.")
            return
        standing = carried_round(self.light, self.project.set.turn)
        if np.linalg.norm(np.subtract(standing.position, point)) < _NEAREST:
            return
        aimed = standing.with_(target=_point(point))
        self._put_light("Aim light", carried_round(aimed, -self.project.set.turn), gesture)

    @command
    def put_light_away(self, distance: float, gesture: str | None = None) -> None:
        """Moves the selected light towards what it faces, or away from it.

        Parameters
        ----------
        distance : float
            Distance from it, mm.
        gesture : str or None
            Edits of one gesture are one step of the history.
        """
        if self.light is None:
            return
        away = np.subtract(self.light.position, self.light.target)
        away = away / np.linalg.norm(away) * float(np.clip(distance, _NEAREST, _FARTHEST))
        self._put_light("Distance", self.light.with_(position=_point(np.add(self.light.target, away))), gesture)


def _point(place) -> tuple[float, float, float]:
    return tuple(round(float(x), 4) for x in place)
