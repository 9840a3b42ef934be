"""Steps that change values one by one."""

import math
from typing import Annotated, Literal, Self

import numpy as np
from pydantic import Field, model_validator

from mat_shelf.document.parameter import Channel, Color, Nodes, number
from mat_shelf.numerics.interpolation import curve_table, smoothstep
from mat_shelf.numerics.kernels import F
from mat_shelf.optics.color import luminance_of
from mat_shelf.patterns.operation import operation
from mat_shelf.patterns.step import CompiledStep, StepInput


class Levels(CompiledStep):
    """Moves the black, grey and white points.

    Attributes
    ----------
    black, white : float
        Values that become the output's ends. Narrowing them sharpens.
    grey : float
        Gamma between them; above 1 lightens.
    """

    label = "Levels"
    tip = "Selects a range and stretches it; nearly every map needs one."

    kind: Literal["levels"] = "levels"
    black: float = number(0.0, -1, 2, label="Input black", tip="All below turns black.", usual=(0, 1))
    white: float = number(1.0, -1, 2, label="Input white", tip="All above turns white.", usual=(0, 1))
    grey: float = number(1.0, 0.1, 10, label="Gamma", tip="Above 1 lightens the middle.", log=True)
    low: float = number(0.0, -1, 2, label="Output black", tip="Value of black.", usual=(0, 1))
    high: float = number(1.0, -1, 2, label="Output white", tip="Value of white.", usual=(0, 1))

    def histogram_marks(self) -> tuple[float, ...]:
        return self.black, self.white

    def constants(self, at: StepInput) -> tuple[float, ...]:
        span = self.white - self.black
        span = span if abs(span) > 1e-6 else 1e-6
        return self.black, 1 / span, 1 / self.grey, self.low, self.high - self.low

    @operation
    def run(c, n, coordinates, before, out, at):
        is_bent = c[2] != F(1)
        for i in range(n):
            t = min(max((before[0, i] - c[0]) * c[1], F(0)), F(1))
            out[0, i] = c[3] + c[4] * (t ** c[2] if is_bent else t)


class Curve(CompiledStep):
    """A free curve through nodes, monotone between them (Fritsch and Carlson 1980).

    Attributes
    ----------
    nodes : tuple of (in, out)
        By rising input.
    """

    label = "Curve"
    tip = "Raises and lowers parts of the range along a curve."

    kind: Literal["curve"] = "curve"
    nodes: Nodes = ((0.0, 0.0), (0.5, 0.5), (1.0, 1.0))

    def table(self, count: int = 1024) -> np.ndarray:
        """The curve at even places from 0 to 1, (count,) float32.

        Parameters
        ----------
        count : int
            Number of places.

        Returns
        -------
        array
        """
        return curve_table(self.nodes, count)

    def constants(self, at: StepInput) -> tuple[float, ...]:
        table = self.table()
        return len(table), *table.tolist()

    @operation
    def run(c, n, coordinates, before, out, at):
        last = int(c[0]) - 1
        for i in range(n):
            place = min(max(before[0, i] * F(last), F(0)), F(last))
            low = int(place) if place == place else 0
            high = min(low + 1, last)
            share = place - F(low)
            out[0, i] = c[1 + low] * (F(1) - share) + c[1 + high] * share


Stop = tuple[Channel, Color]


class Ramp(CompiledStep):
    """Gives each value a colour, mixed between stops.

    Attributes
    ----------
    stops : tuple of (place, colour)
        By rising place; linear Rec.709.
    """

    label = "Colour ramp"
    tip = "Turns black to white into colours of your choice."
    takes, gives = "grey", "colour"

    kind: Literal["ramp"] = "ramp"
    stops: Annotated[tuple[Stop, ...], Field(min_length=2, max_length=16)] = (
        (0.0, (0.02, 0.02, 0.02)),
        (1.0, (0.8, 0.8, 0.8)),
    )

    @model_validator(mode="after")
    def _rises(self) -> Self:
        places = [place for place, _ in self.stops]
        if places != sorted(places):
            raise ValueError("the stops of a ramp must go from left to right")
        return self

    def constants(self, at: StepInput) -> tuple[float, ...]:
        return len(self.stops), *(x for place, color in self.stops for x in (place, *color))

    @operation
    def run(c, n, coordinates, before, out, at):
        stops = int(c[0])
        for i in range(n):
            value, k = before[0, i], 0
            while k < stops and c[1 + 4 * k] <= value:
                k += 1
            low, high = 1 + 4 * max(k - 1, 0), 1 + 4 * min(k, stops - 1)
            span = c[high] - c[low]
            share = (value - c[low]) / span if span > F(0) else F(0)
            for channel in range(3):
                one, other = c[low + 1 + channel], c[high + 1 + channel]
                out[channel, i] = one + (other - one) * share


class Invert(CompiledStep):
    """Black becomes white."""

    label = "Invert"
    tip = "Swaps black and white: gloss maps to roughness maps, bumps to pits."

    kind: Literal["invert"] = "invert"

    @operation
    def run(c, n, coordinates, before, out, at):
        for i in range(n):
            out[0, i] = F(1) - before[0, i]


