"""Runs waves of paths over a film, on a few threads.

Each thread takes a run of pixels through all bounces by itself; the kernels and Embree release the GIL. Every pixel's
random numbers come from its own place, sample and seed, so the picture does not depend on the number of threads.
"""

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor, wait
from threading import Lock, get_ident, local
from typing import NamedTuple

import numpy as np

from mat_shelf.numerics.low_discrepancy import even_draws
from mat_shelf.rendering import passes, wave_state
from mat_shelf.rendering.adaptive import is_of_half
from mat_shelf.rendering.film import Film
from mat_shelf.rendering.path_tables import limits_of, tables_of
from mat_shelf.rendering.photon_keeper import PhotonKeeper
from mat_shelf.rendering.photon_map import Aiming
from mat_shelf.rendering.photons import Photons, emit, no_photons
from mat_shelf.rendering.render_task import RenderTask
from mat_shelf.rendering.sums import Sums, new_sums
from mat_shelf.scene.dressing import DressingMemory
from mat_shelf.scene.glow import Glow, glow_of
from mat_shelf.scene.interior_list import interior_at
from mat_shelf.scene.light_faces import Lights
from mat_shelf.scene.lights import aimed_at_all
from mat_shelf.scene.material_table import MaterialTable
from mat_shelf.system.processors import lower_priority, usable_processors

WAVE, PLAIN_WAVE = 1 << 13, 1 << 11
"""Paths in a wave: enough for patterns and marks, of which many points at once are quicker; where there are none, few
enough to stay in the cache nearest to the processor."""
LONGEST_RUN, SHORTEST_RUN = 1 << 14, 1 << 12
"""Pixels that a thread takes at a time, wave by wave: enough that the call for them costs nothing, few enough that it
can stop soon."""
TOGETHER = 8
"""Samples that a pixel gets at once at most: the more, the more of what they meet is in the cache already."""
_HAND = 64
"""Pixels side by side of which a thread takes most at a time, where there are few and they are dealt."""
_WAVES_AT_ONCE = 16
"""Waves of a thread, of samples side by side, that are asked for at once."""
_HANDS = 4
"""Hands that a run of samples side by side is of at least."""
_OTHER_SEED = 7919
"""Added to the seed for what photons do, which is to have nothing to do with what the camera's paths do."""


class Surfaces(NamedTuple):
    """Surfaces that some pixels show; all but the first two are of no meaning where nothing was met.

    Attributes
    ----------
    pixels : (N,) int32
        Places in the picture, row by row.
    part : (N,) int32
        Geometry, -1 where nothing was met.
    material : (N,) int32
        Row of the material that the face wears.
    block : (R, WIDTH) float32
        Parameter block, in which patterns, overlays and marks have made rows of their own; valid during the call only.
    look : (N,) int32
        Row of each pixel in it.
    normals : (N, 3) float32
        Shading normals of the world.
    triangle : (N,) int32
        Row of the triangle.
    """

    pixels: np.ndarray
    part: np.ndarray
    material: np.ndarray
    block: np.ndarray
    look: np.ndarray
    normals: np.ndarray
    triangle: np.ndarray


class _Wave(NamedTuple):
    """Arrays and tables of one wave, as the kernels take them."""

    begin: wave_state.Beginning
    caster: object
    bundle: object
    hits: wave_state.Hits
    points: wave_state.ShadingPoints
    paths: wave_state.Paths
    shadows: wave_state.Shadows
    scene_tables: wave_state.SceneTables
    limits: wave_state.PathLimits
    memory: DressingMemory
    sums: object


