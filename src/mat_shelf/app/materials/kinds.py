"""Kinds of material: the cards that each opens. Cards whose inputs are in use open in any case."""

from mat_shelf.document.recipe import Recipe

CARDS = {
    "Base": (("base_color", "base_weight", "base_diffuse_roughness", "base_metalness", "geometry_opacity"),),
    "Specular": (
        ("specular_roughness", "specular_weight", "specular_color", "specular_ior", "specular_roughness_anisotropy"),
        ("brush_way", "brush_axis", "brush_turn"),
    ),
    "Transmission": (
        (
            "transmission_weight",
            "transmission_color",
            "transmission_depth",
            "transmission_scatter",
            "transmission_scatter_anisotropy",
        ),
        (
            "geometry_thin_walled",
            "nesting_priority",
            "contact",
            "transmission_dispersion_scale",
            "transmission_dispersion_abbe_number",
        ),
    ),
    "Subsurface": (
        (
            "subsurface_weight",
            "subsurface_color",
            "subsurface_radius",
            "subsurface_radius_scale",
            "subsurface_scatter_anisotropy",
        ),
    ),
    "Coat": (
        (
            "coat_weight",
            "coat_color",
            "coat_roughness",
            "coat_roughness_anisotropy",
            "coat_ior",
            "coat_darkening",
        ),
    ),
    "Fuzz and film": (
        (
            "fuzz_weight",
            "fuzz_color",
            "fuzz_roughness",
            "thin_film_weight",
            "thin_film_thickness",
            "thin_film_ior",
        ),
    ),
    "Emission": (("emission_luminance", "emission_color"),),
}
"""Inputs on each card, in columns."""

MATERIAL_KINDS = {
    "Plastic, paint": ("Base", "Specular"),
    "Lacquered": ("Base", "Specular", "Coat"),
    "Metal": ("Base", "Specular"),
    "Glass, liquid": ("Specular", "Transmission"),
    "Bubble, pearl": ("Base", "Specular", "Transmission", "Fuzz and film"),
    "Soft body": ("Base", "Specular", "Subsurface"),
    "Cloth": ("Base", "Specular", "Fuzz and film"),
    "Light": ("Base", "Specular", "Emission"),
    "Everything": tuple(CARDS),
}
"""Cards that each kind opens."""

_DECIDES = {
    "Transmission": ("transmission_weight",),
    "Subsurface": ("subsurface_weight",),
    "Coat": ("coat_weight",),
    "Fuzz and film": ("fuzz_weight", "thin_film_weight"),
    "Emission": ("emission_luminance",),
}
"""Inputs of which one, above 0 or fed, puts a card to use."""


def _is_used(recipe: Recipe, *names: str) -> bool:
    return any(getattr(recipe, name) > 0 or recipe.feed(name) is not None for name in names)


def cards_in_use(recipe: Recipe) -> set[str]:
    """Cards whose inputs change the look of a recipe."""
    used = {"Specular"} | {card for card, names in _DECIDES.items() if _is_used(recipe, *names)}
    if recipe.transmission_weight < 1 or recipe.feed("transmission_weight") is not None or recipe.geometry_opacity < 1:
        used.add("Base")
    if recipe.geometry_thin_walled:
        used.add("Transmission")
    return used


def is_brushed(kind: str, recipe: Recipe) -> bool:
    """True where the direction of brushing is shown: on metals, and where a highlight is stretched."""
    stretched = _is_used(recipe, "specular_roughness_anisotropy", "coat_roughness_anisotropy")
    return kind in ("Metal", "Everything") or stretched


def kind_of(recipe: Recipe) -> str:
    """The kind that a recipe is by its values."""
    if recipe.base_metalness >= 0.5:
        return "Metal"
    for kind, name in (
        ("Bubble, pearl", "thin_film_weight"),
        ("Glass, liquid", "transmission_weight"),
        ("Soft body", "subsurface_weight"),
        ("Light", "emission_luminance"),
        ("Lacquered", "coat_weight"),
        ("Cloth", "fuzz_weight"),
    ):
        if _is_used(recipe, name):
            return kind
    return "Plastic, paint"
