"""Random materials in a white furnace: a ball in an even room, where what loses no light cannot be seen.

    .venv/bin/python scripts/truth_furnace.py [500] [--seed SEED]

A material that absorbs nothing must read 1 within 2 percent, and none more than 1.02, in each channel and beyond what
chance explains. It goes on from its journal in build/. What fails is made simpler as long as it still fails.
"""

import argparse
import secrets
import sys
from functools import cache
from pathlib import Path
from typing import NamedTuple

import numpy as np
import trimesh

sys.path.insert(0, str(Path(__file__).parent))

from journal import Journal  # noqa: E402

from mat_shelf.document.camera import Camera  # noqa: E402
from mat_shelf.document.recipe import Overlay, Recipe  # noqa: E402
from mat_shelf.geometry.mesh import checked  # noqa: E402
from mat_shelf.rendering.camera import make_camera_view  # noqa: E402
from mat_shelf.rendering.film import Film  # noqa: E402
from mat_shelf.rendering.render_task import RenderTask
from mat_shelf.rendering.tracer import Tracer  # noqa: E402
from mat_shelf.scene.geometry import Geometry  # noqa: E402
from mat_shelf.scene.lights import make_lights  # noqa: E402
from mat_shelf.scene.material_table import make_material_table  # noqa: E402

WITHIN, MOST = 0.02, 1.02
SURE = 4.0
"""Standard errors that are put down to chance."""
ERROR = 0.003
"""Standard error that is sampled for, as far as `BATCHES` allow."""
BATCHES = 240
"""Batches of 6,400 paths at most for one material."""
SIZE, RADIUS = 40, 30.0
CAMERA = Camera(position=(0, 0, 300), target=(0, 0, 0), focal_length=300)
"""The ball fills its picture, seen at up to 58 degrees."""
BUILD = Path(__file__).parents[1] / "build"
SOLID_INPUTS = ("transmission_weight", "subsurface_weight")


class Reading(NamedTuple):
    """What a material reads in the furnace.

    Attributes
    ----------
    mean, error : (3,) float
        By channel, with its standard error.
    dropped : int
        Values that were no numbers.
    """

    mean: np.ndarray
    error: np.ndarray
    dropped: int

    def is_dark(self) -> bool:
        return bool((self.mean + SURE * self.error < 1 - WITHIN).any())

    def is_bright(self) -> bool:
        return bool((self.mean - SURE * self.error > MOST).any())


def drawn(seed: int, is_lossless: bool) -> Recipe:
    """A material at random, every input among them; a lossless one has no colour anywhere."""
    rng = np.random.default_rng(seed)

    def number(low=0.0, high=1.0) -> float:
        return float(rng.uniform(low, high))

    def chance(share) -> bool:
        return rng.random() < share

    def weight(share) -> float:
        """0 most often, 1 or anything between."""
        return 0.0 if not chance(share) else 1.0 if chance(0.5) else number()

    def color():
        drawn_color = tuple(float(x) for x in rng.random(3))
        return (1.0, 1.0, 1.0) if is_lossless else drawn_color

    fields = {
        "base_color": color(),
        "base_diffuse_roughness": weight(0.3),
        "base_metalness": weight(0.3),
        "specular_color": color(),
        "specular_weight": number() if chance(0.3) else 1.0,
        "specular_roughness": number(),
        "specular_ior": number(1.0, 2.5),
        "specular_roughness_anisotropy": weight(0.3),
        "transmission_weight": weight(0.5),
        "subsurface_weight": weight(0.35),
        "subsurface_color": color(),
        "subsurface_radius": float(10 ** number(-1.0, 1.5)),
        "subsurface_scatter_anisotropy": number(-0.5, 0.9),
        "coat_weight": weight(0.35),
        "coat_color": color(),
        "coat_roughness": weight(0.5),
        "coat_roughness_anisotropy": weight(0.2),
        "coat_ior": number(1.0, 2.2),
        "coat_darkening": number(),
        "fuzz_weight": weight(0.2),
        "fuzz_color": color(),
        "fuzz_roughness": number(),
        "thin_film_weight": weight(0.25),
        "thin_film_thickness": number(),
        "thin_film_ior": number(1.0, 2.6),
        "geometry_opacity": number() if chance(0.2) else 1.0,
        "geometry_thin_walled": bool(chance(0.25)),
    }
    is_cloudy = chance(0.25)
    cloud = {
        "transmission_depth": float(10 ** number(-0.5, 2.0)),
        "transmission_color": color(),
        "transmission_scatter": (number(),) * 3 if is_lossless else tuple(float(x) for x in rng.random(3)),
        "transmission_scatter_anisotropy": number(-0.5, 0.9),
    }
    has_overlay, overlay_seed = chance(0.15), int(rng.integers(1 << 30))
    if is_cloudy:
        fields |= cloud
    if chance(0.1) and not is_lossless:
        fields |= {"transmission_dispersion_scale": number(), "transmission_dispersion_abbe_number": number(20, 90)}
    if is_lossless and fields["base_metalness"] > 0:
        fields["specular_weight"] = 1.0  # scales what a metal reflects, so that less of it is lost light
    recipe = Recipe(**fields)
    if has_overlay:
        other = drawn(overlay_seed, is_lossless)
        # An overlay is a look of the same body: it neither bends light otherwise nor has walls of its own.
        other = other.with_(overlays=(), geometry_thin_walled=recipe.geometry_thin_walled, geometry_opacity=1.0)
        for name in SOLID_INPUTS:
            other = other.with_(**{name: getattr(recipe, name)})
        recipe = recipe.with_(overlays=(Overlay(id="o", name="Overlay", recipe=other),))
    return recipe


