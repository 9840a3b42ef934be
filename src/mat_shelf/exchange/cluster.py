"""Pictures over many processes and machines, as tasks of Dask.

A picture is cut into bands of pixels; each is a task, which takes its pixels through all their samples. Random numbers
depend on pixel and sample alone, so the picture is that of one process bit for bit, whoever renders which band, and
a worker that ends in between costs no more than its band. Dask runs what it is sent, so nobody else may reach it:
workers of this machine listen on the loopback and speak TLS with a certificate of that one run, so that its other users
cannot; a scheduler on another machine is spoken to through TLS alone.
"""

import asyncio
import concurrent.futures
import hashlib
import logging
import re
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress

import numpy as np

from mat_shelf.document.project import Project
from mat_shelf.exchange.assets import Assets, asset_names
from mat_shelf.exchange.band_rendering import program_digest, render_band
from mat_shelf.exchange.image_decoding import ImageError
from mat_shelf.rendering.film import Film
from mat_shelf.rendering.final_render import PictureRequest
from mat_shelf.rendering.tracer import WAVE
from mat_shelf.system.processors import usable_processors

_POLL_S, _CONNECT_S = 0.1, 15
_BANDS_A_WORKER = 6
"""Bands of the same size for each worker, at least, in large pictures: none is long, and little is lost with one."""
_LEAST_PIXELS = 1 << 11
MOST_WORKERS = 256
_MOST_LOST = 4
"""Times that a band is begun anew, before it is taken to be the cause."""


class Crew:
    """Workers that render bands of pictures.

    Parameters
    ----------
    client : distributed.Client
        Connection to their scheduler.
    threads : int or None
        Threads of each worker; as many as it may use by default.
    """

    def __init__(self, client, threads: int | None):
        self.client, self.threads = client, threads
        self._held: dict = {}

    def send(self, contents: dict[str, bytes], anew: bool) -> dict:
        """Bytes where workers find them; held until others are sent, so that the next picture finds them.

        Parameters
        ----------
        contents : dict of bytes
            By names that tell the content.
        anew : bool
            Whether they may have been lost with a worker.

        Returns
        -------
        dict of distributed.Future
        """
        held = {} if anew else self._held
        # Each time under a key of its own: the same one could still be on its way out, and would be lost with it.
        self._held = {
            name: held[name] if name in held else self.client.scatter(data, hash=False)
            for name, data in contents.items()
        }
        return self._held

    def of(self, project: Project, assets: Assets) -> "ProjectCrew":
        """The same workers, for a project.

        Parameters
        ----------
        project : Project
            The project as it is rendered.
        assets : Assets
            Its files.

        Returns
        -------
        ProjectCrew
        """
        return ProjectCrew(self, project, assets)


class ProjectCrew:
    """Workers for the pictures of one project; its files are sent once, by their content.

    Parameters
    ----------
    crew : Crew
        The workers.
    project : Project
        The project as it is rendered.
    assets : Assets
        Its files.
    """

    def __init__(self, crew: Crew, project: Project, assets: Assets):
        self._crew, self._project, self._assets = crew, project, assets

    def fill(
        self,
        film: Film,
        request: PictureRequest,
        samples: int,
        due: np.ndarray,
        has_photons: bool,
        told: Callable[[], bool],
        is_stopped: Callable[[], bool],
    ) -> None:
        """Renders some pixels of a film up to a number of samples.

        Parameters
        ----------
        film : Film
            The film; samples that it has are gone on with.
        request : PictureRequest
            All that samples depend on beside the project.
        samples : int
            Samples of each pixel in the end.
        due : (N,) int32
            Pixels that miss some.
        has_photons : bool
            Whether photons are sent for each sample, which every band does anew.
        told : callable () -> bool
            Called after each band; False cancels.
        is_stopped : callable () -> bool
            Asked many times a second; True cancels.

        Raises
        ------
        ImageError
            If the workers cannot do it: none is there, or one of another version, or they end again and again.
        InterruptedError
            If it was cancelled; bands that are done are in the film.
        """
        from distributed import KilledWorker

        client = self._crew.client
        workers = len(client.scheduler_info(n_workers=-1)["workers"])
        if not workers:
            raise ImageError("no worker has joined the scheduler; start one, or render on this machine alone")
        ends = np.cumsum(_band_sizes(len(due), workers, has_photons))[:-1]
        asked = request, samples, film
        sent = self._sent(anew=False)
        tasks = {self._submit(pixels, sent, *asked): (pixels, 0) for pixels in np.split(due, ends)}
        try:
            while tasks:
                for task in [task for task in tasks if task.done()]:
                    pixels, lost = tasks.pop(task)
                    try:
                        made = task.result()
                    except (concurrent.futures.CancelledError, asyncio.CancelledError, KilledWorker) as fault:
                        # The worker has ended, and what only it had been sent is gone with it.
                        if lost >= _MOST_LOST:
                            raise ImageError("workers ended again and again, perhaps for want of memory") from fault
                        tasks[self._submit(pixels, self._sent(anew=True), *asked)] = pixels, lost + 1
                        continue
                    for name, own in film.arrays().items():
                        own[pixels] = made[name]
                    if not told():
                        raise InterruptedError("cancelled")
                if is_stopped():
                    raise InterruptedError("cancelled")
                time.sleep(_POLL_S)
        finally:
            client.cancel(list(tasks), force=True)

    def _sent(self, anew: bool) -> tuple:
        """The project and its files, where the workers find them."""
        text = self._project.model_dump_json().encode()
        name, names = hashlib.sha256(text).hexdigest(), asset_names(self._project)
        files = {names[key]: self._assets.data(key) for key in names if self._assets.holds(key)}
        sent = self._crew.send(files | {name: text}, anew)
        return sent[name], {file: sent[file] for file in files}

    def _submit(self, pixels: np.ndarray, sent: tuple, request: PictureRequest, samples: int, film: Film):
        """A band as a task."""
        kept = None
        if film.sums.counts[pixels].any():
            kept = {name: own[pixels] for name, own in film.arrays().items()}
        asked = program_digest(), *sent, request, pixels, samples, kept, self._crew.threads
        return self._crew.client.submit(render_band, *asked, pure=False)


