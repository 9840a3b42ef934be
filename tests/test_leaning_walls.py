"""The edge of a liquid at walls that lean, against the surface's differential equation, and surfaces in rings."""

import numpy as np
import pytest
from scipy.integrate import solve_ivp
from scipy.optimize import brentq
from test_fills import cavity_in

from mat_shelf.fills.edge import Wetting
from mat_shelf.fills.liquid import pour, wall_depths, wall_thickness
from mat_shelf.fills.meniscus import capillary_length, surface_heights
from mat_shelf.fills.ring_mesh import ring_mesh
from mat_shelf.fills.round_surface import circle_of, round_heights
from mat_shelf.fills.surface_mesh import mesh_outlines
from mat_shelf.geometry.solids import lathe

LENGTH = capillary_length(72.8, 0.998)


def meeting(radius, widening, angle):
    """Height over the level far from all walls at which a round surface meets a cone, from its equation.

    The meridian from the axis outwards, by its length: the curvature along it and the one across add up to the height
    over the squared capillary length (Batchelor, An Introduction to Fluid Dynamics, 1.9). The cone is `radius` wide at
    that level.
    """
    wanted = np.pi / 2 - np.arctan(widening) - np.radians(angle)

    def bend(_, at):
        r, h, slope = at
        across = np.sin(slope) / r if r > 1e-6 else h / LENGTH**2 / 2
        return np.cos(slope), np.sin(slope), h / LENGTH**2 - across

    def is_steep(_, at):
        return abs(at[2]) - abs(wanted)

    is_steep.terminal = True

    def end(share):
        start = np.sign(wanted) * np.exp(share)
        far = 3 * radius + 60 * LENGTH
        return solve_ivp(bend, (0, far), (1e-9, start, 0), events=is_steep, rtol=1e-9, atol=1e-14).y[:, -1]

    def beyond(share):
        r, h, _ = end(share)
        return r - radius - widening * h

    return end(brentq(beyond, -30, 4))[1]


@pytest.mark.parametrize(
    ("widening", "angle"), [(0.44, 10.0), (0.44, 120.0), (-0.3, 25.0), (-0.3, 60.0), (0.0, 10.0), (0.2, 60.0)]
)
def test_liquid_climbs_a_wall_that_leans_as_its_equation_says(widening, angle):
    """A wide cone, open at the top or nearly closed there."""
    low, high = (10, 10 + 60 * widening) if widening > 0 else (32, 32 + 60 * widening)
    line = [(0, 0), (low + 4, 0), (high + 4, 65), (high, 65), (low, 5), (0, 5)]
    cavity = cavity_in(lathe(line, 256))
    body = pour(cavity, wall_depths(wall_thickness(cavity), 0.1), 0.5 * cavity.capacity, Wetting(angle=angle))
    radius = low + (body.level - 5) * widening
    lowest, highest = body.edge
    expected = meeting(radius, widening, angle)
    assert lowest == pytest.approx(expected, rel=0.02) and highest == pytest.approx(expected, rel=0.02)


def outlines():
    turn = np.linspace(0, 2 * np.pi, 180, endpoint=False)
    round_ = np.stack([np.cos(turn), np.sin(turn)], axis=1)
    square = round_ * (1 / np.sum(np.abs(round_) ** 6, axis=1) ** (1 / 6))[:, None]
    return {
        "circle": 20 * round_ + (3, -5),
        "tube": 1.5 * round_,
        "square": 22 * square,
        "oval": 15 * round_ * (1, 0.6),
    }


@pytest.mark.parametrize("shape", ["circle", "tube", "square", "oval"])
@pytest.mark.parametrize("degrees", [70.0, -40.0])
def test_rings_have_the_surface_of_other_triangles(shape, degrees):
    line = outlines()[shape]
    slope = np.full(len(line), np.radians(degrees))
    free = mesh_outlines([line], LENGTH, slope[0])
    rings = ring_mesh(line, LENGTH, abs(slope[0]))
    ahead = np.roll(line, -1, axis=0)
    inside = 0.5 * np.sum(line[:, 0] * ahead[:, 1] - ahead[:, 0] * line[:, 1])
    a, b, c = rings.points[rings.triangles].transpose(1, 0, 2)
    one, other = b - a, c - a
    areas = (one[:, 0] * other[:, 1] - one[:, 1] * other[:, 0]) / 2
    assert (areas > 0).all() and areas.sum() == pytest.approx(inside, rel=1e-9)
    expected, made = (surface_heights(mesh, [line], slope, LENGTH) for mesh in (free, rings))
    count = len(line)
    assert made[:count].mean() == pytest.approx(expected[:count].mean(), rel=0.015)
    deepest = [float(h[mesh.depth.argmax()]) for h, mesh in ((expected, free), (made, rings))]
    assert deepest[1] == pytest.approx(deepest[0], abs=0.01 * LENGTH)


@pytest.mark.parametrize("shape", ["circle", "tube"])
def test_a_round_surface_is_that_of_its_equation(shape):
    line = outlines()[shape]
    slope = np.full(len(line), np.radians(65.0))
    circle = circle_of([line], slope)
    made = round_heights(ring_mesh(line, LENGTH, slope[0]), circle, slope, LENGTH)
    assert made[: len(line)] == pytest.approx(meeting(circle.radius, 0.0, 25.0), rel=0.003)
    assert circle_of([outlines()["square"]], slope) is None and circle_of([outlines()["oval"]], slope) is None
