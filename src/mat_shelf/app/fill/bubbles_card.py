"""Bubbles in a liquid: how many of each kind, how large, and where."""

from mat_shelf.app.fill.strewn_card import StrewnCard
from mat_shelf.app.widgets.binding import Binding
from mat_shelf.app.widgets.small_widgets import small_button
from mat_shelf.app.workshop import FillWork
from mat_shelf.document.fill import Bubbles

_LEFT = ("density", "wall", "edge", "trails", "size")
_RIGHT = ("spread", "patches", "patch_size", "seed")


class BubblesCard(StrewnCard):
    """Values of the bubbles of the liquid on the board."""

    def __init__(self, work: FillWork):
        def bind(name: str) -> Binding:
            return Binding(work.workshop, Bubbles, name, lambda w: work.bubbles, lambda w, own: work.with_bubbles(own))

        add_button = small_button("Add bubbles", "Lets bubbles of air rise in the liquid", work.add_bubbles)
        columns = _LEFT, _RIGHT
        part, count = lambda: work.bubbles_part, lambda: work.bubble_count
        super().__init__(work, "bubbles", columns, bind, part, count, add_button, lambda: work.bubbling)
