"""A white furnace for materials: none makes light, and what absorbs nothing loses none."""

from functools import partial

import numpy as np
import pytest
import truth_furnace
from truth_furnace import drawn, faults, read, told

from mat_shelf.document.camera import Camera
from mat_shelf.document.recipe import Recipe
from mat_shelf.optics.measurements import ANGLES, measure

LONG = partial(pytest.param, marks=pytest.mark.long)
WHITE = Recipe(base_color=(1, 1, 1), subsurface_color=(1, 1, 1))


@pytest.mark.parametrize("first", [0, *(pytest.param(n, marks=pytest.mark.long) for n in (12, 24))])
@pytest.mark.long
def test_random_materials_make_no_light_and_lossless_ones_lose_none(first):
    """A few of those that `make truth` draws, always the same, so that chance never fails it."""
    wrong = []
    for seed in range(first, first + 12):
        is_lossless = seed % 4 != 3
        recipe = drawn(seed, is_lossless)
        words = faults(recipe, is_lossless, most=60)
        if words:
            wrong.append(f"{seed}: {words}: {told(recipe)}")
    assert not wrong, "\n".join(wrong)


@pytest.mark.long
def test_random_materials_give_numbers():
    """2,000 of them, few paths each: not one value of light is no number."""
    wrong = [seed for seed in range(2000) if truth_furnace.first_values(drawn(10_000 + seed, seed % 2 == 0))]
    assert not wrong


@pytest.mark.parametrize(
    "fields",
    [
        LONG({"transmission_weight": 1.0, "specular_ior": 3.0, "specular_roughness": 1.0}),
        LONG({"transmission_weight": 1.0, "specular_ior": 3.0, "specular_roughness": 0.3}),
        LONG({"transmission_weight": 1.0, "specular_ior": 3.0, "specular_roughness": 0.4, "specular_weight": 0.0}),
        LONG({"transmission_weight": 1.0, "specular_ior": 3.0, "specular_roughness": 0.0, "specular_weight": 0.0}),
        {"transmission_weight": 1.0, "specular_roughness": 0.6, "geometry_opacity": 0.5},
        LONG({"transmission_weight": 0.4, "specular_roughness": 0.1, "specular_ior": 1.4}),
        {"subsurface_weight": 0.7, "geometry_opacity": 0.6},
        {"base_metalness": 0.939, "transmission_weight": 0.797, "specular_roughness": 0.983},
        LONG({"transmission_weight": 1.0, "coat_weight": 1.0, "coat_roughness": 0.5}),
        {"transmission_weight": 1.0, "coat_weight": 1.0, "coat_roughness": 0.9, "specular_roughness": 0.5},
        {"transmission_weight": 1.0, "coat_weight": 1.0, "coat_roughness": 0.2, "coat_ior": 2.0},
        LONG({"thin_film_weight": 1.0, "thin_film_ior": 2.2, "thin_film_thickness": 0.4, "specular_roughness": 0.1}),
        LONG({"thin_film_weight": 1.0, "thin_film_ior": 2.2, "thin_film_thickness": 0.4, "subsurface_weight": 1.0}),
        LONG({"subsurface_weight": 1.0, "subsurface_radius": 0.2, "thin_film_weight": 1.0}),
    ],
    ids=lambda fields: ", ".join(f"{name} {value}" for name, value in fields.items()),
)
def test_what_absorbs_nothing_cannot_be_seen(fields, figure):
    """Faults that were found: dense rough glass, no reflection at all, holes, rough metal, coats, films over matt."""
    seen = read(WHITE.with_(**fields), most=160)
    figure(seen.mean)
    assert not seen.dropped
    assert (np.abs(seen.mean - 1) < 0.012 + 3.5 * seen.error).all(), (seen.mean, seen.error)


