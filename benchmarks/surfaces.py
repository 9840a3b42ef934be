"""Rounded edges and smoothing: what they cost."""

import statistics
import time

import numpy as np

from benchmarks.picture_size import HEIGHT, ROUNDS, SAMPLES, WIDTH
from mat_shelf.demo.desk_set import demo_project
from mat_shelf.geometry.adjacency import adjacency
from mat_shelf.geometry.mesh import Mesh, checked
from mat_shelf.geometry.smoothing import smooth
from mat_shelf.rendering.final_render import render_picture

SIDE = 100
"""Quads along each side of the sheet that is smoothed: 20,000 triangles."""


def surfaces(say) -> dict:
    """What rounded edges cost, and how long smoothing takes.

    Returns
    -------
    dict
        `rounded_cost`, the time of a picture of the demo with edges of 0.5 mm on all parts over that of one with sharp
        ones, the median of rounds in which both were made one after the other; `smooth_level2_s`, seconds for two
        levels on 20,000 triangles.
    """
    say("rounded edges")
    project, assets = demo_project()
    sharp, rounded = (
        project.with_parts(part.with_(edge_radius=radius) for part in project.product.parts) for radius in (0.0, 0.5)
    )
    costs = []
    for number in range(ROUNDS + 1):
        seconds = []
        for shown in (sharp, rounded):
            started = time.perf_counter()
            render_picture(shown, assets, WIDTH, HEIGHT, SAMPLES, denoise=False)
            seconds.append(time.perf_counter() - started)
        if number:  # the first one finds the edges
            costs.append(seconds[1] / seconds[0])
    say("smoothing")
    sheet = _sheet()
    graph, times = adjacency(sheet), []
    for _ in range(ROUNDS):
        started = time.perf_counter()
        smooth(sheet, graph, 2, 60.0, np.zeros(len(sheet.triangles), np.int32))
        times.append(time.perf_counter() - started)
    return {"rounded_cost": round(statistics.median(costs), 2), "smooth_level2_s": round(statistics.median(times), 2)}


def _sheet() -> Mesh:
    """A wavy sheet of quads."""
    y, x = np.mgrid[: SIDE + 1, : SIDE + 1]
    at = np.arange((SIDE + 1) ** 2).reshape(SIDE + 1, SIDE + 1)
    a, b, c, d = (corner.reshape(-1) for corner in (at[:-1, :-1], at[:-1, 1:], at[1:, 1:], at[1:, :-1]))
    triangles = np.stack([np.stack([a, b, c], axis=1), np.stack([a, c, d], axis=1)], axis=1).reshape(-1, 3)
    vertices = np.stack([x, y, np.sin(x / 5) * np.cos(y / 7)], axis=-1).reshape(-1, 3)
    return checked(vertices, triangles)
