"""Kinds of material: which inputs are at hand for each. What is in use is at hand in any case."""

from mat_shelf.document.recipe import Recipe

GROUPS = {
    "base": ("base_color", "base_weight", "base_diffuse_roughness", "base_metalness", "specular_ior"),
    "clear": (
        "transmission_weight",
        "transmission_color",
        "transmission_depth",
        "transmission_scatter",
        "transmission_scatter_anisotropy",
    ),
    "soft": (
        "subsurface_weight",
        "subsurface_color",
        "subsurface_radius",
        "subsurface_radius_scale",
        "subsurface_scatter_anisotropy",
    ),
    "glow": ("emission_luminance", "emission_color"),
    "surface": ("specular_roughness", "specular_weight", "specular_color"),
    "brushed": ("specular_roughness_anisotropy", "brush_way", "brush_axis", "brush_turn"),
    "coat": ("coat_weight", "coat_color", "coat_roughness", "coat_ior", "coat_darkening"),
    "fuzz": ("fuzz_weight", "fuzz_color", "fuzz_roughness"),
}
"""Rows that stand together, one under another."""

BODY, FINISH = ("base", "clear", "soft", "glow"), ("surface", "brushed", "coat", "fuzz")

KINDS = {
    "Plastic, paint": ("base", "surface"),
    "Lacquered": ("base", "surface", "coat"),
    "Metal": ("base", "surface", "brushed"),
    "Glass, liquid": ("base", "clear", "surface"),
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
    "fuzz": "fuzz_weight",
}
"""The input that says, above 0 or fed, that a group is in use."""


def _uses(recipe: Recipe, group: str) -> bool:
    name = _DECIDES.get(group)
    return name is not None and (getattr(recipe, name) > 0 or recipe.feed(name) is not None)


def kind_of(recipe: Recipe) -> str:
    """The kind that a recipe is by its values."""
    if recipe.base_metalness >= 0.5:
        return "Metal"
    for kind, group in (
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
    return set(KINDS[kind]) | {group for group in _DECIDES if _uses(recipe, group)}
