"""Images and distributions of the lights of the set."""

import math
from collections.abc import Callable
from pathlib import Path

import numpy as np

from mat_shelf.commands.command import command
from mat_shelf.document.image import ImageRef
from mat_shelf.document.light import Distribution, Light
from mat_shelf.exchange.image_writing import png_bytes
from mat_shelf.scene.light_images import IMAGES


class LightFiles:
    """Commands that give the selected light a file; a part of `Session`."""

    @command
    def set_light_image(self, image: str | Path | None) -> None:
        """Gives the selected light an image to show or throw; None takes it away.

        Parameters
        ----------
        image : str, Path or None
            A key of `IMAGES`, or an image file.
        """
        if self.light is None:
            return
        if image is None:
            self._put_light("Remove image", self.light.with_(image=None))
        elif isinstance(image, str):
            key, kind = self.assets.add_map(png_bytes(np.round(IMAGES[image]() * 255).astype(np.uint8)))
            self._put_light("Image of light", self.light.with_(image=ImageRef(name=image, digest=key, kind=kind)))
        else:
            put = self._put_on_light("Image of light")

            def show(name: str, kept: tuple[str, str]) -> None:
                """Let the light show it.

                Parameters
                ----------
                name : str
                    Name of the file.
                kept : (str, str)
                    Its digest and kind.
                """
                picture = ImageRef(name=name, digest=kept[0], kind=kept[1])
                put(name, lambda light: light.with_(image=picture))

            self._take_in(image, self.assets.add_map, "the image of a light", show)

    @command
    def set_light_distribution(self, path: Path | None) -> None:
        """Lets the selected light shine as a file of candela by angle says; None takes it away.

        Parameters
        ----------
        path : Path or None
            LM-63 file.
        """
        if self.light is None:
            return
        if path is None:
            self._put_light("Remove distribution", self.light.with_(distribution=None))
            return

        put = self._put_on_light("Light distribution")

        def use(name: str, kept: tuple[str, float]) -> None:
            """Let the light shine so.

            Parameters
            ----------
            name : str
                Name of the file.
            kept : (str, float)
                Its digest, and the candela of its brightest direction.
            """
            digest, candela = kept

            def shining(light: Light) -> Light:
                """The light, as bright as the file says.

                Parameters
                ----------
                light : Light
                    The light.

                Returns
                -------
                Light
                """
                bright = min(candela / (math.pi * (light.diameter / 2e3) ** 2), Light.limits("luminance")[1])
                found = Distribution(name=name, digest=digest)
                return light.with_(kind="spot", distribution=found, luminance=bright, strength=0.0)

            put(name, shining)

        self._take_in(path, self.assets.add_distribution, "a light distribution", use)

    def _put_on_light(self, label: str) -> Callable[[str, Callable[[Light], Light]], None]:
        """A function that changes the light that is selected now, once a file was read."""
        wanted, set_id = self.light.name, self.project.current_set

        def put(name: str, change: Callable[[Light], Light]) -> None:
            """Change it.

            Parameters
            ----------
            name : str
                Name of the file.
            change : callable (Light) -> Light
                Makes the light that takes its place.
            """
            names = [light.name for light in self.project.set.lights]
            if set_id != self.project.current_set or wanted not in names:
                self.said.emit(f"{name} was not used: the light '{wanted}' is not there any more.")
                return
            self.select_light(names.index(wanted))
            self._put_light(label, change(self.light))

        return put
