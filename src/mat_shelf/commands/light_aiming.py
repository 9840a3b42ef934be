"""Lights of the set aimed by pointing at what they should do, and moved."""

import numpy as np

from mat_shelf.commands.command import command
from mat_shelf.scene.lights import carried_round

_NEAREST, _FARTHEST = 5.0, 1e5
"""mm, of a light from what it faces."""


class LightAiming:
    """Commands that move the selected light; a part of `Session`."""

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
            self.said.emit("Select a light first.")
            return
        point, normal = np.asarray(point, np.float64), np.asarray(normal, np.float64)
        way = np.subtract(eye, point)
        way = way / np.linalg.norm(way)
        normal = normal if way @ normal >= 0 else -normal
        mirrored = 2 * (way @ normal) * normal - way
        distance = float(np.linalg.norm(np.subtract(self.light.position, self.light.target)))
        aimed = self.light.with_(position=light_point(point + mirrored * distance), target=light_point(point))
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
            self.said.emit("Select a light first.")
            return
        standing = carried_round(self.light, self.project.set.turn)
        if np.linalg.norm(np.subtract(standing.position, point)) < _NEAREST:
            return
        aimed = standing.with_(target=light_point(point))
        self._put_light("Aim light", carried_round(aimed, -self.project.set.turn), gesture)

    @command
    def put_shadow(self, caster, point, gesture: str | None = None) -> None:
        """Moves the selected light, at its distance, so that the shadow of one point falls on another one.

        Parameters
        ----------
        caster : (3,) float
            What casts the shadow, mm, of the world.
        point : (3,) float
            Where it should fall.
        gesture : str or None
            Edits of one gesture are one step of the history.
        """
        if self.light is None:
            self.said.emit("Select a light first.")
            return
        way = np.subtract(caster, point).astype(np.float64)
        if np.linalg.norm(way) < _NEAREST / 5:
            return
        distance = float(np.linalg.norm(np.subtract(self.light.position, self.light.target)))
        position = np.add(caster, way / np.linalg.norm(way) * distance)
        aimed = self.light.with_(position=light_point(position), target=light_point(caster))
        self._put_light("Place shadow", carried_round(aimed, -self.project.set.turn), gesture)

    @command
    def move_light(self, position, gesture: str | None = None) -> None:
        """Moves the selected light; it goes on facing what it faces.

        Parameters
        ----------
        position : (3,) float
            Where it stands then, mm, of the world.
        gesture : str or None
            Edits of one gesture are one step of the history.
        """
        if self.light is None:
            return
        standing = carried_round(self.light, self.project.set.turn)
        if np.linalg.norm(np.subtract(position, standing.target)) < _NEAREST:
            return
        moved = standing.with_(position=light_point(np.clip(position, -_FARTHEST, _FARTHEST)))
        self._put_light("Move light", carried_round(moved, -self.project.set.turn), gesture)

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
        self._put_light("Distance", self.light.with_(position=light_point(np.add(self.light.target, away))), gesture)


def light_point(place) -> tuple[float, float, float]:
    """A place as lights keep it.

    Parameters
    ----------
    place : (3,) float
        The place, mm.

    Returns
    -------
    (3,) float
    """
    return tuple(round(float(x), 4) for x in place)