class Contrast(CompiledStep):
    """Contrast about the middle, lightness, gamma."""

    label = "Contrast"
    tip = "Lowers or raises the contrast of the whole map."

    kind: Literal["contrast"] = "contrast"
    contrast: float = number(1.0, 0, 8, label="Contrast", tip="1 is neutral; below 1 calmer.", usual=(0, 3))
    lift: float = number(0.0, -1, 1, label="Brightness", tip="Added to every value.")
    gamma: float = number(1.0, 0.1, 10, label="Gamma", tip="Above 1 lightens the middle.", log=True)

    def constants(self, at: StepInput) -> tuple[float, ...]:
        return self.contrast, 0.5 + self.lift, 1 / self.gamma

    @operation
    def run(c, n, coordinates, before, out, at):
        is_bent = c[2] != F(1)
        for i in range(n):
            value = max((before[0, i] - F(0.5)) * c[0] + c[1], F(0))
            out[0, i] = value ** c[2] if is_bent else value


class Tint(CompiledStep):
    """Hue, saturation and lightness of a colour map."""

    label = "Hue/saturation"
    tip = "Changes colours; wood from a photograph is too pale and needs saturation."
    takes, gives = "colour", "colour"

    kind: Literal["tint"] = "tint"
    hue: float = number(0.0, -180, 180, label="Hue", unit="°", tip="Rotates the hue.")
    saturation: float = number(1.0, 0, 4, label="Saturation", tip="0 is grey; 1 is neutral.", usual=(0, 2))
    lightness: float = number(1.0, 0, 4, label="Lightness", tip="Scales every value; 1 is neutral.", usual=(0, 2))

    def constants(self, at: StepInput) -> tuple[float, ...]:
        return *(_about_grey(self.hue) * self.saturation).ravel().tolist(), self.lightness

    @operation
    def run(c, n, coordinates, before, out, at):
        for i in range(n):
            red, green, blue = before[0, i], before[1, i], before[2, i]
            light = luminance_of(red, green, blue)
            red, green, blue = red - light, green - light, blue - light
            for k in range(3):
                turned = c[3 * k] * red + c[3 * k + 1] * green + c[3 * k + 2] * blue
                out[k, i] = max((light + turned) * c[9], F(0))


def _about_grey(degrees: float) -> np.ndarray:
    """A turn about the grey axis of linear colours, (3, 3) float32 (Rodrigues' formula)."""
    c, s = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
    third, root = (1 - c) / 3, s / np.sqrt(3)
    return np.array(
        [
            [c + third, third - root, third + root],
            [third + root, c + third, third - root],
            [third - root, third + root, c + third],
        ],
        np.float32,
    )


class Threshold(CompiledStep):
    """White above a value, black below, with an edge as soft as wanted."""

    label = "Threshold"
    tip = "Cuts a map into black and white: masks, chips, stains with an edge."

    kind: Literal["threshold"] = "threshold"
    edge: float = number(0.5, 0, 1, label="Edge", tip="Value at which black turns white.")
    softness: float = number(0.05, 0, 1, label="Softness", tip="Width of the edge, in values.")

    def constants(self, at: StepInput) -> tuple[float, ...]:
        half = max(self.softness / 2, 1e-4)
        return self.edge - half, 1 / (2 * half)

    @operation
    def run(c, n, coordinates, before, out, at):
        for i in range(n):
            out[0, i] = smoothstep(min(max((before[0, i] - c[0]) * c[1], F(0)), F(1)))


class Quantise(CompiledStep):
    """A few even tones."""

    label = "Posterise"
    tip = "Reduces the number of tones, as in layered or stepped surfaces."

    kind: Literal["quantise"] = "quantise"
    tones: int = number(4, 2, 64, label="Tones", tip="Number of tones.", usual=(2, 16))

    def constants(self, at: StepInput) -> tuple[float, ...]:
        return (self.tones,)

    @operation
    def run(c, n, coordinates, before, out, at):
        most = c[0] - F(1)
        for i in range(n):
            step = F(math.floor(min(max(before[0, i], F(0)), F(1)) * c[0]))
            out[0, i] = min(step, most) / most


class Lines(CompiledStep):
    """Thin lines where the values pass the middle."""

    label = "Contour lines"
    tip = "Lines along one value: thin scratches and cracks from soft noise."

    kind: Literal["lines"] = "lines"
    at_value: float = number(0.5, 0, 1, label="Value", tip="Value that the lines follow.")
    width: float = number(0.05, 0.002, 0.5, label="Width", tip="Width in values; less is thinner.", log=True)

    def constants(self, at: StepInput) -> tuple[float, ...]:
        return self.at_value, 1 / self.width

    @operation
    def run(c, n, coordinates, before, out, at):
        for i in range(n):
            away = abs(before[0, i] - c[0]) * c[1]
            out[0, i] = smoothstep(min(max(F(1) - away, F(0)), F(1)))
