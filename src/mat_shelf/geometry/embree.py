"""Embree, called by kernels: the library that the embreex package carries, without a Python object a ray.

embreex's own loop takes a quarter as long again as Embree itself, and copies meshes triangle by triangle.

References
----------
Wald et al. 2014, Embree: A Kernel Framework for Efficient CPU Ray Tracing. Embree 4 API, embree.github.io.
"""

import ctypes
from collections import namedtuple
from ctypes import c_char_p, c_int, c_size_t, c_ssize_t, c_uint, c_void_p
from functools import cache
from pathlib import Path
from threading import Lock

import embreex
import numpy as np
from llvmlite import ir
from numba.core import cgutils, types
from numba.extending import intrinsic

from mat_shelf.geometry.caps import BOUNDS_FUNCTION, INTERSECT_FUNCTION, OCCLUDED_FUNCTION, Caps
from mat_shelf.numerics.kernels import F, inline, kernel
from mat_shelf.numerics.vectors import row3
from mat_shelf.system.processors import in_parts

_TRIANGLES, _USER, _INDICES, _VERTICES, _UINT3, _FLOAT3 = 0, 120, 0, 1, 0x5003, 0x9003
_DYNAMIC, _ROBUST = 1 << 0, 1 << 2
_LOW, _MEDIUM = 0, 1
"""Build qualities: low for a scene makes it one tree over those of its geometries, each of which is a good one."""
FAR = F(1e37)
_MANY_RAYS = 8192
"""So many are worth several threads."""
_RECORD, _ALIGNED = 32, 64
"""Numbers in the record of a ray and its hit (RTCRayHit), and bytes that it is aligned to."""
_ORIGIN, _DIRECTION, _REACH, _MASK, _FLAGS = 0, 4, 8, 9, 11
_U, _V, _PRIMITIVE, _GEOMETRY, _INSTANCE = 15, 16, 17, 18, 19
"""Places in that record, as rtcore_ray.h of Embree 4 has them. Behind the origin stands the least distance that counts,
behind the direction the time."""
_VERSION_PROPERTY, _MAJOR = 0, 4

Caster = namedtuple("Caster", "nearest any scene record words")
"""What kernels cast rays with.

nearest, any : int, addresses of Embree's functions
scene : int, address of the scene
record : (_RECORD,) float32, a ray and its hit as Embree has them; words : the same memory, as int32
"""

LANES = 16
"""Rays in a bundle."""
_COHERENT, _ALL_FEATURES = 1 << 16, 0xFFFFFFFF
Bundle = namedtuple("Bundle", "nearest scene record words valid arguments")
"""What kernels cast rays with that go much the same way, so many at once.

nearest : int, address of Embree's function; scene : int, address of the scene
record : (22, LANES) float32, as of a `Caster`, each number of all rays together; words : the same memory, as int32
valid : (LANES,) int32, -1 for each ray; arguments : (8,) int64, RTCIntersectArguments
"""


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
        record = _aligned(_RECORD)
        return Caster(self._nearest, self._any, self._scene, record, record.view(np.int32))

    def bundle(self) -> Bundle:
        """Handle that kernels cast many rays at once with; of meshes only, and of each thread its own.

        Returns
        -------
        Bundle
        """
        record = _aligned(22 * LANES).reshape(22, LANES)
        words, arguments = record.view(np.int32), np.zeros(8, np.int64)
        arguments.view(np.uint32)[:2] = _COHERENT, _ALL_FEATURES
        words[_MASK] = -1
        valid = _aligned(LANES).view(np.int32)
        valid[:] = -1
        return Bundle(_address("rtcIntersect16"), self._scene, record, words, valid, arguments)

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


