"""Liquid that stands above its brim."""

import manifold3d
import numpy as np
import pytest
import trimesh
from test_fills import cavity_in, cup, mesh_of

from mat_shelf.cli import main
from mat_shelf.demo.desk_set import demo_project
from mat_shelf.exchange.project_file import read_project, save_project
from mat_shelf.fills.edge import Wetting, overfill_limit
from mat_shelf.fills.liquid import overfill, wall_depths, wall_thickness
from mat_shelf.fills.meniscus import capillary_length
from mat_shelf.fills.vessel import VesselError

WATER = Wetting(tension=72.8, density=0.998, angle=20.0, ripples=0.0, seed=1)


def overfilled(mesh, height, wetting=WATER):
    cavity = cavity_in(mesh)
    return cavity, overfill(cavity, wall_depths(wall_thickness(cavity), 0.1), height, wetting)


@pytest.mark.parametrize("height", [0.2, 1.0, 2.0])
def test_on_a_wide_brim_it_rises_as_a_surface_at_a_plane_does(height, figure):
    """h^2 = 2 (1 - cos phi) a^2 for the angle phi at the brim (Batchelor, 1.9), a the capillary length."""
    length = capillary_length(72.8, 0.998)
    cavity, body = overfilled(cup(60, 20, 2, 3, 512), height)
    top = body.mesh.vertices[np.hypot(body.mesh.vertices[:, 0], body.mesh.vertices[:, 2]) < 5][:, 1].max()
    assert top - cavity.spill == pytest.approx(height, abs=0.03)
    angle = np.arccos(1 - height**2 / (2 * length**2))
    near = body.mesh.vertices[body.mesh.vertices[:, 1] > cavity.spill - 0.02]
    reach = 60 - np.hypot(near[:, 0], near[:, 2])
    close = (reach > 0.02) & (reach < 0.08 * length)
    slope = np.degrees(np.arctan(np.median((near[close, 1] - cavity.spill + 0.02) / reach[close])))
    figure(slope, np.degrees(angle))
    assert slope == pytest.approx(np.degrees(angle), abs=4)
    assert body.volume > cavity.capacity


def test_on_a_narrow_one_it_is_a_cap_of_a_ball():
    """A tube much narrower than the capillary length: V = pi h (3 r^2 + h^2) / 6."""
    cavity, body = overfilled(cup(0.5, 4, 0.4, 0.4, 256), 0.2)
    cap = np.pi * 0.2 * (3 * 0.5**2 + 0.2**2) / 6
    assert body.volume - cavity.volume(cavity.spill - 1e-3 * 4) == pytest.approx(cap, rel=0.06)


def test_its_body_is_closed_and_looks_outwards():
    _, body = overfilled(cup(20, 30, 2, 3), 1.5)
    solid = trimesh.Trimesh(body.mesh.vertices, body.mesh.triangles)
    solid.merge_vertices(merge_norm=True, merge_tex=True, digits_vertex=8)
    assert solid.is_watertight and solid.is_winding_consistent and solid.volume > body.volume


def test_what_would_run_over_is_refused():
    limit = overfill_limit(capillary_length(72.8, 0.998))
    assert limit == pytest.approx(np.sqrt(2) * 2.727, rel=0.01)  # water: 2.7 mm (CRC Handbook)
    with pytest.raises(VesselError, match="above the brim at most"):
        overfilled(cup(20, 30, 2, 3), limit + 0.1)
    ball = mesh_of(manifold3d.Manifold.sphere(20, 64) - manifold3d.Manifold.sphere(18, 64))
    with pytest.raises(VesselError, match="no brim"):
        overfilled(ball, 1.0)
    with pytest.raises(VesselError, match="too narrow"):
        overfilled(cup(0.5, 4, 0.4, 0.4), 2.0)


@pytest.mark.long
def test_the_command_overfills_it_and_says_so(tmp_path, capsys):
    path = tmp_path / "desk.matshelf"
    save_project(path, *demo_project())
    assert main(["fill", str(path), "Bottle", "--overfill", "0.8", "-o", str(tmp_path / "full.matshelf")]) == 0
    project, _ = read_project(tmp_path / "full.matshelf")
    ink = next(part for part in project.product.parts if part.fill is not None)
    assert ink.fill.measure == "overfill" and ink.fill.overfill == 0.8
    assert main(["fill", str(path), "Bottle", "--overfill", "5", "-o", str(tmp_path / "no.matshelf")]) == 2
    assert "surface tension" in capsys.readouterr().err
    tilted = ["--overfill", "0.8", "--tilt", "10", "-o", str(tmp_path / "no.matshelf")]
    assert main(["fill", str(path), "Bottle", *tilted]) == 2
    assert "set the tilt to 0" in capsys.readouterr().err
