"""Rays that kernels cast at a scene of Embree: one by one, or many that go much the same way at once.

References
----------
Embree 4 API, embree.github.io.
"""

from collections import namedtuple

import numpy as np
from llvmlite import ir
from numba.core import cgutils, types
from numba.extending import intrinsic

from mat_shelf.numerics.kernels import F, inline, kernel
from mat_shelf.numerics.vectors import row3

FAR = F(1e37)
_RECORD, _ALIGNED = 32, 64
"""Numbers in the record of a ray and its hit (RTCRayHit), and bytes that it is aligned to."""
_ORIGIN, _DIRECTION, _REACH, _MASK, _FLAGS = 0, 4, 8, 9, 11
_U, _V, _PRIMITIVE, _GEOMETRY, _INSTANCE = 15, 16, 17, 18, 19
"""Places in that record, as rtcore_ray.h of Embree 4 has them. Behind the origin stands the least distance that counts,
behind the direction the time."""

Caster = namedtuple("Caster", "nearest any scene record words")
"""What kernels cast rays with.

nearest, any : int, addresses of Embree's functions
scene : int, address of the scene
record : (_RECORD,) float32, a ray and its hit as Embree has them; words : the same memory, as int32
"""

LANES, _NUMBERS = 16, 22
"""Rays in a bundle, and numbers of each (RTCRayHit16)."""
_COHERENT, _ALL_FEATURES = 1 << 16, 0xFFFFFFFF
Bundle = namedtuple("Bundle", "nearest scene record words valid arguments")
"""What kernels cast rays with that go much the same way, so many at once.

nearest : int, address of Embree's function; scene : int, address of the scene
record : (_NUMBERS, LANES) float32, as of a `Caster`, each number of all rays together; words : the same, as int32
valid : (LANES,) int32, -1 for each ray; arguments : (8,) int64, RTCIntersectArguments
"""


def new_caster(nearest: int, any_hit: int, scene: int) -> Caster:
    """Handle that kernels cast rays with.

    Parameters
    ----------
    nearest, any_hit : int
        Addresses of Embree's functions.
    scene : int
        Address of the scene.

    Returns
    -------
    Caster
    """
    record = _aligned(_RECORD)
    return Caster(nearest, any_hit, scene, record, record.view(np.int32))


def new_bundle(nearest: int, scene: int) -> Bundle:
    """Handle that kernels cast many rays at once with.

    Parameters
    ----------
    nearest : int
        Address of Embree's function for `LANES` rays.
    scene : int
        Address of the scene.

    Returns
    -------
    Bundle
    """
    record = _aligned(_NUMBERS * LANES).reshape(_NUMBERS, LANES)
    words, arguments = record.view(np.int32), np.zeros(8, np.int64)
    arguments.view(np.uint32)[:2] = _COHERENT, _ALL_FEATURES
    words[_MASK] = -1
    valid = _aligned(LANES).view(np.int32)
    valid[:] = -1
    return Bundle(nearest, scene, record, words, valid, arguments)


def _aligned(count: int) -> np.ndarray:
    """Numbers, all 0, that begin where Embree wants them to."""
    room = np.zeros(count + _ALIGNED // 4, np.float32)
    first = -(room.ctypes.data // 4) % (_ALIGNED // 4)
    return room[first : first + count]


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
