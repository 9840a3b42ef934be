"""Pictures while a light moves: small ones, enlarged with what is known of the surfaces."""

import numpy as np
import pytest
from scipy.ndimage import zoom
from test_relighting import shown
from test_renewal import with_values

from mat_shelf.document.light import Light
from mat_shelf.rendering.enlarging import Guides, enlarged, reduced
from mat_shelf.rendering.session import RenderSession


@pytest.fixture
def surfaces() -> Guides:
    """Two walls that meet, one of them with words on it, five pixels wide."""
    rng = np.random.default_rng(4)
    albedo = np.full((120, 200, 3), 0.7, np.float32)
    albedo[:, 110:] = (0.5, 0.1, 0.1)
    albedo[20:100, 20:90] = np.kron(rng.choice([0.08, 0.9], (16, 14)), np.ones((5, 5)))[..., None]
    normal = np.zeros((120, 200, 3), np.float32)
    normal[:, :110, 2] = normal[:, 110:, 0] = 1
    return Guides(albedo, normal, (np.arange(200) >= 110).astype(np.int32)[None] + np.zeros((120, 1), np.int32))


def test_light_is_enlarged_and_surfaces_stay_sharp(surfaces):
    """Soft light over both walls, a third as bright on one of them, of which a fifth of the size is known."""
    y, x = np.mgrid[:120, :200] / 200
    fall = (0.4 + 0.5 * x + 0.3 * np.sin(5 * y)) * np.where(surfaces.part == 0, 1.0, 0.33)
    true = (fall[..., None] * surfaces.albedo).astype(np.float32)
    small = reduced(surfaces, 24, 40)
    assert small.albedo == pytest.approx(surfaces.albedo.reshape(24, 5, 40, 5, 3).mean(axis=(1, 3)), rel=1e-5)
    light = true.reshape(24, 5, 40, 5, 3).mean(axis=(1, 3))
    made = enlarged(light, small, surfaces)
    plain = np.stack([zoom(light[..., k], 5, order=1, grid_mode=True, mode="nearest") for k in range(3)], axis=2)
    wrong, worse = (np.abs(picture - true).mean() / true.mean() for picture in (made, plain))
    assert wrong < 0.03 and worse > 4 * wrong
    border = made[:, 104:116].mean(axis=(0, 2)) / true[:, 104:116].mean(axis=(0, 2))
    assert border == pytest.approx(np.ones(12), abs=0.08)


@pytest.mark.parametrize("size", [(24, 40), (17, 33), (120, 200), (8, 8)])
def test_even_light_stays_even_at_any_size(surfaces, size):
    small = reduced(surfaces, *size)
    made = enlarged(small.albedo * np.float32(0.5), small, surfaces)
    assert made.shape == (120, 200, 3) and made == pytest.approx(0.5 * surfaces.albedo, abs=2e-3)


@pytest.mark.long
def test_the_first_picture_of_a_moved_light_is_sharp_and_of_the_new_light(small_project):
    project, assets = small_project
    light = Light(position=(150, 200, 120), width=80, height=80, luminance=9000)
    project = project.with_set(project.set.with_(lights=(light,), surround=60.0, ground=30.0))
    moved = project.with_set(project.set.with_(lights=(light.with_(position=(-150, 200, 120)),)))
    session = RenderSession(assets)
    session.resize(240, 160)
    session.update(project)
    before = shown(session, 16)
    session._coarse._size._pixels = 6000
    session.update(moved)
    frame = session.step()
    fine = shown(session, 16)
    session.close()
    first = frame.pixels.astype(int)
    assert frame.is_coarse and first.shape == fine.shape and frame.stride > 1
    assert np.abs(first - fine).mean() < 0.35 * np.abs(before - fine).mean()
    edges, expected = (np.abs(np.diff(picture.mean(axis=2), axis=1)).max(axis=1) for picture in (first, fine))
    assert np.median(edges[60:120]) > 0.6 * np.median(expected[60:120])  # the block's outline, at the full size


@pytest.mark.long
def test_a_material_that_renews_all_is_shown_sharp_in_its_new_colour(small_project):
    project, assets = small_project
    glowing = with_values(project, "red", emission_luminance=800.0, emission_color=(0.1, 0.9, 0.2))
    session = RenderSession(assets)
    session.resize(240, 160)
    session.update(project)
    shown(session, 8)
    session._coarse._size._pixels = 6000
    session.update(glowing)
    frame = session.step()
    fine = shown(session, 8)
    session.close()
    assert frame.is_coarse and frame.pixels.shape == fine.shape
    assert np.abs(frame.pixels.astype(int) - fine).mean() < 6


def test_through_another_camera_it_is_small_as_before(small_project):
    project, assets = small_project
    session = RenderSession(assets)
    session.resize(240, 160)
    session.update(project)
    shown(session, 2)
    session._coarse._size._pixels = 6000
    view = project.view
    camera = view.camera.with_(position=tuple(1.2 * x for x in view.camera.position))
    session.update(project.with_view(view.with_(camera=camera)))
    frame = session.step()
    session.close()
    assert frame.is_coarse and frame.pixels.shape[0] < 120 and frame.stride == 1
