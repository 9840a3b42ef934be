"""The wall: the viewport, the close-up and the reference; one worker renders for the first two."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QHBoxLayout

from mat_shelf.app.wall.close_up_view import CloseUpView
from mat_shelf.app.wall.comparison import Comparison
from mat_shelf.app.wall.reference_view import ReferenceView
from mat_shelf.app.wall.render_worker import CLOSE_UP, MAIN, RenderWorker
from mat_shelf.app.wall.tools.eyedropper import Eyedropper
from mat_shelf.app.wall.viewport import MARGIN, Viewport
from mat_shelf.app.widgets.splitter import PaneSplitter
from mat_shelf.app.workshop import ProductWork, Workshop


class Wall(QFrame):
    """Gives its panes a worker for each project that is opened."""

    def __init__(self, workshop: Workshop, work: ProductWork):
        super().__init__()
        self.setObjectName("wall")
        self.workshop = workshop
        self.comparison = Comparison(workshop)
        self.viewport, self.close_up = Viewport(workshop, work), CloseUpView(workshop)
        self.reference = ReferenceView(workshop, self.comparison)
        self.eyedropper = Eyedropper(self.viewport, self.comparison)
        self.eyedropper.reference_view = self.reference
        self.reference.picture_changed.connect(lambda: self.viewport.wipe.compare_with(self.reference.image))
        self.side = PaneSplitter(Qt.Orientation.Vertical, self.close_up, self.reference)
        self.side.setContentsMargins(0, MARGIN, MARGIN, MARGIN)
        self.across = PaneSplitter(Qt.Orientation.Horizontal, self.viewport, self.side)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self.across)
        self._worker: RenderWorker | None = None
        self.is_held = False
        self._makes_way_for: set[str] = set()
        workshop.project_replaced.connect(self._new_worker)
        self._new_worker()
        self.viewport.wipe.compare_with(self.reference.image)

    def _new_worker(self) -> None:
        self.close_worker()
        self._worker = RenderWorker(self.workshop.assets)
        self._worker.frame_ready.connect(self._show, Qt.ConnectionType.QueuedConnection)
        self._worker.failed.connect(self.workshop.said)
        for pane in (self.viewport, self.close_up):
            pane.use(self._worker)
        self._tell_worker()

    def _show(self, pane: str, frame) -> None:
        if self.sender() is self._worker:
            {MAIN: self.viewport, CLOSE_UP: self.close_up}[pane].show_frame(frame)

    def give_way(self, who: str, gives: bool) -> None:
        """Leaves most of the processor to finished renders, or goes on; edits still show at once."""
        (self._makes_way_for.add if gives else self._makes_way_for.discard)(who)
        self._tell_worker()

    def hold(self, is_held: bool) -> None:
        """Stops refining the panes until the user lets it go on; nothing is lost."""
        self.is_held = is_held
        self._tell_worker()
        self.viewport.show_held(is_held)

    def _tell_worker(self) -> None:
        if self._worker is not None:
            self._worker.pause(self.is_held)
            self._worker.give_way(bool(self._makes_way_for))

    def close_worker(self) -> None:
        if self._worker is not None:
            self._worker.close()
            self._worker = None
