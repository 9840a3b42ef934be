"""Scenes of Embree: the library that the embreex package carries, without a Python object a ray.

embreex's own loop takes a quarter as long again as Embree itself, and copies meshes triangle by triangle.

References
----------
Wald et al. 2014, Embree: A Kernel Framework for Efficient CPU Ray Tracing. Embree 4 API, embree.github.io.
"""

import ctypes
from ctypes import c_char_p, c_int, c_size_t, c_ssize_t, c_uint, c_void_p
from functools import cache
from pathlib import Path
from threading import Lock

import embreex
import numpy as np

from mat_shelf.geometry.caps import BOUNDS_FUNCTION, INTERSECT_FUNCTION, OCCLUDED_FUNCTION, Caps
from mat_shelf.geometry.ray_casting import (
    FAR,
    Bundle,
    Caster,
    intersect_kernel,
    new_bundle,
    new_caster,
    occluded_kernel,
)
from mat_shelf.numerics.kernels import F
from mat_shelf.system.processors import in_parts

_TRIANGLES, _USER, _INDICES, _VERTICES, _UINT3, _FLOAT3 = 0, 120, 0, 1, 0x5003, 0x9003
_DYNAMIC, _ROBUST = 1 << 0, 1 << 2
_LOW, _MEDIUM = 0, 1
"""Build qualities: low for a scene makes it one tree over those of its geometries, each of which is a good one."""
_MANY_RAYS = 8192
"""So many are worth several threads."""
_VERSION_PROPERTY, _MAJOR = 0, 4


@cache
def _library() -> ctypes.CDLL:
    folder = Path(embreex.__file__).parents[1] / "embreex.libs"
    found = sorted(folder.glob("libembree4*"))
    if not found:
        raise ImportError(f"no Embree library in {folder}; install the embreex package again")
    library = ctypes.CDLL(str(found[0]))
    for name, result, arguments in (
        ("rtcNewDevice", c_void_p, [c_char_p]),
        ("rtcGetDeviceError", c_int, [c_void_p]),
        ("rtcGetDeviceProperty", c_ssize_t, [c_void_p, c_int]),
        ("rtcNewScene", c_void_p, [c_void_p]),
        ("rtcSetSceneFlags", None, [c_void_p, c_int]),
        ("rtcNewGeometry", c_void_p, [c_void_p, c_int]),
        ("rtcSetNewGeometryBuffer", c_void_p, [c_void_p, c_int, c_uint, c_int, c_size_t, c_size_t]),
        ("rtcSetGeometryUserPrimitiveCount", None, [c_void_p, c_uint]),
        ("rtcSetGeometryUserData", None, [c_void_p, c_void_p]),
        ("rtcSetGeometryBoundsFunction", None, [c_void_p, c_void_p, c_void_p]),
        ("rtcSetGeometryIntersectFunction", None, [c_void_p, c_void_p]),
        ("rtcSetGeometryOccludedFunction", None, [c_void_p, c_void_p]),
        ("rtcCommitGeometry", None, [c_void_p]),
        ("rtcSetGeometryBuildQuality", None, [c_void_p, c_int]),
        ("rtcAttachGeometryByID", None, [c_void_p, c_void_p, c_uint]),
        ("rtcDetachGeometry", None, [c_void_p, c_uint]),
        ("rtcSetSceneBuildQuality", None, [c_void_p, c_int]),
        ("rtcReleaseGeometry", None, [c_void_p]),
        ("rtcCommitScene", None, [c_void_p]),
        ("rtcReleaseScene", None, [c_void_p]),
    ):
        function = getattr(library, name)
        function.restype, function.argtypes = result, arguments
    return library


@cache
def _device() -> int:
    device = _library().rtcNewDevice(b"")
    version = _library().rtcGetDeviceProperty(device, _VERSION_PROPERTY)
    if version // 10000 != _MAJOR:  # the record would be read wrongly
        raise ImportError(f"Embree {version} is not of version {_MAJOR}; install the pinned embreex")
    return device


def _address(name: str) -> int:
    return ctypes.cast(getattr(_library(), name), c_void_p).value


