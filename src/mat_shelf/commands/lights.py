"""Lights of the set: added, switched, named, and the power that they have."""

from collections.abc import Callable

import numpy as np

from mat_shelf.commands.command import command
from mat_shelf.commands.light_aiming import light_point
from mat_shelf.document.ids import free_name, name_of_copy
from mat_shelf.document.light import SIZE_FIELDS, Light
from mat_shelf.document.set import MOST_LIGHTS, Set
from mat_shelf.scene.light_table import distributions_of, pictures_of, power_of, with_power
from mat_shelf.scene.lights import carried_round
from mat_shelf.scene.rigs import rig_lights

PRESETS: dict[str, Callable[[float], dict]] = {
    "Softbox": lambda size: {"width": size, "height": size},
    "Strip light": lambda size: {"width": size / 5, "height": 1.6 * size, "edge": 0.2},
    "Round softbox": lambda size: {"kind": "disc", "width": size, "height": size},
    "Tube": lambda size: {"kind": "tube", "length": 1.6 * size, "diameter": max(size / 10, 5.0), "luminance": 8000.0},
    "Spot": lambda size: {"kind": "spot", "diameter": max(size / 8, 5.0), "edge": 0.3, "luminance": 300_000.0},
    "Sun": lambda size: {"kind": "distant", "luminance": 6e7, "temperature": 5400.0},
    "Sky light": lambda size: {
        "kind": "distant",
        "angle": 60.0,
        "edge": 1.0,
        "luminance": 3000.0,
        "temperature": 7500.0,
    },
}
"""Lights as they are added, by name: their fields for a product of a longest side in mm."""


