"""Dressing: what marks, overlays and patterns make of the points of a wave.

Each point gets a look: that of the topmost mark which covers it, of an overlay, or of its material. Looks that patterns
feed have a program, which runs over the points that have the look, packet by packet, and gives each a row of the
parameter block of its own.
"""

from collections import namedtuple
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from mat_shelf.document.recipe import Recipe
from mat_shelf.numerics.interpolation import between2, between3, between_slopes
from mat_shelf.numerics.kernels import F, apart, inline
from mat_shelf.numerics.memory import call_detached, detached
from mat_shelf.numerics.vectors import dot, facing_of, normalize, row3, store3
from mat_shelf.optics import parameters as P
from mat_shelf.patterns.evaluation import bind_maps
from mat_shelf.patterns.interpreter import bind_packet, new_packet, padded, run_program
from mat_shelf.patterns.linking import link
from mat_shelf.patterns.operation import PACKET
from mat_shelf.patterns.points import Frames
from mat_shelf.patterns.program import Program
from mat_shelf.patterns.step import PatternContext
from mat_shelf.scene.chance import chosen_overlay
from mat_shelf.scene.mark_lookup import find_mark, is_near_any, mark_tables, paint_mark, press_stamps
from mat_shelf.scene.recipe_program import OverlayBinding, coverage_program, recipe_program, relief_program

Dressing = namedtuple("Dressing", "run pool material_of materials looks marks")
"""What dresses points.

run : int, address of `interpreter.run_program`
pool : interpreter.Pool, with geometry maps bound
material_of : (M,) int32, for each row of the parameter block the number of its material below; -1 where it is plain
materials : (F, 5) int32, the look of each, its program of coverage (-1 for none), the first look of its overlays, how
many it has, and whether the program reads texture coordinates
looks : (L, 5) int32, for each its row of the parameter block; its program; the program of the relief below it that it
lies on (-1 for none); whether its points get rows of their own; whether programs read texture coordinates
marks : MarkTables
"""
ROW, PROGRAM, BELOW, OWN, BY_UV = range(5)

DressingMemory = namedtuple("DressingMemory", "packet look order starts covers position facing color tilt")
"""What a thread needs to dress a wave of N points.

packet : interpreter.Packet
look, order : (N,) int32; starts : (L + F + 2,) int32
covers : (PACKET, most_overlays) float32
position, facing : (N, 3) float32, of the points where they were before true relief moved them
color, tilt : (N, 3) float32, colour of marks, and what their rims bend normals by
"""


class TexturedMaterial(NamedTuple):
    """A material that patterns feed, or that something lies over.

    Attributes
    ----------
    row : int
        Its row of the parameter block.
    recipe : Recipe
    context : PatternContext
    overlays : tuple of OverlayBinding
        The lowest first.
    """

    row: int
    recipe: Recipe
    context: PatternContext
    overlays: tuple[OverlayBinding, ...] = ()


