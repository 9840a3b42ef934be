"""The meshes of a project, each kept once under the SHA-256 of its GLB."""

from collections.abc import Iterator, Mapping

from mat_shelf.geometry.glb import NamedMesh, digest, glb_bytes, read_glb
from mat_shelf.geometry.mesh import Mesh
from mat_shelf.geometry.solids import joined


class MeshStore(Mapping[str, Mesh]):
    """Meshes by digest. Grows only, so that undo finds what an edit took away."""

    def __init__(self):
        self._kept: dict[str, tuple[Mesh, bytes]] = {}

    def __getitem__(self, key: str) -> Mesh:
        return self._kept[key][0]

    def __iter__(self) -> Iterator[str]:
        return iter(self._kept)

    def __len__(self) -> int:
        return len(self._kept)

    def add(self, part: NamedMesh) -> str:
        """Keeps a mesh; returns its digest."""
        return self.add_data(glb_bytes([part]))

    def add_data(self, data: bytes) -> str:
        """Keeps the mesh in a GLB; returns its digest. Raises MeshError."""
        key = digest(data)
        if key not in self._kept:
            meshes = [part.mesh for part in read_glb(data)]
            self._kept[key] = (meshes[0] if len(meshes) == 1 else joined(meshes), data)
        return key

    def data(self, key: str) -> bytes:
        """The GLB of a mesh. Raises KeyError."""
        return self._kept[key][1]
