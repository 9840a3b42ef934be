"""Patterns and marks: points a second beside other libraries, and their share of a picture."""

import importlib.util
import os
import statistics
import time
from concurrent.futures import ThreadPoolExecutor

import numpy as np

from benchmarks.picture_size import ROUNDS
from benchmarks.side_by_side import seconds_side_by_side
from mat_shelf.demo.desk_set import demo_project
from mat_shelf.document.image import ImageRef
from mat_shelf.document.material import Material
from mat_shelf.document.pattern import Pattern, Placement
from mat_shelf.patterns.evaluation import evaluate
from mat_shelf.patterns.mipmap import Mipmap
from mat_shelf.patterns.points import FLAT, Points
from mat_shelf.patterns.sources import Cells, Noise

MARKS, LARGE_ART = 8, 2


GRID = 2048


NOISE = Noise(octaves=6)


def patterns(say) -> dict:
    """Patterns per second beside a reference library, and what fed materials cost.

    Returns
    -------
    dict
        `noise_ms` and `cellular_ms`, for GRID x GRID points on all cores; `noise_vs_reference` and
        `cellular_vs_reference`, the reference's time over ours; `fed_patterns_cost`, the time of a picture of the demo
        in which three patterns feed the wood of its tray over that of one without patterns; `demo_patterns_cost`, the
        same with all the demo's patterns.
    """
    say("patterns")
    grid = np.indices((GRID, GRID), np.float32).reshape(2, -1) * np.float32(0.05)
    flat = np.ascontiguousarray(np.concatenate([grid, np.zeros((1, GRID * GRID), np.float32)]).T)
    pieces = []
    for piece in np.array_split(flat, 64):
        up = np.tile(np.float32([0, 0, 1]), (len(piece), 1))
        pieces.append(Points(piece, up, np.zeros(len(piece), np.int32), FLAT, is_flat=True))
    made = {
        "noise": (NOISE, _reference_noise("perlin")),
        "cellular": (Cells(), _reference_noise("cells")),
    }
    result: dict = {}
    with ThreadPoolExecutor(os.cpu_count()) as threads:
        for name, (source, reference) in made.items():
            pattern = Pattern(id="p", name="P", steps=(source,), placement=Placement(size=1.0, projection="planar"))

            def ours(piece, pattern=pattern):
                return evaluate(pattern, piece)

            ours(pieces[0])
            times = {"ours": [], "theirs": []}
            for _ in range(ROUNDS):
                started = time.perf_counter()
                list(threads.map(ours, pieces))
                times["ours"].append(time.perf_counter() - started)
                if reference is not None:
                    started = time.perf_counter()
                    reference(grid)
                    times["theirs"].append(time.perf_counter() - started)
            result[f"{name}_ms"] = round(1000 * statistics.median(times["ours"]))
            if reference is not None:
                ratio = statistics.median(times["theirs"]) / statistics.median(times["ours"])
                result[f"{name}_vs_reference"] = round(ratio, 2)
    say("fed patterns")
    (project, assets), (_, fed_assets), (_, plain_assets) = (demo_project() for _ in range(3))
    plain = project.with_(materials=tuple(_without_patterns(m) for m in project.materials))
    tray = plain.material("oiled-oak")
    fed = plain.with_material(tray.with_(recipe=project.material("oiled-oak").recipe))
    seconds = seconds_side_by_side(
        {"plain": (plain, plain_assets), "fed": (fed, fed_assets), "all": (project, assets)}, 3
    )
    result["fed_patterns_cost"] = _cost(seconds["fed"], seconds["plain"])
    result["demo_patterns_cost"] = _cost(seconds["all"], seconds["plain"])
    return result


def marks(say) -> dict:
    """What marks cost.

    Returns
    -------
    dict
        `marks_cost`: the time of a picture of the demo, without patterns, with `MARKS` marks, `LARGE_ART` of them with
        art of 8192 x 4096 pixels, over that of one without marks; the median of rounds in which both were made side by
        side.
    """
    say("marks")
    (project, assets), (_, plain_assets) = demo_project(), demo_project()
    plain = project.with_(materials=tuple(_without_patterns(m) for m in project.materials), marks=())
    pixels = np.random.default_rng(1).integers(0, 256, (4096, 8192, 4), np.uint8)
    large = ImageRef(name="large.png", digest="8" * 64, kind="png")
    assets.pictures[large.digest] = Mipmap(pixels)
    made = [*project.marks]
    labels = [mark for mark in project.marks if mark.kind == "label"]
    while len(made) < MARKS:
        origin = labels[len(made) % len(labels)]
        up = 6.0 * (len(made) - MARKS)
        point = (origin.point[0], origin.point[1] + up, origin.point[2])
        made.append(origin.with_(id=f"more-{len(made)}", point=point, width=20.0, height=5.0))
    made = [mark.with_(art=large) if k >= MARKS - LARGE_ART else mark for k, mark in enumerate(made)]
    marked = plain.with_(marks=tuple(made))
    seconds = seconds_side_by_side({"plain": (plain, plain_assets), "marked": (marked, assets)}, ROUNDS)
    return {"marks_cost": _cost(seconds["marked"], seconds["plain"])}


def _cost(seconds: list[float], base: list[float]) -> float:
    """Time over that of something else beside it, the median of rounds."""
    return round(statistics.median(one / other for one, other in zip(seconds, base, strict=True)), 2)


def _without_patterns(material: Material) -> Material:
    return material.with_(parent=None, own=(), recipe=material.recipe.with_(feeds=(), relief=()))


def _reference_noise(kind: str):
    """The reference library's noise in two dimensions, or None where it is not installed."""
    if importlib.util.find_spec("pyfastnoiselite") is None:
        return None
    from pyfastnoiselite import pyfastnoiselite as reference

    noise = reference.FastNoiseLite(seed=1)
    noise.frequency = 1.0
    if kind == "perlin":
        noise.noise_type = reference.NoiseType.NoiseType_Perlin
        noise.fractal_type = reference.FractalType.FractalType_FBm
        noise.fractal_octaves = NOISE.octaves
    else:
        noise.noise_type = reference.NoiseType.NoiseType_Cellular
    return noise.gen_from_coords
