"""Fractal noise."""

from typing import Literal

import numpy as np
from pydantic import Field

from mat_shelf.document.parameter import number
from mat_shelf.numerics.hashed_noise import U, gradient_noise, layer_seed
from mat_shelf.numerics.interpolation import smoothstep
from mat_shelf.numerics.kernels import F
from mat_shelf.patterns.operation import operation
from mat_shelf.patterns.step import Source, StepInput, seed

_CHARACTERS = ("smooth", "ridged", "billowed", "blotchy")


class Noise(Source):
    """Detail on detail, each octave finer and weaker. Its size is that of the broadest detail."""

    label = "Noise"
    tip = "Uneven detail at several sizes: undulation, mottling, grime, dust."

    kind: Literal["noise"] = "noise"
    character: Literal["smooth", "ridged", "billowed", "blotchy"] = Field(
        "smooth", title="Character", description="Smooth clouds, sharp ridges, round billows, or separate blotches."
    )
    octaves: int = number(4, 1, 10, label="Octaves", tip="How many sizes of detail. 1 is plain undulation.")
    gain: float = number(0.5, 0.0, 1.0, label="Gain", tip="Strength of each finer size over the last. Rough 0.6.")
    lacunarity: float = number(2.0, 1.2, 4.0, label="Lacunarity", tip="Ratio of sizes from one octave to the next.")
    repeat: int = number(0, 0, 64, label="Repeats after", tip="Period in sizes, without a seam; 0 never repeats.")
    seed: int = seed()

    def finest(self, size: float) -> float:
        return size / (2 * self.lacunarity ** (self.octaves - 1))

    def constants(self, at: StepInput) -> tuple[float, ...]:
        ratio = round(self.lacunarity) if self.repeat else self.lacunarity
        return self.octaves, self.gain, ratio, _CHARACTERS.index(self.character), self.repeat, self.seed

    @operation
    def run(c, n, coordinates, before, out, at):
        """Fractal noise of one character.

        References
        ----------
        Musgrave, in Texturing and Modeling: A Procedural Approach, ch. 16.
        """
        octaves, gain, lacunarity, character, repeat, seed = int(c[0]), c[1], c[2], int(c[3]), int(c[4]), U(c[5])
        xs, ys, zs = coordinates[0], coordinates[1], coordinates[2]
        folds = character == 1 or character == 2
        frequency = F(1)
        amplitude = F(1)
        total = F(0)
        squares = F(0)
        for i in range(n):
            out[0, i] = F(0)
        for octave in range(octaves):
            key = layer_seed(seed, octave)
            # Octave after octave over all points, since only the inner loop becomes vector instructions.
            # Each lies turned and shifted against the others, so that no lattice shows.
            cos = F(1) if repeat > 0 or octave == 0 else F(0.8)
            sin = F(0) if repeat > 0 or octave == 0 else F(0.6)
            if octave % 2 == 1:
                sin = -sin
            shift = F(0.37) + F(7.31) * F(octave)
            period = np.int32(round(repeat * frequency))
            if repeat > 0:
                for i in range(n):
                    x = xs[i] * frequency
                    y = ys[i] * frequency
                    z = zs[i] * frequency + shift
                    v = gradient_noise(x, y, z, key, period)
                    v = abs(v) if folds else v
                    out[0, i] += amplitude * v
            else:
                for i in range(n):
                    x = xs[i] * frequency
                    y = ys[i] * frequency
                    z = zs[i] * frequency + shift
                    xx = cos * x - sin * z + shift
                    zz = sin * x + cos * z
                    v = gradient_noise(xx, cos * y + sin * zz - shift, cos * zz - sin * y, key, np.int32(0))
                    v = abs(v) if folds else v
                    out[0, i] += amplitude * v
            total += amplitude
            squares += amplitude * amplitude
            amplitude *= gain
            frequency *= lacunarity
        if folds:
            even = F(1.35) / total
            for i in range(n):
                v = min(out[0, i] * even, F(1))
                out[0, i] = F(1) - v if character == 1 else v
            return
        spread = F(1) / (F(6.0 * 0.26) * np.sqrt(squares))
        for i in range(n):
            v = min(max(F(0.5) + out[0, i] * spread, F(0)), F(1))
            if character == 3:
                v = smoothstep(min(max((v - F(0.42)) * F(5), F(0)), F(1)))
            out[0, i] = v
