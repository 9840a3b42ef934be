"""What a long trial has done so far, so that it goes on where it was ended."""

import json
from collections import Counter
from collections.abc import Iterator
from pathlib import Path


class Journal:
    """One line of JSON for each case, written as soon as it is over.

    Parameters
    ----------
    path : Path
        Read if it is there.
    """

    def __init__(self, path: Path):
        self.path = path
        path.parent.mkdir(parents=True, exist_ok=True)
        lines = path.read_text("utf-8").splitlines() if path.exists() else []
        self.cases: list[dict] = []
        for line in lines:
            try:
                self.cases.append(json.loads(line))
            except ValueError:
                break  # the last one, cut short
        self._file = path.open("w", encoding="utf-8")
        for case in self.cases:
            self._write(case)

    def _write(self, case: dict) -> None:
        self._file.write(json.dumps(case) + "\n")
        self._file.flush()

    def left(self, count: int) -> Iterator[int]:
        """Numbers of the cases that are still to be done."""
        yield from range(len(self.cases), count)

    def note(self, end: str, **figures) -> None:
        """Enter the next case: how it ended, and what was measured."""
        self.cases.append({"end": end, **figures})
        self._write(self.cases[-1])

    def ends(self) -> Counter:
        """How many cases ended in which way."""
        return Counter(case["end"] for case in self.cases)

    def most(self, figure: str) -> float:
        """The largest value of a figure."""
        return max((case[figure] for case in self.cases if figure in case), default=0.0)
