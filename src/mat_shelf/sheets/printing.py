"""A proof sheet drawn onto pages, with text that stays text, and written as a PDF or as pictures of its pages."""

import tempfile
from collections.abc import Callable, Mapping
from pathlib import Path

import numpy as np
import pypdfium2
from PIL import Image

from mat_shelf.document.project import Project
from mat_shelf.document.recipe import Recipe
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.image_decoding import ImageError
from mat_shelf.exchange.image_reading import read_artwork, read_map
from mat_shelf.optics.measurements import Measurements
from mat_shelf.sheets.pictures import Entry, Picture, entries, pattern_pictures, readings, rendered
from mat_shelf.sheets.sheet import Paper, Sheet, check_sheet
from mat_shelf.sheets.words import pattern_in_words, readings_in_words, values_in_words, worn_by
from mat_shelf.system.file_writer import write_file

_FONTS = Path(__file__).parents[1] / "app" / "fonts"
_POINT = 25.4 / 72
_INK, _QUIET, _LINE = (38, 38, 38), (112, 112, 112), (205, 205, 205)
_GAP, _LEADING = 4.0, 1.38
_UNDER = (8.5, 7.0, 7.0)
"""Sizes of the lines under a picture, points."""
_LARGEST, _SMALLEST, _HIGHEST = 62.0, 24.0, 0.45
"""Widths that a picture on a shape may have, mm, and height of one of the product, as a share of the page."""
_SWATCH, _PATTERN = 36.0, 9.0
"""Widths of the pictures in a list of materials, and of its patterns."""
_READINGS = {"gloss": "Gloss 20° · 60° · 85°", "lab": "CIELAB, D65", "f0": "F0", "through": "Through 1 mm · 10 mm"}
_LOGO = 40.0, 11.0


def make_sheet(
    project: Project,
    assets: Assets,
    sheet: Sheet,
    paper: Paper,
    path: Path,
    progress: Callable[[str, int, int], bool] = lambda what, done, total: True,
    is_stopped: Callable[[], bool] = lambda: False,
) -> list[Path]:
    """Renders the pictures of a proof sheet and writes it.

    Parameters
    ----------
    project : Project
        The project.
    assets : Assets
        Its files.
    sheet : Sheet
        Content of the sheet.
    paper : Paper
        Its paper.
    path : Path
        A PDF, or a PNG; of several pages each is a PNG with its number.
    progress : callable (what, done, total) -> bool
        Told before each picture; False cancels.
    is_stopped : callable () -> bool
        Asked many times a second; True cancels.

    Returns
    -------
    list of Path
        Files that were written.

    Raises
    ------
    ImageError
        If it cannot be made as it is asked for; before anything is rendered.
    OSError
        If it cannot be written.
    InterruptedError
        If it was cancelled.
    """
    check_sheet(project, sheet, paper, path)
    logo = None if paper.logo is None else _logo(paper.logo)
    pages = _Pages(paper, paper.title or project.name, logo)
    found = readings(project, sheet, lambda done: progress("Measuring", done, len(sheet.materials)))
    content = entries(project, assets, sheet, found)
    pictures: dict[int, np.ndarray] = {}
    wanted = [(picture, pages.width_of(entry, picture)) for entry in content for picture in entry.pictures]
    for done, (picture, width) in enumerate(wanted):
        if not progress("Picture", done, len(wanted)):
            raise InterruptedError("cancelled")
        pixels = max(round(width / 25.4 * paper.dpi), 16)
        pictures[id(picture)] = rendered(picture, pixels, sheet.samples, is_stopped)
    for entry in content:
        if sheet.kind == "product" and entry.material is not None:
            _list_material(pages, project, assets, entry, found[entry.material], pictures)
        else:
            _show_entry(pages, project, entry, found, pictures)
    return _written(pages.document(), path, paper.dpi)


