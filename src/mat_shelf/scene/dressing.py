"""Dressing: what marks, overlays and patterns make of the points of a wave.

Each point gets a look, that of what is uppermost there: an overlay that lies over marks, a mark or what lies over it,
an overlay below marks, or the material. Looks that patterns feed have a program, which runs over the points that have
the look, packet by packet, and gives each a row of the parameter block of its own.
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
from mat_shelf.scene.recipe_program import (
    OverlayBinding,
    coverage_program,
    height_program,
    recipe_program,
    relief_program,
)

Dressing = namedtuple("Dressing", "run pool material_of materials groups mark_groups looks marks")
"""What dresses points.

run : int, address of `interpreter.run_program`
pool : interpreter.Pool, with geometry maps bound
material_of : (M,) int32, for each row of the parameter block the number of its material below; -1 where it is plain
materials : (F, 3) int32, for each its look, and its groups of overlays over and below marks (-1 for none)
groups : (Q, 4) int32, overlays that are chosen from together: their program of coverage, the first of their looks, how
many they are, and whether the program reads texture coordinates
mark_groups : (K,) int32, the group of what lies over each mark (-1 for none)
looks : (L, 5) int32, for each its row of the parameter block; its program; the program of the relief below it that it
lies on (-1 for none); whether its points get rows of their own; whether programs read texture coordinates
marks : MarkTables
"""
ROW, PROGRAM, BELOW, OWN, BY_UV = range(5)
_LOOK, _OVER, _UNDER = range(3)
_COVERAGE, _FIRST, _MANY, _COVERAGE_BY_UV = range(4)
_OVER_MARKS = 64
"""Number of the first choice among overlays over marks; those of the others begin at 0."""

DressingMemory = namedtuple("DressingMemory", "packet look group order starts covers position facing color tilt")
"""What a thread needs to dress a wave of N points.

