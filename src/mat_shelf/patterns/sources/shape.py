"""Sources that read the shape they lie on."""

from typing import Literal

from pydantic import Field

from mat_shelf.document.parameter import number
from mat_shelf.numerics.hashed_noise import U, random_of
from mat_shelf.numerics.kernels import F, inline
from mat_shelf.numerics.memory import floats1, ints1, longs1, longs2
from mat_shelf.patterns.operation import operation
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

    @operation
    def run(c, n, coordinates, before, out, at):
        for i in range(n):
            out[0, i] = abs(at.cosine[i])


class Slope(_OfThePart):
    """1 where the surface looks along an axis, 0 where it looks the other way."""

    label = "Slope"
    tip = "Dust and wear on what faces up, light from one side."
    kind: Literal["slope"] = "slope"
    axis: Literal["x", "y", "z"] = Field("y", title="Axis", description="Axis of the product; Y is up.")
    is_reversed: bool = Field(False, title="Reversed", description="Downwards instead of upwards.")

    def constants(self, at: StepInput) -> tuple[float, ...]:
        return _AXES[self.axis], -0.5 if self.is_reversed else 0.5

    @operation
    def run(c, n, coordinates, before, out, at):
        axis = int(c[0])
        for i in range(n):
            out[0, i] = F(0.5) + c[1] * at.normal[i, axis]


class Height(_OfThePart):
    """From 0 at the lowest to 1 at the highest end of the part along an axis."""

    label = "Height"
    tip = "Fades from bottom to top: settled dust, dipped and sprayed colour."
    kind: Literal["height"] = "height"
    axis: Literal["x", "y", "z"] = Field("y", title="Axis", description="Axis of the part.")
    over: Literal["part", "product"] = Field("part", title="Extent", description="Each part, or the whole product.")

    def constants(self, at: StepInput) -> tuple[float, ...]:
        return _AXES[self.axis], self.over == "product"

    @operation
    def run(c, n, coordinates, before, out, at):
        axis, is_whole = int(c[0]), c[1] > F(0)
        for i in range(n):
            g = at.product if is_whole else at.part[i]
            local = F(0)
            for k in range(3):
                local += (at.position[i, k] - at.shift[g, k]) * at.turn[g, k, axis]
            low, high = at.low[g, axis], at.high[g, axis]
            out[0, i] = min(max((local - low) / max(high - low, F(1e-6)), F(0)), F(1))


@inline
def value_in_lattice(first, sides, values, t, u, v):
    """Value between the nodes of a triangle of a geometry map.

    Parameters
    ----------
    first : (T,) int64
        First node of each triangle.
    sides : (T,) int32
        How many parts a side of it is cut into.
    values : (K,) float32
        Values at the nodes.
    t : int
        The triangle.
    u, v : float32
        Barycentric coordinates.

    Returns
    -------
    float32
    """
    n = sides[t]
    a, b = u * F(n), v * F(n)
    i, j = min(max(int(a), 0), n - 1), min(max(int(b), 0), n - 1)
    if i + j > n - 1:
        j = n - 1 - i
    fa, fb = a - F(i), b - F(j)
    here = first[t] + i * (n + 1) - i * (i - 1) // 2 + j
    right = here + n + 1 - i  # the node at (i + 1, j)
    if fa + fb <= F(1) or i + j >= n - 1:
        return (F(1) - fa - fb) * values[here] + fa * values[right] + fb * values[here + 1]
    return (fa + fb - F(1)) * values[right + 1] + (F(1) - fb) * values[right] + (F(1) - fa) * values[here + 1]


class _LookedUp(_OfThePart):
    """A geometry map of the part; black until it is made."""

    def constants(self, at: StepInput) -> tuple[float, ...]:
        return (at.code.geometry_map(self.kind, self.radius),)

    @operation
    def run(c, n, coordinates, before, out, at):
        row = int(c[0])
        table, count = longs2(at.resources[row, 0], 1 << 30, 4), at.resources[row, 1]
        for i in range(n):
            g = at.part[i]
            if g >= count or table[g, 0] == 0:
                out[0, i] = F(0)
                continue
            first, sides = longs1(table[g, 0], 1 << 30), ints1(table[g, 1], 1 << 30)
            values = floats1(table[g, 2], 1 << 30)
            out[0, i] = value_in_lattice(first, sides, values, at.triangle[i] - table[g, 3], at.u[i], at.v[i])


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

    def constants(self, at: StepInput) -> tuple[float, ...]:
        return (self.seed,)

    @operation
    def run(c, n, coordinates, before, out, at):
        for i in range(n):
            out[0, i] = random_of(at.salt[at.part[i]], U(c[0]))
