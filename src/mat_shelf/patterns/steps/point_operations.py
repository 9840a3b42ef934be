"""Steps that change values one by one."""

from functools import lru_cache
from typing import Annotated, Literal, Self

import numpy as np
from pydantic import Field, model_validator
from scipy.interpolate import PchipInterpolator

from mat_shelf.document.parameter import Channel, Color, number
from mat_shelf.document.pattern import Step
from mat_shelf.numerics.interpolation import smoothsteps
from mat_shelf.patterns.step import StepInput, grey


class Levels(Step):
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

    def apply(self, at: StepInput) -> np.ndarray:
        span = self.white - self.black
        span = span if abs(span) > 1e-6 else 1e-6
        t = np.clip((at.before - np.float32(self.black)) / np.float32(span), 0, 1)
        if self.grey != 1:
            t = t ** np.float32(1 / self.grey)
        return np.float32(self.low) + np.float32(self.high - self.low) * t


Node = tuple[Channel, Channel]


class Curve(Step):
    """A free curve through nodes, monotone between them (Fritsch and Carlson 1980).

    Attributes
    ----------
    nodes : tuple of (in, out)
        By rising input.
    """

    label = "Curve"
    tip = "Raises and lowers parts of the range along a curve."

    kind: Literal["curve"] = "curve"
    nodes: Annotated[tuple[Node, ...], Field(min_length=2, max_length=16)] = ((0.0, 0.0), (0.5, 0.5), (1.0, 1.0))

    @model_validator(mode="after")
    def _rises(self) -> Self:
        places = [x for x, _ in self.nodes]
        if any(b - a < 1e-4 for a, b in zip(places, places[1:], strict=False)):
            raise ValueError("the nodes of a curve must lie apart, from left to right")
        return self

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
        return _curve_table(self.nodes, count)

    def apply(self, at: StepInput) -> np.ndarray:
        table = self.table()
        index = np.clip(at.before * np.float32(len(table) - 1), 0, len(table) - 1)
        low = index.astype(np.int32)
        high = np.minimum(low + 1, len(table) - 1)
        share = index - low
        return table[low] * (1 - share) + table[high] * share


@lru_cache(maxsize=64)
def _curve_table(nodes: tuple[Node, ...], count: int) -> np.ndarray:
    places, values = np.array(nodes).T
    inside = np.clip(np.linspace(0, 1, count), places[0], places[-1])
    return PchipInterpolator(places, values)(inside).astype(np.float32)


Stop = tuple[Channel, Color]


class Ramp(Step):
    """Gives each value a colour, mixed between stops.

    Attributes
    ----------
    stops : tuple of (place, colour)
        By rising place; linear Rec.709.
    """

    label = "Colour ramp"
    tip = "Turns black to white into colours of your choice."

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

    def apply(self, at: StepInput) -> np.ndarray:
        values = grey(at.before)
        places = np.array([place for place, _ in self.stops])
        colors = np.array([color for _, color in self.stops])
        return np.stack([np.interp(values, places, colors[:, k]) for k in range(3)], axis=1).astype(np.float32)


class Invert(Step):
    """Black becomes white."""

    label = "Invert"
    tip = "Swaps black and white: gloss maps to roughness maps, bumps to pits."

    kind: Literal["invert"] = "invert"

    def apply(self, at: StepInput) -> np.ndarray:
        return 1 - at.before


class Contrast(Step):
    """Contrast about the middle, lightness, gamma."""

    label = "Contrast"
    tip = "Lowers or raises the contrast of the whole map."

    kind: Literal["contrast"] = "contrast"
    contrast: float = number(1.0, 0, 8, label="Contrast", tip="1 is neutral; below 1 calmer.", usual=(0, 3))
    lift: float = number(0.0, -1, 1, label="Brightness", tip="Added to every value.")
    gamma: float = number(1.0, 0.1, 10, label="Gamma", tip="Above 1 lightens the middle.", log=True)

    def apply(self, at: StepInput) -> np.ndarray:
        values = (at.before - np.float32(0.5)) * np.float32(self.contrast) + np.float32(0.5 + self.lift)
        values = np.clip(values, 0, None)
        return values if self.gamma == 1 else values ** np.float32(1 / self.gamma)


class Tint(Step):
    """Hue, saturation and lightness of a colour map."""

    label = "Hue/saturation"
    tip = "Changes colours; wood from a photograph is too pale and needs saturation."

    kind: Literal["tint"] = "tint"
    hue: float = number(0.0, -180, 180, label="Hue", unit="°", tip="Rotates the hue.")
    saturation: float = number(1.0, 0, 4, label="Saturation", tip="0 is grey; 1 is neutral.", usual=(0, 2))
    lightness: float = number(1.0, 0, 4, label="Lightness", tip="Scales every value; 1 is neutral.", usual=(0, 2))

    def apply(self, at: StepInput) -> np.ndarray:
        values = at.before
        values = np.repeat(values[:, None], 3, axis=1) if values.ndim == 1 else values
        around = _about_grey(self.hue)
        light = grey(values)[:, None]
        turned = (values - light) @ around.T * np.float32(self.saturation)
        return np.clip((light + turned) * np.float32(self.lightness), 0, None).astype(np.float32)


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


class Threshold(Step):
    """White above a value, black below, with an edge as soft as wanted."""

    label = "Threshold"
    tip = "Cuts a map into black and white: masks, chips, stains with an edge."

    kind: Literal["threshold"] = "threshold"
    edge: float = number(0.5, 0, 1, label="Edge", tip="Value at which black turns white.")
    softness: float = number(0.05, 0, 1, label="Softness", tip="Width of the edge, in values.")

    def apply(self, at: StepInput) -> np.ndarray:
        half = np.float32(max(self.softness / 2, 1e-4))
        return smoothsteps(np.clip((at.before - np.float32(self.edge) + half) / (2 * half), 0, 1))


class Quantise(Step):
    """A few even tones."""

    label = "Posterise"
    tip = "Reduces the number of tones, as in layered or stepped surfaces."

    kind: Literal["quantise"] = "quantise"
    tones: int = number(4, 2, 64, label="Tones", tip="Number of tones.", usual=(2, 16))

    def apply(self, at: StepInput) -> np.ndarray:
        most = np.float32(self.tones - 1)
        return np.minimum(np.floor(np.clip(at.before, 0, 1) * np.float32(self.tones)), most) / most


class Lines(Step):
    """Thin lines where the values pass the middle."""

    label = "Contour lines"
    tip = "Lines along one value: thin scratches and cracks from soft noise."

    kind: Literal["lines"] = "lines"
    at_value: float = number(0.5, 0, 1, label="Value", tip="Value that the lines follow.")
    width: float = number(0.05, 0.002, 0.5, label="Width", tip="Width in values; less is thinner.", log=True)

    def apply(self, at: StepInput) -> np.ndarray:
        away = np.abs(at.before - np.float32(self.at_value)) / np.float32(self.width)
        return smoothsteps(np.clip(1 - away, 0, 1))
