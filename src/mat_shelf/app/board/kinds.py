"""Kinds of material: which inputs are at hand for each. What is in use is at hand in any case."""

from mat_shelf.document.recipe import Recipe

GROUPS = {
    "base": ("base_color", "base_weight", "base_diffuse_roughness", "base_metalness"),
    "clear": (
        "transmission_weight",
        "transmission_color",
        "transmission_depth",
        "transmission_scatter",
        "transmission_scatter_anisotropy",
    ),
    "bounds": (
        "geometry_thin_walled",
        "nesting_priority",
        "contact",
        "transmission_dispersion_scale",
        "transmission_dispersion_abbe_number",
    ),
    "soft": (
        "subsurface_weight",
        "subsurface_color",
        "subsurface_radius",
        "subsurface_radius_scale",
        "subsurface_scatter_anisotropy",
    ),
    "glow": ("emission_luminance", "emission_color"),
    "surface": ("specular_roughness", "specular_weight", "specular_color", "specular_ior", "geometry_opacity"),
    "brushed": ("specular_roughness_anisotropy", "brush_way", "brush_axis", "brush_turn", "coat_roughness_anisotropy"),
    "coat": (
        "coat_weight",
        "coat_color",
        "coat_roughness",
        "coat_ior",
        "coat_darkening",
    ),
    "film": ("thin_film_weight", "thin_film_thickness", "thin_film_ior"),
    "fuzz": ("fuzz_weight", "fuzz_color", "fuzz_roughness"),
}
"""Rows that stand together, one under another."""

BODY, FINISH = ("base", "clear", "bounds", "soft", "glow"), ("surface", "brushed", "coat", "film", "fuzz")

KINDS = {
    "Plastic, paint": ("base", "surface"),
    "Lacquered": ("base", "surface", "coat"),
    "Metal": ("base", "surface", "brushed"),
    "Glass, liquid": ("clear", "bounds", "surface"),
    "Bubble, pearl": ("base", "bounds", "surface", "film"),
    "Soft body": ("base", "soft", "surface"),
    "Cloth": ("base", "surface", "fuzz"),
    "Light": ("base", "glow", "surface"),
    "Everything": tuple(GROUPS),
}

_DECIDES = {
    "clear": "transmission_weight",
    "soft": "subsurface_weight",
    "glow": "emission_luminance",
    "brushed": "specular_roughness_anisotropy",
    "coat": "coat_weight",
    "film": "thin_film_weight",
    "fuzz": "fuzz_weight",
}
"""The input that says, above 0 or fed, that a group is in use."""


def _uses(recipe: Recipe, group: str) -> bool:
    if group == "base":
        return recipe.transmission_weight < 1 or recipe.feed("transmission_weight") is not None
    if group == "bounds":
        is_split = recipe.transmission_dispersion_scale > 0
        is_there = recipe.geometry_opacity == 1 and recipe.feed("geometry_opacity") is None
        return recipe.geometry_thin_walled or is_split or not is_there
    if group == "brushed" and recipe.coat_roughness_anisotropy > 0:
        return True
    name = _DECIDES.get(group)
    return name is not None and (getattr(recipe, name) > 0 or recipe.feed(name) is not None)


def kind_of(recipe: Recipe) -> str:
    """The kind that a recipe is by its values."""
    if recipe.base_metalness >= 0.5:
        return "Metal"
    for kind, group in (
        ("Bubble, pearl", "film"),
        ("Glass, liquid", "clear"),
        ("Soft body", "soft"),
        ("Light", "glow"),
        ("Lacquered", "coat"),
        ("Cloth", "fuzz"),
    ):
        if _uses(recipe, group):
            return kind
    return "Plastic, paint"


def shown_groups(kind: str, recipe: Recipe) -> set[str]:
    """The groups of a kind, and those that a recipe uses."""
    return set(KINDS[kind]) | {group for group in GROUPS if _uses(recipe, group)}
