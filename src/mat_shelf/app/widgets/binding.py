"""Binding of a row to one field of some value in the project."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from pydantic.fields import FieldInfo

from mat_shelf.app.workshop import Workshop
from mat_shelf.commands.command import command
from mat_shelf.document.camera import Camera
from mat_shelf.document.parameter import Frozen
from mat_shelf.document.product import Product
from mat_shelf.document.project import Project
from mat_shelf.document.recipe import Recipe
from mat_shelf.document.set import Backdrop, Set


@dataclass(frozen=True)
class Binding:
    """One field of a value that is found in, and put back into, the workshop's project.

    Attributes
    ----------
    model : type
        Of the value; it gives the field its label, range and words.
    find : callable (Workshop) -> Frozen or None
    put : callable (Workshop, Frozen) -> Project
    may_follow : bool
        Whether it is a parameter of a material, which may be a variant.
    """

    workshop: Workshop
    model: type[Frozen]
    name: str
    find: Callable[[Workshop], Frozen | None]
    put: Callable[[Workshop, Frozen], Project]
    may_follow: bool = False

    @property
    def field(self) -> FieldInfo:
        return self.model.parameter(self.name)

    @property
    def label(self) -> str:
        """Label of the field where no card says what it belongs to."""
        return self.model.field_label(self.name)

    def value(self) -> Any:
        """The field's value now; None where there is nothing to show."""
        owner = self.find(self.workshop)
        return None if owner is None else getattr(owner, self.name)

    @command
    def set(self, value, gesture: str | None = None) -> bool:
        """Changes the field; where the value cannot be, the workshop says why. Edits of one gesture are one step."""
        owner = self.find(self.workshop)
        if owner is None:
            return False
        changed = self.workshop.changed(owner, self.name, value)
        if changed is None:
            return False
        self.workshop.edit(self.label, self.put(self.workshop, changed), gesture and f"{gesture} {self.name}")
        return True

    def is_own(self) -> bool:
        """True if the material on the board is a variant and overrides this value."""
        has_own = self.may_follow and self.workshop.overlay is None
        material = self.workshop.selected_material if has_own else None
        return material is not None and material.owns(self.name)

    def reset_to_parent(self) -> None:
        """Lets the variant follow its parent in this value again."""
        self.workshop.reset_to_parent(self.name)

    def end_gesture(self) -> None:
        self.workshop.history.end_gesture()


def of_material(workshop: Workshop, name: str) -> Binding:
    """A parameter of the recipe on the board, the selected material's or an overlay's."""
    return Binding(
        workshop,
        Recipe,
        name,
        lambda w: w.layer,
        lambda w, recipe: w.with_layer(recipe),
        may_follow=True,
    )


def of_set(workshop: Workshop, name: str) -> Binding:
    """A field of the set in use."""
    return Binding(workshop, Set, name, lambda w: w.project.set, lambda w, changed: w.project.with_set(changed))


def of_product(workshop: Workshop, name: str) -> Binding:
    """A field of the product."""
    return Binding(
        workshop, Product, name, lambda w: w.project.product, lambda w, changed: w.project.with_(product=changed)
    )


def of_backdrop(workshop: Workshop, name: str) -> Binding:
    """A field of the backdrop of the set in use."""
    return Binding(
        workshop,
        Backdrop,
        name,
        lambda w: w.project.set.backdrop,
        lambda w, changed: w.project.with_set(w.project.set.with_(backdrop=changed)),
    )


def of_camera(workshop: Workshop, name: str) -> Binding:
    """A field of the camera of the view in use."""
    return Binding(
        workshop,
        Camera,
        name,
        lambda w: w.project.view.camera,
        put_camera,
    )


def put_camera(workshop: Workshop, camera: Camera) -> Project:
    """All but where it stands changes in the view in use, and in the free camera while one is looked through."""
    if workshop.free_camera is not None:
        own = {name: getattr(workshop.free_camera, name) for name in ("position", "target", "focus")}
        workshop.explore(camera.with_(**own))
    return workshop.project.with_view(workshop.project.view.with_(camera=camera))
