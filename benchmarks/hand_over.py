"""What turns and sheets take beside the pictures in them."""

import tempfile
import time
from pathlib import Path

from mat_shelf.demo.desk_set import demo_project
from mat_shelf.document.turn import Turn
from mat_shelf.exchange import turntable
from mat_shelf.exchange.supplies import prepare_supplies
from mat_shelf.rendering.final_render import render_picture
from mat_shelf.rendering.tone import develop
from mat_shelf.rendering.turning import turned
from mat_shelf.sheets.printing import make_sheet
from mat_shelf.sheets.sheet import Paper, Sheet

_TURN = turntable.TurnSettings(Turn(frames=36, going="camera"), 320, 214, 8)
_MATERIALS = 6


def hand_over(say) -> dict[str, float]:
    """A film of the demo over its frames alone, and pages of a proof sheet.

    Returns
    -------
    dict of float
        `turntable_overhead`: the time of a film of 36 frames over that of the same frames rendered, cleaned and
        developed; `sheet_pages_s`: seconds of a page of materials in one set.
    """
    say("turntable")
    project, assets = demo_project()
    prepare_supplies(project, assets)
    width, height, samples = _TURN.width, _TURN.height, _TURN.samples

    def frame(number: int) -> None:
        shown = turned(project, assets, _TURN.turn, number)
        prepare_supplies(shown, assets)
        develop(render_picture(shown, assets, width, height, samples).light)

    frame(1)
    alone = film = 0.0
    with tempfile.TemporaryDirectory() as folder:
        kept = turntable.render_folder
        turntable.render_folder = lambda: Path(folder) / "frames"  # so that none is there already
        try:
            started = time.perf_counter()
            for number in range(_TURN.turn.frames):
                frame(number)
            alone = time.perf_counter() - started
            started = time.perf_counter()
            turntable.render_turntable(project, assets, Path(folder) / "a.mp4", _TURN)
            film = time.perf_counter() - started
        finally:
            turntable.render_folder = kept
        say("proof sheet")
        shown = tuple(material.id for material in project.materials[:_MATERIALS])
        sheet = Sheet("grid", shown, (project.current_set,), ("bowl",), (None,), 32)
        started = time.perf_counter()
        pages = make_sheet(project, assets, sheet, Paper(dpi=100.0), Path(folder) / "a.png")
        seconds = (time.perf_counter() - started) / len(pages)
    return {"turntable_overhead": round(film / alone, 2), "sheet_pages_s": round(seconds, 1)}
