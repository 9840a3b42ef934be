"""Light of small lights that glass and mirrors throw: photons bring what chance would, and as much of it."""

import numpy as np
import pytest
from test_contact import GLASS, LIQUID, SOLID
from test_rendering import ball, floor, take
from test_renewal import refined, with_values
from test_truth import FILL, GROUND, TUMBLER, WAX

from mat_shelf.document.camera import Camera
from mat_shelf.document.light import Light
from mat_shelf.document.recipe import Recipe
from mat_shelf.geometry.solids import box, moved
from mat_shelf.rendering.final_render import PictureRequest, picture_task
from mat_shelf.rendering.session import RenderSession
from mat_shelf.rendering.tracer import Tracer
from mat_shelf.scene.dielectric_contact import resolve_contact
from mat_shelf.scene.lights import make_lights
from mat_shelf.scene.rooms import plain_room

WATER = Recipe(transmission_weight=1.0, specular_roughness=0.0, specular_ior=1.33, transmission_color=(0.7, 0.9, 1))
POLISHED = Recipe(base_metalness=1.0, specular_roughness=0.0, base_color=(0.9, 0.7, 0.3))
PANE = Recipe(transmission_weight=1.0, specular_roughness=0.0, geometry_thin_walled=True)
COATED = Recipe(base_color=(0.2, 0.3, 0.5), coat_weight=1.0, coat_roughness=0.0, specular_roughness=0.4)
VIEW = Camera(position=(60, 190, 380), target=(15, 10, 0), focal_length=80)


def by_both(monkeypatch, meshes, recipes, lights, samples=(60, 400), size=(120, 80)):
    """The picture by photons, and with all left to chance."""
    monkeypatch.setattr("mat_shelf.rendering.photon_map.SMALL", 10.0)
    by_photons = take(meshes, recipes, lights, VIEW, size, samples[0])
    return by_photons, take(meshes, recipes, lights, VIEW, size, samples[1], photons=False)


@pytest.mark.parametrize(
    "lamp",
    [
        Light(position=(-120, 260, 120), target=(0, 20, 0), width=150, height=120, luminance=9000),
        pytest.param(
            Light(kind="tube", position=(-140, 200, 40), target=(0, 0, 0), length=240, diameter=60, luminance=9000),
            marks=pytest.mark.long,
        ),
        pytest.param(
            Light(kind="spot", position=(-90, 260, 60), target=(0, 0, 0), diameter=90, cone=80, luminance=30000),
            marks=pytest.mark.long,
        ),
        pytest.param(
            Light(kind="distant", position=(-200, 260, 100), target=(0, 0, 0), angle=30, luminance=9000),
            marks=pytest.mark.long,
        ),
        pytest.param(
            Light(
                kind="disc", position=(-120, 220, 0), target=(0, 0, 0), width=140, height=110, grid=40, luminance=2e4
            ),
            marks=pytest.mark.long,
        ),
    ],
    ids=lambda lamp: lamp.kind,
)
@pytest.mark.long
def test_photons_bring_as_much_light_as_chance_finds(lamp, monkeypatch, figure):
    """Through glass, water in it, a pane and a mirror, onto the table, wax, a coat, and a ball that is under water."""
    solids = [TUMBLER, FILL, moved(ball(9), (6, 14, 0)), moved(box((60, 2, 60), 0.01), (80, 30, 30))]
    solids += [
        ball(14, (-60, 14, 30)),
        moved(box((40, 10, 40), 0.01), (75, 0, 20)),
        moved(box((26, 8, 26), 1), (50, 0, 70)),
    ]
    made = resolve_contact([*solids, floor()], [SOLID, LIQUID, *[None] * 6], 0.05)
    recipes = [GLASS, WATER, GROUND, PANE, POLISHED, WAX, COATED, GROUND]
    photons, chance = by_both(monkeypatch, made, recipes, make_lights(plain_room(0, 0), [lamp]))
    regions = [picture.reshape(5, 16, 6, 20, 3).mean(axis=(1, 3, 4)) for picture in (photons, chance)]
    figure(*(picture.mean() for picture in (photons, chance)))
    assert photons.mean() == pytest.approx(chance.mean(), rel=0.01)
    assert regions[0] == pytest.approx(regions[1], rel=0.1, abs=0.02 * float(chance.mean()))


