"""Losses of materials in the formats that they are written in, told before."""

from collections.abc import Iterable, Sequence

from mat_shelf.document.material import Material
from mat_shelf.document.project import Project
from mat_shelf.document.recipe import Recipe
from mat_shelf.exchange.materials.flat_product import needs_maps


def gltf_losses(recipe: Recipe) -> list[str]:
    """Losses of a recipe in glTF 2.0.

    Parameters
    ----------
    recipe : Recipe
        The recipe.

    Returns
    -------
    list of str
        Phrases.
    """
    fed = {feed.input for feed in recipe.feeds if feed.amount > 0}
    lost = _common_losses(recipe)
    if recipe.subsurface_weight > 0 or "subsurface_weight" in fed:
        lost.append("light scattered inside becomes a plain colour")
    if recipe.transmission_weight > 0 and max(recipe.transmission_scatter) > 0:
        lost.append("the haze inside is left out")
    if recipe.base_diffuse_roughness > 0 or "base_diffuse_roughness" in fed:
        lost.append("the diffuse roughness is left out")
    if recipe.base_metalness > 0 and min(recipe.specular_color) < 1:
        lost.append("the metal's colour at grazing angles is left out")
    if recipe.coat_weight > 0 or "coat_weight" in fed:
        if abs(recipe.coat_ior - 1.5) > 0.005:
            lost.append("the coat's index becomes 1.5")
        if recipe.coat_darkening > 0:
            lost.append("the darkening below the coat is left out")
        if recipe.coat_roughness_anisotropy > 0:
            lost.append("the coat's anisotropy is left out")
        if min(recipe.coat_color) < 1:
            lost.append("the coat's colour becomes part of the base colour")
    return lost


def preview_losses(recipe: Recipe) -> list[str]:
    """Losses of a recipe in the preview surface of USD.

    Parameters
    ----------
    recipe : Recipe
        The recipe.

    Returns
    -------
    list of str
        Phrases.
    """
    fed = {feed.input for feed in recipe.feeds if feed.amount > 0}
    lost = gltf_losses(recipe)
    for name, words in (
        ("fuzz_weight", "the fuzz is left out of the preview"),
        ("thin_film_weight", "the thin film is left out of the preview"),
    ):
        if getattr(recipe, name) > 0 or name in fed:
            lost.append(words)
    if recipe.transmission_weight > 0:
        lost.append("the colour in the depth becomes one of the surface in the preview")
    if recipe.specular_roughness_anisotropy > 0:
        lost.append("the anisotropy is left out of the preview")
    return lost


def materialx_losses(recipe: Recipe) -> list[str]:
    """Losses of a recipe in MaterialX, whose surface model is ours.

    Parameters
    ----------
    recipe : Recipe
        The recipe.

    Returns
    -------
    list of str
        Phrases.
    """
    return _common_losses(recipe)


def texture_losses(recipe: Recipe) -> list[str]:
    """Losses of a recipe in a texture set, which has maps alone.

    Parameters
    ----------
    recipe : Recipe
        The recipe.

    Returns
    -------
    list of str
        Phrases.
    """
    lost = [words for words in _common_losses(recipe) if "true relief" not in words]
    if not needs_maps(recipe):
        lost.append("nothing of it becomes a map, since it is the same all over")
    return lost


def _common_losses(recipe: Recipe) -> list[str]:
    lost = []
    if recipe.transmission_weight > 0 and recipe.nesting_priority != 5:
        lost.append("the priority of nested bodies is left out")
    if recipe.specular_roughness_anisotropy > 0:
        lost.append("brushing goes by the UVs instead of an axis")
    if any(row.is_on and row.is_displaced and row.height for row in recipe.relief):
        lost.append("true relief becomes a map of normals")
    return lost


def product_losses(project: Project, of_recipe) -> list[str]:
    """Losses of a whole product, a line for each kind, with the materials that it concerns.

    Parameters
    ----------
    project : Project
        The project.
    of_recipe : callable (Recipe) -> list of str
        Losses of one recipe in the format.

    Returns
    -------
    list of str
    """
    worn = {i for part in project.product.parts if not part.is_hidden for i in part.worn()}
    lines = material_losses([m for m in project.materials if m.id in worn], of_recipe)
    visible = [part for part in project.product.parts if not part.is_hidden]
    beads = [part.name for part in visible if part.beads or part.bubbles or part.foam]
    if beads:
        lines.append(f"Drops, bubbles and foam stay behind: {some(beads)}")
    shown = {part.id for part in visible}
    stamps = [mark.name for mark in project.marks if mark.is_on and mark.kind == "stamp" and mark.part in shown]
    if stamps:
        lines.append(f"Stamps are left out: {some(stamps)}")
    smooth = [part.name for part in visible if part.smoothing]
    if smooth:
        lines.append(f"Smoothed parts are written as their nets: {some(smooth)}")
    return lines


def material_losses(materials: Iterable[Material], of_recipe) -> list[str]:
    """Losses of materials, a line for each kind.

    Parameters
    ----------
    materials : iterable of Material
        The materials.
    of_recipe : callable (Recipe) -> list of str
        Losses of one recipe in the format.

    Returns
    -------
    list of str
    """
    named: dict[str, list[str]] = {}
    for material in materials:
        for layer in material.recipe.layers():
            for lost in of_recipe(layer):
                names = named.setdefault(lost, [])
                if material.name not in names:
                    names.append(material.name)
    return [f"{lost[0].upper()}{lost[1:]}: {some(names)}" for lost, names in named.items()]


def baked_names(project: Project) -> list[str]:
    """Names of worn materials that are not the same all over a part, so that they are baked.

    Parameters
    ----------
    project : Project
        The project.

    Returns
    -------
    list of str
    """
    worn = {i for part in project.product.parts if not part.is_hidden for i in part.worn()}
    return [m.name for m in project.materials if m.id in worn and needs_maps(m.recipe)]


def some(names: Sequence[str], most: int = 4) -> str:
    """A list of names, cut short.

    Parameters
    ----------
    names : sequence of str
        Names.
    most : int
        How many are shown.

    Returns
    -------
    str
    """
    shown = ", ".join(names[:most])
    return shown if len(names) <= most else f"{shown} and {len(names) - most} more"
