"""The swatches and overlays that come with the program; docs/sources.md says where their values are from."""

from pathlib import Path

import mat_shelf.patterns  # noqa: F401  its steps are kinds that the files hold
from mat_shelf.document.data_files import read_data
from mat_shelf.document.recipe import Overlay
from mat_shelf.document.swatch import Swatch

_DATA = Path(__file__).parent / "data"

SHIPPED = read_data(Swatch, _DATA / "swatches")
"""Swatches that a new library starts with, parents before their variants."""
READY_OVERLAYS = read_data(Overlay, _DATA / "overlays")
"""Overlays to choose from, in the order of their menu."""
