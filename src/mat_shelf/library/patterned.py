"""The patterns of the shipped swatches. Sizes, ranges and heights are common practice."""

from mat_shelf.document.pattern import Feed, Pattern, Relief, Step
from mat_shelf.document.recipe import Recipe
from mat_shelf.patterns.ready import READY
from mat_shelf.patterns.sources import Constant, Edges, Height
from mat_shelf.patterns.steps import Combine, Levels, Ramp

_KNOWN = {ready.pattern.id: ready.pattern for ready in READY}


def _use(key: str, *steps: Step, **placement) -> Pattern:
    """A ready pattern with more steps, laid another way."""
    pattern = _KNOWN[key]
    return pattern.with_(steps=(*pattern.steps, *steps), placement=pattern.placement.with_(**placement))


def _ramp(*stops) -> Ramp:
    return Ramp(stops=stops)


_OWN_COLOR = {"low": (0.0, 0.0, 0.0), "high": (1.0, 1.0, 1.0)}


def _recipe(recipe: Recipe, patterns, feeds=(), relief=(), **values) -> Recipe:
    return recipe.with_(
        patterns=tuple(patterns),
        feeds=tuple(Feed(input=name, pattern=pattern, **rest) for name, pattern, rest in feeds),
        relief=tuple(
            Relief(id=f"row-{place}", pattern=pattern, height=height) for place, (pattern, height) in enumerate(relief)
        ),
        **values,
    )


def patterned(swatch_id: str, recipe: Recipe) -> Recipe:
    """A shipped recipe with the patterns that belong to it; itself where it has none."""
    make = _MADE.get(swatch_id)
    return make(recipe) if make else recipe


def _brass(recipe: Recipe) -> Recipe:
    marks = _use("wipe-lines", size=7.0)
    return _recipe(
        recipe,
        (_use("fine-turned"), marks, _use("wobble")),
        [("specular_roughness", "wipe-lines", {"low": 0.11, "high": 0.24})],
        [("wobble", 0.02), ("fine-turned", 0.0006)],
    )


def _turned(recipe: Recipe) -> Recipe:
    marks = _use("wipe-lines", size=7.0)
    return _recipe(
        recipe,
        (marks, _use("wobble")),
        [("specular_roughness", "wipe-lines", {"low": 0.17, "high": 0.28})],
        [("wobble", 0.02)],
    )


def _blasted(recipe: Recipe) -> Recipe:
    return _recipe(
        recipe,
        (_use("bead-blast"), _use("blast-dents"), _use("mottle")),
        [("specular_roughness", "mottle", {"low": 0.44, "high": 0.54})],
        [("bead-blast", 0.008), ("blast-dents", -0.01)],
    )


def _steel(recipe: Recipe) -> Recipe:
    return _recipe(
        recipe,
        (_use("brushed"), _use("finger-smudges")),
        [("specular_roughness", "finger-smudges", {"low": 0.26, "high": 0.36})],
        [("brushed", 0.004)],
    )


def _heat_tinted(recipe: Recipe) -> Recipe:
    heat = Pattern(id="heat", name="Heat", steps=(Height(), Levels(grey=1.2)))
    wavering = Combine(other="mottle", way="add", amount=0.12)
    return _recipe(
        recipe,
        (_use("brushed"), _use("mottle", size=9.0), heat.with_(steps=(*heat.steps, wavering))),
        [("thin_film_thickness", "heat", {"low": 0.072, "high": 0.03})],
        [("brushed", 0.003)],
    )


def _bubble(recipe: Recipe) -> Recipe:
    drained = Pattern(id="drained", name="Drained", steps=(Height(), Combine(other="swirls", way="add", amount=0.25)))
    return _recipe(
        recipe,
        (_use("mottle", size=26.0).with_(id="swirls", name="Swirls"), drained),
        [("thin_film_thickness", "drained", {"low": 0.75, "high": 0.16})],
    )


def _copper(recipe: Recipe) -> Recipe:
    return _recipe(
        recipe,
        (_use("turned", size=0.3), _use("mottle", size=9.0)),
        [("specular_roughness", "mottle", {"low": 0.14, "high": 0.26})],
        [("turned", 0.0015)],
    )


def _lacquer(recipe: Recipe) -> Recipe:
    gloss = recipe.coat_roughness
    return _recipe(
        recipe,
        (_use("orange-peel"), _use("wiped", Levels(black=0.25, white=1.0))),
        [("coat_roughness", "wiped", {"low": gloss, "high": gloss + 0.07})],
        [("orange-peel", 0.0012)],
    )


def _moulded(recipe: Recipe) -> Recipe:
    return _recipe(
        recipe,
        (_use("spark-texture"), _use("mottle", size=12.0)),
        [("specular_roughness", "mottle", {"low": 0.22, "high": 0.3})],
        [("spark-texture", 0.004)],
    )


def _rubber(recipe: Recipe) -> Recipe:
    return _recipe(recipe, (_use("spark-texture", size=0.2),), (), [("spark-texture", 0.008)])


_PALE = (0.46, 0.235, 0.115)


