"""Patterns that are ready to use, each with tags to find it by and the range it is usually fed with.

Sizes and ranges are common practice.
"""

from typing import NamedTuple

from mat_shelf.document.pattern import Pattern, Placement, Step
from mat_shelf.patterns.sources import (
    Boards,
    Cells,
    Checker,
    Cork,
    DriedWater,
    Drips,
    Facing,
    Grain,
    Height,
    Knurl,
    Leather,
    Noise,
    Painted,
    Paper,
    Ply,
    Scratches,
    Slope,
    Smudges,
    Speckle,
    Weave,
    WipeMarks,
    Wood,
)
from mat_shelf.patterns.steps import Contrast, Curve, Invert, Levels, Lines, Ramp, Soften, Threshold


class Ready(NamedTuple):
    """A pattern with its tags and the height, mm, at which it is usually relief."""

    pattern: Pattern
    tags: tuple[str, ...]
    height: float


def _ready(key: str, name: str, tags: str, height: float, *steps: Step, **placement) -> Ready:
    lies = dict(steps[0].usual) | placement
    return Ready(Pattern(id=key, name=name, steps=steps, placement=Placement(**lies)), tuple(tags.split()), height)


READY = (
    _ready("wobble", "Undulation", "broad uneven surface", 0.04, Noise(octaves=2), size=14),
    _ready("mottle", "Mottle", "uneven colour roughness", 0.01, Noise(octaves=5, gain=0.6), size=6),
    _ready("blotches", "Blotches", "patches mask grime", 0.02, Noise(character="blotchy", octaves=5), size=18),
    _ready("orange-peel", "Orange peel", "lacquer paint spray", 0.004, Noise(octaves=1), size=1.1),
    _ready(
        "bead-blast", "Bead blast", "metal aluminium even", 0.006, Noise(character="billowed", octaves=2), size=0.12
    ),
    _ready("blast-dents", "Blast dents", "metal aluminium dents", -0.01, Speckle(density=0.5, width=0.5), size=0.5),
    _ready("spark-texture", "Spark texture", "plastic mould matt", 0.02, Noise(octaves=3, gain=0.6), size=0.35),
    _ready("pebble", "Pebble", "rubber plastic grip", 0.06, Cells(shown="rounded"), size=0.9, projection="box"),
    _ready(
        "hammered",
        "Hammered",
        "metal copper dents",
        0.15,
        Cells(shown="centres"),
        Soften(radius=0.6),
        size=6,
        projection="box",
    ),
    _ready(
        "cracks",
        "Cracks",
        "glaze lacquer old",
        -0.03,
        Cells(shown="borders"),
        Levels(black=0.0, white=0.12),
        Invert(),
        size=7,
    ),
    _ready("foam-cells", "Foam cells", "foam round packed", 0.2, Cells(shown="rounded", jitter=0.6), size=0.8),
    _ready("flakes", "Flakes", "metallic lacquer sparkle", 0.003, Cells(shown="tones"), size=0.08),
    _ready("dust", "Dust", "specks clean", 0.01, Speckle(density=0.25, width=0.12, spread=0.8, softness=0.7), size=1.2),
    _ready("specks", "Specks", "paint ink splash", 0.01, Speckle(density=0.4, width=0.5, softness=0.05), size=4),
    _ready(
        "hairlines", "Hairlines", "scratches wear fine", -0.002, Scratches(width=0.02, spread=160, layers=4), size=9
    ),
    _ready(
        "deep-scratches",
        "Deep scratches",
        "scratches wear",
        -0.02,
        Scratches(density=0.18, width=0.12, spread=180),
        size=14,
    ),
    _ready(
        "cloth-scratches",
        "Cloth scratches",
        "scratches polish one way",
        -0.001,
        Scratches(density=0.9, width=0.015, spread=12, curl=0.02, layers=5),
        size=6,
    ),
    _ready("brushed", "Brushed", "metal straight grain", 0.002, Grain(length=150), size=0.16, projection="box"),
    _ready("turned", "Turned", "metal lathe grain around", 0.002, Grain(length=300, waver=0.02), size=0.14),
    _ready(
        "fine-turned",
        "Fine turned",
        "metal lathe satin around",
        0.0008,
        Grain(length=400, octaves=2, waver=0.0),
        size=0.06,
    ),
    _ready("finger-smudges", "Finger smudges", "glass grease touch", 0.001, Smudges(), Contrast(contrast=0.8), size=14),
    _ready("wiped", "Wiped", "glass lacquer cloth arcs", 0.001, WipeMarks(), size=10),
    _ready(
        "wipe-lines",
        "Wipe lines",
        "thin arcs lacquer",
        -0.0015,
        WipeMarks(cover=0.7, fineness=9),
        Levels(black=0.55, white=0.95),
        size=8,
    ),
    _ready("dried-drops", "Dried drops", "water glass rims", 0.002, DriedWater(), size=7),
    _ready("runs", "Runs", "drips water down", 0.08, Drips(), size=9),
    _ready("saddle-grain", "Saddle grain", "leather pebbles", 0.12, Leather(), size=1.4),
    _ready(
        "fine-grain-leather",
        "Fine leather",
        "leather calf smooth",
        0.05,
        Leather(crease=0.6, fine=0.7, pores=0.7),
        size=0.7,
    ),
    _ready("oak", "Oak", "wood rings pores", 0.03, Wood(pores=0.8, fibres=0.5), size=2.2),
    _ready("maple", "Maple", "wood pale calm", 0.01, Wood(pores=0.0, late=0.2, waver=0.3), size=3),
    _ready("walnut", "Walnut", "wood dark waving", 0.02, Wood(waver=0.9, late=0.45, pores=0.5), size=2.6),
    _ready("planks", "Planks", "wood boards floor", 0.03, Boards(), size=40),
    _ready("cork-sheet", "Cork sheet", "cork granules", 0.12, Cork(), size=2.2),
    _ready("card-fibre", "Card fibre", "paper uncoated", 0.012, Paper(), size=1.4),
    _ready("felt-mat", "Felt", "wool cloth matted", 0.12, Paper(fibres=1.0, cloud=0.7), size=3),
    _ready("plywood-edge", "Plywood edge", "wood ply layers", 0.01, Ply(), size=1.5),
    _ready("canvas", "Canvas", "cloth plain weave", 0.15, Weave(uneven=0.35), size=0.7),
    _ready(
        "carbon-twill",
        "Carbon twill",
        "carbon fibre cloth",
        0.05,
        Weave(weave="twill", fibres=0.7, uneven=0.05),
        size=2,
    ),
    _ready(
        "carbon-direction",
        "Carbon directions",
        "carbon fibre mask",
        0.0,
        Weave(weave="twill", shown="direction"),
        size=2,
    ),
    _ready("diamond-knurl", "Diamond knurl", "metal grip turned", 0.3, Knurl(), size=1.0),
    _ready("straight-knurl", "Straight knurl", "metal grip turned", 0.3, Knurl(cut="straight"), size=1.2),
    _ready("upward", "Facing up", "dust settles mask", 0.0, Slope(), Threshold(edge=0.82, softness=0.3)),
    _ready("rim", "Rim", "facing velvet mask", 0.0, Facing(), Invert(), Curve(nodes=((0, 0), (0.5, 0.12), (1, 1)))),
    _ready("foot-to-top", "Bottom to top", "gradient height fade", 0.0, Height()),
    _ready("veins", "Veins", "stone marble lines", 0.0, Noise(octaves=6, gain=0.55), Lines(width=0.06), size=22),
    _ready(
        "marble",
        "Marble",
        "stone clouded colour",
        0.0,
        Noise(octaves=7, gain=0.6),
        Ramp(stops=((0.0, (0.08, 0.08, 0.09)), (0.45, (0.55, 0.54, 0.52)), (1.0, (0.82, 0.8, 0.77)))),
        size=25,
    ),
    _ready("checker", "Checker", "test size stretch", 0.0, Checker(numbers=True), size=5, projection="box"),
    _ready("painted", "Painted by hand", "brush crease scuff wear mark", -0.15, Painted()),
)
"""In the order in which they are offered."""
