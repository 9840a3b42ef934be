"""Starting the window."""

import atexit
import gc
import os
import sys
from pathlib import Path

from PyQt6.QtCore import QSettings, QTimer
from PyQt6.QtGui import QFontDatabase, QFontInfo, QIcon
from PyQt6.QtWidgets import QApplication

from mat_shelf.app.fault_guard import FaultGuard
from mat_shelf.app.preferences.effects import apply_look, library_of
from mat_shelf.app.preferences.preferences import preferences
from mat_shelf.app.recent import recent_projects
from mat_shelf.app.window import Window
from mat_shelf.app.workshop import Workshop
from mat_shelf.document.project import Project
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.readers import prepare_readers
from mat_shelf.exchange.recovery import Recovery
from mat_shelf.system.fault_log import watch_for_crashes
from mat_shelf.system.file_writer import sweep, words_of
from mat_shelf.system.processors import limit_processors
from mat_shelf.system.user_folders import ensure_home

FREEZE_AGAIN_MS = 8000
DESKTOP_TYPE = "desktop/type_pixels"
_LARGEST_USUAL = 15
"""Pixels of the type of desktops that ask for nothing special."""
_MOST_SCALE = 3.0
ICON = Path(__file__).parent / "icon" / "mat-shelf.svg"


def application() -> QApplication:
    """The one application object, dressed."""
    sys.setswitchinterval(0.001)  # the interface thread waits less for the renderer's
    QApplication.setApplicationName("mat-shelf")
    QApplication.setOrganizationName("mat-shelf")
    chosen = preferences().now
    scale = chosen.size / 100 * desktop_scale()
    if scale != 1:  # what is read before there is an application
        os.environ.setdefault("QT_SCALE_FACTOR", f"{scale:g}")
    app = QApplication.instance() or QApplication(sys.argv[:1])
    remember_desktop_type()
    app.setApplicationDisplayName("Mat Shelf")
    app.setDesktopFileName("mat-shelf")
    app.setWindowIcon(QIcon(str(ICON)))
    apply_look(chosen)
    limit_processors(chosen.threads)
    # What the modules made stays for good; looking through it for rubbish would hold every drag up for an eighth of a
    # second now and then. Compiled kernels are loaded at the first picture, so it is done again then.
    gc.collect()
    gc.freeze()
    QTimer.singleShot(FREEZE_AGAIN_MS, gc.freeze)
    atexit.register(gc.unfreeze)  # libraries count at the end what was left behind
    return app


def desktop_scale() -> float:
    """Size of the desktop's type over a usual one, as it was at the last start; only an application can ask for it."""
    pixels = QSettings().value(DESKTOP_TYPE)
    pixels = int(pixels) if str(pixels).isdecimal() else _LARGEST_USUAL
    return min(max(round(pixels / _LARGEST_USUAL, 2), 1.0), _MOST_SCALE)


def remember_desktop_type() -> None:
    """Keeps how large the desktop's type is, for the next start."""
    pixels = QFontInfo(QFontDatabase.systemFont(QFontDatabase.SystemFont.GeneralFont)).pixelSize()
    if pixels > 0:
        QSettings().setValue(DESKTOP_TYPE, pixels)


def run(
    project: Project,
    meshes: Assets,
    path: Path | None = None,
    screenshot: Path | None = None,
    wait_s: float = 20,
) -> int:
    """Opens the window and runs until it is closed.

    Parameters
    ----------
    screenshot : Path, optional
        Where to save a picture of the window after `wait_s` seconds of rendering, and then quit.
    """
    prepare_readers()
    app = application()
    watch_for_crashes()
    has_home = ensure_home()
    try:
        recovery = Recovery()
    except OSError as fault:
        recovery, reason = None, words_of(fault)
    window = Window(Workshop(project, meshes, library_of(preferences().now), path), recovery)
    guard = FaultGuard(window)
    guard.install()
    app.aboutToQuit.connect(guard.remove)
    for folder in {shown.parent for shown in recent_projects()}:
        sweep(folder)
    window.show()
    if preferences().problems:
        told = ", ".join(preferences().problems)
        window.say(f"Preferences that could not be read are as at a first start: {told}.")
    if not has_home:
        window.say(
            "This user has no home folder: the library, settings and unsaved work are lost when the window closes."
        )
    elif recovery is None:
        window.say(f"Unsaved work cannot be kept for a crash: {reason}. Save often.")
    if screenshot is None:
        return app.exec()

    def take() -> None:
        if window.viewport.frame is None or window.viewport.frame.seconds < wait_s:
            QTimer.singleShot(500, take)
            return
        window.grab().save(str(screenshot))
        window.close()
        app.quit()

    QTimer.singleShot(500, take)
    return app.exec()
