"""Long grain, as brushing and turning leave it."""

import math
from typing import Literal

import numpy as np

from mat_shelf.document.parameter import number
from mat_shelf.document.pattern import Placement
from mat_shelf.numerics.hashed_noise import U, gradient_noise, layer_seed
from mat_shelf.numerics.kernels import F, apart, inline, stay_apart
from mat_shelf.patterns.operation import operation
from mat_shelf.patterns.step import Source, StepInput, seed


class Grain(Source):
    """Very long thin lines along the placement. Its size is the width of the broadest line.

    Laid round an axis it is straight on the sides and runs in circles on the flat ends.
    """

    label = "Grain"
    tip = "Brushed and turned metal, fibres. Use cylinder projection for turned parts."
    span = 24.0
    usual = Placement(size=0.2, projection="cylinder")

    kind: Literal["grain"] = "grain"
    length: float = number(
        80, 2, 1000, label="Length", tip="Length of the lines over their width. Brushed metal 50 to 200.", log=True
    )
    octaves: int = number(3, 1, 6, label="Octaves", tip="Number of line widths, each finer than the last.")
    gain: float = number(0.7, 0, 1, label="Gain", tip="Strength of the finer lines.")
    waver: float = number(0.1, 0, 1, label="Distortion", tip="Distance that lines stray from straight.")
    seed: int = seed()

    def finest(self, size: float) -> float:
        return size / (2 * 1.9 ** (self.octaves - 1))

    def constants(self, at: StepInput) -> tuple[float, ...]:
        return self.length, self.octaves, self.gain, self.waver, self.seed

    @operation
    def run(c, n, coordinates, before, out, at):
        length, octaves, gain, waver, seed = c[0], int(c[1]), c[2], c[3], U(c[4])
        grain_row(n, coordinates, 0, F(1), length, octaves, gain, waver, seed, out, 0)


@inline
def grain_row(n, places, first, scale, length, octaves, gain, waver, seed, out, row):
    """Stretched noise at many points, [0, 1], whose octaves differ in width more than in length.

    Parameters
    ----------
    n : int
        Number of points.
    places : (rows, N) float32
        Coordinates, in three rows from `first` on.
    first : int
        The first of these rows.
    scale : float32
        What they are multiplied by.
    length : float32
        Length of the lines over their width.
    octaves : int
        Number of octaves.
    gain : float32
        Strength of each octave over the last.
    waver : float32
        Distortion, in sizes; 0 for straight lines.
    seed : uint32
        Number that selects the variation.
    out : (rows, N) float32
        Receives the values, in one row.
    row : int
        That row.
    """
    # Numbers that are known when compiling would each be compiled for.
    _grain_row(n, places, np.int64(first), scale, length, np.int64(octaves), gain, waver, seed, out, np.int64(row))


@apart
def _grain_row(n, places, first, scale, length, octaves, gain, waver, seed, out, row):
    stay_apart()
    amplitude, width, squares, none = F(1), F(1), F(0), np.int32(0)
    slow = scale / length
    for i in range(n):
        out[row, i] = F(0)
    for octave in range(octaves):
        key = layer_seed(seed, octave)
        shift = F(7.31) * F(octave)
        if waver > F(0):
            for i in range(n):
                x, y, z = places[first, i] * slow + shift, places[first + 1, i] * scale, places[first + 2, i] * scale
                stray = waver * gradient_noise(x * F(0.7), y * F(0.11), z * F(0.11), U(key + U(1)), none)
                y = (y + F(3) * stray) * width + F(0.37)
                out[row, i] += amplitude * gradient_noise(x, y, z * width + F(0.71), key, none)
        else:
            wide = width * scale
            for i in range(n):
                x, y, z = places[first, i] * slow + shift, places[first + 1, i] * wide, places[first + 2, i] * wide
                out[row, i] += amplitude * gradient_noise(x, y + F(0.37), z + F(0.71), key, none)
        squares += amplitude * amplitude
        amplitude *= gain
        width *= F(1.9)
        slow *= F(1.3)
    spread = F(1) / (F(5.2 * 0.26) * math.sqrt(squares))
    for i in range(n):
        out[row, i] = min(max(F(0.5) + out[row, i] * spread, F(0)), F(1))
