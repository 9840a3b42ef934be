"""Props: things that stand in a set and are no part of the product."""

from typing import Literal, Self

from pydantic import Field, model_validator

from mat_shelf.document.ids import Digest, Id, Name
from mat_shelf.document.parameter import Frozen, number

PropKind = Literal["ruler", "disc", "card", "sphere", "curtain", "model"]
PROP_KINDS: dict[str, str] = {
    "ruler": "Ruler, 200 mm",
    "disc": "Disc, 25 mm",
    "card": "Card, A6",
    "sphere": "Grey sphere, 40 mm",
    "curtain": "Curtain",
}
"""Words for the props that come with the program, at their true size."""


class Prop(Frozen):
    """One thing beside the product.

    Attributes
    ----------
    mesh : SHA-256 or None
        Of a prop from a model, which stands on the floor about its origin.
    material : Id or None
        The material of the project that it wears; its own where there is none.
    """

    id: Id
    name: Name
    kind: PropKind
    mesh: Digest | None = None
    material: Id | None = None
    is_on: bool = True
    x: float = number(0.0, -1e5, 1e5, label="X", unit="mm", tip="To the right of the origin.", usual=(-400, 400))
    y: float = number(0.0, -1e5, 1e5, label="Y", unit="mm", tip="Above the floor.", usual=(0, 400))
    z: float = number(0.0, -1e5, 1e5, label="Z", unit="mm", tip="Towards the front.", usual=(-400, 400))
    turn: float = number(0.0, -180, 180, label="Rotation", unit="°", tip="About its upright axis.")
    size: float = number(
        1.0, 0.01, 100, label="Size", tip="Factor of its true size; 1 keeps it honest.", usual=(0.1, 10), log=True
    )
    is_upright: bool = Field(False, title="Upright", description="Stands it on its edge, facing the front.")

    @model_validator(mode="after")
    def _has_mesh(self) -> Self:
        if (self.kind == "model") != (self.mesh is not None):
            raise ValueError(f"prop '{self.name}' is a model without a mesh, or the other way round")
        return self