def _leather(recipe: Recipe) -> Recipe:
    tones = _use(
        "mottle",
        _ramp((0.25, (0.11, 0.036, 0.013)), (0.6, (0.21, 0.075, 0.028)), (0.9, (0.27, 0.105, 0.042))),
        Combine(way="blend", other="pale", mask="worn", amount=0.55),
        size=16.0,
    )
    pale = Pattern(id="pale", name="Pale", steps=(Constant(value=1.0), _ramp((0.0, _PALE), (1.0, _PALE))))
    worn = Pattern(
        id="worn",
        name="Worn edges",
        steps=(Edges(radius=3.5), Levels(black=0.12, white=0.8), Combine(way="multiply", other="blotches", amount=0.8)),
    )
    return _recipe(
        recipe,
        (
            _use("saddle-grain", size=1.5),
            _use("fine-grain-leather", size=0.5),
            _use("wobble", size=18.0),
            _use("blotches", size=9.0),
            worn,
            pale,
            tones,
        ),
        [
            ("base_color", "mottle", _OWN_COLOR),
            ("specular_roughness", "saddle-grain", {"low": 0.58, "high": 0.44}),
        ],
        [("wobble", 0.25), ("saddle-grain", 0.16), ("fine-grain-leather", 0.02)],
    )


def _card(recipe: Recipe) -> Recipe:
    return _recipe(
        recipe,
        (_use("card-fibre"),),
        [("base_color", "card-fibre", {"low": (0.66, 0.63, 0.555), "high": (0.76, 0.735, 0.665)})],
        [("card-fibre", 0.012)],
    )


def _oak(recipe: Recipe) -> Recipe:
    tones = _use("oak", _ramp((0.0, (0.09, 0.038, 0.013)), (0.45, (0.24, 0.118, 0.045)), (0.95, (0.42, 0.245, 0.11))))
    grain = _KNOWN["oak"].with_(id="oak-grain", name="Oak grain")
    return _recipe(
        recipe,
        (tones, grain),
        [
            ("base_color", "oak", _OWN_COLOR),
            ("specular_roughness", "oak-grain", {"low": 0.58, "high": 0.4}),
        ],
        [("oak-grain", 0.05)],
    )


def _felt(recipe: Recipe) -> Recipe:
    return _recipe(
        recipe,
        (_use("felt-mat", size=4.0),),
        [("base_color", "felt-mat", {"low": (0.017, 0.038, 0.034), "high": (0.046, 0.09, 0.08)})],
        [("felt-mat", 0.2)],
    )


def _cork(recipe: Recipe) -> Recipe:
    tones = _use(
        "cork-sheet", _ramp((0.0, (0.05, 0.024, 0.011)), (0.35, (0.27, 0.145, 0.07)), (0.8, (0.52, 0.33, 0.18)))
    )
    height = _KNOWN["cork-sheet"].with_(id="cork-height", name="Cork height")
    return _recipe(recipe, (tones, height), [("base_color", "cork-sheet", _OWN_COLOR)], [("cork-height", 0.15)])


def _wax(recipe: Recipe) -> Recipe:
    return _recipe(
        recipe,
        (_use("wobble", size=11.0), _use("mottle", size=5.0)),
        [("specular_roughness", "mottle", {"low": 0.3, "high": 0.46})],
        [("wobble", 0.18), ("mottle", 0.01)],
    )


def _enamel(recipe: Recipe) -> Recipe:
    return _recipe(
        recipe,
        (_use("orange-peel", size=1.6), _use("mottle", size=20.0)),
        [("specular_roughness", "mottle", {"low": 0.16, "high": 0.23})],
        [("orange-peel", 0.004)],
    )


def _onyx(recipe: Recipe) -> Recipe:
    clouds = _use("mottle", Levels(black=0.2, white=0.8), size=24.0)
    pale, deep = (0.66, 0.76, 0.56), (0.20, 0.38, 0.20)
    return _recipe(
        recipe,
        (clouds, _use("veins", Combine(other="mottle"))),
        [
            ("subsurface_color", "veins", {"low": deep, "high": pale}),
            ("specular_roughness", "veins", {"low": 0.08, "high": 0.2}),
        ],
    )


def _marble(recipe: Recipe) -> Recipe:
    grey = (0.42, 0.43, 0.44)
    return _recipe(
        recipe,
        (_use("veins", size=26.0),),
        [("subsurface_color", "veins", {"low": recipe.subsurface_color, "high": grey, "amount": 0.8})],
    )


def _suede(recipe: Recipe) -> Recipe:
    return _recipe(
        recipe.with_(fuzz_weight=0.5, fuzz_color=(0.5, 0.34, 0.2), fuzz_roughness=0.6),
        (_use("felt-mat", size=1.2), _use("mottle", size=14.0)),
        [("base_color", "mottle", {"low": (0.22, 0.112, 0.05), "high": (0.30, 0.16, 0.075)})],
        [("felt-mat", 0.06)],
    )


_MADE = {
    "polished-brass": _brass,
    "turned-brass": _turned,
    "blasted-aluminium": _blasted,
    "satin-steel": _steel,
    "heat-tinted-steel": _heat_tinted,
    "soap-bubble": _bubble,
    "copper": _copper,
    "teal-lacquer": _lacquer,
    "oxblood-lacquer": _lacquer,
    "ivory-lacquer": _lacquer,
    "moulded-black": _moulded,
    "grip-rubber": _rubber,
    "saddle-leather": _leather,
    "card": _card,
    "oiled-oak": _oak,
    "wool-felt": _felt,
    "cork": _cork,
    "sealing-wax": _wax,
    "beeswax": _wax,
    "graphite-enamel": _enamel,
    "green-onyx": _onyx,
    "tumbled-marble": _marble,
    "suede-tan": _suede,
}
