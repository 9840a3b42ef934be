"""Drops that run down: their ways on surfaces of known shape, what they sweep, and what they leave."""

import numpy as np
import pytest
import trimesh
from scipy.spatial import cKDTree

from mat_shelf.fills.running import run_down
from mat_shelf.fills.strewing import strew
from mat_shelf.geometry.mesh import Mesh, crease_normals
from mat_shelf.geometry.solids import lathe

RADIUS, HEIGHT = 30.0, 120.0


@pytest.fixture(scope="module")
def can() -> Mesh:
    return lathe([(0, 0), (RADIUS, 0), (RADIUS, HEIGHT), (0, HEIGHT)], 256)


def all_of(mesh: Mesh) -> np.ndarray:
    return np.ones(len(mesh.triangles), bool)


def test_runs_follow_an_upright_wall_down(can):
    runs = run_down(can, all_of(can), 40, 30.0, 0.8, 0.4, 3)
    assert runs.heads == 40
    # They stay on the wall of the can, but for what its 256 sides are flat.
    assert np.hypot(runs.way[:, 0], runs.way[:, 2]) == pytest.approx(np.full(len(runs.way), RADIUS), abs=0.02)
    assert runs.way[:, 1].min() > -0.3 and runs.way[:, 1].max() < HEIGHT + 0.01
    heads, normals = runs.drops.foot[:40], runs.drops.normal[:40]
    outwards = heads * [1, 0, 1] / RADIUS
    assert (normals * outwards).sum(axis=1).min() > 0.999
    # A head is the lowest place of its way; a few come to rest on the way of another.
    below = heads - np.stack([np.zeros(40), 1.25 * runs.drops.width[:40] + 0.6, np.zeros(40)], axis=1)
    assert (cKDTree(runs.way).query(below)[0] < 0.3).sum() < 6
    assert len(runs.way) * 0.3 * 0.8 / 40 == pytest.approx(30.0, rel=0.25)  # steps of 0.3 drops' widths


@pytest.mark.long
def test_runs_take_the_steepest_way_of_a_slope():
    """On a slope they end below where they began, and aside no more than a tenth of that on average."""
    slope = trimesh.creation.box((400, 2, 400))
    turn = trimesh.transformations.rotation_matrix(np.radians(50), (0, 0, 1)) @ (
        trimesh.transformations.rotation_matrix(np.radians(35), (0, 1, 0))
    )
    slope.apply_transform(turn)
    mesh = crease_normals(np.array(slope.vertices), np.array(slope.faces, np.int32))
    up = mesh.normals[mesh.triangles][:, 0, 1] > 0.5
    starts, ends = [], []
    for seed in range(24):
        runs = run_down(mesh, up, 1, 100.0, 1.0, 0.0, seed)
        starts.append(runs.way[0])
        ends.append(runs.drops.foot[0])
    way = np.subtract(ends, starts)
    normal = mesh.normals[mesh.triangles[np.flatnonzero(up)[0], 0]].astype(float)
    steepest = np.array([0, -1, 0]) + normal[1] * normal
    steepest /= np.linalg.norm(steepest)
    assert np.abs(way @ normal).max() < 0.01
    mean = way.mean(axis=0) / np.linalg.norm(way.mean(axis=0))
    assert np.degrees(np.arccos(mean @ steepest)) < 6
    assert len({round(float(length), 1) for length in np.linalg.norm(way, axis=1)}) > 12  # none is like another


def test_what_runs_sweep_is_clear_of_other_drops(can):
    runs = run_down(can, all_of(can), 30, 40.0, 0.8, 0.4, 5)
    strewn = strew(can, all_of(can), 60.0, 0.8, 0.4, 1.0, 0.0, 10.0, 5, swept=(runs.way, runs.reach))
    assert len(strewn.width) > 5000
    away, nearest = cKDTree(runs.way).query(strewn.foot)
    assert (away >= runs.reach[nearest] + strewn.width / 2 - 1e-6).mean() > 0.999  # of two ways, the nearer one counts
    plain = strew(can, all_of(can), 60.0, 0.8, 0.4, 1.0, 0.0, 10.0, 5)
    assert (cKDTree(runs.way).query(plain.foot)[0] < 0.8).sum() > 300  # without runs, drops lie there
    left, widths = runs.drops.foot[runs.heads :], runs.drops.width
    assert len(left) > 60 and cKDTree(runs.way).query(left)[0].max() < 0.5
    assert widths[runs.heads :].mean() < 0.45 * widths[: runs.heads].mean()


def test_runs_stop_at_marks_and_where_it_is_level(can):
    level = trimesh.creation.box((100, 2, 100))
    mesh = crease_normals(np.array(level.vertices), np.array(level.faces, np.int32))
    top = mesh.normals[mesh.triangles][:, 0, 1] > 0.9
    assert run_down(mesh, top, 20, 30.0, 0.8, 0.4, 1).heads == 0
    angle = np.linspace(0, 2 * np.pi, 720, endpoint=False)
    ring = np.stack([RADIUS * np.cos(angle), np.full(720, 60.0), RADIUS * np.sin(angle)], axis=1)
    runs = run_down(can, all_of(can), 60, 400.0, 0.8, 0.3, 2, ring, 2.0)
    heads = runs.drops.foot[: runs.heads, 1]
    above = heads > 60
    assert above.sum() > 10 and heads[above].min() > 62 and heads[above].mean() < 66  # they wait at its upper edge
    assert heads[~above].max() < 5  # the others went on to the foot of the can
    assert run_down(can, np.zeros(len(can.triangles), bool), 10, 30.0, 0.8, 0.4, 1).heads == 0
    assert run_down(can, all_of(can), 0, 30.0, 0.8, 0.4, 1).heads == 0
