"""Parts that glow are lights: rays are aimed at them, and bring what chance would find."""

import numpy as np
import pytest
from test_rendering import ball, floor, take
from test_renewal import refined, with_values

from mat_shelf.document.camera import Camera
from mat_shelf.document.recipe import Recipe
from mat_shelf.geometry.solids import box, moved
from mat_shelf.rendering.session import RenderSession
from mat_shelf.scene.glow import glow_of
from mat_shelf.scene.lights import make_lights
from mat_shelf.scene.rooms import plain_room

DARK = make_lights(plain_room(0, 0))
GROUND = Recipe(base_color=(0.5, 0.5, 0.5), specular_weight=0.0)
LAMP = Recipe(base_weight=0.0, specular_weight=0.0, emission_luminance=5000.0, emission_color=(1, 1, 1))
DOWN = Camera(position=(0, 60, 0.1), target=(0, 0, 0), focal_length=50)


def test_a_glowing_ball_lights_the_floor_as_its_configuration_factor_says(figure):
    """Below a ball the factor is (radius / distance)^2 (catalogue of configuration factors, sphere to a small area)."""
    radius, height = 3.0, 90.0
    seen = take([floor(), ball(radius, (0, height, 0))], [GROUND, LAMP], DARK, DOWN, (48, 32), samples=200)
    middle = seen[14:18, 22:26].mean()
    expected = 0.5 * 5.0 * (radius / height) ** 2
    figure(middle, expected)
    assert middle == pytest.approx(expected, rel=0.04)
    assert seen[14:18, 22:26].std() < 0.4 * middle  # aimed at; one sample in 1800 would come upon it by chance


@pytest.mark.long
def test_aiming_brings_what_chance_finds(monkeypatch):
    """On a glossy floor, a rough metal and in a mirror, of two materials that differ in brightness a hundredfold."""
    meshes = [floor(), ball(12, (-30, 20, 0)), moved(box((60, 30, 4), 0.5), (30, 10, -20)), ball(9, (20, 12, 20))]
    recipes = [
        Recipe(base_color=(0.3, 0.3, 0.3), specular_roughness=0.25),
        LAMP,
        LAMP.with_(emission_luminance=50.0, emission_color=(1, 0.2, 0.1)),
        Recipe(base_metalness=1.0, specular_roughness=0.3),
    ]
    view = Camera(position=(0, 90, 160), target=(0, 8, 0), focal_length=50)
    aimed = take(meshes, recipes, DARK, view, (60, 40), samples=64)
    nothing = glow_of(*_scene([meshes[0]], [GROUND]), DARK)

    def none(geometry, table, lights):
        return nothing._replace(bright=np.zeros(len(table.parameters), np.float32))

    monkeypatch.setattr("mat_shelf.rendering.tracer.glow_of", none)
    chance = take(meshes, recipes, DARK, view, (60, 40), samples=900)
    blocks = [picture.reshape(5, 8, 6, 10, 3).mean(axis=(1, 3)) for picture in (aimed, chance)]
    assert aimed.mean() == pytest.approx(chance.mean(), rel=0.01)
    assert blocks[0] == pytest.approx(blocks[1], rel=0.06, abs=0.01)


def _scene(meshes, recipes):
    from mat_shelf.scene.geometry import Geometry
    from mat_shelf.scene.material_table import make_material_table

    return Geometry(meshes), make_material_table(recipes, range(len(recipes)))


def test_edits_of_a_glow_renew_all_that_it_lights(small_project):
    """Nothing that it lights has met it, when rays towards it were blocked, or it was dark."""
    project, assets = small_project
    session = RenderSession(assets, threads=2)
    try:
        session.resize(60, 40)
        for values, is_kept in (
            ({"emission_luminance": 800.0}, False),
            ({"emission_color": (1.0, 0.3, 0.1)}, False),
            ({"base_color": (0.1, 0.4, 0.1)}, True),
            ({"emission_luminance": 0.0}, False),
        ):
            session.update(project)
            refined(session)
            film = session._film
            project = with_values(project, "red", **values)
            session.update(project)
            session.step()
            assert (session._film is film) == is_kept, values
    finally:
        session.close()
