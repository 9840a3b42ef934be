"""Foam on a liquid: how thick its head is, and how its bubbles lie."""

from mat_shelf.app.fill.strewn_card import StrewnCard
from mat_shelf.app.widgets.binding import Binding
from mat_shelf.app.widgets.small_widgets import small_button
from mat_shelf.app.workshop import FillWork
from mat_shelf.document.fill import Foam

_LEFT = ("thickness", "size", "spread")
_RIGHT = ("patches", "patch_size", "seed")


class FoamCard(StrewnCard):
    """Values of the foam on the liquid on the board."""

    def __init__(self, work: FillWork):
        def bind(name: str) -> Binding:
            return Binding(work.workshop, Foam, name, lambda w: work.foam, lambda w, own: work.with_foam(own))

        add_button = small_button("Add foam", "Lays a head of foam on the liquid", work.add_foam)
        columns = _LEFT, _RIGHT
        super().__init__(work, "bubbles", columns, bind, lambda: work.foam_part, lambda: work.foam_count, add_button)
