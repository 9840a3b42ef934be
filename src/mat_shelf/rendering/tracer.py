"""Runs waves of paths over a film, on a few threads.

Each thread takes a run of pixels through all bounces by itself; the kernels and Embree release the GIL. Every pixel's
random numbers come from its own place, sample and seed, so the picture does not depend on the number of threads.
"""

import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from dataclasses import dataclass
from threading import get_native_id, local

import numpy as np

from mat_shelf.optics.energy import albedo_tables
from mat_shelf.optics.kernels import F
from mat_shelf.rendering import passes
from mat_shelf.rendering.camera import View
from mat_shelf.rendering.feeding import at_rest, dress_mark, feed_wave
from mat_shelf.rendering.film import Film
from mat_shelf.rendering.geometry import Geometry
from mat_shelf.rendering.lights import Lights
from mat_shelf.rendering.marking import mark_wave, marks_reached, stamp_wave
from mat_shelf.rendering.nesting import nest_at
from mat_shelf.rendering.sampling import even_draws
from mat_shelf.rendering.scene import Dressing
from mat_shelf.rendering.wandering import advance

WAVE = 1 << 13
"""Paths in a wave: enough that the call for each costs nothing, few enough to stay in the cache."""
FED_WAVE = 1 << 18
"""Paths in a wave where patterns feed materials: many small steps each need many points to be worth their call."""
NO_LIMIT = 1e30
MOST_BOUNCES = 4000
"""A technical bound."""
MOST_WAVES = 2 * MOST_BOUNCES
"""As many surfaces may a path meet, those without effect among them."""


@dataclass(frozen=True)
class Shot:
    """All that one pass over a film needs.

    Attributes
    ----------
    depth : int
        Bounces at which paths end. Nearly all were ended by chance long before `MOST_BOUNCES`, so that no light is
        missing; fewer are for quick pictures, and darken bright rooms and glass.
    brightest : float
        Most that one path may bring to its pixel, 1 = 1000 cd/m2, after it was turned by a matt surface, and the more
        the shinier all was that it met; the rest is spread over the picture (`rendering.spreading`).
    fed_depth : int
        Waves of a path in which patterns count; from then on it meets materials' constant values.
    marked_depth : int
        Waves of a path in which marks count.
    straight : bool
        Whether rays towards lights go straight through clear glass instead of being stopped by it. That is quick to
        clear up and not true: bent light draws no bright patterns then, and glass casts too even a shadow.
    cut_out : bool
        Whether the camera sees only the product; backdrop and lights are still reflected in it.
    """

    geometry: Geometry
    dressing: Dressing
    lights: Lights
    view: View
    depth: int = MOST_BOUNCES
    brightest: float = NO_LIMIT
    seed: int = 1
    straight: bool = False
    cut_out: bool = False
    fed_depth: int = 1 << 20
    marked_depth: int = 1 << 20


def step_back() -> None:
    """Lets other threads, the interface's above all, go first."""
    with suppress(OSError):
        os.setpriority(os.PRIO_PROCESS, get_native_id(), 5)


