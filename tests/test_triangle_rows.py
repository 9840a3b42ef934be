"""Rows of triangles that are taken over from an older scene are those of a scene made anew."""

import numpy as np

from mat_shelf.geometry.caps import Caps
from mat_shelf.geometry.mesh import Mesh
from mat_shelf.scene.geometry import Geometry


def made(rng, has_uv: bool) -> Mesh:
    """A soup of triangles."""
    points, faces = int(rng.integers(4, 60)), int(rng.integers(1, 90))
    return Mesh(
        rng.normal(size=(points, 3)).astype(np.float32),
        rng.integers(0, points, (faces, 3)).astype(np.int32),
        rng.normal(size=(points, 3)).astype(np.float32),
        rng.random((points, 2), np.float32) if has_uv else None,
    )


def caps(rng) -> Caps:
    """Some spheres that are cut."""
    count = int(rng.integers(1, 20))
    axes = np.tile(np.eye(3, dtype=np.float32), (count, 1, 1))
    return Caps(rng.normal(size=(count, 3)).astype(np.float32), axes, np.zeros(count, np.float32))


def at_rest(rng, mesh: Mesh) -> tuple:
    """What a mesh was before true relief."""
    count = len(mesh.triangles)
    return rng.random((count, 9), np.float32), np.arange(count, dtype=np.int32) // 2, rng.random((count, 6), np.float32)


def test_what_is_taken_over_is_as_if_made_anew():
    """Through 200 random changes of some shapes, of which some need texture coordinates, caps or relief and some not;
    it is the second last one that is taken over, as pictures may still be made of the last."""
    rng = np.random.default_rng(5)
    shapes = [made(rng, False) for _ in range(6)]
    rests: list = [None] * 6
    spare: list = []
    taken = 0
    for _ in range(200):
        for k in rng.choice(6, int(rng.integers(0, 3)), replace=False):
            kind = rng.random()
            shapes[k] = caps(rng) if kind < 0.15 else made(rng, kind < 0.5)
            rests[k] = at_rest(rng, shapes[k]) if kind > 0.8 else None
        if rng.random() < 0.1:
            shapes = shapes[:-1] if len(shapes) > 6 else [*shapes, made(rng, False)]
            rests = [*rests, *[None] * len(shapes)][: len(shapes)]
        older = spare.pop(0) if len(spare) == 2 else None
        geometry, fresh = Geometry(shapes, at_rest=rests, older=older), Geometry(shapes, at_rest=rests)
        taken += older is not None and geometry.triangles.corners is older.triangles.corners
        spare.append(geometry)
        assert (geometry.counts == fresh.counts).all()
        assert (geometry.uv is None) == (fresh.uv is None) and (geometry.rest is None) == (fresh.rest is None)
        for k, count in enumerate(fresh.counts):
            one, other = (slice(g.triangles.first[k], g.triangles.first[k] + count) for g in (geometry, fresh))
            assert (geometry.triangles.corners[one] == fresh.triangles.corners[other]).all()
            assert (geometry.triangles.normals[one] == fresh.triangles.normals[other]).all()
            if fresh.uv is not None:
                assert (geometry.uv[one] == fresh.uv[other]).all()
            if fresh.rest is not None:
                assert all((a[one] == b[other]).all() for a, b in zip(geometry.rest, fresh.rest, strict=True))
        rays = np.tile(np.float32([0, 0, 1]), (64, 1))
        start = np.c_[rng.normal(size=(64, 2)), np.full(64, -9)].astype(np.float32)
        part, primitive = geometry.intersect(start, rays)[:2]
        assert (part == fresh.intersect(start, rays)[0]).all()
        assert (geometry.own_faces(part, primitive)[part >= 0] == fresh.own_faces(part, primitive)[part >= 0]).all()
    assert taken > 20
