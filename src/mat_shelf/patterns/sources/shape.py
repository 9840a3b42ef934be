"""Sources that read the shape they lie on."""

from typing import Literal

import numpy as np
from pydantic import Field

from mat_shelf.document.parameter import number
from mat_shelf.numerics.hashed_noise import U, random_of
from mat_shelf.numerics.kernels import kernel
from mat_shelf.patterns.step import Source, StepInput, seed

_AXES = {"x": 0, "y": 1, "z": 2}


class _OfThePart(Source):
    """Base of sources that are read off the part itself."""

    is_placed = False
    sample_shape = "ball"


class Facing(_OfThePart):
    """1 where the surface is seen straight on, 0 where it is seen from the side."""

    label = "Facing ratio"
    tip = "Changes with the viewing angle: velvet, bubbles, dust that shows at the rim."
    kind: Literal["facing"] = "facing"

    def apply(self, at: StepInput) -> np.ndarray:
        return np.abs(at.points.cosine)


class Slope(_OfThePart):
    """1 where the surface looks along an axis, 0 where it looks the other way."""

    label = "Slope"
    tip = "Dust and wear on what faces up, light from one side."
    kind: Literal["slope"] = "slope"
    axis: Literal["x", "y", "z"] = Field("y", title="Axis", description="Axis of the product; Y is up.")
    is_reversed: bool = Field(False, title="Reversed", description="Downwards instead of upwards.")

    def apply(self, at: StepInput) -> np.ndarray:
        along = at.points.normal[:, _AXES[self.axis]]
        return np.float32(0.5) + np.float32(-0.5 if self.is_reversed else 0.5) * along


class Height(_OfThePart):
    """From 0 at the lowest to 1 at the highest end of the part along an axis."""

    label = "Height"
    tip = "Fades from bottom to top: settled dust, dipped and sprayed colour."
    kind: Literal["height"] = "height"
    axis: Literal["x", "y", "z"] = Field("y", title="Axis", description="Axis of the part.")
    over: Literal["part", "product"] = Field("part", title="Extent", description="Each part, or the whole product.")

    def apply(self, at: StepInput) -> np.ndarray:
        points, k = at.points, _AXES[self.axis]
        frames = points.frames
        row = points.part if self.over == "part" else np.full(len(points), len(frames.salt) - 1)
        local = np.einsum("nj,nj->n", points.position - frames.shift[row], frames.turn[row, :, k])
        low, high = frames.low[row, k], frames.high[row, k]
        return np.clip((local - low) / np.maximum(high - low, np.float32(1e-6)), 0, 1).astype(np.float32)


class _LookedUp(_OfThePart):
    """A geometry map of the part; black until it is made."""

    def apply(self, at: StepInput) -> np.ndarray:
        return at.points.looked_up(self.kind, self.radius)


class Edges(_LookedUp):
    """White where the part comes to an edge, fading within a radius; black on flats and in hollows."""

    label = "Edges"
    tip = "Wear on corners and rims: bright metal, worn paint, soft leather edges."
    looks = "inward"
    sample_shape = "cube"

    kind: Literal["edges"] = "edges"
    radius: float = number(
        1.0, 0.01, 1000, label="Radius", unit="mm", tip="Distance over which it fades.", usual=(0.1, 20), log=True
    )


class Crevices(_LookedUp):
    """White where the part hides itself within a radius: grooves, corners, under rims."""

    label = "Crevices"
    tip = "Grime gathers in grooves: the mask for dirt, dust and patina."
    looks = "outward"
    sample_shape = "corner"

    kind: Literal["crevices"] = "crevices"
    radius: float = number(
        2.0,
        0.01,
        1000,
        label="Radius",
        unit="mm",
        tip="Distance that is searched for occluders.",
        usual=(0.1, 50),
        log=True,
    )


class Nearby(_LookedUp):
    """White where another part touches, fading within a radius: the distance to the nearest other part."""

    label = "Proximity"
    tip = "Marks where parts meet: dust around a foot, polish under a ring, oil at a hinge."
    looks = "others"
    sample_shape = "foot"

    kind: Literal["nearby"] = "nearby"
    radius: float = number(
        5.0, 0.05, 1000, label="Radius", unit="mm", tip="Distance over which it fades.", usual=(0.5, 50), log=True
    )


class EachPart(_OfThePart):
    """One random value for each part."""

    label = "Random per part"
    tip = "A random value for each part, so that parts of one material differ a little."
    kind: Literal["each part"] = "each part"
    seed: int = seed()

    def apply(self, at: StepInput) -> np.ndarray:
        out = np.empty(len(at), np.float32)
        tell_apart(at.points.part, at.points.frames.salt, U(self.seed), out)
        return out


@kernel
def tell_apart(part, salt, seed, out):
    """A random number in [0, 1) of each point's part, (N,).

    Parameters
    ----------
    part : Part
        The part.
    salt : uint32
        Number that decorrelates renders.
    seed : uint32
        Seed.
    out : (N,) float32
        Receives the values.
    """
    for i in range(part.shape[0]):
        out[i] = random_of(salt[part[i]], seed)
