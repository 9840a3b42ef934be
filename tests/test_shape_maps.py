"""Geometry maps against analytic occlusion."""

import numpy as np
import pytest
import trimesh

from mat_shelf.document.material import Material
from mat_shelf.document.pattern import Feed, Pattern, Step
from mat_shelf.document.product import Part, Pose, Product
from mat_shelf.document.recipe import Recipe
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.models.mesh_glb import NamedMesh
from mat_shelf.exchange.product_import import new_project
from mat_shelf.geometry.mesh import checked
from mat_shelf.patterns.evaluation import evaluate
from mat_shelf.patterns.points import FLAT, Points
from mat_shelf.patterns.sources import Crevices, Edges, Nearby
from mat_shelf.rendering.final_render import render_picture
from mat_shelf.scene.geometry_map_lookup import GeometryMapLookup, lookup_keys
from mat_shelf.scene.geometry_maps import (
    GeometryMapKey,
    make_geometry_map,
    needed_geometry_maps,
    others_near,
)


def looked_up(mesh, kind, radius, triangle, u, v):
    key = GeometryMapKey("0" * 64, kind, radius, 1.0)
    lookup = GeometryMapLookup([("0" * 64, 1.0, "")], np.zeros(1, np.int32), {key: make_geometry_map(mesh, key)})
    return values_at(lookup, Step.kinds[kind].model_construct(radius=radius), triangle, u, v)


def values_at(lookup, source, triangle, u, v):
    """What a pattern of a geometry map is at hits on the first part."""
    zeros = np.zeros((len(triangle), 3), np.float32)
    hits = lookup, np.int32(triangle), np.float32(u), np.float32(v)
    points = Points(zeros, zeros, np.zeros(len(triangle), np.int32), FLAT, hits=hits)
    return evaluate(Pattern(id="p", name="P", steps=(source,)), points)


def sheet(*quads):
    """Flat quads, two large triangles each, as a CAD model has them."""
    corners = np.array(quads, float).reshape(-1, 3)
    faces = [[4 * k + a, 4 * k + b, 4 * k + c] for k in range(len(quads)) for a, b, c in ((0, 1, 2), (0, 2, 3))]
    return checked(corners, faces, crease_degrees=1)


def test_a_groove_hides_what_its_walls_say():
    """At the middle of the floor of a long groove the sky's share is sin(atan(half width / depth)), from memory.

    It is the configuration factor of a strip: Howell, A Catalog of Radiation Heat Transfer Configuration Factors.
    """
    half, depth, far = 5.0, 8.0, 4000.0
    floor = [(-half, 0, far), (half, 0, far), (half, 0, -far), (-half, 0, -far)]
    left = [(-half, 0, -far), (-half, depth, -far), (-half, depth, far), (-half, 0, far)]
    right = [(half, 0, far), (half, depth, far), (half, depth, -far), (half, 0, -far)]
    mesh = sheet(floor, left, right)
    # the middle of the diagonal of the floor
    open_share = np.sin(np.arctan(half / depth))
    value = looked_up(mesh, "crevices", 5000.0, [0], [0.0], [0.5])[0]
    assert value == pytest.approx(1 - open_share, abs=0.03)


def test_at_the_foot_of_a_wall_half_the_sky_is_hidden():
    floor = [(0, 0, 50), (50, 0, 50), (50, 0, -50), (0, 0, -50)]
    wall = [(0, 0, -50), (0, 50, -50), (0, 50, 50), (0, 0, 50)]
    mesh = sheet(floor, wall)
    u = np.linspace(0, 1, 101)  # from the foot of the wall out, along the floor's front edge
    values = looked_up(mesh, "crevices", 10.0, np.zeros(101), u, np.zeros(101))
    x = 50 * u
    assert values[0] > 0.3 and np.abs(values[x > 10.5]).max() == 0
    assert (np.diff(values[x > 3]) < 0.02).all()  # fades outwards


def test_edges_of_a_cube_are_white_and_its_sides_black():
    cube = trimesh.creation.box((20, 20, 20))
    mesh = checked(cube.vertices, cube.faces, crease_degrees=10)
    key = GeometryMapKey("0" * 64, "edges", 2.0, 1.0)
    made = make_geometry_map(mesh, key)
    corners = mesh.vertices[mesh.triangles]
    inside, near = [], []
    for t in range(len(mesh.triangles)):
        n = made.count[t]
        k = made.first[t]
        for i in range(n + 1):
            for j in range(n + 1 - i):
                u, v = i / n, j / n
                p = corners[t, 0] * (1 - u - v) + corners[t, 1] * u + corners[t, 2] * v
                from_edge = 10 - np.sort(np.abs(p))[1]
                (near if from_edge < 1e-6 else inside if from_edge > 2.3 else []).append(made.values[k])
                k += 1
    assert np.mean(near) > 0.85 and np.max(inside) == 0
    assert made.count.max() == round(20 * 2**0.5 * 3 / 2.0 + 0.5)