class Dresser:
    """Programs and marks of a scene's materials, ready to be bound.

    Parameters
    ----------
    fed : sequence of TexturedMaterial
        Materials that patterns feed, or that something lies over.
    marks : sequence of PlacedMark
        The lowest first.
    rows : int
        Rows of the parameter block.
    geometries : int
        Number of geometries.
    """

    def __init__(self, fed: Sequence[TexturedMaterial], marks, rows: int, geometries: int):
        self._programs: list[Program] = []
        looks: list[list[int]] = []
        materials = []
        material_of = np.full(rows, -1, np.int32)
        for row, recipe, context, overlays in fed:
            material_of[row] = len(materials)
            looks.append(self._look(row, recipe, context))
            first = len(looks)
            below = relief_program(recipe, context)
            for binding in overlays:
                made = self._look(binding.row, binding.overlay.recipe, binding.context)
                if binding.overlay.relief == "adds" and below is not None:
                    made[BELOW], made[BY_UV] = self._add(below), made[BY_UV] or below.reads_uv
                looks.append(made)
            cover = coverage_program(recipe, overlays) if overlays else None
            materials.append((first - 1, self._add(cover), first, len(overlays), cover is not None and cover.reads_uv))
        first = len(looks)
        for laid in marks:
            looks.append(self._look(laid.row, laid.recipe, laid.context))
            looks[-1][OWN] = 1
        self._material_of = material_of
        self._materials = np.array(materials, np.int32).reshape(-1, 5)
        self._looks = np.array(looks, np.int32).reshape(-1, 5)
        self._marks = mark_tables(marks, geometries, first)
        self._pool = link(self._programs)
        self.registers = max((program.registers for program in self._programs), default=1)
        self.most_overlays = max((len(textured.overlays) for textured in fed), default=0)
        self.has_patterns, self.has_marks = bool(len(fed)), bool(len(marks))
        self.kept = tuple(marks)

    def _add(self, program: Program | None) -> int:
        """Number of a program; -1 for none."""
        if program is None:
            return -1
        for number, known in enumerate(self._programs):
            if known is program:
                return number
        self._programs.append(program)
        return len(self._programs) - 1

    def _look(self, row: int, recipe: Recipe, context: PatternContext) -> list[int]:
        program = recipe_program(recipe, context)
        return [row, self._add(program), -1, bool(recipe.feeds), program is not None and program.reads_uv]

    def bind(self, maps, frames: Frames) -> tuple[Dressing, list]:
        """Arrays that kernels read, with geometry maps as far as they are made.

        Parameters
        ----------
        maps : GeometryMapLookup or None
            Geometry maps of the scene.
        frames : Frames
            Frames of its parts.

        Returns
        -------
        dressing : Dressing
        kept : list
            What has to be kept as long as it is used.
        """
        pool = self._pool._replace(resources=self._pool.resources.copy())
        kept = bind_maps(pool, self._programs, maps)
        packet, out, index, run = new_packet(1), np.empty((0, 1), F), np.empty(0, np.int32), 0
        if self._programs:
            run = run_program.address(pool, 0, packet, frames, 0, index, out, out)
        dressing = Dressing(run, pool, self._material_of, self._materials, self._looks, self._marks)
        return dressing, [kept, self]

    def memory(self, count: int) -> DressingMemory:
        """Memory to dress waves of so many points.

        Parameters
        ----------
        count : int
            Points in a wave.

        Returns
        -------
        DressingMemory
        """
        triples = (np.empty((count, 3), F) for _ in range(4))
        return DressingMemory(
            new_packet(self.registers),
            np.empty(count, np.int32),
            np.empty(count, np.int32),
            np.empty(len(self._looks) + len(self._materials) + 2, np.int32),
            np.empty((PACKET, max(self.most_overlays, 1)), F),
            *triples,
        )


@apart
def _sort(count, keys, most, order, starts):
    """Sorts the points of a wave by keys from 0 to most - 1, others left out: a counting sort."""
    for k in range(most + 1):
        starts[k] = 0
    for i in range(count):
        if keys[i] >= 0:
            starts[keys[i] + 1] += 1
    for k in range(most):
        starts[k + 1] += starts[k]
    for i in range(count):
        if keys[i] >= 0:
            order[starts[keys[i]]] = i
            starts[keys[i]] += 1
    for k in range(most, 0, -1):
        starts[k] = starts[k - 1]
    starts[0] = 0


@apart
def _load(packet, order, first, some, points, position, hits, direction, surface, by_uv):
    """Brings points of a wave into a packet, the last one again and again to fill it up."""
    geometries = surface.frames.salt.shape[0] - 1
    for j in range(padded(some)):
        i = order[first + min(j, some - 1)]
        store3(packet.position, j, row3(position, i))
        n = normalize(row3(points.normal, i))
        store3(packet.normal, j, n)
        packet.cosine[j] = -dot(n, row3(direction, i))
        packet.part[j] = min(points.part[i], geometries)
        t, u, v = points.triangle[i], hits.u[i], hits.v[i]
        if by_uv > 0 and surface.uv.shape[0] > 0:
            uv, one, other = between_slopes(surface.corners, surface.uv, t, u, v)
            packet.uv[j, 0], packet.uv[j, 1] = uv
            packet.slope[j, 0], packet.slope[j, 1], packet.slope[j, 2] = one
            packet.slope[j, 3], packet.slope[j, 4], packet.slope[j, 5] = other
        if surface.face.shape[0] > 0:
            u, v = between2(surface.place, t, u, v)
            t = surface.first[points.part[i]] + surface.face[t]
        packet.triangle[j], packet.u[j], packet.v[j] = t, u, v


@inline
def _run(dressing, program, packet, surface, some, index, out, normals):
    arguments = (dressing.pool, np.int64(program), packet, surface.frames, np.int64(some), index, out, normals)
    call_detached(dressing.run, arguments)


