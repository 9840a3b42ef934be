"""The wall: the hero view, the loupe and the reference; one worker renders for the first two."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QVBoxLayout

from mat_shelf.app.product.product_work import ProductWork
from mat_shelf.app.wall.hero_view import HeroView
from mat_shelf.app.wall.loupe_view import LoupeView
from mat_shelf.app.wall.reference_view import ReferenceView
from mat_shelf.app.wall.render_worker import HERO, LOUPE, RenderWorker
from mat_shelf.app.workshop import Workshop


class Wall(QFrame):
    """Gives its panes a worker for each project that is opened."""

    def __init__(self, workshop: Workshop, work: ProductWork):
        super().__init__()
        self.setObjectName("wall")
        self.workshop = workshop
        self.hero, self.loupe, self.reference = HeroView(workshop, work), LoupeView(workshop), ReferenceView(workshop)
        self.reference.picture_changed.connect(lambda: self.hero.compare_with(self.reference.image))
        side = QVBoxLayout()
        side.setContentsMargins(0, 10, 10, 10)
        side.setSpacing(10)
        side.addWidget(self.loupe)
        side.addWidget(self.reference, 1)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(self.hero, 1)
        layout.addLayout(side)
        self._worker: RenderWorker | None = None
        workshop.project_replaced.connect(self._new_worker)
        self._new_worker()
        self.hero.compare_with(self.reference.image)

    def _new_worker(self) -> None:
        self.close_worker()
        self._worker = RenderWorker(self.workshop.assets)
        self._worker.frame_ready.connect(self._show, Qt.ConnectionType.QueuedConnection)
        self._worker.failed.connect(self.workshop.said)
        for pane in (self.hero, self.loupe):
            pane.use(self._worker)

    def _show(self, pane: str, frame) -> None:
        if self.sender() is self._worker:
            {HERO: self.hero, LOUPE: self.loupe}[pane].show_frame(frame)

    def pause(self, paused: bool) -> None:
        if self._worker is not None:
            self._worker.pause(paused)

    def close_worker(self) -> None:
        if self._worker is not None:
            self._worker.close()
            self._worker = None