class _Pages:
    """Pages with a place where the next thing goes, in mm from the left and the top."""

    def __init__(self, paper: Paper, title: str, logo: Image.Image | None):
        from fpdf import FPDF  # which takes a third of a second to import, and is of no use in most runs

        self.paper, self.title, self.logo = paper, title, logo
        self.pdf = FPDF(unit="mm", format=(paper.width, paper.height))
        self.pdf.set_auto_page_break(False)
        self.pdf.set_margin(0)
        self.pdf.set_title(title)
        self.pdf.set_creator("Mat Shelf")
        for weight in ("Regular", "SemiBold"):
            self.pdf.add_font(weight, "", _FONTS / f"Inter-{weight}.otf")
        self.left, self.right = paper.margin, paper.width - paper.margin
        self.bottom = paper.height - paper.margin - 6
        self.y = 0.0
        self.new_page()

    @property
    def width(self) -> float:
        """Width of what is printed."""
        return self.right - self.left

    def new_page(self) -> None:
        """Begins a page, with the title at its top."""
        self.pdf.add_page()
        self.y = self.paper.margin
        room = self.width - (_LOGO[0] + _GAP if self.logo is not None else 0)
        self.text(self.left, self.y, self.title, 15, "SemiBold", room)
        if self.logo is not None:
            share = min(_LOGO[0] / self.logo.width, _LOGO[1] / self.logo.height)
            width, height = self.logo.width * share, self.logo.height * share
            self.pdf.image(self.logo, self.right - width, self.y - 1, width, height)
        self.y += 12
        self.rule()

    def rule(self) -> None:
        """Draws a line across, and goes on below."""
        self.pdf.set_draw_color(*_LINE)
        self.pdf.set_line_width(0.2)
        self.pdf.line(self.left, self.y, self.right, self.y)
        self.y += _GAP

    def need(self, height: float) -> bool:
        """Begins a page where there is no room for something; True where it did."""
        is_full = self.y + height > self.bottom and self.y > self.paper.margin + 12 + _GAP + 1e-6
        if is_full:
            self.new_page()
        return is_full

    def text(self, x, y, words: str, size: float, weight="Regular", room=None, color=_INK) -> float:
        """Writes a line from its upper left, cut where there is no room; returns its height."""
        self.pdf.set_font(weight, size=size)
        self.pdf.set_text_color(*color)
        if room is not None:
            words = self._cut(words, room)
        self.pdf.text(x, y + size * _POINT * 0.97, words)
        return size * _POINT * _LEADING

    def _cut(self, words: str, room: float) -> str:
        if self.pdf.get_string_width(words) <= room:
            return words
        while words and self.pdf.get_string_width(f"{words}…") > room:
            words = words[:-1]
        return f"{words.rstrip()}…"

    def lines(self, words: str, size: float, room: float, weight="Regular") -> list[str]:
        """Words broken into lines."""
        self.pdf.set_font(weight, size=size)
        made: list[str] = []
        for word in words.split(" "):
            longer = f"{made[-1]} {word}" if made else word
            if made and self.pdf.get_string_width(longer) <= room:
                made[-1] = longer
            else:
                made.append(self._cut(word, room))
        return made

    def picture(self, pixels: np.ndarray, x: float, y: float, width: float) -> float:
        """Shows a picture; returns its height."""
        height = width * pixels.shape[0] / pixels.shape[1]
        self.pdf.image(Image.fromarray(pixels), x, y, width, height)
        return height

    def columns(self, entry: Entry) -> int:
        """Pictures beside each other, as many as asked for or as there is room for."""
        room = max(int((self.width + _GAP) / (_SMALLEST + _GAP)), 1)
        return min(entry.columns, room)

    def width_of(self, entry: Entry, picture: Picture) -> float:
        """Width of a picture of an entry, mm."""
        if picture.shape > 1:
            across = (self.width - _GAP * (entry.columns - 1)) / entry.columns
            return min(across, _HIGHEST * self.paper.height * picture.shape)
        if entry.material is not None and len(entry.pictures) == 1:
            return _SWATCH
        across = self.columns(entry)
        return min((self.width - _GAP * (across - 1)) / across, _LARGEST)

    def document(self) -> bytes:
        """The PDF, its pages numbered."""
        total = self.pdf.pages_count
        for number in range(1, total + 1):
            self.pdf.page = number
            words = f"{number} of {total}"
            y = self.paper.height - self.paper.margin - 3
            self.text(self.left, y, f"{self.title} · proof sheet", 7, room=self.width - 30, color=_QUIET)
            self.text(self.right - self.pdf.get_string_width(words), y, words, 7, color=_QUIET)
        return bytes(self.pdf.output())


def _show_entry(pages: _Pages, project: Project, entry: Entry, found: Mapping, pictures: Mapping) -> None:
    """Pictures side by side, with what they are of above them and words below each."""
    told = _reading_line(found[entry.material]) if entry.material in found else ""
    width = pages.width_of(entry, entry.pictures[0])
    columns = entry.columns if entry.pictures[0].shape > 1 else pages.columns(entry)
    height = width / entry.pictures[0].shape
    below = 1.5 + sum(each * _POINT * _LEADING for each in _UNDER[: len(entry.pictures[0].words)]) + _GAP
    pages.need(height + below + (16 if entry.material else 0))
    if entry.material is not None:
        name = project.material(entry.material).name
        pages.y += pages.text(pages.left, pages.y, name, 11, "SemiBold", pages.width)
        for line in pages.lines(told, 8, pages.width):
            pages.y += pages.text(pages.left, pages.y, line, 8, room=pages.width, color=_QUIET)
        pages.y += 1
    for first in range(0, len(entry.pictures), columns):
        if pages.need(height + below) and entry.material is not None:
            pages.y += pages.text(pages.left, pages.y, f"{name}, continued", 8, room=pages.width, color=_QUIET) + 1
        for place, picture in enumerate(entry.pictures[first : first + columns]):
            x = pages.left + place * (width + _GAP)
            pages.picture(pictures[id(picture)], x, pages.y, width)
            y = pages.y + height + 1.5
            for line, (words, size) in enumerate(zip(picture.words, _UNDER, strict=False)):
                y += pages.text(x, y, words, size, room=width, color=_QUIET if line else _INK)
        pages.y += height + below
    pages.y += 2


