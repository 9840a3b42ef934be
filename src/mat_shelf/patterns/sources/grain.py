"""Long grain, as brushing and turning leave it."""

import math
from typing import Literal

import numpy as np

from mat_shelf.document.parameter import number
from mat_shelf.document.pattern import Placement
from mat_shelf.numerics.hashed_noise import U, gradient_noise
from mat_shelf.numerics.kernels import F, inline, kernel
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

    def apply(self, at: StepInput) -> np.ndarray:
        out = np.zeros(len(at), np.float32)
        add_grain(at.coordinates, F(self.length), self.octaves, F(self.gain), F(self.waver), U(self.seed), out)
        return out


@inline
def grain_at(x, y, z, length, octaves, gain, seed):
    """Straight grain at one point, [0, 1].

    Parameters
    ----------
    x, y, z : float32
        Coordinate, in sizes.
    length : float32
        Length of the lines over their width.
    octaves : int
        Number of octaves.
    gain : float32
        Strength of each octave over the last.
    seed : uint32
        Number that selects the variation.

    Returns
    -------
    float32
    """
    total, squares, amplitude, width = F(0), F(0), F(1), F(1)
    slow = F(1) / length
    for octave in range(octaves):
        key = U(U(seed) * U(0x9E3779B1) + U(octave) * U(0x85EBCA77))
        total += amplitude * gradient_noise(
            x * slow + F(7.31) * F(octave), y * width + F(0.37), z * width + F(0.71), key, np.int32(0)
        )
        squares += amplitude * amplitude
        amplitude *= gain
        width *= F(1.9)
        slow *= F(1.3)
    return min(max(F(0.5) + total / (F(5.2 * 0.26) * math.sqrt(squares)), F(0)), F(1))


@kernel
def add_grain(coordinates, length, octaves, gain, waver, seed, out):
    """Stretched noise whose octaves differ in width more than in length, into out, (N,) of zeros.

    Parameters
    ----------
    coordinates : (3, N) float32
        Points in the layout, in sizes.
    length : float32
        Length of the lines over their width.
    octaves : int
        Number of octaves.
    gain : float32
        Strength of each octave over the last.
    waver : float32
        Distortion, in sizes.
    seed : uint32
        Number that selects the variation.
    out : (N,) float32
        Receives the values.
    """
    xs, ys, zs = coordinates[0], coordinates[1], coordinates[2]
    amplitude, width, squares = F(1), F(1), F(0)
    for octave in range(octaves):
        key = U(U(seed) * U(0x9E3779B1) + U(octave) * U(0x85EBCA77))
        slow = F(1.3) ** octave / length
        for i in range(xs.shape[0]):
            x = xs[i] * slow + F(7.31) * F(octave)
            stray = waver * gradient_noise(x * F(0.7), ys[i] * F(0.11), zs[i] * F(0.11), U(key + U(1)), np.int32(0))
            y = (ys[i] + F(3) * stray) * width + F(0.37)
            z = zs[i] * width + F(0.71)
            out[i] += amplitude * gradient_noise(x, y, z, key, np.int32(0))
        squares += amplitude * amplitude
        amplitude *= gain
        width *= F(1.9)
    spread = F(1) / (F(5.2 * 0.26) * np.sqrt(squares))
    for i in range(xs.shape[0]):
        out[i] = min(max(F(0.5) + out[i] * spread, F(0)), F(1))
