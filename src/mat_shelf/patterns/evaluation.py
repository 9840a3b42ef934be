"""Evaluation of patterns at arrays of points: for thumbnails, bakes, true relief and measurements.

Hits of the renderer run the same programs (`scene.dressing`).
"""

from collections.abc import Callable

import numpy as np

from mat_shelf.document.pattern import Pattern, Placement
from mat_shelf.numerics.kernels import kernel
from mat_shelf.numerics.memory import call_detached
from mat_shelf.optics.color import luminance
from mat_shelf.patterns import interpreter as I  # noqa: E741, N812
from mat_shelf.patterns.interpreter import bind_packet, new_packet, padded, run_program
from mat_shelf.patterns.linking import link
from mat_shelf.patterns.operation import PACKET
from mat_shelf.patterns.points import Points
from mat_shelf.patterns.program import ON_PARTS, Builder, Program, Surroundings
from mat_shelf.patterns.step import NO_CONTEXT, PatternContext, Value

_MAP = np.int64, np.int32, np.float32
"""What the arrays of a geometry map hold, which are read by their addresses: first, count, values."""


def surroundings_of(points: Points) -> Surroundings:
    """Surroundings, for which programs are compiled, of some points.

    Parameters
    ----------
    points : Points
        Points on parts, or on a sheet.

    Returns
    -------
    Surroundings
    """
    if not points.is_flat or not len(points):
        return ON_PARTS._replace(footprint=points.footprint)
    low, high = points.position.min(axis=0), points.position.max(axis=0)
    return Surroundings(True, points.footprint, tuple(((low + high) / 2).tolist()))


def evaluate(
    pattern: Pattern, points: Points, context: PatternContext = NO_CONTEXT, until: int | None = None
) -> np.ndarray:
    """The values of a pattern.

    Parameters
    ----------
    pattern : Pattern
        The pattern.
    points : Points
        Points on parts.
    context : PatternContext
        Other patterns and images that it refers to.
    until : int, optional
        Number of steps to go through; all by default.

    Returns
    -------
    (N,) or (N, 3) float32
        A grey or a colour (linear Rec.709). Usually, but not always, in [0, 1].

    Raises
    ------
    RecursionError
        If patterns use each other; a valid recipe has none such.
    """
    return evaluate_values(lambda code: (code.pattern(pattern, until),), points, context)[0]


def evaluate_values(write: Callable[[Builder], tuple[Value, ...]], points: Points, context) -> list[np.ndarray]:
    """Values of a program at some points.

    Parameters
    ----------
    write : callable (Builder) -> tuple of Value
        Writes the program; the values are what is asked for.
    points : Points
        Points on parts.
    context : PatternContext
        Other patterns and images that it refers to.

    Returns
    -------
    list of (N,) or (N, 3) float32
    """
    code = Builder(context, surroundings_of(points))
    values = write(code)
    column = 0
    for value in values:
        for k in range(value.channels):
            code.emit(I.STORE, value.row + k, column + k)
        column += value.channels
    out, _ = run_over(code.finish(), points, column)
    found, column = [], 0
    for value in values:
        some = out[:, column] if value.channels == 1 else out[:, column : column + value.channels]
        found.append(np.ascontiguousarray(some))
        column += value.channels
    return found


def places_in(placement: Placement, points: Points) -> np.ndarray:
    """Places of points in a layout, (N, 3) float32, in sizes; of several the first.

    Parameters
    ----------
    placement : Placement
        Placement of a pattern.
    points : Points
        Points on parts.

    Returns
    -------
    (N, 3) float32
    """
    return evaluate_values(lambda code: (Value(code.layout(placement), 3),), points, NO_CONTEXT)[0]


