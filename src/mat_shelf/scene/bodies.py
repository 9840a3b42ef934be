"""Bodies of a scene: parts that light enters, and which of them fills the space that several are in."""

from functools import partial

from mat_shelf.document.product import Part
from mat_shelf.document.project import Project
from mat_shelf.document.recipe import Recipe
from mat_shelf.scene.dielectric_contact import Body
from mat_shelf.system.newest import Newest

_bodies = Newest(4)


def is_clear(recipe: Recipe) -> bool:
    """True if light is refracted into it, somewhere at least.

    Parameters
    ----------
    recipe : Recipe
        Recipe of the material.

    Returns
    -------
    bool
    """
    return recipe.transmission_weight > 0 or any(feed.input == "transmission_weight" for feed in recipe.feeds)


def lets_through(recipe: Recipe) -> bool:
    """True if light passes it without entering a body: a sheet that is clear or soft, or a surface with holes.

    Parameters
    ----------
    recipe : Recipe
        Recipe of the material.

    Returns
    -------
    bool
    """
    is_open = recipe.geometry_opacity < 1 or any(feed.input == "geometry_opacity" for feed in recipe.feeds)
    return is_open or is_clear(recipe) or is_soft(recipe)


def is_soft(recipe: Recipe) -> bool:
    """True if it scatters light beneath its surface, somewhere at least.

    Parameters
    ----------
    recipe : Recipe
        Recipe of the material.

    Returns
    -------
    bool
    """
    return recipe.subsurface_weight > 0 or any(feed.input == "subsurface_weight" for feed in recipe.feeds)


def has_inside(recipe: Recipe) -> bool:
    """True if light enters it.

    Parameters
    ----------
    recipe : Recipe
        Recipe of the material.

    Returns
    -------
    bool
    """
    return (is_clear(recipe) or is_soft(recipe)) and not recipe.geometry_thin_walled


def visible_parts(project: Project) -> list[int]:
    """Places, among the product's parts, of those that are not hidden: geometry g shows the g-th of them.

    Parameters
    ----------
    project : Project
        The project.

    Returns
    -------
    list of int
    """
    return [place for place, part in enumerate(project.product.parts) if not part.is_hidden]


def bodies_of(project: Project) -> tuple[Body | None, ...]:
    """Bodies among the visible parts; None for parts that light neither enters nor passes.

    Parameters
    ----------
    project : Project
        The project.

    Returns
    -------
    tuple[Body or None, ...]
    """
    return _bodies((project.product.parts, project.materials), (), partial(_found_bodies, project))


def _found_bodies(project: Project) -> tuple[Body | None, ...]:
    found: list[Body | None] = []
    for place in visible_parts(project):
        part = project.product.parts[place]
        worn = [project.material(i).recipe for i in part.worn()]
        recipe = next((recipe for recipe in worn if has_inside(recipe)), None)
        if recipe is not None:
            priority = priority_of(project, part, recipe.nesting_priority)
            found.append(Body(priority, recipe.contact == "wet", is_clear(recipe), part.is_derived))
        elif part.is_derived:
            found.append(Body(0, True, False, True))
        else:  # a sheet, or what has holes, has nothing inside, but must not lie in what it touches either
            is_seen_through = any(lets_through(recipe) for recipe in worn)
            found.append(Body(0, False, False, is_sheet=True) if is_seen_through else None)
    return tuple(found)


def has_priority(part: Part) -> bool:
    """True if a part has another priority than its material, or may have by what it lies on or rises in.

    Parameters
    ----------
    part : Part
        The part.

    Returns
    -------
    bool
    """
    is_stacked = part.fill is not None and part.fill.over is not None
    return part.priority is not None or is_stacked or part.bubbles is not None


def priority_of(project: Project, part: Part, usual: int | None = None) -> int:
    """Priority of a body, `usual` by what it is filled with.

    A liquid on others goes on through them, and gives way; bubbles are where they are in a liquid of any priority.

    Parameters
    ----------
    project : Project
        The project.
    part : Part
        The part.
    usual : int, optional
        Priority of the material that it is filled with; that of its own by default.

    Returns
    -------
    int
    """
    if part.bubbles is not None and part.priority is None:
        liquid = next((p for p in project.product.parts if p.id == part.bubbles.liquid), None)
        return max(_own_priority(project, part), -1 if liquid is None else _own_priority(project, liquid) + 1)
    under = project.product.liquids_under(part.fill) if part.fill is not None else ()
    own = _own_priority(project, part) if usual is None or part.priority is not None else usual
    return min([own, *(_own_priority(project, below) - k for k, below in enumerate(reversed(under), 1))])


def _own_priority(project: Project, part: Part) -> int:
    if part.priority is not None:
        return part.priority
    material = next((m for m in project.materials if m.id == part.material), None)
    return (material.recipe if material is not None else Recipe()).nesting_priority
