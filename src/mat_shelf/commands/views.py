"""Cameras and what stands before them: views, the free camera, the close-up, the ball."""

import math
from collections.abc import Sequence

import numpy as np

from mat_shelf.commands.command import command
from mat_shelf.document.camera import Camera
from mat_shelf.document.ids import free_name, new_id
from mat_shelf.document.set import Set
from mat_shelf.optics.color import luminance
from mat_shelf.rendering.camera import FRAME, balanced_for
from mat_shelf.rendering.camera_fitting import fitted_camera, overlap_of_frame
from mat_shelf.rendering.camera_matching import matched_to_photograph
from mat_shelf.rendering.input_picture import INPUT_VIEWS
from mat_shelf.scene.ball import Ball

_MIDDLE_GREY = 0.18
"""Luminance of a middle grey over that of white (common practice)."""


class ViewCommands:
    """Views of the project, and what the panes look at."""

    @property
    def camera(self) -> Camera:
        """Camera of the viewport: a free camera while exploring, else that of the view in use."""
        return self.free_camera or self.project.view.camera

    def explore(self, camera: Camera | None) -> None:
        """Looks through a free camera, which no edit keeps; None returns to the view in use.

        Parameters
        ----------
        camera : Camera or None
            The camera.
        """
        self.free_camera = camera
        self.camera_changed.emit()

    def look_at_input(self, key: str) -> None:
        """Shows one input of all materials over the scene, without light.

        Parameters
        ----------
        key : str
            A key of `rendering.input_picture.INPUT_VIEWS`; empty for the render.

        Raises
        ------
        KeyError
            If there is no such input.
        """
        if key and key not in INPUT_VIEWS:
            raise KeyError(key)
        if key != self.input_shown:
            self.input_shown = key
            self.shown_changed.emit()

    def place_close_up(self, point: tuple[float, float, float] | None) -> None:
        """Puts the close-up on a point of the product, mm; None takes it away.

        Parameters
        ----------
        point : (3,) float or None
            Point, mm.
        """
        self.close_up_point = point
        self.close_up_changed.emit()

    def set_close_up_width(self, width: float) -> None:
        """Set the width of the close-up, from 1 to 100 mm.

        Parameters
        ----------
        width : float
            Width, mm.
        """
        self.close_up_width = min(max(width, 1.0), 100.0)
        self.close_up_changed.emit()

    def _keeps_camera(self) -> bool:
        """True, and said, where the view in use is locked."""
        view = self.project.view
        if view.is_locked:
            self.said.emit(f"{view.name} is locked; unlock it on the Set board, or save another view.")
        return view.is_locked

    @command
    def balance_white(self, rgb) -> None:
        """Balances the camera of the view in use, and the free one, so that a light is shown white.

        Parameters
        ----------
        rgb : (3,) float
            Linear Rec.709 of what should be grey, before any balance.
        """
        if not np.isfinite(rgb).all() or np.min(rgb) <= 0:
            self.said.emit("That is black or not lit; click a grey that is.")
            return
        if self._keeps_camera():
            return
        white, tint = balanced_for(rgb)
        balanced = {"white": white, "white_tint": tint}
        if self.free_camera is not None:
            self.explore(self.free_camera.with_(**balanced))
        view = self.project.view
        self.edit("White balance", self.project.with_view(view.with_(camera=view.camera.with_(**balanced))))

    @command
    def expose_for(self, light, part) -> None:
        """Exposes the set in use so that the middle tone of the product becomes a middle grey.

        Parameters
        ----------
        light : (H, W, 3) float32
            The picture, neither exposed nor balanced.
        part : (H, W) int
            The part that each pixel sees; below 0 where that is none.
        """
        bright = luminance(light)[part >= 0]
        bright = bright[bright > 0]
        if not len(bright):
            self.said.emit("No product is in the picture to measure.")
            return
        low, high = Set.limits("exposure")
        stops = math.log2(_MIDDLE_GREY / float(np.exp(np.log(bright).mean())))
        exposure = round(min(max(stops, low), high), 2)
        self.edit("Meter", self.project.with_set(self.project.set.with_(exposure=exposure)))

    @command
    def match_camera(self, horizon: float, foot: float, gesture: str | None = None) -> None:
        """Stands the camera of the view in use so that it sees the table as the camera of a photograph did.

        Parameters
        ----------
        horizon, foot : float
            Heights of the horizon, and of what the product stands on, from the picture's middle, mm on the film.
        gesture : str or None
            Edits of one gesture are one step of the history.
        """
        if self._keeps_camera():
            return
        try:
            matched = matched_to_photograph(self.camera, horizon, foot)
        except ValueError:
            return  # one line was dragged past the other; it waits there
        view = self.project.view
        self.edit("Match camera", self.project.with_view(view.with_(camera=matched)), gesture)
        if self.free_camera is not None:
            self.explore(None)

    @command
    def fit_camera(self, pairs: Sequence, gesture: str | None = None) -> bool:
        """Looks through a free camera that sees points of the product where the reference shows them.

        The reference is laid over the whole frame of that camera, so that it can be wiped and blended.

        Parameters
        ----------
        pairs : sequence of ((float, float), (float, float, float))
            A point of the reference, in heights of it from its middle, to the right and downwards; and the same point
            of the product, mm.
        gesture : str or None
            Edits of one gesture are one step of the history.

        Returns
        -------
        bool
            Whether one is found; else it is said why not.
        """
        reference = self.project.reference
        if reference is None:
            self.said.emit("No reference is shown to fit the camera to.")
            return False
        height, width = self.assets.references[reference.image.digest].shape[:2]
        overlap = overlap_of_frame(width / height)
        places = np.array([place for place, _ in pairs], np.float64).reshape(-1, 2) * overlap.scale * FRAME[1]
        try:
            camera, missed = fitted_camera(self.camera, [point for _, point in pairs], places)
        except ValueError as fault:
            self.said.emit(f"The camera is not fitted: {fault}. Click others.")
            return False
        self.lay_reference(overlap, gesture)
        self.explore(camera)
        off = missed / FRAME[1] * 100
        self.said.emit(
            f"The camera sees the {len(pairs)} points {off:.1f} percent of the picture's height off. "
            "Click more, or save the view."
        )
        return True

    def light_close_up(self, direction: tuple[float, float, float] | None) -> None:
        """Lights what the close-up shows with a lamp of its own from a direction; None leaves it in the set's light.

        Parameters
        ----------
        direction : (3,) float or None
            Unit direction towards the lamp; None for the light of the set.
        """
        self.close_up_light = direction
        self.close_up_changed.emit()

    def refine_region(self, region: tuple[float, float, float, float] | None) -> None:
        """Refines only a part of the picture; None, all of it.

        Parameters
        ----------
        region : (4,) float or None
            Left, top, right and bottom on the film, mm from its middle.
        """
        self.region = region
        self.region_changed.emit()

    def stand_ball(self, ball: Ball | None) -> None:
        """Stands a coloured ball beside a surface; None takes it away. No picture that is rendered has it.

        Parameters
        ----------
        ball : Ball or None
            Ball for judging reflections.
        """
        self.ball = ball
        self.ball_changed.emit()

    @command
    def look_through(self, view_id: str) -> None:
        """Puts a view in use.

        Parameters
        ----------
        view_id : str
            Id of the view.
        """
        project = self.project.with_(current_view=view_id)
        self.free_camera = None
        self.edit("Change view", project)
        self.camera_changed.emit()

    @command
    def save_view(self, name: str) -> None:
        """Keeps what the viewport looks through as a new view, in use from now on.

        Parameters
        ----------
        name : str
            Name.
        """
        name = free_name(name.strip() or "View", {view.name for view in self.project.views})
        view = self.project.view.with_(id=new_id("view"), name=name, camera=self.camera, is_locked=False)
        project = self.project.with_view(view).with_(current_view=view.id)
        self.free_camera = None
        self.edit(f"Save view {name}", project)
        self.camera_changed.emit()

    @command
    def move_view_here(self) -> None:
        """Gives the view in use the free camera."""
        if self.free_camera is not None and not self._keeps_camera():
            view = self.project.view.with_(camera=self.free_camera)
            project = self.project.with_view(view)
            self.free_camera = None
            self.edit(f"Update view {view.name}", project)
            self.camera_changed.emit()

    @command
    def lock_view(self, is_locked: bool) -> None:
        """Locks the view in use, so that nothing moves or changes its camera, or unlocks it.

        Parameters
        ----------
        is_locked : bool
            Whether it is locked.
        """
        view = self.project.view
        self.edit("Lock view" if is_locked else "Unlock view", self.project.with_view(view.with_(is_locked=is_locked)))

    @command
    def hide_in_view(self, part_ids: Sequence[str], is_hidden: bool) -> None:
        """Hides parts in the view in use, or shows them there again; other views stay as they are.

        Parameters
        ----------
        part_ids : sequence of str
            Ids of parts.
        is_hidden : bool
            Whether they are hidden.
        """
        view = self.project.view
        rest = tuple(i for i in view.hides if i not in part_ids)
        view = view.with_(hides=(*rest, *part_ids) if is_hidden else rest)
        project = self.project.with_view(view)
        self.edit(f"Hide in {view.name}" if is_hidden else f"Show in {view.name}", project)

    @command
    def show_only_in_view(self, part_ids: Sequence[str]) -> None:
        """Shows parts in the view in use and hides them in all others.

        Parameters
        ----------
        part_ids : sequence of str
            Ids of parts.
        """
        shown, views = self.project.view, []
        for view in self.project.views:
            rest = tuple(i for i in view.hides if i not in part_ids)
            views.append(view.with_(hides=rest if view.id == shown.id else (*rest, *part_ids)))
        parts = (p.with_(is_hidden=False) if p.id in part_ids else p for p in self.project.product.parts)
        self.edit(f"Show only in {shown.name}", self.project.with_parts(parts).with_(views=tuple(views)))

    @command
    def remove_view(self) -> None:
        """Removes the view in use, and its shots; the final one stays."""
        view = self.project.view
        if view.id == self.project.views[0].id:
            self.said.emit("The final view cannot be removed; update it instead.")
            return
        if self._keeps_camera():
            return
        rest = tuple(v for v in self.project.views if v.id != view.id)
        project = self.project.with_shots(shot for shot in self.project.hand_over.shots if shot.view != view.id)
        self.edit(f"Remove view {view.name}", project.with_(views=rest, current_view=rest[0].id))
        self.camera_changed.emit()