def run_over(program: Program, points: Points, columns: int) -> tuple[np.ndarray, np.ndarray]:
    """Runs a program over points.

    Parameters
    ----------
    program : Program
        The program.
    points : Points
        Points on parts.
    columns : int
        How many values it stores.

    Returns
    -------
    out : (N, columns) float32
    normals : (N, 3) float32
        Bent normals; none, (0, 3), of a program that bends none.
    """
    count = len(points)
    bends = (program.code[:, 0] == I.TILT).any()
    out, normals = np.empty((count, columns), np.float32), np.empty((count if bends else 0, 3), np.float32)
    if not count:
        return out, normals
    pool = link([program])
    kept = bind_maps(pool, [program], points.hits and points.hits[0])
    frames = points.frames._replace(
        **{
            name: np.ascontiguousarray(column, np.int32 if name == "salt" else np.float32)
            for name, column in points.frames._asdict().items()
        }
    )
    nothing = np.zeros(0)
    triangle, u, v = points.hits[1:] if points.hits else (nothing, nothing, nothing)
    uv, slope = nothing.reshape(0, 2), nothing.reshape(0, 6)
    if program.reads_uv:
        uv = points.uv
        slope = np.zeros((count, 6)) if points.uv_slope is None else points.uv_slope.reshape(count, 6)
    wide = (points.position, points.normal, uv, slope, points.cosine, u, v)
    position, normal, uv, slope, cosine, u, v = (np.ascontiguousarray(column, np.float32) for column in wide)
    part, triangle = (np.ascontiguousarray(column, np.int32) for column in (points.part, triangle))
    packet, index = new_packet(program.registers), np.arange(count, dtype=np.int32)
    run = run_program.address(pool, 0, packet, frames, 0, index, out, normals)
    evaluate_kernel(
        run,
        pool,
        packet,
        frames,
        position,
        normal,
        uv,
        slope,
        part,
        cosine,
        triangle,
        u,
        v,
        index,
        out,
        normals,
    )
    del kept
    return out, normals


def bind_maps(pool, programs, lookup) -> list:
    """Writes the addresses of geometry maps into a pool.

    Parameters
    ----------
    pool : Pool
        The programs, linked; its resources are written.
    programs : sequence of Program
        The same by themselves.
    lookup : object or None
        Has ``arrays(kind, radius)``, the arrays of a geometry map of each geometry: first, count, values, first
        triangle; or None for one without.

    Returns
    -------
    list
        What has to be kept as long as the pool is.
    """
    kept = []
    for program, base in zip(programs, pool.bases, strict=True):
        for kind, radius, row in program.maps:
            found = lookup.arrays(kind, radius) if lookup is not None else []
            table = np.zeros((max(len(found), 1), 4), np.int64)
            for geometry, arrays in enumerate(found):
                if arrays is not None:
                    columns = [np.ascontiguousarray(a, dtype) for a, dtype in zip(arrays, _MAP, strict=False)]
                    table[geometry] = [*(column.ctypes.data for column in columns), arrays[3]]
                    kept.append(columns)
            kept.append(table)
            pool.resources[base[4] + row, :2] = table.ctypes.data, len(found)
    return kept


@kernel
def evaluate_kernel(
    run, pool, packet, frames, position, normal, uv, slope, part, cosine, triangle, u, v, index, out, normals
):
    """Runs the first program of a pool over points.

    Parameters
    ----------
    run : int
        Address of `run_program`.
    pool : Pool
        The program.
    packet : Packet
        Memory of a packet.
    frames : Frames
        Frames of the parts.
    position, normal, uv, slope, part, cosine, triangle, u, v : arrays
        The points, as in `Packet`, (N, ...); what no program reads may be of length 0.
    index : (N,) int32
        Rows of the points.
    out : (N, K) float32
        Receives stored values.
    normals : (N, 3) float32
        Receives bent normals.
    """
    count = position.shape[0]
    bind_packet(packet, frames, pool)
    for first in range(0, count, PACKET):
        some = min(PACKET, count - first)
        for j in range(padded(some)):
            i = first + min(j, some - 1)
            for k in range(3):
                packet.position[j, k] = position[i, k]
                packet.normal[j, k] = normal[i, k]
            packet.part[j], packet.cosine[j] = part[i], cosine[i]
            if slope.shape[0] > 0:
                packet.uv[j, 0], packet.uv[j, 1] = uv[i, 0], uv[i, 1]
                for k in range(6):
                    packet.slope[j, k] = slope[i, k]
            if triangle.shape[0] > 0:
                packet.triangle[j], packet.u[j], packet.v[j] = triangle[i], u[i], v[i]
        call_detached(
            run, (pool, np.int64(0), packet, frames, np.int64(some), index[first : first + some], out, normals)
        )


def grey(values: np.ndarray) -> np.ndarray:
    """Values as grey, (N,): the luminance of colours (Rec.709).

    Parameters
    ----------
    values : (N,) or (N, 3) float32
        Values.

    Returns
    -------
    (N,)
    """
    return values if values.ndim == 1 else luminance(values)


def is_colored(pattern: Pattern, context: PatternContext) -> bool:
    """True if a pattern gives colours rather than greys.

    Parameters
    ----------
    pattern : Pattern
        The pattern.
    context : PatternContext
        Other patterns and images that it refers to.

    Returns
    -------
    bool
    """
    return Builder(context).pattern(pattern).channels == 3
