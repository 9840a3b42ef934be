"""Light that goes into bodies: random walks, clouds, and how they look, against theory and an independent renderer."""

import numpy as np
import pytest
from test_rendering import AHEAD, EVEN, ball, take

from mat_shelf.document.recipe import Recipe
from mat_shelf.geometry.solids import box, moved
from mat_shelf.optics.media import extinction, scattered, single_albedo
from mat_shelf.scene.lights import make_lights


def middle(picture) -> np.ndarray:
    height, width = picture.shape[:2]
    return picture[height * 3 // 8 : height * 5 // 8, width * 3 // 8 : width * 5 // 8].mean(axis=(0, 1))


def soft(color, radius, **fields) -> Recipe:
    return Recipe(
        subsurface_weight=1.0,
        subsurface_color=color,
        subsurface_radius=radius,
        subsurface_radius_scale=(1, 1, 1),
        **fields,
    )


@pytest.mark.parametrize(("forward", "within"), [(0.0, 0.03), (0.6, 0.055)])
def test_a_thick_body_has_its_inner_colour(forward, within, figure):
    """Kulla and Conty 2017: the albedo of one scattering is chosen so that a thick body, evenly lit, looks like the
    colour asked for. It is a fit, and how it takes scattering forward into account is a similarity, not an identity;
    the walk itself is checked against another renderer below. The ball is 150 times as thick as light goes."""
    color = np.array([0.8, 0.5, 0.2])
    recipe = soft(tuple(color), 0.4, specular_weight=0.0, subsurface_scatter_anisotropy=forward)
    picture = take([ball()], [recipe], make_lights(EVEN), AHEAD, size=(24, 24), samples=200)
    figure(middle(picture), color)
    assert middle(picture) == pytest.approx(color, abs=within)


def test_a_white_soft_body_loses_no_light():
    """White furnace: what goes in comes out, under its boundary and a coat."""
    for more in ({}, {"coat_weight": 1.0}, {"specular_roughness": 0.7}):
        recipe = soft((1, 1, 1), 15.0, **more)
        picture = take([ball()], [recipe], make_lights(EVEN), AHEAD, size=(40, 40), samples=128, depth=40)
        assert middle(picture) == pytest.approx([1, 1, 1], abs=0.02)


def test_thin_pieces_glow_and_thick_ones_do_not():
    """Lit from behind, a slab lets through more the thinner it is beside the depth, and most of red."""
    lights = make_lights(np.concatenate([EVEN[:, :16], EVEN[:, 16:] * 0], axis=1))
    back = make_lights(np.where(np.abs(np.arange(32) - 15.5)[None, :, None] < 8, 0, 1) * EVEN)
    seen = {}
    for name, light in (("one", lights), ("other", back)):
        for thick in (1.0, 8.0):
            slab = moved(box((400, 400, thick), 0.01), (0, -200, 0))
            recipe = Recipe(subsurface_weight=1.0, specular_weight=0.0, subsurface_radius=1.0)
            seen[name, thick] = middle(take([slab], [recipe], light, AHEAD, size=(16, 16), samples=80))
    dark = min(("one", "other"), key=lambda name: seen[name, 8.0].sum())
    thin, thick = seen[dark, 1.0], seen[dark, 8.0]
    assert (thin > 2.5 * thick).all() and thin[0] > thin[1] > thin[2] and thin[0] > 0.1


@pytest.mark.long
def test_a_cloudy_ball_as_an_independent_renderer_sees_it():
    """`mitsuba`, scalar_rgb, volpath: a dielectric ball with a homogeneous medium in an even room."""
    mi = pytest.importorskip("mitsuba")
    mi.set_variant("scalar_rgb")
    recipe = Recipe(
        transmission_weight=1.0,
        specular_roughness=0.0,
        transmission_color=(0.5, 0.5, 0.5),
        transmission_depth=20.0,
        transmission_scatter=(0.3, 0.3, 0.3),
        transmission_scatter_anisotropy=0.5,
    )
    lost, kept = extinction(recipe.transmission_color, recipe.transmission_depth, recipe.transmission_scatter)
    up = mi.ScalarTransform4f().look_at(origin=[0, 0, 300], target=[0, 0, 0], up=[0, 1, 0])
    scene = mi.load_dict(
        {
            "type": "scene",
            "integrator": {"type": "volpath", "max_depth": 300, "rr_depth": 100},
            "room": {"type": "constant", "radiance": {"type": "rgb", "value": 1.0}},
            "ball": {
                "type": "sphere",
                "radius": 30.0,
                "bsdf": {"type": "dielectric", "int_ior": 1.5, "ext_ior": 1.0},
                "interior": {
                    "type": "homogeneous",
                    "sigma_t": {"type": "rgb", "value": [float(x) for x in lost]},
                    "albedo": {"type": "rgb", "value": [float(x) for x in kept]},
                    "phase": {"type": "hg", "g": 0.5},
                },
            },
            "sensor": {
                "type": "perspective",
                "fov_axis": "x",
                "fov": float(np.degrees(2 * np.arctan(18 / 100))),
                "to_world": up,
                "film": {"type": "hdrfilm", "width": 48, "height": 32, "rfilter": {"type": "box"}},
                "sampler": {"type": "independent", "sample_count": 400},
            },
        }
    )
    theirs = np.array(mi.render(scene))[..., :3]
    wide = take([ball()], [recipe], make_lights(EVEN), AHEAD, size=(48, 32), samples=500, depth=80)
    inner = np.s_[10:22, 18:30]
    assert wide[inner].mean(axis=(0, 1)) == pytest.approx(theirs[inner].mean(axis=(0, 1)), rel=0.02)
    assert wide.mean(axis=(0, 1)) == pytest.approx(theirs.mean(axis=(0, 1)), rel=0.005)

    # Beside other channels, each comes out as it does by itself.
    mixed = recipe.with_(transmission_color=(0.2, 0.35, 0.5), transmission_scatter=(1.0, 0.7, 0.3))
    mixed = take([ball()], [mixed], make_lights(EVEN), AHEAD, size=(48, 32), samples=500, depth=80)
    assert mixed[inner][..., 2].mean() == pytest.approx(wide[inner][..., 2].mean(), rel=0.02)


def test_what_is_lost_and_kept_over_the_depth():
    """OpenPBR Surface 1.1: the colour at the depth fixes what is lost, the scattering a part of that."""
    lost, kept = extinction((0.2, 0.5, 0.9), 4.0, (0.4, 0.2, 0.05))
    assert np.exp(-4 * lost) == pytest.approx([0.2, 0.5, 0.9], rel=1e-5)
    assert kept * lost == pytest.approx([0.1, 0.05, 0.0125], rel=1e-4)
    lost, kept = extinction((1, 1, 1), 4.0, (0.4, 0.2, 0.1))  # more scattered than lost: absorption is raised to 0
    assert (kept <= 1).all() and kept[0] == pytest.approx(1) and np.ptp(lost - kept * lost) == pytest.approx(0.075)
    assert single_albedo((0, 0, 0), 0.0) == pytest.approx([0, 0, 0], abs=0.02)
    assert single_albedo((1, 1, 1), 0.0) == pytest.approx([1, 1, 1], abs=1e-3)


def test_scattering_goes_forward_as_it_says():
    """Henyey and Greenstein 1941: the mean cosine is the parameter."""
    from numba import njit

    @njit
    def mean_cosine(forward, numbers):
        d = (np.float32(0.36), np.float32(0.48), np.float32(0.8))
        total = 0.0
        for k in range(len(numbers)):
            w = scattered(d, np.float32(forward), numbers[k, 0], numbers[k, 1])
            total += w[0] * d[0] + w[1] * d[1] + w[2] * d[2]
        return total / len(numbers)

    numbers = np.random.default_rng(2).random((200_000, 2)).astype(np.float32)
    for forward in (-0.7, 0.0, 0.3, 0.9):
        assert mean_cosine(forward, numbers) == pytest.approx(forward, abs=0.005)