@detached
def dress_points(
    count, points, direction, walk, random, hits, caster, surface, dressing, memory, block, free, is_marked, is_fed
):
    """Gives the points of a wave the rows to shade with, and bends their normals.

    Parameters
    ----------
    count : int
        Points in the wave.
    points : wave_state.ShadingPoints
        `look` and `normal` are changed.
    direction : (N, 3) float32
        Directions of the paths.
    walk : (N,) int32
        Body that each path walks in, whose walls have no looks; -1 for none.
    random : (N,) uint32
        States of the paths, which are not advanced.
    hits : wave_state.Hits
        Hits of the wave.
    caster : embree.Caster
        Memory for rays at marks.
    surface : geometry.SurfaceTables
        What surfaces were before true relief, and their texture coordinates.
    dressing : Dressing
        Marks, materials and their programs.
    memory : DressingMemory
        Memory for N points.
    block : (M + N, WIDTH) float32
        Parameter block; the point i may write the row `free` + i.
    free : int
        First of the rows of points.
    is_marked, is_fed : bool
        Whether marks count, and patterns of materials.
    """
    packet, look, looks, materials = memory.packet, memory.look, dressing.looks, dressing.materials
    marks = dressing.marks
    own = block[free:]
    position, facing = points.position, points.facing
    if surface.face.shape[0] > 0:
        position, facing = memory.position, memory.facing
        for i in range(count):
            if points.row[i] >= 0:
                t = points.triangle[i]
                store3(position, i, between3(surface.corners, t, hits.u[i], hits.v[i]))
                store3(facing, i, facing_of(surface.corners, t))
    bind_packet(packet, surface.frames, dressing.pool)

    has_overlays = False
    for i in range(count):
        look[i] = -1
        if points.row[i] < 0 or walk[i] >= 0:
            continue
        if is_marked and is_near_any(marks.first, marks.order, marks.values, points.part[i], row3(position, i)):
            look[i] = find_mark(marks, i, points, position, facing, direction, random[i], caster, memory)
        if look[i] < 0 and is_fed:
            material = dressing.material_of[points.row[i]]
            if material >= 0:
                has_overlays = has_overlays or materials[material, 3] > 0
                look[i] = looks.shape[0] + material if materials[material, 3] > 0 else materials[material, 0]

    if has_overlays:
        many = looks.shape[0] + materials.shape[0]
        _sort(count, look, many, memory.order, memory.starts)
        for f in range(materials.shape[0]):
            stop = memory.starts[looks.shape[0] + f + 1]
            for first in range(memory.starts[looks.shape[0] + f], stop, PACKET):
                some = min(PACKET, stop - first)
                _load(packet, memory.order, first, some, points, position, hits, direction, surface, materials[f, 4])
                where = marks.counting[:some]
                _run(dressing, materials[f, 1], packet, surface, some, where, memory.covers, points.normal)
                for j in range(some):
                    i = memory.order[first + j]
                    place = chosen_overlay(memory.covers, j, materials[f, 3], random[i])
                    look[i] = materials[f, 0] if place < 0 else materials[f, 2] + place

    _sort(count, look, looks.shape[0], memory.order, memory.starts)
    for k in range(looks.shape[0]):
        stop = memory.starts[k + 1]
        row, program, below, by_uv = looks[k, ROW], looks[k, PROGRAM], looks[k, BELOW], looks[k, BY_UV]
        for first in range(memory.starts[k], stop, PACKET):
            some = min(PACKET, stop - first)
            index = memory.order[first : first + some]
            for j in range(some):
                i = index[j]
                points.look[i] = row
                if looks[k, OWN] > 0:
                    points.look[i] = free + i
                    for column in range(P.WIDTH):
                        own[i, column] = block[row, column]
            if below >= 0:
                _load(packet, memory.order, first, some, points, position, hits, direction, surface, by_uv)
                _run(dressing, below, packet, surface, some, index, own, points.normal)
            if program >= 0:
                _load(packet, memory.order, first, some, points, position, hits, direction, surface, by_uv)
                _run(dressing, program, packet, surface, some, index, own, points.normal)
            if k >= marks.first_look:
                for j in range(some):
                    paint_mark(marks, k - marks.first_look, index[j], memory, points.normal, own)
    if is_marked and marks.stamp_order.shape[0] > 0:
        for i in range(count):
            if points.row[i] < 0 or walk[i] >= 0:
                continue
            if is_near_any(marks.stamp_first, marks.stamp_order, marks.values, points.part[i], row3(position, i)):
                press_stamps(marks, i, points, position, facing, direction, caster)
