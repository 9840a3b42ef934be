"""Drops on a part: how many, how large, where, and how they lie."""

from mat_shelf.app.fill.strewn_card import StrewnCard
from mat_shelf.app.widgets.binding import Binding
from mat_shelf.app.workshop import FillWork
from mat_shelf.document.fill import Beads

_COLUMNS = (
    ("density", "size", "spread", "spacing", "contact_angle", "sag"),
    ("patches", "patch_size", "runs", "run_length", "from_marks"),
    ("side", "faces", "seed"),
)


class DropsCard(StrewnCard):
    """Values of the drops on the board."""

    def __init__(self, work: FillWork):
        def bind(name: str) -> Binding:
            return Binding(work.workshop, Beads, name, lambda w: work.beads, lambda w, own: work.with_beads(own))

        super().__init__(work, "drops", _COLUMNS, bind, lambda: work.beads_part, lambda: work.drop_count)