class LightCommands:
    """Commands on the lights of the set in use; a part of `Session`."""

    _light_place = 0

    @property
    def light_place(self) -> int:
        """Place of the selected light in the set, the last one where there are fewer; -1 where none is selected."""
        return -1 if self.part_light is not None else min(self._light_place, len(self.project.set.lights) - 1)

    @property
    def light(self) -> Light | None:
        """The selected light, as it stands before the lights of the set are rotated."""
        return self.project.set.lights[self.light_place] if self.light_place >= 0 else None

    def select_light(self, place: int) -> None:
        """Selects a light.

        Parameters
        ----------
        place : int
            Its place in the set.
        """
        self._light_place, self._part_light = place, None
        self.light_changed.emit()

    def light_power(self, light: Light) -> float:
        """Power of a light: lumens, or lux from afar; see `light_table.power_of`.

        Parameters
        ----------
        light : Light
            The light.

        Returns
        -------
        float
        """
        return power_of(light, *self._files_of(light))

    def with_power(self, light: Light, power: float) -> Light:
        """A light whose luminance gives it a power, as `light_power` has it.

        Parameters
        ----------
        light : Light
            The light.
        power : float
            Lumens, or lux from afar.

        Returns
        -------
        Light
        """
        return with_power(light, power, *self._files_of(light))

    def _files_of(self, light: Light):
        """Image and distribution of a light."""
        pictures = pictures_of([light], self.assets.pictures)
        return pictures[0], distributions_of([light], self.assets.distributions)[0]

    def with_light(self, light: Light) -> Set:
        """The set in use, with another light in place of the selected one, of the same power if it is to keep it.

        Parameters
        ----------
        light : Light
            The light.

        Returns
        -------
        Set
        """
        lights, present = list(self.project.set.lights), self.light
        is_other = any(getattr(light, name) != getattr(present, name) for name in SIZE_FIELDS)
        if light.keeps_power and present.keeps_power and is_other:
            light = self.with_power(light, self.light_power(present))
        lights[self.light_place] = light
        return self.project.set.with_(lights=tuple(lights))

    def _put_light(self, label: str, light: Light, gesture: str | None = None) -> None:
        self.edit(label, self.project.with_set(self.with_light(light)), gesture)

    def _put_lights(self, label: str, lights: list[Light], place: int) -> None:
        self._light_place, self._part_light = place, None
        self.edit(label, self.project.with_set(self.project.set.with_(lights=tuple(lights))))
        self.light_changed.emit()

    @command
    def add_light(self, preset: str, middle, size: float, eye) -> None:
        """Adds a light beside the camera, above what it looks at, and selects it.

        Parameters
        ----------
        preset : str
            A key of `PRESETS`.
        middle : (3,) float
            What it faces, mm.
        size : float
            Longest side of that, mm; it becomes as large.
        eye : (3,) float
            Position of the camera, mm.
        """
        lights = list(self.project.set.lights)
        if len(lights) >= MOST_LIGHTS:
            self.said.emit(f"A set holds {MOST_LIGHTS} lights at most; remove one first.")
            return
        size = float(np.clip(size, 10.0, 5000.0))
        toward = np.subtract(eye, middle) * (1, 0, 1)
        toward = toward / max(float(np.linalg.norm(toward)), 1e-9)
        side = np.array([-toward[2], 0.0, toward[0]])
        position = np.add(middle, size * (1.2 * side + 1.3 * np.array([0, 1, 0]) + 0.6 * toward))
        name = free_name(preset, {light.name for light in lights})
        made = Light(name=name, position=light_point(position), target=light_point(middle), **PRESETS[preset](size))
        self._put_lights(f"Add {name}", [*lights, carried_round(made, -self.project.set.turn)], len(lights))

    @command
    def add_rig(self, name: str, middle, size: float, eye) -> None:
        """Adds the lights of a rig around what the camera looks at, and selects the first of them.

        Parameters
        ----------
        name : str
            A key of `RIGS`.
        middle : (3,) float
            Middle of the product, mm.
        size : float
            Its longest side, mm.
        eye : (3,) float
            Position of the camera, mm.
        """
        lights, turn = list(self.project.set.lights), -self.project.set.turn
        made = rig_lights(name, middle, float(np.clip(size, 10.0, 5000.0)), eye)
        if len(lights) + len(made) > MOST_LIGHTS:
            self.said.emit(f"A set holds {MOST_LIGHTS} lights at most; remove some first.")
            return
        place = len(lights)
        for light in made:
            own_name = free_name(light.name, {each.name for each in lights})
            lights.append(carried_round(light.with_(name=own_name), turn))
        self._put_lights(f"Add {name.lower()}", lights, place)

    @command
    def duplicate_light(self) -> None:
        """Add a copy of the selected light beside it."""
        light, lights = self.light, list(self.project.set.lights)
        if light is None or len(lights) >= MOST_LIGHTS:
            self.said.emit("Select a light first." if light is None else f"A set holds {MOST_LIGHTS} lights at most.")
            return
        name = name_of_copy(light.name, {light.name for light in lights})
        away = np.subtract(light.position, light.target)
        aside = np.cross(away, (0, 1, 0)) if np.hypot(away[0], away[2]) > 1e-3 else np.array([1.0, 0.0, 0.0])
        aside = aside / np.linalg.norm(aside) * 1.1 * light.width
        copied = light.with_(name=name, position=light_point(np.add(light.position, aside)))
        place = self.light_place + 1
        self._put_lights(f"Duplicate {light.name}", [*lights[:place], copied, *lights[place:]], place)

    @command
    def remove_light(self) -> None:
        """Removes the selected light."""
        light, lights = self.light, list(self.project.set.lights)
        if light is not None:
            del lights[self.light_place]
            self._put_lights(f"Remove {light.name}", lights, self.light_place)

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
        lights = list(self.project.set.lights)
        lights[place] = lights[place].with_(is_on=is_on)
        studio = self.project.set.with_(lights=tuple(lights))
        self.edit(f"Switch {lights[place].name} {'on' if is_on else 'off'}", self.project.with_set(studio))

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
        lights = list(self.project.set.lights)
        if name.strip() and name.strip() != lights[place].name:
            lights[place] = lights[place].with_(name=name.strip()[:120])
            self.edit("Rename light", self.project.with_set(self.project.set.with_(lights=tuple(lights))))

    @command
    def shape_light(self, shape: dict[str, float], gesture: str | None = None) -> None:
        """Gives the selected light another size or roll.

        Parameters
        ----------
        shape : dict
            Values by name, among `SHAPE_FIELDS` of its kind; beyond their limits they stop there.
        gesture : str or None
            Edits of one gesture are one step of the history.
        """
        if self.light is None:
            return
        limits = {name: Light.limits(name) for name in shape}
        fitting = {name: round(min(max(value, limits[name][0]), limits[name][1]), 4) for name, value in shape.items()}
        self._put_light("Shape of light", self.light.with_(**fitting), gesture)

    @command
    def set_light_kind(self, kind: str) -> None:
        """Makes the selected light one of another kind.

        Parameters
        ----------
        kind : str
            A key of `KINDS`.
        """
        if self.light is not None and kind != self.light.kind:
            self._put_light("Kind of light", self.light.with_(kind=kind))

    @command
    def light_only(self, parts: tuple[str, ...]) -> None:
        """Lets the selected light light some parts only, or everything.

        Parameters
        ----------
        parts : tuple of str
            Ids of the parts; none of them for everything.
        """
        if self.light is not None:
            self._put_light("Lit parts", self.light.with_(only_parts=tuple(parts)))

    @command
    def set_light_switch(self, name: str, is_on: bool) -> None:
        """Switches what the selected light is or is not.

        Parameters
        ----------
        name : str
            `is_seen` or `keeps_power`.
        is_on : bool
            Whether it is.
        """
        if self.light is not None:
            self._put_light(Light.field_label(name), self.light.with_(**{name: is_on}))
