"""Search over many swatches."""

import statistics
import tempfile
import time
from pathlib import Path

from mat_shelf.library.library import Library
from mat_shelf.library.shipped import SHIPPED

SWATCHES = 10_000


def search(say) -> float:
    """Median time of a search over 10,000 swatches, ms."""
    say("search")
    with tempfile.TemporaryDirectory() as folder:
        library = Library(Path(folder) / "shelf")
        library.fill_index(
            SHIPPED[k % len(SHIPPED)].with_(id=f"swatch-{k}", name=f"{SHIPPED[k % len(SHIPPED)].name} {k}")
            for k in range(SWATCHES)
        )
        times = []
        for text in ("b", "brass", "lac 7", "glass clear", "12", "wax", "metal 99", "blue-black", "nothing at all") * 3:
            started = time.perf_counter()
            library.search(text)
            times.append(time.perf_counter() - started)
    return round(statistics.median(times) * 1000, 2)
