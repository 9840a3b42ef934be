"""Geometry of a project: its parts as they stand and touch, the backdrop, props and the ball."""

from collections.abc import Mapping
from types import MappingProxyType

from mat_shelf.document.project import Project
from mat_shelf.geometry.caps import Caps
from mat_shelf.geometry.mesh import Mesh
from mat_shelf.geometry.pose import posed, turn_matrix
from mat_shelf.patterns.points import Frames, part_frames, part_salt
from mat_shelf.scene.backdrop import backdrop_mesh
from mat_shelf.scene.ball import Ball
from mat_shelf.scene.bodies import bodies_of, visible_parts
from mat_shelf.scene.dielectric_contact import resolve_contact
from mat_shelf.scene.geometry import Geometry
from mat_shelf.scene.kept import Kept
from mat_shelf.scene.props import prop_meshes


def project_geometry(
    project: Project,
    meshes: Mapping[str, Mesh],
    ball: Ball | None = None,
    displaced: Mapping = MappingProxyType({}),
    kept: Kept | None = None,
    older: Geometry | None = None,
) -> Geometry:
    """Geometry of a project: its visible parts in order, then the backdrop, the props and the ball if they are there.

    Bodies that nearly touch do touch; see `dielectric_contact`.

    Parameters
    ----------
    project : Project
        The project.
    meshes : mapping of Mesh
        Meshes by SHA-256.
    ball : Ball or None
        Ball for judging reflections.
    displaced : mapping from part id to ReshapedPart or Caps
        Surfaces instead of those of the meshes.
    kept : Kept, optional
        Meshes of the last build; those of this one for the next.
    older : Geometry, optional
        One that is not in use any more.

    Returns
    -------
    Geometry

    Raises
    ------
    KeyError
        If a part's mesh is not among `meshes`.
    """
    parts, kept = project.product.parts, kept or Kept()
    shown = [parts[k] for k in visible_parts(project)]
    own = [meshes[part.mesh] for part in shown]
    frames = kept(_frames, *own, tuple(part.pose for part in shown), tuple(part.id for part in shown))
    true = [displaced.get(part.id) for part in shown]
    solids = [
        kept(posed, mesh, part.pose) if made is None else made if isinstance(made, Caps) else made.mesh
        for mesh, part, made in zip(own, shown, true, strict=True)
    ]
    bodies = bodies_of(project)
    if project.set.backdrop is not None:
        solids.append(kept(backdrop_mesh, project.set.backdrop))
        bodies = (*bodies, None)
    solids = resolve_contact(solids, bodies, project.product.contact, kept)
    solids += prop_meshes(project.set, meshes, kept)
    kept.end_build()
    if ball is not None:
        solids.append(ball.mesh())
    is_mesh = [made is not None and not isinstance(made, Caps) for made in true]
    at_rest = [(m.rest, m.face, m.place) if has else None for m, has in zip(true, is_mesh, strict=True)]
    return Geometry(solids, frames, at_rest, older=older)


def _frames(*sources) -> Frames:
    """Frames of meshes, the first of the sources, by the poses and the ids of their parts, the last two."""
    *meshes, poses, ids = sources
    stands = [(turn_matrix(pose.turn), pose.shift, pose.scale) for pose in poses]
    return part_frames(meshes, stands, [part_salt(part_id) for part_id in ids])
