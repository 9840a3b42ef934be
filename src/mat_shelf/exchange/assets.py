"""The meshes and pictures of a project, each kept once under the SHA-256 of its file."""

from collections.abc import Iterator, Mapping

from mat_shelf.exchange.pictures import picture_kind
from mat_shelf.geometry.glb import NamedMesh, digest, glb_bytes, read_glb
from mat_shelf.geometry.mesh import Mesh
from mat_shelf.geometry.solids import joined


class Assets(Mapping[str, Mesh]):
    """Meshes by digest; and the bytes of every file. Grows only, so that undo finds what an edit took away."""

    def __init__(self):
        self._meshes: dict[str, Mesh] = {}
        self._data: dict[str, bytes] = {}

    def __getitem__(self, key: str) -> Mesh:
        return self._meshes[key]

    def __iter__(self) -> Iterator[str]:
        return iter(self._meshes)

    def __len__(self) -> int:
        return len(self._meshes)

    def add(self, part: NamedMesh) -> str:
        """Keeps a mesh; returns its digest."""
        return self.add_data(glb_bytes([part]))

    def add_data(self, data: bytes) -> str:
        """Keeps the mesh in a GLB; returns its digest. Raises MeshError."""
        key = digest(data)
        if key not in self._meshes:
            meshes = [part.mesh for part in read_glb(data)]
            self._meshes[key] = meshes[0] if len(meshes) == 1 else joined(meshes)
            self._data[key] = data
        return key

    def add_picture(self, data: bytes) -> tuple[str, str]:
        """Keeps a picture as it came; returns its digest and kind. Raises PictureError."""
        kind = picture_kind(data)
        key = digest(data)
        self._data[key] = data
        return key, kind

    def data(self, key: str) -> bytes:
        """The file of a mesh or picture. Raises KeyError."""
        return self._data[key]
