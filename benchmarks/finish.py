"""The finish of a picture: how long all of it takes."""

import time

import numpy as np

from benchmarks.calibration import Calibration
from mat_shelf.document.finish import Adjustment, Finish, MaskedAdjustment
from mat_shelf.rendering.finishing import finished
from mat_shelf.rendering.tone import develop

_SIZE, _TURNS = (1080, 1920), 15


def finish(say) -> dict[str, float]:
    """Time of the finish at 1920 x 1080.

    Returns
    -------
    dict of float
        `finish_ms`: a masked adjustment, bloom, an adjustment of the whole, vignette and sharpening, with the tone
        curve; `develop_ms`: the tone curve alone, which every picture goes through. The median of some turns, each over
        the slowness of the machine just before and after it.
    """
    say("finish")
    light = np.random.default_rng(1).random((*_SIZE, 3), np.float32) ** 4 * 3
    every = Adjustment(
        exposure=0.2, warmth=10, tint=0.02, contrast=1.1, highlights=-0.5, shadows=0.5, saturation=1.1, muted=0.2
    )
    masked = MaskedAdjustment(id="mask", kind="product", adjustment=every)
    asked = Finish(whole=every, masked=(masked,), bloom=0.5, vignette=0.2, sharpening=0.5)
    masks = {"mask": np.ones(_SIZE, np.float32)}
    took = {"finish_ms": [], "develop_ms": []}
    for _ in range(_TURNS):
        for name, run in (
            ("finish_ms", lambda: develop(finished(light, asked, masks))),
            ("develop_ms", lambda: develop(light)),
        ):
            machine = Calibration()
            machine.take()
            started = time.perf_counter()
            run()
            spent = 1e3 * (time.perf_counter() - started)
            machine.take()
            took[name].append(spent / machine.slowness)
    return {name: round(float(np.median(times)), 1) for name, times in took.items()}
