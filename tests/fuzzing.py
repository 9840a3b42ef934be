"""Damaging files at random."""

from collections.abc import Iterator

import numpy as np


def damaged(whole: bytes, times: int, seed: int) -> Iterator[bytes]:
    """Copies of a file: cut short, with bytes changed, with pieces moved, doubled or taken out."""
    rng = np.random.default_rng(seed)
    for _ in range(times):
        data = bytearray(whole)
        for _ in range(rng.integers(1, 5)):
            a, b = sorted(rng.integers(0, len(data) + 1, 2).tolist())
            way = rng.integers(0, 5)
            if way == 0:
                data = data[: max(b, 1)]
            elif way == 1 and len(data):
                for place in rng.integers(0, len(data), rng.integers(1, 9)):
                    data[place] = rng.integers(0, 256)
            elif way == 2:
                del data[a : a + min(b - a, 64)]
            elif way == 3:
                data[a:a] = data[a : a + min(b - a, 64)]
            elif way == 4:
                data[a : a + 4] = rng.choice([b"\xff\xff\xff\x7f", b"\0\0\0\0", b"nan ", b"-9e9"])
            if not data:
                data = bytearray(b"\0")
        yield bytes(data)
