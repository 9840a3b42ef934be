"""Focusing the camera on a clicked point."""

from mat_shelf.app.wall.tools.tool import Tool
from mat_shelf.rendering.navigation import depth_from


class Focus(Tool):
    """The next click says what is to be sharp."""

    def __init__(self, viewport):
        super().__init__(viewport)
        self.is_wanted = False

    def want(self, is_wanted: bool) -> None:
        """Waits for a click, or no longer."""
        self.is_wanted = is_wanted

    def click(self, event) -> bool:
        if not self.is_wanted:
            return False
        place, view = self.picker.place_at(event.position()), self.workshop.project.view
        # Measured from the view's own camera: while exploring, another one is looked through.
        depth = depth_from(view.camera, place) if place is not None else 0.0
        if depth <= 0:
            self.workshop.said.emit("Nothing to focus on there; click the product or the backdrop.")
            return True
        camera = view.camera.with_(focus=round(depth, 2))
        self.workshop.edit("Focus", self.workshop.project.with_view(view.with_(camera=camera)))
        self.viewport.focused.emit()
        if camera.f_stop == 0:
            self.workshop.said.emit("Everything is sharp while the f-stop is off; set it, for example to 11.")
        return True