def test_large_parts_get_coarser_lattices_and_cancel():
    plane = sheet([(-500, 0, 500), (500, 0, 500), (500, 0, -500), (-500, 0, -500)])
    made = make_geometry_map(plane, GeometryMapKey("0" * 64, "crevices", 0.01, 1.0))
    assert len(made.values) <= 200_000 and not made.values.any()
    with pytest.raises(InterruptedError):
        make_geometry_map(plane, GeometryMapKey("0" * 64, "crevices", 10.0, 1.0), lambda done, total: False)


def test_worn_edges_show_in_the_picture(small_project):
    """A black block whose edges are white by its pattern: bright pixels lie along its outline's edges only."""
    project, kept = small_project
    assets = Assets()
    assets.take(kept)
    worn = Pattern(id="worn", name="Worn", steps=(Edges(radius=3.0),))
    recipe = Recipe(
        base_color=(0, 0, 0),
        specular_weight=0.0,
        patterns=(worn,),
        feeds=(Feed(input="base_color", pattern="worn", low=(0, 0, 0), high=(1, 1, 1)),),
    )
    made = project.with_material(project.materials[0].with_(recipe=recipe))
    assert [key.kind for key in needed_geometry_maps(made)] == ["edges"]
    light = render_picture(made, assets, 120, 80, 16, denoise=False, cut_out=True)
    inside = light.alpha[..., 0] > 0.99
    bright = light.light.mean(2)[inside] > 0.1
    assert 0.05 < bright.mean() < 0.7 and len(assets.geometry_maps) == 1
    crevices = worn.with_(steps=(Crevices(radius=3.0),))
    plain = made.with_material(made.materials[0].with_(recipe=recipe.with_pattern(crevices)))
    dark = render_picture(plain, assets, 120, 80, 16, denoise=False, cut_out=True)
    assert dark.light.mean(2)[inside].max() < 0.05  # a block has no crevices


def test_nearby_is_white_where_parts_touch_and_fades_with_the_distance():
    """A ball of 10 mm stands on the middle of a plate: at r beside its foot the gap is hypot(r, 10) - 10."""
    assets = Assets()
    slab = trimesh.creation.box((60, 4, 60))
    plate = checked(slab.vertices, slab.faces, crease_degrees=10)
    solid = trimesh.creation.icosphere(5)
    ball = checked(solid.vertices * 10, solid.faces, solid.vertices)
    parts = (
        Part(id="plate", name="Plate", mesh=assets.add(NamedMesh("plate", plate)), material="m"),
        Part(id="ball", name="Ball", mesh=assets.add(NamedMesh("ball", ball)), pose=Pose(shift=(0, 12, 0), scale=1.0)),
    )
    pattern = Pattern(id="n", name="N", steps=(Nearby(radius=4.0),))
    project = new_project(
        Product(name="P", parts=parts), (Material(id="m", name="M", recipe=Recipe(patterns=(pattern,))),), (60, 24, 60)
    )
    (key,) = needed_geometry_maps(project)
    made = make_geometry_map(plate, key, others=others_near(project, assets.meshes, key))
    lookup = GeometryMapLookup(lookup_keys(project), np.array([0, 12], np.int32), {key: made})
    top = int(np.flatnonzero((plate.vertices[plate.triangles][:, :, 1] > 1.9).all(axis=1))[0])
    corners = plate.vertices[plate.triangles[top]]
    rng = np.random.default_rng(2)
    u, v = rng.random((2, 4000)).astype(np.float32)
    u, v = np.where(u + v > 1, 1 - u, u), np.where(u + v > 1, 1 - v, v)
    places = corners[0] + u[:, None] * (corners[1] - corners[0]) + v[:, None] * (corners[2] - corners[0])
    values = values_at(lookup, Nearby(radius=4.0), np.full(4000, top), u, v)
    gap = np.hypot(np.hypot(places[:, 0], places[:, 2]), 10) - 10
    assert np.abs(values - np.clip(1 - gap / 4, 0, 1)).max() < 0.06
    moved = project.with_part(project.part("ball").with_(pose=Pose(shift=(5, 12, 0))))
    assert needed_geometry_maps(moved) != [key]
