"""A stream that is poured onto a liquid: where it begins and lands, how thick and fast it is."""

from mat_shelf.app.fill.strewn_card import StrewnCard
from mat_shelf.app.widgets.binding import Binding
from mat_shelf.app.widgets.small_widgets import small_button
from mat_shelf.app.workshop import FillWork
from mat_shelf.document.fill import Stream

_LEFT = ("height", "aside", "direction", "across", "ahead", "seed")
_RIGHT = ("width", "speed", "uneven", "rings", "ring_width")


class StreamCard(StrewnCard):
    """Values of the stream that falls onto the liquid on the board."""

    def __init__(self, work: FillWork):
        def bind(name: str) -> Binding:
            return Binding(work.workshop, Stream, name, lambda w: work.stream, lambda w, own: work.with_stream(own))

        add_button = small_button("Add a stream", "Pours a stream onto the liquid", work.add_stream)
        super().__init__(
            work, "stream", (_LEFT, _RIGHT), bind, lambda: work.stream_part, lambda: work.stream_words, add_button
        )
        self.count.setToolTip("The volume that flows, and how wide the stream is where it lands")