def walked(cos: float, width: float, color, rng, count: int = 120_000) -> np.ndarray:
    """Albedo of a rough metal by random walks on its microfacets, (3,).

    Heitz, Hanika, d'Eon and Dachsbacher 2016, Multiple-Scattering Microfacet BSDFs with the Smith Model: uniform
    heights, GGX; visible normals by spherical caps (Dupuy and Benyoub 2023). It shares no code with the program.
    """
    ways = np.tile([-np.sqrt(1 - cos * cos), 0, -cos], (count, 1))
    height, weight, out = np.ones(count), np.ones((count, 3)), np.zeros(3)
    color = np.array(color)
    for _ in range(200):
        up = np.clip(ways[:, 2], -0.99999, 0.99999)
        slope = width * np.sqrt(1 - up * up) / np.where(np.abs(up) < 1e-5, 1e-5, up)
        blocked = 0.5 * (np.sign(up) * np.sqrt(1 + slope * slope) - 1)
        below, u = np.clip((height + 1) / 2, 1e-9, 1), rng.random(len(ways))
        leaves = u > 1 - np.where(up > 0, below ** np.maximum(blocked, 0), 0)
        out += weight[leaves].sum(axis=0)
        stays = ~leaves
        if not stays.any():
            break
        ways, weight, blocked, below, u = ways[stays], weight[stays], blocked[stays], below[stays], u[stays]
        blocked = np.where(np.abs(blocked) < 1e-6, 1e-6, blocked)
        height = 2 * np.clip(below / (1 - u) ** (1 / blocked), 0, 1) - 1
        seen = -ways * (width, width, 1)
        seen /= np.linalg.norm(seen, axis=1, keepdims=True)
        turn, v = 2 * np.pi * rng.random(len(ways)), rng.random(len(ways))
        z = (1 - v) * (1 + seen[:, 2]) - seen[:, 2]
        aside = np.sqrt(np.clip(1 - z * z, 0, 1))
        normal = (np.stack([aside * np.cos(turn), aside * np.sin(turn), z], axis=1) + seen) * (width, width, 1)
        normal /= np.linalg.norm(normal, axis=1, keepdims=True)
        facing = np.clip(-(ways * normal).sum(axis=1), 0, 1)
        weight = weight * (color + (1 - color) * (1 - facing[:, None]) ** 5)  # Schlick 1994
        ways = ways + 2 * facing[:, None] * normal
    return out / count


@pytest.mark.parametrize("roughness", [0.3, 0.8, 1.0])
def test_coloured_rough_metals_beside_random_walks_on_their_microfacets(roughness, figure):
    """Gold, whose light of several bounces is redder than that of one; within 6 percent, white within 0.5."""
    gold, rng = (1.0, 0.78, 0.34), np.random.default_rng(5)
    ours = measure(Recipe(base_color=gold, base_metalness=1.0, specular_roughness=roughness), 120_000).albedo
    for angle in ANGLES[::2]:
        exact = walked(np.cos(np.radians(angle)), roughness**2, gold, rng)
        figure(ours[angle], exact)
        assert ours[angle] == pytest.approx(exact, rel=0.062 if angle > 70 else 0.045)
        assert ours[angle][0] == pytest.approx(1, abs=0.006)


def test_a_tinted_coat_tints_light_on_its_way_in_and_out(figure, monkeypatch):
    """A lacquered clear ball of IOR 1, seen through its middle: light crosses the coat twice, straight on. The coat's
    colour is what light that is reflected below it has left (OpenPBR Surface 1.1), so once through leaves its root."""
    tint = np.array([0.6, 0.3, 0.15])
    fields = {"transmission_weight": 1.0, "specular_ior": 1.0, "specular_roughness": 0.0, "coat_roughness": 0.0}
    recipe = WHITE.with_(coat_weight=1.0, coat_ior=1.0, coat_color=tuple(tint), **fields)
    narrow = Camera(position=(0, 0, 300), target=(0, 0, 0), focal_length=800)
    monkeypatch.setattr(truth_furnace, "CAMERA", narrow)
    seen = read(recipe, most=60)
    figure(seen.mean, tint)
    assert seen.mean == pytest.approx(tint, rel=0.08)