def _list_material(pages: _Pages, project, assets, entry: Entry, found: Measurements, pictures: Mapping) -> None:
    """A material of the product: its picture, what wears it, its values, readings and patterns."""
    material = project.material(entry.material)
    recipe: Recipe = material.recipe
    x = pages.left + _SWATCH + 2 * _GAP
    half = (pages.right - x - 2 * _GAP) / 2
    values, patterns = values_in_words(recipe), pattern_pictures(recipe, assets)
    told = [(_READINGS[key], words) for key, words in readings_in_words(found).items() if key in _READINGS]
    overlays = ", ".join(overlay.name for overlay in recipe.shown_overlays())
    told += [("Overlays", overlays)] if overlays else []
    line = 7.5 * _POINT * _LEADING
    left, right = len(values) * line, len(told) * line + 2 + len(patterns) * (_PATTERN + 1.5)
    worn = pages.lines(
        f"On {worn_by(project, material.id)}" if worn_by(project, material.id) else "Not worn", 8, 2 * half
    )
    head = 11 * _POINT * _LEADING + len(worn) * 8 * _POINT * _LEADING + 1.5
    pages.need(max(_SWATCH, head + max(left, right)) + 2 * _GAP)
    top = pages.y
    pages.picture(pictures[id(entry.pictures[0])], pages.left, top, _SWATCH)
    y = top + pages.text(x, top, material.name, 11, "SemiBold", 2 * half)
    for words in worn:
        y += pages.text(x, y, words, 8, room=2 * half, color=_QUIET)
    below = top + head
    y = below
    for label, words in values:
        if y + line > pages.bottom:
            break
        _row(pages, x, y, half, label, words)
        y += line
    other, z = x + half + 2 * _GAP, below
    for label, words in told:
        _row(pages, other, z, half, label, words)
        z += line
    z += 2
    for pattern, pixels in zip(recipe.patterns, patterns, strict=True):
        if z + _PATTERN > pages.bottom:
            break
        pages.picture(pixels, other, z, _PATTERN)
        at, room = other + _PATTERN + 2, half - _PATTERN - 2
        step = pages.text(at, z + 0.6, pattern.name, 7.5, room=room)
        pages.text(at, z + 0.6 + step, pattern_in_words(recipe, pattern), 7, room=room, color=_QUIET)
        z += _PATTERN + 1.5
    pages.y = max(top + _SWATCH, y, z) + _GAP
    pages.rule()


def _row(pages: _Pages, x: float, y: float, width: float, label: str, words: str) -> None:
    """A label, and its value in a column of its own, after its colour where it is one."""
    share = 0.46 * width
    pages.text(x, y, label, 7.5, room=share - 1, color=_QUIET)
    if words.startswith("#"):
        pages.pdf.set_fill_color(*(int(words[k : k + 2], 16) for k in (1, 3, 5)))
        pages.pdf.rect(x + share, y + 0.35, 4, 2.3, style="F")
        share += 5.5
    pages.text(x + share, y, words, 7.5, room=width - share)


def _reading_line(found: Measurements) -> str:
    """Readings beside each other, each of which stays on one line."""
    words = readings_in_words(found)
    bound = [" ".join(f"{name}: {words[key]}".split()) for key, name in _READINGS.items() if key in words]
    return "\N{EM SPACE} ".join(each.replace(" ", "\N{NO-BREAK SPACE}") for each in bound)


def _logo(data: bytes) -> Image.Image:
    """A logo of any origin, decoded aside. Raises ImageError."""
    try:
        pixels = read_map(read_artwork(data))
    except ImageError as fault:
        raise ImageError(f"the logo cannot be used: {fault}") from fault
    if pixels.dtype != np.uint8:
        top = np.iinfo(pixels.dtype).max if pixels.dtype.kind == "u" else 1
        pixels = np.round(255 * np.clip(pixels.astype(np.float32) / top, 0, 1)).astype(np.uint8)
    return Image.fromarray(pixels if pixels.shape[2] > 1 else pixels[..., 0])


def _written(document: bytes, path: Path, dpi: float) -> list[Path]:
    if path.suffix.lower() == ".pdf":
        write_file(path, document)
        return [path]
    pages = pypdfium2.PdfDocument(document)
    try:
        paths = [path] if len(pages) == 1 else [path.with_stem(f"{path.stem}-{k + 1}") for k in range(len(pages))]
        for page, place in zip(pages, paths, strict=True):
            with tempfile.TemporaryFile() as out:
                page.render(scale=dpi / 72).to_pil().convert("RGB").save(out, "PNG", dpi=(dpi, dpi))
                write_file(place, out)
        return paths
    finally:
        pages.close()
