"""Reads thousands of damaged pictures, drawings and pages by every reader that takes them, and counts what comes of it.

    .venv/bin/python scripts/fuzz_pictures.py [10000] [--journal FILE] [--case NUMBER]

Each must end as a picture or in a message, within 20 s and 2 GB. It goes on from its journal.
"""

import io
import random
import sys
from functools import cache
from pathlib import Path

sys.path[:0] = [str(Path(__file__).parent), str(Path(__file__).parents[1] / "tests")]

import hostile  # noqa: E402
from fuzzing import damaged  # noqa: E402
from supervised import main  # noqa: E402


@cache
def sound() -> dict[str, list[bytes]]:
    """Sound files by kind."""
    import numpy as np
    import OpenImageIO
    from PIL import Image, ImageCms

    chance = np.random.default_rng(3)
    color = Image.fromarray(chance.integers(0, 256, (64, 96, 4), dtype=np.uint8))
    profile = ImageCms.ImageCmsProfile(ImageCms.createProfile("LAB")).tobytes()

    def saved(image, kind, **options) -> bytes:
        out = io.BytesIO()
        image.save(out, kind, **options)
        return out.getvalue()

    def written(ending, pixels, **attributes) -> bytes:
        path = Path(f"/tmp/mat-shelf-fuzz-{chance.integers(1 << 40)}.{ending}")
        spec = OpenImageIO.ImageSpec(pixels.shape[1], pixels.shape[0], pixels.shape[2], str(pixels.dtype))
        for name, value in attributes.items():
            spec.attribute(name, value)
        output = OpenImageIO.ImageOutput.create(str(path))
        output.open(str(path), spec)
        output.write_image(pixels)
        output.close()
        data = path.read_bytes()
        path.unlink()
        return data

    floats = chance.random((32, 64, 3), np.float32)
    deep = chance.integers(0, 65536, (40, 40, 3), dtype=np.uint16)
    svg = (
        b'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 60 40"><defs><linearGradient id="a"><stop offset="0"/>'
        b'</linearGradient><filter id="f"><feGaussianBlur stdDeviation="2"/></filter></defs><g transform="scale(2)">'
        b'<rect width="20" height="9" fill="url(#a)" filter="url(#f)"/><path d="M1 1 C 3 9, 20 2, 9 9 Z"/>'
        b'<text x="4" y="20" font-size="6">Gannet</text><use href="#a"/></g></svg>'
    )
    return {
        "png": [saved(color, "PNG"), written("png", deep), saved(color.convert("P"), "PNG")],
        "jpg": [
            saved(color.convert("RGB"), "JPEG"),
            saved(color.convert("CMYK"), "JPEG"),
            saved(color.convert("L"), "JPEG", progressive=True),
        ],
        "tiff": [
            saved(color, "TIFF", compression="tiff_lzw"),
            saved(color.convert("RGB"), "TIFF", icc_profile=profile),
            written("tif", floats),
        ],
        "webp": [saved(color, "WEBP"), saved(color.convert("RGB"), "WEBP", lossless=True)],
        "exr": [written("exr", floats, compression=name) for name in ("zip", "piz", "dwaa")],
        "hdr": [written("hdr", floats)],
        "psd": [psd()],
        "svg": [svg],
        "pdf": [saved(color.convert("RGB"), "PDF"), hostile.nested_forms(3, 2)],
    }


def psd() -> bytes:
    """A small file of layers."""
    from PIL import Image
    from psd_tools import PSDImage

    document = PSDImage.frompil(Image.new("RGB", (40, 30), (9, 9, 9)))
    out = io.BytesIO()
    document.save(out)
    return out.getvalue()


def prepare() -> None:
    """Load what every case needs, and start the readers."""
    from mat_shelf.exchange.readers import prepare_readers

    prepare_readers()
    sound()


def run_case(number: int, folder: Path) -> str:
    from mat_shelf.exchange import image_reading as reading

    chance = random.Random(number)
    kind = chance.choice(list(sound()))
    data = chance.choice(sound()[kind])
    if number % 97:  # now and then one that is whole
        data = next(damaged(data, 1, number))
    calls = {
        "svg": [lambda: reading.read_svg(data)],
        "pdf": [lambda: reading.page_count(data), lambda: reading.read_page(data, chance.randrange(2))],
        "psd": [lambda: reading.layer_names(data), lambda: reading.read_layer(data, 0)],
        "hdr": [lambda: reading.read_environment(data)],
        "exr": [lambda: reading.read_environment(data)],
    }.get(kind, [lambda: reading.read_image(data)])
    calls += [lambda: reading.read_map(data), lambda: reading.read_artwork(data), lambda: reading.pixels_per_mm(data)]
    ends = []
    for call in calls:
        try:
            call()
            ends.append("picture")
        except reading.ImageError as fault:
            ends.append("message" if 10 < len(str(fault)) < 600 else f"traceback: {str(fault)[:80]}")
    return next((end for end in ends if end.startswith("traceback")), ends[0])


if __name__ == "__main__":
    sys.exit(main(__file__, run_case, 10_000, prepare=prepare))
