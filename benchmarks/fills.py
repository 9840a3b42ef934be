"""Vessels filled and drops strewn: how long it takes, and what drops cost the picture."""

import time
from collections.abc import Callable
from itertools import pairwise

import numpy as np

from mat_shelf.demo import ink_bottle
from mat_shelf.demo.desk_set import demo_project
from mat_shelf.document.fill import Beads
from mat_shelf.document.material import Material
from mat_shelf.document.product import Part
from mat_shelf.exchange.supplies import prepare_supplies
from mat_shelf.fills.cavity import find_cavities
from mat_shelf.fills.edge import Wetting
from mat_shelf.fills.liquid import pour, wall_depths, wall_thickness
from mat_shelf.fills.strewing import drops, expected_count, strew
from mat_shelf.fills.vessel import make_vessel
from mat_shelf.geometry.caps import ROW
from mat_shelf.geometry.mesh import Mesh
from mat_shelf.geometry.solids import lathe
from mat_shelf.library.shipped import SHIPPED
from mat_shelf.rendering.task_keeper import TaskKeeper
from mat_shelf.rendering.tracer import Tracer

_TRIANGLES, _SEGMENTS, _DROPS = 200_000, 500, 20_000
_SIZE, _SAMPLES, _TURNS = (480, 320), 3, 3


def _fine_bottle() -> Mesh:
    """A turned bottle of about the wanted number of triangles."""
    outline = [(0, 0), (28, 0), (30, 3), (30, 70), (14, 84), (14, 100), (12, 100), (12, 85), (27, 68), (27, 6), (0, 5)]
    points = np.array(outline, np.float64)
    rows = _TRIANGLES // (2 * _SEGMENTS) // (len(points) - 1)
    line = np.concatenate([np.linspace(a, b, rows, endpoint=False) for a, b in pairwise(points)] + [points[-1:]])
    return lathe(line, _SEGMENTS)


def _best(run: Callable[[], object]) -> float:
    """Seconds of the quickest of some turns."""
    found = []
    for _ in range(_TURNS):
        started = time.perf_counter()
        run()
        found.append(time.perf_counter() - started)
    return min(found)


def fills(say) -> dict[str, float]:
    """Time of the steps of a fill and of drops, and what drops cost.

    Returns
    -------
    dict of float
        `cavity_s`: finding the cavities of a vessel of `triangles`; `pour_ms`: liquid of another level in the demo's
        bottle; `scatter_ms`: strewing `drops` drops; `beads_cost`: a sample of the demo with them, on the bottle, over
        one without; `beads_mb`: memory of them that scene and kernels keep, beside Embree's own boxes.
    """
    say("fills")
    fine = _fine_bottle()
    find_cavities(make_vessel(fine))
    cavity_s = _best(lambda: find_cavities(make_vessel(fine)))
    bottle = ink_bottle.glass()
    cavity = find_cavities(make_vessel(bottle))[0]
    depth, levels = wall_depths(wall_thickness(cavity), 0.1), iter(range(20_000, 60_000, 500))
    pour(cavity, depth, 30_000.0, Wetting())
    pour_s = _best(lambda: pour(cavity, depth, float(next(levels)), Wetting()))
    everywhere = np.ones(len(bottle.triangles), bool)
    density = _DROPS / expected_count(bottle, everywhere, 1.0)

    def scatter():
        return drops(bottle, strew(bottle, everywhere, density, 0.4, 0.4, 1.05, 0.0, 10.0, 1), 65.0, 1.0, 1)

    caps = scatter()
    scatter_s = _best(scatter)
    say("drops in the picture")
    project, assets = demo_project()
    water = next(swatch for swatch in SHIPPED if swatch.id == "water")
    worn = Material(id="water", name=water.name, recipe=water.recipe)
    beads = Beads(host="bottle", side="both", density=density, size=0.4, patches=0.0, spacing=1.05, from_marks=0.0)
    part = Part(id="drops", name="Drops", mesh=project.part("card").mesh, material="water", beads=beads)
    wet = project.with_material(worn).with_parts((*project.product.parts, part))
    prepare_supplies(project, assets)
    tracer, seconds = Tracer(), {}
    tasks = {name: _task(shown, assets) for name, shown in (("dry", project), ("wet", wet))}
    for _ in range(_TURNS):  # in turns, since other work on the machine comes and goes
        for name, task in tasks.items():
            film = task.film(*_SIZE)
            tracer.add_samples(task, film)
            started = time.perf_counter()
            tracer.fill(task, film, _SAMPLES + 1)
            seconds.setdefault(name, []).append(time.perf_counter() - started)
    tracer.close()
    return {
        "cavity_s": round(cavity_s, 2),
        "triangles": len(fine.triangles),
        "pour_ms": round(1000 * pour_s),
        "scatter_ms": round(1000 * scatter_s),
        "drops": len(caps),
        "beads_cost": round(float(np.median(np.divide(seconds["wet"], seconds["dry"]))), 2),
        "beads_mb": round(len(caps) * 4 * (ROW + 9 + 9 + 9 + 1 + 6) / 1e6, 1),
    }


def _task(project, assets):
    return TaskKeeper(assets).task(project, project.views[2].camera, None, _SIZE, 1, 0.0)
