"""Overlays that are ready to lay over any material. Values are common practice."""

from mat_shelf.document.pattern import Feed, Pattern, Placement, Relief
from mat_shelf.document.recipe import Overlay, Recipe
from mat_shelf.patterns.ready import READY
from mat_shelf.patterns.sources import Crevices, Edges, Slope
from mat_shelf.patterns.steps import Combine, Levels

_KNOWN = {ready.pattern.id: ready.pattern for ready in READY}


def _use(key: str, *steps, **placement) -> Pattern:
    pattern = _KNOWN[key]
    return pattern.with_(steps=(*pattern.steps, *steps), placement=pattern.placement.with_(**placement))


def _mask(name: str, *steps) -> Pattern:
    return Pattern(id="mask", name=name, steps=steps, placement=Placement())


def _lying(
    key: str, name: str, amount: float, recipe: Recipe, patterns, feeds=(), heights=(), relief="adds"
) -> Overlay:
    recipe = recipe.with_(
        patterns=patterns,
        feeds=tuple(Feed(input=i, pattern=p, low=low, high=high) for i, p, low, high in feeds),
        relief=tuple(Relief(id=f"row-{k}", pattern=p, height=h) for k, (p, h) in enumerate(heights)),
    )
    return Overlay(id=key, name=name, recipe=recipe, mask="mask", amount=amount, relief=relief)


_DUST = Recipe(
    base_color=(0.46, 0.43, 0.385),
    base_diffuse_roughness=1.0,
    specular_weight=0.2,
    specular_roughness=0.95,
    fuzz_weight=0.3,
    fuzz_color=(0.8, 0.77, 0.7),
)
_PATCHES = _use("mottle", Levels(black=0.25, white=0.8), size=12.0)
_MOTES = (_PATCHES,)
_WORN = (
    _use("blotches", size=4.0),
    _mask(
        "Worn edges",
        Edges(radius=2.5),
        Combine(way="multiply", other="blotches", amount=0.85),
        Levels(black=0.22, white=0.34),
    ),
)

READY_OVERLAYS = (
    _lying(
        "settled-dust",
        "Settled dust",
        0.4,
        _DUST,
        (
            *_MOTES,
            _mask(
                "Faces up",
                Slope(),
                Levels(black=0.72, white=1.0),
                Combine(way="multiply", other="mottle", amount=0.75),
            ),
        ),
    ),
    _lying(
        "dust-in-crevices",
        "Dust in crevices",
        0.8,
        _DUST,
        (
            *_MOTES,
            _mask(
                "In crevices",
                Crevices(radius=2.5),
                Levels(black=0.2, white=0.75),
                Combine(way="multiply", other="mottle", amount=0.6),
            ),
        ),
    ),
    _lying(
        "worn-to-brass",
        "Worn to brass",
        1.0,
        Recipe(
            base_color=(0.88, 0.70, 0.36),
            base_metalness=1.0,
            specular_color=(0.98, 0.95, 0.80),
            specular_roughness=0.22,
        ),
        _WORN,
        relief="replaces",
    ),
    _lying(
        "worn-to-steel",
        "Worn to steel",
        1.0,
        Recipe(
            base_color=(0.56, 0.55, 0.53),
            base_metalness=1.0,
            specular_color=(0.92, 0.93, 0.94),
            specular_roughness=0.3,
        ),
        _WORN,
        relief="replaces",
    ),
    _lying(
        "fine-scratches",
        "Fine scratches",
        0.7,
        Recipe(base_color=(0.55, 0.55, 0.55), specular_roughness=0.16, base_diffuse_roughness=0.5),
        (_use("cloth-scratches", size=6.0).with_(id="mask", name="Scratches"),),
        heights=(("mask", -0.003),),
    ),
    _lying(
        "dried-water",
        "Dried water",
        0.5,
        Recipe(base_color=(0.72, 0.72, 0.7), base_diffuse_roughness=1.0, specular_roughness=0.7, specular_weight=0.4),
        (_use("dried-drops").with_(id="mask", name="Rims of drops"),),
        heights=(("mask", 0.004),),
    ),
    _lying(
        "finger-smudges",
        "Finger smudges",
        0.16,
        Recipe(base_color=(0.5, 0.48, 0.45), specular_roughness=0.55, specular_ior=1.46),
        (_use("finger-smudges").with_(id="mask", name="Smudges"),),
    ),
    _lying(
        "frost",
        "Frost",
        0.85,
        Recipe(
            base_color=(0.86, 0.89, 0.91),
            base_diffuse_roughness=0.7,
            specular_roughness=0.5,
            specular_ior=1.31,
            fuzz_weight=0.3,
        ),
        (
            _use("spark-texture", size=0.4),
            _use("finger-smudges", Levels(black=0.1, white=0.7), size=16.0).with_(id="mask", name="Where it froze"),
        ),
        heights=(("spark-texture", 0.02),),
    ),
    _lying(
        "verdigris",
        "Verdigris",
        0.9,
        Recipe(base_color=(0.16, 0.40, 0.33), base_diffuse_roughness=1.0, specular_roughness=0.85, specular_weight=0.4),
        (
            _use("blotches", size=5.0),
            _use("mottle", size=3.0),
            _mask(
                "In crevices",
                Crevices(radius=2.0),
                Combine(way="add", other="blotches", amount=0.45),
                Levels(black=0.3, white=0.6),
            ),
        ),
        feeds=(("base_color", "mottle", (0.09, 0.30, 0.26), (0.28, 0.52, 0.42)),),
        heights=(("mottle", 0.03),),
    ),
    _lying(
        "soot",
        "Soot",
        0.85,
        Recipe(
            base_color=(0.012, 0.011, 0.010), base_diffuse_roughness=1.0, specular_roughness=0.95, specular_weight=0.2
        ),
        (
            _use("blotches", size=16.0),
            _mask(
                "From the top",
                *_KNOWN["foot-to-top"].steps,
                Levels(black=0.45, white=1.0),
                Combine(way="multiply", other="blotches", amount=0.7),
            ),
        ),
    ),
    _lying(
        "other-material",
        "Another material",
        1.0,
        Recipe(),
        (_use("blotches", size=12.0).with_(id="mask", name="Where it lies"),),
    ),
)
"""In the order in which they are offered."""