class Scene:
    """Meshes, and caps, that rays are cast at; the g-th is geometry g.

    Parameters
    ----------
    meshes : sequence of ((V, 3) float32, (T, 3) int32) or Caps
    is_robust : bool
        Whether no ray gets through between triangles or past one in whose plane it begins, which costs a third of the
        speed. Pictures do without: what gets through is not more than rounding lets through anyway, as a test counts.
    older : Scene, optional
        One that no ray is cast at any more: it is taken over, so that only shapes that are others are added anew. Rays
        that are cast at it by `intersect` afterwards meet nothing.

    Raises
    ------
    MemoryError
        If Embree cannot take them.
    """

    def __init__(self, meshes, is_robust: bool = False, older: "Scene | None" = None):
        library = _library()
        self._release = library.rtcReleaseScene
        self._nearest, self._any = _address("rtcIntersect1"), _address("rtcOccluded1")
        self._lock, self._is_robust = Lock(), is_robust
        self._shapes = [shape if isinstance(shape, Caps) else tuple(shape) for shape in meshes]
        before = older._give_up(self) if older is not None and older._is_robust == is_robust else None
        if before is None:
            self._scene, before = library.rtcNewScene(_device()), []
            library.rtcSetSceneFlags(self._scene, _DYNAMIC | (_ROBUST if is_robust else 0))
            library.rtcSetSceneBuildQuality(self._scene, _LOW)
        for number, shape in enumerate(self._shapes):
            if number < len(before):
                if _is_same(before[number], shape):
                    continue
                library.rtcDetachGeometry(self._scene, number)
            self._attach(_geometry_of(shape), number)
        for number in range(len(self._shapes), len(before)):
            library.rtcDetachGeometry(self._scene, number)
        library.rtcCommitScene(self._scene)
        if library.rtcGetDeviceError(_device()):
            raise MemoryError("there is not enough memory for the product's meshes")

    def _attach(self, geometry: int, number: int) -> None:
        library = _library()
        library.rtcSetGeometryBuildQuality(geometry, _MEDIUM)
        library.rtcCommitGeometry(geometry)
        library.rtcAttachGeometryByID(self._scene, geometry, number)
        library.rtcReleaseGeometry(geometry)

    def _give_up(self, heir: "Scene") -> list | None:
        """Hands what Embree has over to another scene; the shapes that were in it, None where it was handed over."""
        with self._lock:
            scene, self._scene = self._scene, None
        if scene is None:
            return None
        heir._scene = scene
        return self._shapes

    def __del__(self):
        if getattr(self, "_scene", None):
            self._release(self._scene)

    def caster(self) -> Caster:
        """Handle that kernels cast rays with. It holds memory of its own, so each thread needs one of its own.

        Returns
        -------
        Caster
        """
        if self._scene is None:
            raise RuntimeError("this scene was taken over by a newer one")
        return new_caster(self._nearest, self._any, self._scene)

    def bundle(self) -> Bundle:
        """Handle that kernels cast many rays at once with; of meshes only, and of each thread its own.

        Returns
        -------
        Bundle
        """
        if self._scene is None:
            raise RuntimeError("this scene was taken over by a newer one")
        return new_bundle(_address("rtcIntersect16"), self._scene)

    def intersect(self, origins, directions, reach=FAR):
        """Nearest hits; see `scene.geometry.Geometry.intersect`.

        Parameters
        ----------
        origins : (N, 3) float32
            Origins of the rays, mm.
        directions : (N, 3) float32
            Unit directions.
        reach : float32
            Distance that counts, mm.

        Returns
        -------
        tuple of 5
        """
        count = len(origins)
        geometry, primitive = np.empty(count, np.int32), np.empty(count, np.int32)
        u, v, distance = np.empty(count, np.float32), np.empty(count, np.float32), np.empty(count, np.float32)
        with self._lock:
            if self._scene is not None:

                def cast(first: int, last: int) -> None:
                    """Cast some of the rays.

                    Parameters
                    ----------
                    first, last : int
                        The first of them, and the one behind the last.
                    """
                    run = slice(first, last)
                    hits = (each[run] for each in (geometry, primitive, u, v, distance))
                    intersect_kernel(self.caster(), origins[run], directions[run], F(reach), *hits)

                if count < _MANY_RAYS:
                    cast(0, count)
                else:
                    in_parts(count, cast)
                return geometry, primitive, u, v, distance
        geometry[:], primitive[:], u[:], v[:], distance[:] = -1, -1, 0, 0, reach
        return geometry, primitive, u, v, distance

    def occluded(self, origins, directions, distances):
        """Rays with anything in the way; see `scene.geometry.Geometry.occluded`.

        Parameters
        ----------
        origins : (N, 3) float32
            Origins of the rays, mm.
        directions : (N, 3) float32
            Unit directions.
        distances : (N,) float32
            Distances, mm.

        Returns
        -------
        float32
        """
        blocked = np.empty(len(origins), np.int32)
        blocked[:] = -1
        with self._lock:
            if self._scene is not None:
                occluded_kernel(self.caster(), origins, directions, distances, blocked)
        return blocked


def _is_same(one, other) -> bool:
    """True for the same caps, or the same arrays of vertices and triangles."""
    if isinstance(one, Caps) or isinstance(other, Caps):
        return one is other
    return one[0] is other[0] and one[1] is other[1]


def _geometry_of(shape) -> int:
    """A shape as Embree has it, not committed yet. Raises MemoryError."""
    library = _library()
    if isinstance(shape, Caps):
        geometry = library.rtcNewGeometry(_device(), _USER)
        library.rtcSetGeometryUserPrimitiveCount(geometry, len(shape))
        library.rtcSetGeometryUserData(geometry, shape.rows.ctypes.data)
        library.rtcSetGeometryBoundsFunction(geometry, BOUNDS_FUNCTION, None)
        library.rtcSetGeometryIntersectFunction(geometry, INTERSECT_FUNCTION)
        library.rtcSetGeometryOccludedFunction(geometry, OCCLUDED_FUNCTION)
        return geometry
    vertices, triangles = shape
    geometry = library.rtcNewGeometry(_device(), _TRIANGLES)
    for kind, form, rows in (
        (_VERTICES, _FLOAT3, np.ascontiguousarray(vertices, np.float32)),
        (_INDICES, _UINT3, np.ascontiguousarray(triangles, np.uint32)),
    ):
        place = library.rtcSetNewGeometryBuffer(geometry, kind, 0, form, 12, len(rows))
        if not place:
            raise MemoryError("there is not enough memory for the product's meshes")
        ctypes.memmove(place, rows.ctypes.data, rows.nbytes)
    return geometry
