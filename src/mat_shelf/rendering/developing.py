"""Light of a picture in the window as it is shown: balanced, exposed, finished, printed."""

import numpy as np

from mat_shelf.document.camera import Camera
from mat_shelf.document.project import Project
from mat_shelf.rendering.camera import white_gains
from mat_shelf.rendering.finish_masks import area_masks, quick_masks
from mat_shelf.rendering.finishing import finished
from mat_shelf.rendering.first_hit import FirstHits
from mat_shelf.rendering.retouching import spots_of
from mat_shelf.rendering.tone import develop
from mat_shelf.scene.supplies import Supplies


class Developer:
    """Develops pictures of a project; while a value of its finish is dragged, the masks stay the same.

    Parameters
    ----------
    supplies : Supplies
        Faces of zones.
    is_detail : bool
        Whether they are close-ups, which have a part of the finish only.

    Attributes
    ----------
    compares : bool
        Whether each comes as it is without the finish too.
    """

    def __init__(self, supplies: Supplies, is_detail: bool):
        self._supplies, self._is_detail = supplies, is_detail
        self.compares = False
        self._masks: tuple = (None, {})
        self._last: tuple = (None, (), None)  # light, settings, and the picture without finish developed with them

    def pictures(
        self, light: np.ndarray, project: Project, camera: Camera, seen: FirstHits, before=None, changed=()
    ) -> tuple[np.ndarray, np.ndarray | None]:
        """The picture, and the one without its finish.

        Parameters
        ----------
        light : (H, W, 3) float32
            Light.
        project : Project
            The project.
        camera : Camera
            The camera.
        seen : FirstHits
            What is seen.
        before : (H, W, 3) float32, optional
            Light that this one is a copy of, but for what changed.
        changed : sequence of (slice, slice)
            Rows and columns in which it differs from that.

        Returns
        -------
        finished : (H, W, 3) uint8
        as_rendered : (H, W, 3) uint8 or None
            If it is compared with.
        """
        studio = project.set
        gains = white_gains(camera)
        shown = light if (gains == 1).all() else light * gains
        proof = project.hand_over.proof.shown if project.hand_over.proof is not None else None
        as_rendered = develop(shown, studio.exposure, studio.tone_curve, proof) if self.compares else None
        finish = project.finish.of_detail() if self._is_detail else project.finish
        if finish.changes_nothing:
            settings = studio.exposure, studio.tone_curve, proof
            known, known_settings, picture = self._last
            if before is not None and known is before and known_settings == (*settings, *gains):
                picture = picture.copy()
                for place in changed:
                    picture[place] = develop(shown[place], *settings)
            else:
                picture = develop(shown, *settings)
            self._last = light, (*settings, *gains), picture
            return picture, as_rendered
        masks, spots = self._masks_of(project, seen, light), []
        if camera == project.view.camera:  # of a free camera's picture nobody knows where they are
            height, width = light.shape[:2]
            masks = masks | area_masks(finish, project.current_view, width, height)
            spots = spots_of(finish, project.current_view, width, height)
        shown = finished(shown * np.float32(2.0**studio.exposure), finish, masks, spots)
        return develop(shown, 0.0, studio.tone_curve, finish.table, proof), as_rendered

    def _masks_of(self, project: Project, seen: FirstHits, light: np.ndarray) -> dict[str, np.ndarray]:
        working = project.finish.working
        key = seen, project.product, tuple((each.id, each.kind, each.target) for each in working), light.shape
        if self._masks[0] is None or any(a is not b and a != b for a, b in zip(self._masks[0], key, strict=True)):
            self._masks = key, quick_masks(project.finish, project, self._supplies, seen, light.shape[:2])
        return self._masks[1]
