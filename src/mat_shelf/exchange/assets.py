"""The meshes and pictures of a project, each kept once under the SHA-256 of its file."""

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor

import numpy as np

from mat_shelf.document.project import Project
from mat_shelf.exchange.image_reading import ImageError, map_kind, read_environment, read_image, read_map
from mat_shelf.exchange.light_distribution import DistributionError, read_distribution, shares_of
from mat_shelf.exchange.models.mesh_glb import NamedMesh, digest, glb_bytes, read_glb, read_own_glb
from mat_shelf.exchange.picture_memory import most_picture_bytes
from mat_shelf.geometry.faces import FacesError, faces_bytes, read_faces
from mat_shelf.geometry.mesh import Mesh, MeshError
from mat_shelf.geometry.solids import merged
from mat_shelf.patterns.mipmap import Mipmap
from mat_shelf.system.bounded import KEPT


class AssetError(ValueError):
    """A file that a project needs is missing or damaged; the message says which."""


class Assets:
    """Files that a project refers to. Grows only, so that undo finds what an edit removed.

    Attributes
    ----------
    meshes : dict from SHA-256 to Mesh
    rooms : dict from SHA-256 to (H, 2H, 3) float32
    references : dict from SHA-256 to (H, W, 3) uint8
    faces : dict from SHA-256 to (N,) int32
        The faces of zones.
    pictures : dict from SHA-256 to Mipmap
        What patterns show.
    distributions : dict from SHA-256 to (181, 121) float32
        How spots shine, as `light_distribution.shares_of` has it.
    displaced : dict from part id to (what it depends on, Displaced or str)
        True relief; see `scene.displacement`.
    shape_maps : dict from GeometryMapKey to GeometryMap
        Geometry maps of parts, as far as they are made.
    """

    def __init__(self):
        self.meshes: dict[str, Mesh] = {}
        self.rooms: dict[str, np.ndarray] = {}
        self.references: dict[str, np.ndarray] = {}
        self.faces: dict[str, np.ndarray] = {}
        self.pictures: dict[str, Mipmap] = {}
        self.distributions: dict[str, np.ndarray] = {}
        self.geometry_maps: dict = {}
        self.displaced: dict = {}
        self._data: dict[str, bytes] = {}

    def add(self, part: NamedMesh) -> str:
        """Keeps a mesh; returns its digest.

        Parameters
        ----------
        part : NamedMesh
            The part.

        Returns
        -------
        str
        """
        return self._add_mesh(glb_bytes([part]), read_own_glb)

    def add_mesh(self, data: bytes) -> str:
        """Keeps the mesh in a GLB of any origin; returns its digest. Raises MeshError.

        Parameters
        ----------
        data : bytes
            Content of the file.

        Returns
        -------
        str
        """
        return self._add_mesh(data, read_glb)

    def _add_mesh(self, data: bytes, read: Callable[[bytes], list[NamedMesh]]) -> str:
        key = digest(data)
        if key not in self.meshes:
            meshes = [part.mesh for part in read(data)]
            self.meshes[key] = meshes[0] if len(meshes) == 1 else merged(meshes)
            self._data[key] = data
        return key

    def add_faces(self, faces: np.ndarray) -> str:
        """Keeps a list of faces; returns its digest.

        Parameters
        ----------
        faces : (F,) bool
            Faces.

        Returns
        -------
        str
        """
        return self.add_faces_data(faces_bytes(faces), len(faces) and int(np.max(faces)) + 1)

    def add_faces_data(self, data: bytes, most: int) -> str:
        """Keeps a list of faces of a part that has so many, from its bytes; returns its digest. Raises FacesError.

        Parameters
        ----------
        data : bytes
            Content of the file.
        most : int
            Number of faces of the part.

        Returns
        -------
        str
        """
        key = digest(data)
        self.faces[key] = read_faces(data, most)
        self._data[key] = data
        return key

    def add_picture(self, data: bytes) -> tuple[str, str]:
        """Keeps a reference picture as it came; returns its digest and kind. Raises ImageError.

        Parameters
        ----------
        data : bytes
            Content of the file.

        Returns
        -------
        tuple[str, str]
        """
        key = digest(data)
        self.references[key], kind = read_image(data)
        self._data[key] = data
        return key, kind

    def add_room(self, data: bytes) -> tuple[str, str]:
        """Keeps a room picture as it came; returns its digest and kind. Raises ImageError.

        Parameters
        ----------
        data : bytes
            Content of the file.

        Returns
        -------
        tuple[str, str]
        """
        key = digest(data)
        pixels, kind = read_environment(data)
        self.rooms[key] = pixels
        self._data[key] = data
        return key, kind

    def add_map(self, data: bytes) -> tuple[str, str]:
        """Keeps a picture for patterns as it came; returns its digest and kind. Raises ImageError.

        It is shown coarser where it would take too much of the memory that is left.

        Parameters
        ----------
        data : bytes
            Content of the file.

        Returns
        -------
        tuple[str, str]
        """
        key, kind = digest(data), map_kind(data)
        if key not in self.pictures:
            most = most_picture_bytes()  # before it is read
            self.pictures[key] = Mipmap(read_map(data), most)
            self._data[key] = data
        return key, kind

    def add_distribution(self, data: bytes) -> tuple[str, float]:
        """Keeps a light distribution as it came; returns its digest and most candela. Raises DistributionError.

        Parameters
        ----------
        data : bytes
            Content of the file.

        Returns
        -------
        tuple[str, float]
        """
        key = digest(data)
        shares, most = shares_of(read_distribution(data))
        self.distributions[key] = shares
        self._data[key] = data
        return key, most

    def take(self, others: "Assets") -> None:
        """Keeps what others have too.

        Parameters
        ----------
        others : Assets
            Other files.
        """
        self.meshes |= others.meshes
        self.rooms |= others.rooms
        self.references |= others.references
        self.faces |= others.faces
        self.pictures |= others.pictures
        self.distributions |= others.distributions
        self._data |= others._data

    def holds(self, key: str) -> bool:
        """True if a file is there; an image of a pattern may be missing until it is found again.

        Parameters
        ----------
        key : str
            SHA-256 of the file.

        Returns
        -------
        bool
        """
        return key in self._data

    def data(self, key: str) -> bytes:
        """The file of a mesh or picture. Raises KeyError.

        Parameters
        ----------
        key : str
            SHA-256 of the file.

        Returns
        -------
        bytes
        """
        return self._data[key]