class Tracer:
    """Threads and the memory for their waves, kept between passes.

    Parameters
    ----------
    threads : int or None
        Number of threads; all that the process may use by default.
    """

    def __init__(self, threads: int | None = None):
        self.threads = threads or usable_processors()
        self._pool = ThreadPoolExecutor(self.threads, thread_name_prefix="tracer", initializer=lower_priority)
        self._memory = local()
        self._closing, self._is_closed = Lock(), False
        self._photons = PhotonKeeper(self._send)
        self._lit: tuple = (None, None, None)
        self._begins: tuple = (None, None, (), None)
        self._straight: tuple = (None, None)
        self._glow: Glow | None = None  # of the geometry and materials before

    def close(self) -> None:
        """End the threads; what is under way is stopped, as by `is_stopped`."""
        with self._closing:
            self._is_closed = True  # runs that were only cancelled would be waited for without end
        self._pool.shutdown(wait=True)

    def add_samples(
        self,
        task: RenderTask,
        film: Film,
        is_stopped: Callable[[], bool] = lambda: False,
        pixels: np.ndarray | None = None,
        most: int = 1,
    ) -> bool:
        """Adds samples to each of the pixels, or of some of them, that have fewest: as many as they have.

        So a picture doubles its samples until it gets `TOGETHER` at once, whatever came between. It is one at a time
        where each has photons of its own. Where points are dressed it is as many as waves have place for, side by side:
        the more points there are in a wave, the quicker they are dressed.

        Parameters
        ----------
        task : RenderTask
            Scene, camera and settings.
        film : Film
            The film.
        is_stopped : callable () -> bool
            True stops at the next run.
        pixels : (N,) int32, optional
            Those among which it looks; each once.
        most : int
            The most that it adds to a pixel.

        Returns
        -------
        bool
            False where it was stopped; pixels whose samples were not finished are as they were before.
        """
        counts = film.sums.counts if pixels is None else film.sums.counts[pixels]
        if not len(counts):
            return True
        first = int(counts.min())
        if pixels is None and counts.max() == first:
            pixels = np.arange(len(counts), dtype=np.int32)
        else:
            fewest = np.flatnonzero(counts == first).astype(np.int32)
            pixels = fewest if pixels is None else pixels[fewest]
        photons = self._photons.photons(task, (film.width, film.height), first)
        dresses = task.material_table.dresser.dresses
        room = min(_WAVES_AT_ONCE * self.threads * WAVE // len(pixels), WAVE // (_HANDS * _HAND))
        together = 1 if photons.radius > 0 else min(max(first, 1), max(room, 1) if dresses else TOGETHER, most)
        samples = np.arange(first, first + together, dtype=np.int32)
        is_half = np.array([film.halves is not None and is_of_half(sample) for sample in samples])
        abreast = together if dresses else 1
        halves = [samples] if abreast == together else [samples[is_half], samples[~is_half]]
        parts = [(part, *even_draws(part, task.seed)) for part in halves if len(part)]

        def trace(some: np.ndarray, wave: _Wave) -> None:
            """Takes a wave through all its bounces.

            Parameters
            ----------
            some : (N,) int32
                Pixels of the wave.
            wave : _Wave
                Its arrays.
            """
            rows = len(some) * abreast
            for part, draws, salts in parts:
                begin = wave.begin._replace(samples=part, draws=draws, salts=salts)
                passes.trace_paths(rows, *wave._replace(begin=begin))
                for beside in range(abreast):
                    seen = _rows_from(beside * len(some), wave.sums)
                    caught = None if film.caught is None else _rows_from(rows + beside * len(some), wave.sums)
                    film.add(some, len(part) // abreast, is_half[part[beside] - first], seen, caught)

        size = film.width, film.height
        is_whole = self._run_waves(task, size, pixels, samples, photons, trace, is_stopped, abreast=abreast)
        if film.empty is not None and task.empty is not None:
            while len(behind := pixels[film.empty.sums.counts[pixels] < film.sums.counts[pixels]]):
                if not self.add_samples(task.empty, film.empty, pixels=behind, most=together):
                    break
        return is_whole

    def fill(self, task: RenderTask, film: Film, samples: int) -> None:
        """Adds samples to all pixels until each has so many.

        Parameters
        ----------
        task : RenderTask
            Scene, camera and settings.
        film : Film
            The film.
        samples : int
            Samples of each pixel.
        """
        while film.samples < samples:
            self.add_samples(task, film, most=samples - film.samples)

    def look_at_surfaces(
        self,
        task: RenderTask,
        size: tuple[int, int],
        sample: int,
        take: Callable[["Surfaces"], None],
        is_stopped: Callable[[], bool] = lambda: False,
    ) -> bool:
        """Tells what one sample of each pixel meets first, dressed with patterns, overlays and marks.

        Parameters
        ----------
        task : RenderTask
            Scene, camera and settings.
        size : (int, int)
            Pixels across, and from top to bottom.
        sample : int
            Number of the sample.
        take : callable (Surfaces)
            Called by the threads, for some pixels at a time.
        is_stopped : callable () -> bool
            True stops at the next run.

        Returns
        -------
        bool
            False where it was stopped.
        """

        def meet(some: np.ndarray, wave: _Wave) -> None:
            """Takes a wave to the first surfaces.

            Parameters
            ----------
            some : (N,) int32
                Pixels of the wave.
            wave : _Wave
                Its arrays.
            """
            count, points = len(some), wave.points
            passes.trace_paths(count, *wave._replace(limits=wave.limits._replace(waves=0)))
            material = points.row[:count]
            part = np.where(material >= 0, points.part[:count], -1)
            look = np.where(part >= 0, points.look[:count], 0)
            block = wave.scene_tables.block
            take(Surfaces(some, part, material, block, look, points.normal[:count], points.triangle[:count]))

        pixels = np.arange(size[0] * size[1], dtype=np.int32)
        nothing = no_photons(len(task.lights.table), task.geometry.count)
        return self._run_waves(task, size, pixels, [sample], nothing, meet, is_stopped, WAVE)

    def _send(self, task: RenderTask, aiming: Aiming, sent: Photons, sample: int) -> None:
        """Sends the photons of a sample on their way."""

        def carry(some: np.ndarray, wave: _Wave) -> None:
            """Takes a wave to where its photons stay.

            Parameters
            ----------
            some : (N,) int32
                Numbers of the photons.
            wave : _Wave
                Its arrays.
            """
            emit(some, aiming.aims, task.lights, sample, np.uint32(task.seed), wave.paths, sent)
            passes.trace_paths(len(some), *wave)

        numbers = np.arange(len(sent.part), dtype=np.int32)
        self._run_waves(task, (0, 0), numbers, [sample], sent, carry, lambda: False, WAVE, carries=True)

    def _run_waves(
        self, task: RenderTask, size, pixels, samples, photons, run, is_stopped, longest=None, carries=False, abreast=1
    ) -> bool:
        """Hands runs of pixels, with memory for their waves, to the threads; False where it was stopped."""
        lit = task.geometry, task.material_table, task.lights
        if any(known is not now for known, now in zip(self._lit, lit, strict=True)):
            self._lit, self._glow = lit, glow_of(*lit)
        nest, scene_tables, limits = self._begun(task)
        scene_tables = scene_tables._replace(photons=photons, glow=self._glow)
        if carries:
            limits = limits._replace(carries=True, through=False, by_kind=False)
        dresser = task.material_table.dresser
        # Runs of no more than a wave are asked for where all of their paths are looked at together.
        together = PLAIN_WAVE if longest is None and not dresser.dresses else WAVE
        is_bundled = not carries and nest[0] < 0 and not task.geometry.triangles.is_caps.any()
        samples = np.asarray(samples, np.int32)
        even = even_draws(samples, task.seed + (_OTHER_SEED if carries else 0))
        beginning = wave_state.Beginning(*size, samples, abreast, *even, task.seed, nest, is_bundled, together)
        if longest is None:
            longest = WAVE // abreast if abreast > 1 else max(LONGEST_RUN // len(samples), SHORTEST_RUN)

        numbers = np.arange(abreast, dtype=np.uint32)
        waves: dict[int, tuple[int, _Wave]] = {}  # of each thread, and how many pixels they have memory for

        def begin(some: np.ndarray) -> None:
            if self._is_closed or is_stopped():
                return
            size, wave = waves.get(get_ident(), (0, None))
            if size < len(some):
                size, wave = len(some), self._wave(task, len(some) * abreast, beginning, scene_tables, limits)
                waves[get_ident()] = size, wave
            copies = abreast * (2 if task.catches else 1)
            rows, beside = np.tile(some, copies), np.tile(np.repeat(numbers, len(some)), copies // abreast)
            run(some, wave._replace(limits=limits._replace(pixels=rows, beside=beside)))

        runs = []
        with self._closing:  # a pool that is closed takes nothing more
            if not self._is_closed:
                runs = [self._pool.submit(begin, some) for some in _runs(pixels, self.threads, longest)]
        wait(runs)  # all at once: each time that this thread wakes it holds up one of theirs
        for done in runs:
            done.result()
        return not self._is_closed and not is_stopped()

    def _begun(self, task: RenderTask) -> tuple:
        """Things that all waves of a task begin with: what the camera is inside of, tables and limits."""
        shapes = task.geometry.shapes
        if self._begins[0] is not task or self._begins[1] is not shapes:
            dressing, kept = task.material_table.dresser.bind(shapes, task.geometry.frames)
            nest = interior_at(task.view.position, task.geometry, task.material_table.bodies)
            tables = tables_of(task, self._aims(task), dressing)
            self._begins = task, shapes, (nest, tables, limits_of(task, dressing)), kept
        return self._begins[2]

    def _aims(self, task: RenderTask) -> Lights:
        """The lights of a task as rays aim at them: where they go straight, nothing else brings light past glass."""
        if not task.straight:
            return task.lights
        if self._straight[0] is not task.lights:
            self._straight = task.lights, aimed_at_all(task.lights)
        return self._straight[1]

    def _wave_memory(self, size: int, rows: int, layers: int):
        """Arrays of a thread for waves of `size` paths and sums of `rows` pixels, or more."""
        kept = getattr(self._memory, "wave", None)
        if kept is not None:  # photons and the camera's paths take turns, and need more of the one or the other
            size, rows = max(size, len(kept[0].pdf)), max(rows, len(kept[4].counts))
        if kept is None or len(kept[0].pdf) < size or len(kept[4].counts) < rows or kept[4].light.shape[1] != layers:
            kept = (
                wave_state.new_paths(size),
                wave_state.new_shading_points(size),
                wave_state.new_shadows(size),
                wave_state.new_hits(size),
                new_sums(rows, layers),
            )
            self._memory.wave = kept
        return kept

    def _block(self, material_table: MaterialTable, size: int) -> tuple[np.ndarray, DressingMemory]:
        """The parameter block, with rows to spare for single points, and memory to dress them."""
        rows, dresser = len(material_table.parameters), material_table.dresser
        spare = size if dresser.dresses else 0
        owner, block, memory = getattr(self._memory, "block", (None, None, None))
        if owner is not material_table or len(block) < rows + spare:
            block = np.empty((rows + spare, material_table.parameters.shape[1]), np.float32)
            block[:rows] = material_table.parameters
            memory = dresser.memory(spare)
            self._memory.block = material_table, block, memory
        return block, memory

    def _wave(self, task: RenderTask, pixels: int, beginning, scene_tables, limits) -> _Wave:
        """Arrays and tables of a thread for runs of so many pixels."""
        count, rows = min(pixels, beginning.together), pixels * (2 if task.catches else 1)
        paths, points, shadows, hits, sums = self._wave_memory(count, rows, int(limits.layers.max()) + 1)
        block, memory = self._block(task.material_table, count)
        scene_tables = scene_tables._replace(block=block)
        arrays = hits, points, paths, shadows, scene_tables, limits, memory, sums
        return _Wave(beginning, task.geometry.caster(), task.geometry.bundle(), *arrays)


def _rows_from(first: int, sums: Sums) -> Sums:
    return Sums(*(kept[first:] for kept in sums))


def _runs(pixels: np.ndarray, threads: int, longest: int) -> list[np.ndarray]:
    """Runs of pixels for the threads, none longer than the longest, such that all threads end at about the same time.

    Few pixels become few runs, since between two a thread may have to wait for the interface thread: each of a hand of
    every so many pixels, because those that are side by side take equally long. Runs of many become shorter.
    """
    count = len(pixels)
    if count <= 4 * threads * SHORTEST_RUN:
        hand = min(max(count // (8 * threads), 8), _HAND, max(longest // _HANDS, 1))
        turns = threads * -(-count // (threads * (longest // hand * hand)))
        hands, rest = pixels[: count // hand * hand].reshape(-1, hand), pixels[count // hand * hand :]
        runs = [hands[turn::turns].reshape(-1) for turn in range(turns)]
        runs[len(hands) % turns] = np.concatenate([runs[len(hands) % turns], rest])
        return [run for run in runs if len(run)]
    runs, first = [], 0
    while first < count:
        length = min(max((count - first) // threads, SHORTEST_RUN), longest)
        if length > WAVE:  # a short wave at its end would cost as much as one of many paths
            length -= length % WAVE
        runs.append(pixels[first : first + length])
        first += length
    return runs