packet : interpreter.Packet
look, group, order : (N,) int32; starts : (max(L, Q) + 2,) int32
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
    shows_heights : bool
        Whether points get the height of their relief instead of all else that patterns make.
    """

    def __init__(self, fed: Sequence[TexturedMaterial], marks, rows: int, geometries: int, shows_heights=False):
        self._shows_heights = shows_heights
        self._programs: list[Program] = []
        self._made_looks: list[list[int]] = []
        self._made_groups: list[tuple] = []
        materials = []
        material_of = np.full(rows, -1, np.int32)
        for row, recipe, context, overlays in fed:
            material_of[row] = len(materials)
            look = self._look(row, recipe, context)
            sides = ([lying for lying in overlays if lying.overlay.is_over_marks is over] for over in (True, False))
            materials.append((look, *(self._group(recipe, context, side) for side in sides)))
        first = len(self._made_looks)
        for laid in marks:
            self._made_looks[self._look(laid.row, laid.recipe, laid.context)][OWN] = 1
        mark_groups = [self._group(laid.recipe, laid.context, laid.overlays) for laid in marks]
        self._material_of = material_of
        self._materials = np.array(materials, np.int32).reshape(-1, 3)
        self._groups = np.array(self._made_groups, np.int32).reshape(-1, 4)
        self._mark_groups = np.array(mark_groups, np.int32)
        self._looks = np.array(self._made_looks, np.int32).reshape(-1, 5)
        self._marks = mark_tables(marks, geometries, first)
        self._pool = link(self._programs)
        self.registers = max((program.registers for program in self._programs), default=1)
        self.most_overlays = max((group[_MANY] for group in self._made_groups), default=0)
        self.has_patterns, self.has_marks = bool(len(fed)), bool(len(marks))
        self.dresses = self.has_patterns or self.has_marks
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

    def _look(self, row: int, recipe: Recipe, context: PatternContext) -> int:
        """Number of a new look."""
        program = (height_program if self._shows_heights else recipe_program)(recipe, context)
        by_uv = program is not None and program.reads_uv
        has_own = program is not None if self._shows_heights else bool(recipe.feeds)
        self._made_looks.append([row, self._add(program), -1, has_own, by_uv])
        return len(self._made_looks) - 1

    def _group(self, recipe: Recipe, context: PatternContext, overlays: Sequence[OverlayBinding]) -> int:
        """Number of the group of overlays over a recipe; -1 for none."""
        if not overlays:
            return -1
        first, below, cover = len(self._made_looks), relief_program(recipe, context), coverage_program(recipe, overlays)
        for binding in overlays:
            made = self._made_looks[self._look(binding.row, binding.overlay.recipe, binding.context)]
            if binding.overlay.relief == "adds" and below is not None and not self._shows_heights:
                made[BELOW], made[BY_UV] = self._add(below), made[BY_UV] or below.reads_uv
        self._made_groups.append((self._add(cover), first, len(overlays), cover.reads_uv))
        return len(self._made_groups) - 1

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
        materials = self._material_of, self._materials, self._groups, self._mark_groups
        return Dressing(run, pool, *materials, self._looks, self._marks), [kept, self]

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
            *(np.empty(count, np.int32) for _ in range(3)),
            np.empty(max(len(self._looks), len(self._groups)) + 2, np.int32),
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
            t = surface.first[points.part[i]] + max(surface.face[t], 0)
        packet.triangle[j], packet.u[j], packet.v[j] = t, u, v


@inline
def _run(dressing, program, packet, surface, some, index, out, normals):
    arguments = (dressing.pool, np.int64(program), packet, surface.frames, np.int64(some), index, out, normals)
    call_detached(dressing.run, arguments)


@apart
def _choose_overlays(count, points, direction, random, hits, surface, dressing, memory, position, first_choice):
    """Gives points the look of the overlay that is seen there, if one is, out of the groups in `memory.group`."""
    packet, groups, order, starts = memory.packet, dressing.groups, memory.order, memory.starts
    _sort(count, memory.group, groups.shape[0], order, starts)
    for g in range(groups.shape[0]):
        stop, by_uv = starts[g + 1], groups[g, _COVERAGE_BY_UV]
        for first in range(starts[g], stop, PACKET):
            some = min(PACKET, stop - first)
            _load(packet, order, first, some, points, position, hits, direction, surface, by_uv)
            where = dressing.marks.counting[:some]
            _run(dressing, groups[g, _COVERAGE], packet, surface, some, where, memory.covers, points.normal)
            for j in range(some):
                i = order[first + j]
                place = chosen_overlay(memory.covers, j, groups[g, _MANY], random[i], first_choice)
                if place >= 0:
                    memory.look[i] = groups[g, _FIRST] + place


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
    caster : ray_casting.Caster
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
    packet, look, group, looks = memory.packet, memory.look, memory.group, dressing.looks
    marks, materials = dressing.marks, dressing.materials
    own = block[free:]
    position, facing = points.position, points.facing
    if surface.face.shape[0] > 0:
        position, facing = memory.position, memory.facing
        for i in range(count):
            if points.row[i] >= 0:
                t = points.triangle[i]
                if surface.face[t] < 0:
                    store3(position, i, row3(points.position, i))
                    store3(facing, i, row3(points.facing, i))
                    continue
                store3(position, i, between3(surface.corners, t, hits.u[i], hits.v[i]))
                store3(facing, i, facing_of(surface.corners, t))
    bind_packet(packet, surface.frames, dressing.pool)

    has_overlays = False
    for i in range(count):
        look[i], group[i] = -1, -1
        if is_fed and points.row[i] >= 0 and walk[i] < 0 and dressing.material_of[points.row[i]] >= 0:
            group[i] = materials[dressing.material_of[points.row[i]], _OVER]
            has_overlays = has_overlays or group[i] >= 0
    if has_overlays:
        _choose_overlays(
            count, points, direction, random, hits, surface, dressing, memory, position, np.int64(_OVER_MARKS)
        )

    has_overlays = False
    for i in range(count):
        group[i] = -1
        if points.row[i] < 0 or walk[i] >= 0 or look[i] >= 0:
            continue
        if is_marked and is_near_any(marks.first, marks.order, marks.values, points.part[i], row3(position, i)):
            look[i] = find_mark(marks, i, points, position, facing, direction, random[i], caster, memory)
        material = dressing.material_of[points.row[i]]
        if look[i] >= 0:
            group[i] = dressing.mark_groups[look[i] - marks.first_look]
        elif is_fed and material >= 0:
            look[i], group[i] = materials[material, _LOOK], materials[material, _UNDER]
        has_overlays = has_overlays or group[i] >= 0
    if has_overlays:
        _choose_overlays(count, points, direction, random, hits, surface, dressing, memory, position, np.int64(0))

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
            if marks.first_look <= k < marks.first_look + dressing.mark_groups.shape[0]:
                for j in range(some):
                    paint_mark(marks, k - marks.first_look, index[j], memory, points.normal, own)
    if is_marked and marks.stamp_order.shape[0] > 0:
        for i in range(count):
            if points.row[i] < 0 or walk[i] >= 0:
                continue
            if is_near_any(marks.stamp_first, marks.stamp_order, marks.values, points.part[i], row3(position, i)):
                press_stamps(marks, i, points, position, facing, direction, caster)
