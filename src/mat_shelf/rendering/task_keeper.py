"""Tasks of the newest state of a project; what did not change since the last one is kept."""

from functools import partial

import numpy as np

from mat_shelf.document.camera import Camera
from mat_shelf.document.project import Project
from mat_shelf.document.set import Set
from mat_shelf.rendering.camera import make_camera_view
from mat_shelf.rendering.film import Film
from mat_shelf.rendering.plate import (
    SEEN_THROUGH,
    bare_scene,
    film_gains,
    has_plate,
    on_plate,
    plain_plate,
    plate_light,
)
from mat_shelf.rendering.render_task import BRIGHTEST, RenderTask
from mat_shelf.scene.backdrop import backdrop_shape
from mat_shelf.scene.ball import Ball
from mat_shelf.scene.bodies import bodies_of, visible_parts
from mat_shelf.scene.geometry import Geometry
from mat_shelf.scene.geometry_map_lookup import geometry_map_lookup
from mat_shelf.scene.kept import Kept
from mat_shelf.scene.light_faces import Lights
from mat_shelf.scene.lights import light_key, set_lights
from mat_shelf.scene.material_table import project_material_table
from mat_shelf.scene.part_lights import glowing_parts
from mat_shelf.scene.project_geometry import project_geometry
from mat_shelf.scene.relighting import mixing_key, whole_set
from mat_shelf.scene.reshaped_parts import reshaped_parts
from mat_shelf.scene.supplies import Supplies

_SPARE = 2
"""Geometries that are kept whole: the one in use, and the one before it, which the window may still look into."""
_MOST_PLATES = 4
"""Shapes of pictures, coarse ones among them, for which photographs as seen through glass are kept."""