def _aligned(count: int) -> np.ndarray:
    """Numbers, all 0, that begin where Embree wants them to."""
    room = np.zeros(count + _ALIGNED // 4, np.float32)
    first = -(room.ctypes.data // 4) % (_ALIGNED // 4)
    return room[first : first + count]


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


@intrinsic
def _call(typing_context, function, scene, record):
    """Calls a C function ``void (scene, record, NULL)`` by its address."""

    def generate(context, builder, signature, arguments):
        pointer = cgutils.voidptr_t
        made = ir.FunctionType(ir.VoidType(), [pointer, pointer, pointer])
        address, scene_at, record_at = arguments
        callee = builder.inttoptr(address, made.as_pointer())
        nothing = ir.Constant(pointer, None)
        builder.call(callee, [builder.inttoptr(scene_at, pointer), builder.inttoptr(record_at, pointer), nothing])
        return context.get_dummy_value()

    return types.void(types.int64, types.int64, types.int64), generate


@intrinsic
def _call_many(typing_context, function, valid, scene, record, arguments):
    """Calls a C function ``void (valid, scene, record, arguments)`` by its address."""

    def generate(context, builder, signature, arguments):
        pointer = cgutils.voidptr_t
        made = ir.FunctionType(ir.VoidType(), [pointer] * 4)
        callee = builder.inttoptr(arguments[0], made.as_pointer())
        builder.call(callee, [builder.inttoptr(address, pointer) for address in arguments[1:]])
        return context.get_dummy_value()

    return types.void(*[types.int64] * 5), generate


@intrinsic
def _store4(typing_context, address, a, b, c, d):
    """Stores four float32 at once: Embree reads them so, and would wait for four that were stored by themselves."""

    def generate(context, builder, signature, arguments):
        four = ir.VectorType(ir.FloatType(), 4)
        value = ir.Constant(four, ir.Undefined)
        for place, number in enumerate(arguments[1:]):
            value = builder.insert_element(value, number, ir.Constant(ir.IntType(32), place))
        builder.store(value, builder.inttoptr(arguments[0], four.as_pointer()), align=16)
        return context.get_dummy_value()

    return types.void(types.int64, *[types.float32] * 4), generate


@inline
def _aim(caster, origin, direction, reach):
    record, words = caster.record, caster.words
    _store4(record.ctypes.data + 4 * _ORIGIN, origin[0], origin[1], origin[2], F(0))
    _store4(record.ctypes.data + 4 * _DIRECTION, direction[0], direction[1], direction[2], F(0))
    record[_REACH] = reach
    words[_MASK] = -1
    words[_FLAGS] = 0


@inline
def nearest(caster, origin, direction, reach):
    """First hit of a ray.

    Parameters
    ----------
    caster : Caster
    origin, direction : float32 triple; the direction of unit length
    reach : float32, mm

    Returns
    -------
    geometry, primitive : int32, -1 where nothing is nearer than `reach`
    u, v, distance : float32
    """
    _aim(caster, origin, direction, reach)
    record, words = caster.record, caster.words
    words[_GEOMETRY] = -1
    words[_INSTANCE] = -1
    _call(caster.nearest, caster.scene, record.ctypes.data)
    if words[_GEOMETRY] < 0:
        return words[_GEOMETRY], np.int32(-1), F(0), F(0), reach
    return words[_GEOMETRY], words[_PRIMITIVE], record[_U], record[_V], record[_REACH]


@inline
def aim_lane(bundle, k, origin, direction):
    """Sets ray k of a bundle.

    Parameters
    ----------
    bundle : Bundle
    k : int
    origin, direction : float32 triple
        mm; the direction of unit length.
    """
    record = bundle.record
    for axis in range(3):
        record[_ORIGIN + axis, k] = origin[axis]
        record[_DIRECTION + axis, k] = direction[axis]


@inline
def cast_lanes(bundle, reach):
    """Casts all rays of a bundle.

    Parameters
    ----------
    bundle : Bundle
    reach : float32
        Distance that counts, mm.
    """
    record, words = bundle.record, bundle.words
    for k in range(LANES):
        record[_REACH, k] = reach
        words[_GEOMETRY, k] = -1
        words[_INSTANCE, k] = -1
    addresses = bundle.valid.ctypes.data, bundle.scene, record.ctypes.data, bundle.arguments.ctypes.data
    _call_many(bundle.nearest, addresses[0], addresses[1], addresses[2], addresses[3])


@inline
def hit_of_lane(bundle, k):
    """Ray k of a bundle, and its first hit.

    Parameters
    ----------
    bundle : Bundle
        After `cast_lanes`.
    k : int

    Returns
    -------
    origin, direction : float32 triple
    hit : tuple of 5
        As `nearest` has it.
    """
    record, words = bundle.record, bundle.words
    origin = record[_ORIGIN, k], record[_ORIGIN + 1, k], record[_ORIGIN + 2, k]
    direction = record[_DIRECTION, k], record[_DIRECTION + 1, k], record[_DIRECTION + 2, k]
    geometry, reach = words[_GEOMETRY, k], record[_REACH, k]
    if geometry < 0:
        return origin, direction, (geometry, np.int32(-1), F(0), F(0), reach)
    return origin, direction, (geometry, words[_PRIMITIVE, k], record[_U, k], record[_V, k], reach)


@inline
def is_blocked(caster, origin, direction, reach):
    """True if a ray meets anything nearer than `reach`, mm.

    Parameters
    ----------
    caster : Caster
        Handle of `embree.Scene.caster`.
    origin : float32 triple
        Origin of the ray, mm.
    direction : float32 triple
        Unit direction.
    reach : float32
        Distance that counts, mm.

    Returns
    -------
    bool
    """
    _aim(caster, origin, direction, reach)
    _call(caster.any, caster.scene, caster.record.ctypes.data)
    return caster.record[_REACH] < F(0)


@kernel
def intersect_kernel(caster, origins, directions, reach, geometry, primitive, u, v, distance):
    """Nearest hits of many rays.

    Parameters
    ----------
    caster : Caster
        Handle of `embree.Scene.caster`.
    origins : (N, 3) float32
        Origins of the rays, mm.
    directions : (N, 3) float32
        Unit directions.
    reach : float32
        Distance that counts, mm.
    geometry : (N,) int32
        Receives the geometry, -1 where nothing is met.
    primitive : (N,) int32
        Triangle within its geometry.
    u, v : (N,) float32
        Barycentric coordinate.
    distance : (N,) float32
        Receives the distances, mm.
    """
    for i in range(origins.shape[0]):
        hit = nearest(caster, row3(origins, i), row3(directions, i), reach)
        geometry[i], primitive[i], u[i], v[i], distance[i] = hit


@kernel
def occluded_kernel(caster, origins, directions, distances, blocked):
    """Rays with anything in the way.

    Parameters
    ----------
    caster : Caster
        Handle of `embree.Scene.caster`.
    origins : (N, 3) float32
        Origins of the rays, mm.
    directions : (N, 3) float32
        Unit directions.
    distances : (N,) float32
        Distances, mm.
    blocked : (N,) int32
        Receives 1 where something is in the way.
    """
    for i in range(origins.shape[0]):
        blocked[i] = 0 if is_blocked(caster, row3(origins, i), row3(directions, i), distances[i]) else -1
