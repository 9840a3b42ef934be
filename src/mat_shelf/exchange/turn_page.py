"""A page that shows a turn: one file that works from a folder, and needs nothing else."""

import base64
import html
import json
import re
from collections.abc import Sequence
from pathlib import Path

_PAGE = Path(__file__).parent / "data" / "turn.html"


def turn_page(images: Sequence[bytes], size: tuple[int, int], is_whole: bool, name: str) -> str:
    """A page in which a product is turned by dragging, by touch and by the arrow keys.

    Parameters
    ----------
    images : sequence of bytes
        WebP images, in their order.
    size : (int, int)
        Width and height of them.
    is_whole : bool
        Whether the first follows the last.
    name : str
        Name of the product.

    Returns
    -------
    str
    """
    filled = {
        "@NAME@": html.escape(name, quote=True),
        "@WIDTH@": str(size[0]),
        "@HEIGHT@": str(size[1]),
        "@LAST@": str(len(images) - 1),
        "@WHOLE@": json.dumps(is_whole),
        "@FRAMES@": json.dumps([base64.b64encode(image).decode() for image in images]),
    }
    # In one go, so that a name which looks like a mark stays a name.
    return re.sub("@[A-Z]+@", lambda mark: filled[mark[0]], _PAGE.read_text("utf-8"))
