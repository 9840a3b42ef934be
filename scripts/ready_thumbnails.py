"""Draws the shipped thumbnails of ready patterns and sources anew. Run it after either changed."""

import io

from PIL import Image

from mat_shelf.patterns.ready import READY, SOURCE_STARTS, thumbnail_file
from mat_shelf.patterns.step import PatternContext
from mat_shelf.patterns.thumbnail import thumbnail
from mat_shelf.system.file_writer import write_file

WIDTH, HEIGHT = 192, 128
"""Pixels; twice those of a tile."""


def main() -> None:
    for ready in (*READY, *SOURCE_STARTS):
        pixels, data = thumbnail(ready.pattern, PatternContext(), WIDTH, HEIGHT), io.BytesIO()
        is_grey = (pixels == pixels[..., :1]).all()
        image = Image.fromarray(pixels[..., 0]) if is_grey else Image.fromarray(pixels).quantize(128)
        image.save(data, "PNG", optimize=True)
        path = thumbnail_file(ready)
        path.parent.mkdir(parents=True, exist_ok=True)
        write_file(path, data.getvalue())


if __name__ == "__main__":
    main()
