"""Parts that glow, switched, dimmed and coloured by the set, and one light or part looked at alone."""

from mat_shelf.commands.command import command
from mat_shelf.document.light import PartLight
from mat_shelf.document.set import Set
from mat_shelf.scene.part_lights import glowing_parts, part_light_of, with_part_light


class PartLightCommands:
    """Commands on the glowing parts of the product in the set in use; a part of `Session`."""

    _part_light: str | None = None

    @property
    def part_light(self) -> PartLight | None:
        """The glowing part that is selected in place of a light; None where a light is."""
        if self._part_light is None or self._part_light not in glowing_parts(self.project):
            return None
        return part_light_of(self.project.set, self._part_light)

    def select_part_light(self, part: str) -> None:
        """Selects a glowing part among the lights.

        Parameters
        ----------
        part : str
            Id of the part.
        """
        self._part_light = part
        self.light_changed.emit()

    def with_part_light(self, light: PartLight) -> Set:
        """The set in use, in which a part glows so.

        Parameters
        ----------
        light : PartLight
            The part, and how it glows.

        Returns
        -------
        Set
        """
        return with_part_light(self.project.set, light)

    @command
    def switch_part_light(self, part: str, is_on: bool) -> None:
        """Lets a part glow in this set, or not.

        Parameters
        ----------
        part : str
            Id of the part.
        is_on : bool
            Whether it glows.
        """
        studio = self.with_part_light(part_light_of(self.project.set, part).with_(is_on=is_on))
        name = self.project.part(part).name
        self.edit(f"Switch {name} {'on' if is_on else 'off'}", self.project.with_set(studio))

    @command
    def solo_light(self) -> None:
        """Switches all lights and glowing parts but the selected one off, or all on again where that is so."""
        studio, chosen = self.project.set, self.part_light
        if self.light is None and chosen is None:
            return
        glows = [part_light_of(studio, part) for part in glowing_parts(self.project)]
        is_alone = all(light.is_on == (place == self.light_place) for place, light in enumerate(studio.lights))
        is_alone = is_alone and all(light.is_on == (light == chosen) for light in glows)
        lights = enumerate(studio.lights)
        made = tuple(light.with_(is_on=is_alone or place == self.light_place) for place, light in lights)
        studio = studio.with_(lights=made)
        for light in glows:
            studio = with_part_light(studio, light.with_(is_on=is_alone or light == chosen))
        name = self.light.name if chosen is None else self.project.part(chosen.part).name
        self.edit("All lights on" if is_alone else f"{name} alone", self.project.with_set(studio))