class Tracer:
    """Threads and the memory for their waves, kept between passes."""

    def __init__(self, threads: int | None = None):
        self.threads = threads or os.cpu_count() or 1
        self._pool = ThreadPoolExecutor(self.threads, thread_name_prefix="tracer", initializer=step_back)
        self._memory = local()

    def close(self) -> None:
        self._pool.shutdown(wait=True, cancel_futures=True)

    def add_sample(self, shot: Shot, film: Film, is_stopped: Callable[[], bool] = lambda: False) -> bool:
        """Adds one sample to every pixel of the film.

        Returns
        -------
        bool
            False where it was stopped; the film is then no longer even and must be thrown away.
        """
        pixels = film.width * film.height
        is_varied = shot.dressing.fed or shot.dressing.marks
        runs = -(-pixels // (FED_WAVE if is_varied else WAVE))
        runs = -(-runs // self.threads) * self.threads
        size = -(-pixels // runs)
        tables = albedo_tables()
        nest = nest_at(shot.view.position, shot.geometry, shot.dressing.bodies)

        def run(first: int) -> None:
            self._trace(shot, film, first, min(size, pixels - first), nest, tables, is_stopped)

        for done in [self._pool.submit(run, first) for first in range(0, pixels, size)]:
            done.result()
        if is_stopped():
            return False
        film.samples += 1
        return True

    def _wave_memory(self, size: int):
        kept = getattr(self._memory, "wave", None)
        if kept is None or len(kept[0].pdf) < size:
            kept = passes.new_paths(size), passes.new_points(size), passes.new_shadows(size), passes.new_hits(size)
            self._memory.wave = kept
        return kept

    def _block(self, dressing: Dressing, size: int) -> np.ndarray:
        """The parameter block, with rows to spare for single points where patterns feed any material."""
        if not dressing.fed and not dressing.marks:
            return dressing.parameters
        rows = len(dressing.parameters)
        owner, block = getattr(self._memory, "block", (None, None))
        if owner is not dressing or len(block) < rows + size:
            block = np.empty((rows + size, dressing.parameters.shape[1]), np.float32)
            block[:rows] = dressing.parameters
            self._memory.block = dressing, block
        return block

    @staticmethod
    def _varied_waves(shot: Shot) -> int:
        """Waves in which marks or patterns count."""
        marked = shot.marked_depth if shot.dressing.marks else 0
        return max(marked, shot.fed_depth if shot.dressing.fed else 0)

    @staticmethod
    def _vary(count: int, shot: Shot, points, paths, hits, block, wave: int) -> None:
        """Gives the points of a wave what marks and patterns make of them."""
        dressing, geometry, u, v = shot.dressing, shot.geometry, hits.u, hits.v
        has_marks = bool(dressing.marks) and wave < shot.marked_depth
        has_patterns = bool(dressing.fed) and wave < shot.fed_depth
        if not has_marks and not has_patterns:
            return
        points = at_rest(count, geometry, points, u, v)
        free, is_marked = len(dressing.parameters), np.zeros(count, bool)
        if has_marks:

            def dress(index, laid, free):
                return dress_mark(index, laid, dressing, geometry, points, paths, u, v, block, free)

            reached = marks_reached(count, dressing, points)
            free, is_marked = mark_wave(count, dressing, points, paths, block, reached, dress)
        if has_patterns:
            feed_wave(count, dressing, geometry, points, paths, u, v, block, free, is_marked)
        if has_marks:
            stamp_wave(count, dressing, points, paths, reached)

    def _trace(self, shot: Shot, film: Film, first: int, count: int, nest, tables, is_stopped) -> None:
        paths, points, shadows, hits = self._wave_memory(count)
        draws, salt = even_draws(film.samples, shot.seed)
        passes.generate(
            shot.view, film.width, film.height, first, count, film.samples, shot.seed, draws, salt, nest, paths
        )
        dressing, geometry = shot.dressing, shot.geometry
        block = self._block(dressing, count)
        caster = geometry.caster()
        stage = passes.Stage(
            geometry.triangles,
            dressing.rows,
            dressing.zone_first,
            dressing.zone_rows,
            block,
            dressing.bodies,
            geometry.frames,
            shot.lights,
            tables,
        )
        rules = passes.Rules(
            shot.depth,
            F(shot.brightest),
            dressing.backdrop if shot.cut_out else -2,
            shot.straight,
            draws,
            salt,
        )
        sums = passes.Sums(
            film.light,
            film.excess,
            film.albedo,
            film.normal,
            film.guide_albedo,
            film.guide_normal,
            film.guides,
            film.part,
            film.cover,
            film.dropped,
        )
        varied = min(self._varied_waves(shot), MOST_WAVES)
        for wave in range(varied):
            if not count or is_stopped():
                return
            advance(count, caster, paths, block, dressing.bodies, film.cover, *hits)
            passes.resolve(count, hits, stage, points)
            self._vary(count, shot, points, paths, hits, block, wave)
            count, aimed = passes.shade(count, hits, points, paths, shadows, stage, rules, sums)
            if not shot.straight:
                passes.settle(aimed, caster, shadows, rules, sums)
                continue
            for _ in range(passes.CROSSINGS):
                if not aimed:
                    break
                passes.aim(aimed, caster, shadows, hits)
                passes.resolve(aimed, hits, stage, points)
                self._vary(aimed, shot, points, shadows.rays, hits, block, wave)
                aimed = passes.shine_through(aimed, hits, points, shadows, stage, rules, sums)
        passes.finish(count, MOST_WAVES - varied, caster, hits, points, paths, shadows, stage, rules, sums)
