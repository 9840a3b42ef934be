"""Faces without a material, and a walk through them."""

from PyQt6.QtWidgets import QGridLayout, QVBoxLayout, QWidget

from mat_shelf.app.widgets.plain_label import PlainLabel
from mat_shelf.app.widgets.small_widgets import quiet_label, small_button
from mat_shelf.app.workshop import ProductWork
from mat_shelf.geometry.size import length_words


class CoverageCard(QWidget):
    def __init__(self, work: ProductWork):
        super().__init__()
        self.work = work
        self.words = PlainLabel()
        self.words.setWordWrap(True)
        self.here = quiet_label()
        self.here.setWordWrap(True)
        self.next_button = small_button("Next", "Goes to the next unassigned region", lambda: work.show_gap(1))
        self.previous_button = small_button("Previous", "Goes to the previous one", lambda: work.show_gap(-1))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        layout.addWidget(self.words)
        layout.addWidget(self.here)
        buttons = QGridLayout()
        buttons.setSpacing(6)
        buttons.addWidget(self.previous_button, 0, 0)
        buttons.addWidget(self.next_button, 0, 1)
        layout.addLayout(buttons)
        layout.addStretch(1)
        self._shown = None

    def follow(self) -> None:
        product = self.work.project.product
        if product is not self._shown:
            self._shown = product
            self.work.find_gaps()
        found = self.work.gaps
        bare = [gap for gap in found if gap.left_in is None]
        faces, left = sum(len(gap.faces) for gap in bare), len(found) - len(bare)
        slivers = sum(gap.is_sliver for gap in bare)
        if not product.parts:
            self.words.setText("No product yet.")
        elif not found:
            self.words.setText("Every face has a material.")
        else:
            pieces = "1 region is unassigned" if len(bare) == 1 else f"{len(bare)} regions are unassigned"
            text = f"{pieces}: {faces:,} faces" + (f", {slivers} of them slivers." if slivers else ".")
            kept = f"{left} sliver{'s' if left > 1 else ''} between zones kept an old material."
            self.words.setText(" ".join([*([text] if bare else []), *([kept] if left else [])]))
        shown = self.work.gap_shown
        if shown is None or shown >= len(found):
            self.here.setText("")
        else:
            gap = found[shown]
            name = self.work.project.part(gap.part_id).name
            side = max(gap.area, 0) ** 0.5
            old = f", still {self.work.project.material(gap.left_in).name}" if gap.left_in else ""
            self.here.setText(
                f"{shown + 1} of {len(found)}: {name}{old}, {len(gap.faces):,} faces, {length_words(side)} wide"
            )
        for button in (self.next_button, self.previous_button):
            button.setEnabled(bool(found))