@pytest.mark.long
def test_a_light_that_faces_past_a_part_still_grazes_it(monkeypatch):
    """The middle of the large ball lies behind the lamp, its top before it; what that bends lies beyond."""
    lamp = Light(position=(60, 25, 0), target=(70, 124.5, 0), width=24, height=24, luminance=9000)
    meshes, recipes = [floor(), ball(20, (0, 25, 0)), ball(8, (75, 60, 0))], [GROUND, GLASS, GLASS]
    lights = make_lights(plain_room(0, 0), [lamp])
    seen = by_both(monkeypatch, meshes, recipes, lights, samples=(60, 2400), size=(48, 32))
    beyond = [picture[8:24, :16].mean() for picture in seen]
    assert beyond[0] == pytest.approx(beyond[1], rel=0.35)  # a tenth of it without those rays


def test_a_ball_of_glass_gathers_sunlight_as_ray_optics_says(figure):
    """Light within circles round the focus: each ray of the sun refracted twice, as Snell and Fresnel have it, and what
    is mirrored inside left out, which goes elsewhere."""
    radius, height, index = 20.0, 30.0, 1.5
    sun = Light(kind="distant", position=(0, 400, 0.001), target=(0, 0, 0), angle=0.5, luminance=1e6)
    lights, matt = make_lights(plain_room(0, 0), [sun]), GROUND.with_(base_color=(0.1, 0.1, 0.1))
    slant = np.radians(25)
    camera = Camera(
        position=(0, 300 * np.sin(slant), 300 * np.cos(slant)), target=(0, 0, 0), focal_length=240, is_parallel=True
    )
    size = 150, 100
    glass = Recipe(transmission_weight=1.0, specular_roughness=0.0, specular_ior=index)
    seen = take([floor(), ball(radius, (0, height, 0))], [matt, glass], lights, camera, size, samples=24)
    bare = take([floor()], [matt], lights, camera, size, samples=4)[40:60, 50:100].mean()

    y, x = np.mgrid[: size[1], : size[0]]
    step = 36 / 240 * 300 / size[0]
    across, along = (x + 0.5 - size[0] / 2) * step, (y + 0.5 - size[1] / 2) * step / np.sin(slant)
    reach = np.hypot(across, along)

    b = (np.arange(200_000) + 0.5) / 200_000
    outer, inner = np.arcsin(b), np.arcsin(b / index)
    parallel = np.tan(outer - inner) / np.tan(outer + inner)
    crossed = np.sin(outer - inner) / np.sin(outer + inner)
    passing = ((1 - parallel**2) ** 2 + (1 - crossed**2) ** 2) / 2
    turned, leaves = 2 * (outer - inner), outer - 2 * inner  # where it leaves, from straight below the middle
    meets = radius * np.sin(-leaves) - (height - radius * np.cos(leaves)) * np.tan(turned)
    for within in (2.0, 4.0, 8.0):
        expected = (np.pi * radius**2) * np.mean(2 * b * passing * ((np.abs(meets) < within) & (turned < np.pi / 2)))
        found = seen.mean(axis=2)[reach < within].sum() / bare * step**2 / np.sin(slant)
        figure(found, expected)
        assert found == pytest.approx(expected, rel=0.02)


@pytest.mark.long
def test_edits_of_glass_renew_its_patterns(plain_demo):
    """Under a hard lamp: what is kept and what is begun again are a fresh picture together, bit for bit."""
    project, assets = plain_demo
    project = project.with_(current_set="hard-lamp")
    task, lights = picture_task(project, assets, PictureRequest(30, 20)), []
    for threads in (1, 3):
        tracer, film = Tracer(threads), task.film(30, 20)
        assert tracer.add_samples(task, film)
        tracer.close()
        lights.append(film.picture())
    assert np.array_equal(*lights)
    session = RenderSession(assets, threads=2)
    try:
        session.resize(60, 40)
        session.update(project)
        refined(session)
        film = session._film
        project = with_values(project, "cork", base_color=(0.2, 0.5, 0.4))
        session.update(project)
        session.step()
        assert session._film is film
        clear = next(m.id for m in project.materials if m.recipe.transmission_weight == 1)
        session.update(with_values(project, clear, transmission_color=(0.2, 0.9, 0.3)))
        session.step()
        assert session._film is not film
    finally:
        session.close()