def check_cluster(address: str) -> None:
    """Refuses an address that cannot be used.

    Parameters
    ----------
    address : str
        ``local``, ``local:N`` or a scheduler's address.

    Raises
    ------
    ImageError
        If it is none, or would be spoken to in the clear over a network.
    """
    _local_workers(address)
    if not address.startswith("local"):
        found = re.fullmatch(r"(tcp|tls)://(\[[0-9a-fA-F:]+\]|[\w.-]+):(\d{1,5})", address)
        if found is None:
            raise ImageError(
                f"'{address}' is neither local, local:2 nor a scheduler's address such as tls://render:8786"
            )
        if found[1] == "tcp" and found[2] not in ("localhost", "127.0.0.1", "[::1]"):
            raise ImageError(
                "what is sent to a scheduler on another machine must be encrypted; start it with TLS and use tls://"
            )


def _local_workers(address: str) -> int:
    if not address.startswith("local"):
        return 0
    found = re.fullmatch(r"local(?::(\d{1,4}))?", address)
    count = int(found[1] or usable_processors()) if found is not None else 0
    if not 1 <= count <= MOST_WORKERS:
        raise ImageError(f"'{address}' is no number of workers; write local, or local:1 to local:{MOST_WORKERS}")
    return count


def connect(where, seconds: float):
    """Connection to a scheduler.

    Parameters
    ----------
    where : str or distributed.LocalCluster
        Its address, or its workers on this machine.
    seconds : float
        How long it may take.

    Returns
    -------
    distributed.Client

    Raises
    ------
    OSError, TimeoutError, ValueError, RuntimeError, TypeError
        If it cannot be reached.
    """
    from distributed import Client

    client = Client.__new__(Client)
    try:
        client.__init__(where, timeout=seconds, set_as_default=False)
    except BaseException:
        # Left to the garbage collector, its own closing may begin within the start of another client, in the same
        # thread, and wait for a lock that this thread holds: for ever.
        with suppress(Exception):
            client.close(timeout=seconds)
        raise
    return client


@contextmanager
def crew_at(address: str | None) -> Iterator[Crew | None]:
    """Workers on this machine, or those of a scheduler, until they are no longer needed.

    Parameters
    ----------
    address : str or None
        ``local`` for a worker for each processor, ``local:N`` for N of them; or a scheduler's address, whose
        certificates Dask's own configuration names. None for no workers.

    Yields
    ------
    Crew or None

    Raises
    ------
    ImageError
        If it cannot be reached.
    """
    if not address:
        yield None
        return
    check_cluster(address)
    from distributed import LocalCluster

    count = _local_workers(address)
    logging.getLogger("distributed").setLevel(logging.CRITICAL)
    cluster = None
    try:
        if count:
            threads = max(usable_processors() // count, 1)
            cluster = LocalCluster(
                n_workers=count, threads_per_worker=1, host="127.0.0.1", dashboard_address="127.0.0.1:0",
                memory_limit=0, silence_logs=logging.CRITICAL, security=True, protocol="tls://",
            )  # fmt: skip
        client = connect(cluster if cluster is not None else address, _CONNECT_S)
    except (OSError, TimeoutError, ValueError, RuntimeError, TypeError) as fault:
        if cluster is not None:
            cluster.close()
        raise ImageError(
            f"the scheduler at {address} cannot be reached; see that it runs, and to its certificates"
        ) from fault
    try:
        yield Crew(client, threads if count else None)
    finally:
        with suppress(OSError, TimeoutError, RuntimeError):
            client.close(timeout=5)
        if cluster is not None:
            with suppress(OSError, TimeoutError, RuntimeError):
                cluster.close(timeout=10)


def _band_sizes(count: int, workers: int, is_even: bool) -> list[int]:
    """Pixels of bands: as many as workers, or more, the last of them smaller, so that all workers end together."""
    if is_even:
        return [count // workers + (k < count % workers) for k in range(min(workers, count))]
    most = max(count // (workers * _BANDS_A_WORKER), min(count // (2 * workers), 2 * WAVE), _LEAST_PIXELS)
    sizes, left = [], count
    while left:
        size = min(most, max(left // (2 * workers), _LEAST_PIXELS))
        sizes.append(size if left - size >= _LEAST_PIXELS else left)
        left -= sizes[-1]
    return sizes
