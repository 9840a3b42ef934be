"""Shots: what is rendered in one go, each to a file of its own."""

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from mat_shelf.document.finish import Finish
from mat_shelf.document.ids import Id, Name
from mat_shelf.document.parameter import Frozen
from mat_shelf.document.print_proof import PrintProof
from mat_shelf.document.turn import Turn

MOST_SHOTS = 1000
LEAST_SIDE, MOST_SIDE, MOST_SAMPLES = 16, 16384, 65536
_Side = Annotated[int, Field(ge=LEAST_SIDE, le=MOST_SIDE)]
FileKind = Literal["png", "tiff", "jpg", "webp", "avif", "exr", "ora", "mp4", "webm", "html"]
TURN_KINDS: dict[FileKind, str] = {
    "html": "Page to turn by hand",
    "mp4": "Film, MP4",
    "webm": "Film, WebM",
    "webp": "Animation, WebP",
    "png": "Images, PNG",
}
"""Kinds of files that turns become, and words for them."""
_TURNS_ALONE = ("mp4", "webm", "html")
Bits = Literal[8, 16, 32]
Profile = Literal["srgb", "display-p3", "oprgb"]
Background = Literal["set", "transparent", "white", "transparent-shadow", "white-shadow"]
"""The set's own; none, or white, with nothing but the product on it, or with its shadow too."""
Packing = Literal["zip", "dwaa"]


SAMPLES, ENOUGH_SAMPLES = 128, 2048
"""Samples of a picture that is rendered evenly; most of one that stops where it is clean."""


def samples_for(noise: float, noise_before: float, samples: int) -> int:
    """Samples at most, where noise is asked for or no longer: they mean another thing then.

    Parameters
    ----------
    noise, noise_before : float
        Noise now and before; 0 for none.
    samples : int
        Samples before.

    Returns
    -------
    int
    """
    if bool(noise) == bool(noise_before):
        return samples
    return max(samples, ENOUGH_SAMPLES) if noise else SAMPLES


class Swap(Frozen):
    """A variant worn in place of a material. Either may be of something that is no longer in the project."""

    material: Id
    variant: Id


class Crop(Frozen):
    """The part of a finished picture that is kept.

    Attributes
    ----------
    place : (4,) float or None
        Left, top, right and bottom, mm on the film from its middle; None for what the product takes, in the middle.
    margin : float
        Room round the product, as a share of the longer side that it takes.
    keeps_shape : bool
        Whether what is kept round the product has the shape of the whole picture.
    """

    place: tuple[float, float, float, float] | None = None
    margin: float = Field(0.05, ge=0, le=2, allow_inf_nan=False)
    keeps_shape: bool = False

    @model_validator(mode="after")
    def _has_a_size(self) -> Self:
        if self.place is not None and not (self.place[2] > self.place[0] and self.place[3] > self.place[1]):
            raise ValueError("a crop has its left before its right, and its top before its bottom")
        return self


class Shot(Frozen):
    """One picture to hand over, or a turn of many.

    Attributes
    ----------
    name : str
        Of its file.
    view, set : id
    swap : Swap or None
    turn : Turn or None
        The turn that it is, which needs one of `TURN_KINDS`; None for one picture, which needs another kind than a film
        or a page.
    is_on : bool
        Whether it is rendered with the others.
    width, height : int
        Pixels.
    dpi : float
        Pixels per inch, as the file says.
    samples : int
        Of each pixel, at most.
    noise : float
        Share of the light at which a part of the picture is clean enough; 0 for all samples everywhere.
    minutes : float
        Time limit; 0 for none.
    kind : str
        Kind of file.
    bits : int
        Bits of a channel.
    background : str
    profile : str
        Colours of the file, of all kinds but EXR, which has linear light of Rec.709.
    is_finished : bool
        Whether the finish is applied.
    passes : tuple of str
        Passes in the file, of EXR, and of OpenRaster as far as it has room for them.
    has_ids : bool
        Whether an EXR has Cryptomatte layers for parts, materials and zones.
    crop : Crop or None
        The part of it that is written; all of it where None.
    packing : str
    has_parts : bool
        How an EXR is packed, and whether each pass is a part of its own.
    """

    id: Id
    name: Name
    view: Id
    set: Id
    swap: Swap | None = None
    turn: Turn | None = None
    is_on: bool = True
    width: _Side = 1920
    height: _Side = 1080
    dpi: float = Field(72.0, ge=1, le=10000, allow_inf_nan=False)
    samples: Annotated[int, Field(ge=1, le=MOST_SAMPLES)] = SAMPLES
    noise: float = Field(0.0, ge=0, le=1, allow_inf_nan=False)
    minutes: float = Field(0.0, ge=0, le=7 * 24 * 60, allow_inf_nan=False)
    kind: FileKind = "png"
    bits: Bits = 8
    background: Background = "set"
    profile: Profile = "srgb"
    is_finished: bool = True
    passes: Annotated[tuple[Annotated[str, Field(max_length=40)], ...], Field(max_length=40)] = ()
    has_ids: bool = False
    crop: Crop | None = None
    packing: Packing = "zip"
    has_parts: bool = False

    @model_validator(mode="after")
    def _has_a_kind_of_its_own(self) -> Self:
        if self.turn is not None and self.kind not in TURN_KINDS:
            raise ValueError(f"shot '{self.name}' is a turn, which no {self.kind.upper()} holds")
        if self.turn is None and self.kind in _TURNS_ALONE:
            raise ValueError(f"shot '{self.name}' is one picture, which no {self.kind.upper()} holds")
        return self

    @property
    def frames(self) -> int:
        """Pictures that it has."""
        return self.turn.frames if self.turn is not None else 1


class HandOver(Frozen):
    """All that leaves the project.

    Attributes
    ----------
    finish : Finish
    proof : PrintProof or None
        The print that the picture is shown as.
    shots : tuple of Shot
        In the order in which they are rendered.
    pattern : str
        Names of their files; words in braces stand for what they name, see `exchange.shot_files.TOKENS`.
    """

    finish: Finish = Finish()
    proof: PrintProof | None = None
    shots: Annotated[tuple[Shot, ...], Field(max_length=MOST_SHOTS)] = ()
    pattern: Annotated[str, Field(min_length=1, max_length=200)] = "{shot}"
