"""Scenes of Embree that are taken over by newer ones."""

import numpy as np
import pytest

from mat_shelf.document.product import Pose
from mat_shelf.geometry.caps import Caps
from mat_shelf.geometry.embree import Scene
from mat_shelf.geometry.solids import box, moved
from mat_shelf.rendering.session import RenderSession


def shapes_met(scene, origin, way):
    return [np.asarray(each) for each in scene.intersect(origin, way)]


def test_a_scene_that_is_taken_over_meets_what_a_new_one_does():
    """Embree keeps the shapes that are the same, and takes the others away or in."""
    chance = np.random.default_rng(2)
    boxes = [box((20, 20, 20), 2) for _ in range(4)]
    boxes = [moved(one, (40 * k, 0, 0)) for k, one in enumerate(boxes)]
    arrays = [(one.vertices, one.triangles) for one in boxes]
    bead = Caps(np.float32([[60, 10, 0]]), np.float32([np.eye(3) * 8]), np.float32([0.2]))
    origin = np.float32(chance.uniform((-20, -20, -60), (140, 40, -50), (4000, 3)))
    way = np.float32(chance.uniform((-20, 0, -10), (140, 20, 10), (4000, 3)) - origin)
    way /= np.linalg.norm(way, axis=1, keepdims=True)
    older = Scene(arrays[:3])
    for shapes in ([arrays[0], arrays[3], arrays[2], bead], [arrays[0], arrays[3]], [bead, arrays[1], arrays[2]]):
        newer, fresh = Scene(shapes, older=older), Scene(shapes)
        for one, other in zip(shapes_met(newer, origin, way), shapes_met(fresh, origin, way), strict=True):
            assert np.array_equal(one, other)
        assert (older.intersect(origin, way)[0] == -1).all()  # rays at the old one meet nothing
        with pytest.raises(RuntimeError):
            older.caster()
        older = newer


def test_pictures_of_parts_that_are_moved_are_those_of_a_new_session(small_project):
    """The third and later shapes take a scene over."""
    project, assets = small_project

    def picture(session, shift):
        part = project.part("block")
        session.update(project.with_part(part.with_(pose=Pose(shift=(shift, 0.0, 0.0)))))
        while (frame := session.step()) is None or frame.is_coarse or frame.samples < 2:
            pass
        return frame.light

    session, other = RenderSession(assets, 2), RenderSession(assets, 2)
    for one in (session, other):
        one.resize(120, 80)
    for shift in (0.0, 8.0, 16.0, 24.0):
        last = picture(session, shift)
    assert np.array_equal(last, picture(other, 24.0))
    session.close()
    other.close()
