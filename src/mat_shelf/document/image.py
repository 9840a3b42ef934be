"""Pictures that a project or a recipe refers to."""

from typing import Literal

from mat_shelf.document.ids import Digest, Name
from mat_shelf.document.parameter import Frozen


class ImageRef(Frozen):
    """A picture kept with the project as it came: its file's name, SHA-256 and kind."""

    name: Name
    digest: Digest
    kind: Literal["png", "jpg", "tiff", "webp", "exr", "hdr", "psd"]