class TaskKeeper:
    """Makes tasks of a project, and films for them.

    Parameters
    ----------
    supplies : Supplies
        Meshes and images.
    beside : TaskKeeper, optional
        Another one for the same project; geometry and materials are shared.
    """

    def __init__(self, supplies: Supplies, beside: "TaskKeeper | None" = None):
        self._supplies = supplies
        self._built: dict[str, tuple] = beside._built if beside else {}
        self._meshes = beside._meshes if beside else Kept()
        self._lit: dict[str, tuple] = {}
        self._plates: dict[str, tuple] = {}
        self._rendered_set: Set | None = None

    def task(
        self,
        project: Project,
        camera: Camera,
        ball: Ball | None,
        size: tuple[int, int],
        seed: int,
        exposure: float,
        dragged: frozenset[str] = frozenset(),
    ) -> RenderTask:
        """Task of a project.

        Parameters
        ----------
        project : Project
            The project.
        camera : Camera
            The camera.
        ball : Ball or None
            Ball for judging reflections.
        size : (int, int)
            Pixels across, and from top to bottom.
        seed : int
            Seed of the random numbers.
        exposure : float
            Stops, by which single paths are limited.
        dragged : frozenset of str
            Liquids, by part, whose surfaces may be coarse.

        Returns
        -------
        RenderTask
        """
        studio = project.set
        displaced = reshaped_parts(project, self._supplies, dragged)
        relief = tuple(displaced.items())
        geometry = self._geometry(project, ball, displaced, relief)
        lights = self._lights(project)
        # What is poured and strewn wears one material all over, however it is shaped.
        parts = project.product.parts
        worn = tuple((p.id, p.material, p.priority, p.is_hidden) if p.is_derived else p for p in parts)
        derived = {part.id for part in parts if part.is_derived}
        shaped = tuple(item for item in relief if item[0] not in derived)
        material_table = _kept(
            self._built,
            "dressing",
            (project.materials, worn, project.marks, studio.backdrop, studio.props, ball is None, shaped),
            lambda: project_material_table(project, self._supplies, ball, displaced),
        )
        task = RenderTask(
            geometry,
            material_table,
            lights,
            make_camera_view(camera, *size),
            brightest=BRIGHTEST * 2.0**-exposure,
            seed=seed,
            straight=studio.straight_light,
            keeps_apart=studio.keeps_apart,
        )
        if not has_plate(studio):
            return task
        key = studio.backdrop, project.materials
        bare = _kept(self._built, "bare", key, lambda: bare_scene(project, self._supplies))
        shape = round(size[0] / size[1], 2)
        key = studio.plate, studio.tone_curve, shape, len(self._supplies.pictures)
        key = (*key, camera, light_key(studio)) if studio.plate.is_surround else key
        across = max(round(SEEN_THROUGH * shape), 1)
        make = partial(plain_plate, studio, self._supplies, camera, across, SEEN_THROUGH)
        seen = _kept(self._plates, str(shape), key, make)
        while len(self._plates) > _MOST_PLATES:
            del self._plates[next(iter(self._plates))]
        return on_plate(task, bare, seen)

    def film(self, task: RenderTask, size: tuple[int, int], studio: Set, camera: Camera, use: str) -> Film:
        """An empty film for a task, mixed and with the photograph behind it as a set says.

        Parameters
        ----------
        task : RenderTask
            The task.
        size : (int, int)
            Pixels across, and from top to bottom.
        studio : Set
            The set.
        camera : Camera
            The camera.
        use : str
            Name under which its photograph is kept.

        Returns
        -------
        Film
        """
        made = task.film(*size)
        made.mix(self.gains(studio, camera))
        made.plate = self.plate(made, studio, camera, use)
        return made

    def gains(self, studio: Set, camera: Camera) -> np.ndarray:
        """Factors of the layers of the film for a set, as its lights are rendered by the last task.

        Parameters
        ----------
        studio : Set
            The set.
        camera : Camera
            The camera.

        Returns
        -------
        (K, 3) float32
        """
        return film_gains(self._rendered_set if studio.keeps_apart else None, studio, camera)

    def plate(self, film: Film, studio: Set, camera: Camera, use: str) -> np.ndarray | None:
        """The photograph of a set as light, of the size of a film.

        Parameters
        ----------
        film : Film
            The film.
        studio : Set
            The set.
        camera : Camera
            The camera.
        use : str
            Name under which it is kept.

        Returns
        -------
        (H, W, 3) float32 or None
            None where the film is for a set without one.
        """
        if film.caught is None:
            return None
        balance = studio.exposure, studio.tone_curve, camera.white, camera.white_tint
        key = studio.plate, *balance, film.width, film.height, len(self._supplies.pictures)
        if studio.plate.is_surround:
            key = *key, camera, light_key(studio)
        make = partial(plate_light, studio, self._supplies, camera, film.width, film.height)
        return _kept(self._lit, f"plate of {use}", key, make)

    def _geometry(self, project: Project, ball: Ball | None, displaced, relief) -> Geometry:
        product, studio = project.product, project.set
        derived = ((part.fill, part.beads, part.bubbles, part.foam, part.stream) for part in product.parts)
        meshes = tuple(
            (part.mesh, part.pose, part.is_hidden, *own) for part, own in zip(product.parts, derived, strict=True)
        )
        stands = backdrop_shape(studio.backdrop), studio.props, ball
        geometry = _kept(
            self._built,
            "geometry",
            (meshes, bodies_of(project), product.contact, *stands, relief),
            lambda: self._build(project, ball, displaced),
        )
        geometry.shapes = geometry_map_lookup(project, geometry, self._supplies.geometry_maps)
        return geometry

    def _build(self, project: Project, ball: Ball | None, displaced) -> Geometry:
        """Geometry of a project; the one before the last is taken over, which no picture is made of any more."""
        spare: list[Geometry] = self._built.setdefault("spare", [])
        older = spare.pop(0) if len(spare) == _SPARE else None
        made = project_geometry(project, self._supplies.meshes, ball, displaced, self._meshes, older)
        spare.append(made)
        return made

    def _lights(self, project: Project) -> Lights:
        """Lights of the set in use; all of them on where they are kept apart."""
        studio, parts = project.set, ()
        glowing = glowing_parts(project) if studio.keeps_apart else ()
        if glowing or studio.part_lights or any(light.only_parts for light in studio.lights):
            parts = tuple(project.product.parts[k].id for k in visible_parts(project))

        def make() -> tuple[Lights, Set]:
            """Make them, and tell the set that they are of.

            Returns
            -------
            tuple[Lights, Set]
            """
            rendered = whole_set(studio, glowing) if studio.keeps_apart else studio
            return set_lights(rendered, self._supplies, parts), rendered

        key = mixing_key(studio, glowing) if studio.keeps_apart else light_key(studio)
        lights, self._rendered_set = _kept(self._lit, "lights", (*key, *parts), make)
        return lights


def _kept(built: dict[str, tuple], name: str, key: tuple, make):
    """The last result of `make`, as long as the objects it was made from are the same ones."""
    old_key, old = built.get(name, ((), None))
    if len(old_key) == len(key) and all(a is b or a == b for a, b in zip(old_key, key, strict=True)):
        return old
    built[name] = (key, made := make())
    return made