def asset_names(project: Project) -> dict[str, str]:
    """Names of the files that a project needs, inside a package, by SHA-256.

    Parameters
    ----------
    project : Project
        The project.

    Returns
    -------
    dict of str
    """
    product = project.product
    keys = (*(p.mesh for p in product.parts), *product.solids(), *project.prop_meshes())
    meshes = {key: f"meshes/{key}.glb" for key in keys}
    zones = {key: f"zones/{key}.faces" for part in project.product.parts for key in part.face_lists()}
    pictures = {picture.digest: f"pictures/{picture.digest}.{picture.kind}" for picture in project.pictures()}
    return meshes | zones | pictures | {one.digest: f"lights/{one.digest}.ies" for one in project.distributions()}


def gather_assets(project: Project, read: Callable[[str], bytes | None]) -> Assets:
    """The assets of a project.

    Parameters
    ----------
    project : Project
        The project.
    read : callable (str) -> bytes or None
        The file of that name in `asset_names`; None where there is none.

    Returns
    -------
    Assets

    Raises
    ------
    AssetError
        If one is missing, is not what its SHA-256 says, or cannot be used.
    """
    assets, names = Assets(), asset_names(project)

    def take(key: str, what: str) -> bytes:
        """Content of a file that the project needs.

        Parameters
        ----------
        key : str
            SHA-256 of the file.
        what : str
            What the file is, in words.

        Returns
        -------
        bytes
        """
        data = read(names[key])
        if data is None:
            raise AssetError(f"{what} is missing")
        if digest(data) != key:
            raise AssetError(f"{what} is damaged")
        return data

    _add_meshes(project, assets, take)
    for part in project.product.parts:
        for key, what in part.face_lists().items():
            try:
                assets.add_faces_data(take(key, what), len(assets.meshes[part.mesh].triangles))
            except FacesError as fault:
                raise AssetError(f"{what}: {fault}") from None
    for one in project.distributions():
        what = f"the light distribution '{one.name}'"
        try:
            assets.add_distribution(take(one.digest, what))
        except DistributionError as fault:
            raise AssetError(f"{what}: {fault}") from None
    rooms = {studio.room.digest for studio in project.sets if studio.room is not None}
    maps = {picture.digest for picture in project.map_pictures()}
    references = {reference.image.digest for reference in project.references}
    for picture in project.pictures():
        what = f"the image '{picture.name}'"
        if picture.digest in maps and read(names[picture.digest]) is None:
            continue  # the pattern keeps its place and shows grey until the picture is found again
        try:
            data = take(picture.digest, what)
            if picture.digest in maps:
                assets.add_map(data)
            if picture.digest in rooms:
                assets.add_room(data)
            if picture.digest in references:
                assets.add_picture(data)
        except ImageError as fault:
            raise AssetError(f"{what}: {fault}") from None
    return assets


def _add_meshes(project: Project, assets: Assets, take: Callable[[str, str], bytes]) -> None:
    """Adds the mesh of every part. Raises AssetError."""
    wanted = {key: f"the mesh of prop '{name}'" for key, name in project.prop_meshes().items()}
    wanted |= {key: f"the solid of part '{name}'" for key, name in project.product.solids().items()}
    wanted |= {part.mesh: f"the mesh of part '{part.name}'" for part in reversed(project.product.parts)}
    with ThreadPoolExecutor(KEPT) as threads:
        adding = {key: threads.submit(assets.add_mesh, take(key, what)) for key, what in wanted.items()}
        for key, what in wanted.items():
            try:
                adding[key].result()
            except MeshError as fault:
                threads.shutdown(cancel_futures=True)
                raise AssetError(f"{what}: {fault}") from None