@cache
def _stage():
    # As round as it takes: at facets with smoothed normals a little light is lost, and it may meet a hundred of them.
    solid = trimesh.creation.icosphere(6)
    lights = make_lights(np.ones((16, 32, 3), np.float32))
    return Geometry([checked(solid.vertices * RADIUS, solid.faces, solid.vertices)]), lights, Tracer(2)


def read(recipe: Recipe, most: int = BATCHES, error: float = ERROR, seed: int = 1) -> Reading:
    """Samples a ball of the material until the mean is certain enough."""
    geometry, lights, tracer = _stage()
    task = RenderTask(geometry, make_material_table([recipe], [0]), lights, make_camera_view(CAMERA, SIZE, SIZE))
    batches, dropped = [], 0
    while True:
        film = Film(SIZE, SIZE)
        seeded = RenderTask(task.geometry, task.material_table, task.lights, task.view, seed=seed + len(batches))
        tracer.fill(seeded, film, 4)
        batches.append(film.picture().mean(axis=(0, 1), dtype=np.float64))
        dropped += int(film.sums.dropped.sum())
        if len(batches) < 8:
            continue
        made = np.array(batches)
        wrong = made.std(axis=0, ddof=1) / np.sqrt(len(made))
        if wrong.max() < error or len(batches) >= most:
            return Reading(made.mean(axis=0), wrong, dropped)


def first_values(recipe: Recipe) -> int:
    """Values that are no numbers among a few paths that meet the material."""
    geometry, lights, tracer = _stage()
    film = Film(8, 8)
    tracer.add_samples(
        RenderTask(geometry, make_material_table([recipe], [0]), lights, make_camera_view(CAMERA, 8, 8)), film
    )
    return int(film.sums.dropped.sum()) + int((~np.isfinite(film.sums.light)).sum())


def faults(recipe: Recipe, is_lossless: bool, most: int = BATCHES) -> str:
    """What is wrong with a material in the furnace, in words; empty where nothing is.

    What seems wrong is looked at once more, with other paths and four times as many: few paths that weigh much, as in
    dense bodies of which little is clear, make a mean look more certain than it is.
    """
    seen = read(recipe, most)
    if seen.is_bright() or (is_lossless and seen.is_dark()):
        seen = read(recipe, 4 * most, ERROR / 2, seed=1 << 20)
    words = []
    if seen.dropped:
        words.append(f"{seen.dropped} values are no numbers")
    if seen.is_bright():
        words.append(f"{seen.mean.round(3).tolist()}: light is made")
    if is_lossless and seen.is_dark():
        words.append(f"{seen.mean.round(3).tolist()}: light is lost")
    return "; ".join(words)


def shrunk(recipe: Recipe, is_lossless: bool) -> Recipe:
    """A simpler material that fails, too: whatever can be as usual is."""
    usual = Recipe()
    white = {"base_color", "subsurface_color", "specular_color", "coat_color", "fuzz_color", "transmission_color"}
    for name in Recipe.model_fields:
        if (name in white and is_lossless) or getattr(recipe, name) == getattr(usual, name):
            continue
        simpler = recipe.with_(**{name: getattr(usual, name)})
        if faults(simpler, is_lossless):
            recipe = simpler
    return recipe


def told(recipe: Recipe) -> str:
    """The inputs that are not as usual."""
    usual = Recipe()
    unusual = {name: getattr(recipe, name) for name in Recipe.model_fields}
    return ", ".join(
        f"{name}={round(value, 3) if isinstance(value, float) else value}"
        for name, value in unusual.items()
        if value != getattr(usual, name) and name not in ("overlays",)
    )


def run_case(seed: int) -> tuple[str, str]:
    """How a case ended: "sound", "made", "lost" or "no number"; and what failed."""
    is_lossless = seed % 4 != 3
    words = faults(drawn(seed, is_lossless), is_lossless)
    if not words:
        return "sound", ""
    simple = shrunk(drawn(seed, is_lossless), is_lossless)
    end = "no number" if "numbers" in words else "made" if "made" in words else "lost"
    return end, f"{words} ({'lossless' if is_lossless else 'coloured'}): {told(simple)}"


def run(count: int, first: int) -> tuple[str, bool]:
    """Tries that many materials, from a seed on: what came of it, in lines of Markdown, and whether all are sound."""
    journal = Journal(BUILD / f"furnace-{first}.jsonl")
    for number in journal.left(count):
        end, words = run_case(first + number)
        journal.note(end, seed=first + number, words=words)
        if words:
            print(f"{first + number}: {words}", flush=True)
    ends = journal.ends()
    told_ends = ", ".join(f"{count} {end}" for end, count in sorted(ends.items()))
    lines = [f"- {count} materials at random, seeds {first} to {first + count - 1}: {told_ends}."]
    lines += [f"  - {case['seed']}: {case['words']}" for case in journal.cases if case["words"]]
    return "\n".join(lines), set(ends) <= {"sound"}


def main(run, count: int) -> int:
    """The command line of a check that is drawn at random."""
    parser = argparse.ArgumentParser()
    parser.add_argument("count", type=int, nargs="?", default=count)
    parser.add_argument("--seed", type=int, default=None, help="of the first case; a fresh one if none is given")
    given = parser.parse_args()
    first = secrets.randbelow(1 << 32) if given.seed is None else given.seed
    print(f"seed {first}", flush=True)
    lines, is_sound = run(given.count, first)
    print(lines)
    return 0 if is_sound else 1


if __name__ == "__main__":
    sys.exit(main(run, 500))
