"""Shots as renders: what each is of, how it is written, and where to."""

import hashlib
import json
import re
from collections import Counter
from collections.abc import Sequence
from pathlib import Path

from mat_shelf.document.ids import by_id
from mat_shelf.document.project import Project
from mat_shelf.document.shot import Shot
from mat_shelf.exchange.band_rendering import program_digest
from mat_shelf.exchange.color_profiles import COLOR_SPACES
from mat_shelf.exchange.image_decoding import ImageError
from mat_shelf.exchange.image_form import Form, ending_of
from mat_shelf.exchange.layered_image import layered_passes
from mat_shelf.exchange.render_file import RenderSettings
from mat_shelf.rendering.adaptive import expected_samples
from mat_shelf.rendering.wave_state import KINDS

TOKENS = ("shot", "product", "view", "set", "variant", "width", "height", "number")
"""What a name pattern may hold, in braces."""
_MOST_DIGESTS = 256
_digests: dict[int, tuple[object, str]] = {}
_BRACES = r"\{([^{}]*)\}"
FILM_BYTES, _LAYER_BYTES, _HALF_BYTES = 105, 24, 16
"""Memory of a pixel of a film with one layer of light, of one layer more, and where its noise is to be known."""


def shot_project(project: Project, shot: Shot) -> Project:
    """The project as a shot shows it.

    Parameters
    ----------
    project : Project
        The project.
    shot : Shot
        One of its shots.

    Returns
    -------
    Project

    Raises
    ------
    ImageError
        If its variant is no longer in the project.
    """
    project = project.with_(current_view=shot.view, current_set=shot.set)
    if shot.swap is None:
        return project.as_seen()
    known = {material.id: material.name for material in project.materials}
    if shot.swap.material not in known or shot.swap.variant not in known:
        raise ImageError(
            f"the variant of {shot.name} is no longer in the project; choose another one, or remove the shot"
        )

    swap, parts = shot.swap, []
    for part in project.product.parts:
        zones = [zone.with_(material=swap.variant) if zone.material == swap.material else zone for zone in part.zones]
        if tuple(zones) != part.zones:
            part = part.with_(zones=tuple(zones))
        parts.append(part.with_(material=swap.variant) if part.material == swap.material else part)
    return project.with_parts(parts).as_seen()


def shot_settings(shot: Shot) -> RenderSettings:
    """Settings that a shot is rendered and written with.

    Parameters
    ----------
    shot : Shot
        The shot.

    Returns
    -------
    RenderSettings
    """
    is_exr = shot.kind == "exr"
    form = Form(
        shot.bits if not is_exr else max(shot.bits, 16),
        COLOR_SPACES[shot.profile],
        shot.dpi,
        shot.background.startswith("white"),
        packing=shot.packing,
        has_parts=shot.has_parts,
    )
    return RenderSettings(
        shot.width,
        shot.height,
        shot.samples,
        seconds=shot.minutes * 60 or None,
        noise=shot.noise or None,
        cut_out=shot.background != "set",
        has_shadow=shot.background.endswith("shadow"),
        form=form,
        is_finished=shot.is_finished,
        has_ids=shot.has_ids and is_exr,
        crop=shot.crop,
        passes=shot.passes if is_exr else layered_passes(shot.passes) if shot.kind == "ora" else (),
    )


def film_key(project: Project, shot: Shot) -> str:
    """Digest of all that the samples of a shot depend on: those of shots with one key are the same.

    Parameters
    ----------
    project : Project
        The project as the shot shows it.
    shot : Shot
        The shot.

    Returns
    -------
    str
    """
    keeps_apart = [name for name in ("lights", "kinds") if name in shot.passes and shot.kind == "exr"]
    told = (
        program_digest(),
        *(_digest(thing) for thing in (project.product, project.materials, project.marks, project.set)),
        _digest(project.view.camera),
        (shot.width, shot.height, shot.background != "set", shot.background.endswith("shadow"), keeps_apart),
        (shot.noise, shot.samples) if shot.noise else (),  # which decide where samples go
        *((repr(shot.turn), shot.samples) if shot.turn is not None else ()),
    )
    return hashlib.sha256(repr(told).encode()).hexdigest()[:40]


def _digest(thing) -> str:
    """Digest of a value of the project, or of several; many shots have the same ones."""
    kept = _digests.get(id(thing))
    if kept is None or kept[0] is not thing:
        values = [each.model_dump(mode="json") for each in (thing if isinstance(thing, tuple) else (thing,))]
        kept = thing, hashlib.sha256(json.dumps(values, sort_keys=True).encode()).hexdigest()
        if len(_digests) > _MOST_DIGESTS:
            _digests.clear()
        _digests[id(thing)] = kept
    return kept[1]


def form_key(project: Project, shot: Shot) -> str:
    """Digest of all else that the file of a shot depends on.

    Parameters
    ----------
    project : Project
        The project.
    shot : Shot
        The shot.

    Returns
    -------
    str
    """
    fields = shot.model_dump(mode="json", exclude={"id", "name", "is_on", "minutes"})
    finish = project.finish.model_dump(mode="json") if shot.is_finished else None
    return hashlib.sha256(json.dumps([fields, finish], sort_keys=True).encode()).hexdigest()[:40]


def shot_name(project: Project, shot: Shot, number: int) -> str:
    """Name of a shot's file.

    Parameters
    ----------
    project : Project
        The project.
    shot : Shot
        The shot.
    number : int
        Its place among the shots, from 1.

    Returns
    -------
    str

    Raises
    ------
    ImageError
        If the pattern holds something in braces that is not known.
    """
    variant = "" if shot.swap is None else next((m.name for m in project.materials if m.id == shot.swap.variant), "")
    words = {
        "shot": shot.name,
        "product": project.product.name,
        "view": by_id(project.views, shot.view).name,
        "set": by_id(project.sets, shot.set).name,
        "variant": variant,
        "width": str(shot.width),
        "height": str(shot.height),
        "number": f"{number:02d}",
    }

    unknown = next((word for word in re.findall(_BRACES, project.hand_over.pattern) if word not in words), None)
    if unknown is not None:
        known = ", ".join(f"{{{token}}}" for token in TOKENS)
        raise ImageError(f"a file name cannot hold {{{unknown}}}; it can hold {known}")
    name = re.sub(_BRACES, lambda found: words[found[1]], project.hand_over.pattern)
    name = re.sub(r"[/\\\x00-\x1f]", "-", name).strip().lstrip(".")
    name = re.sub(r"\s+", " ", name).encode()[:200].decode(errors="ignore")
    return f"{name or 'Shot'}.{shot.kind}"


def shot_paths(project: Project, shots: Sequence[Shot], folder: Path) -> dict[str, Path]:
    """Files of some shots, by their ids.

    Parameters
    ----------
    project : Project
        The project.
    shots : sequence of Shot
        Some of its shots.
    folder : Path
        Folder of the files.

    Returns
    -------
    dict of Path

    Raises
    ------
    ImageError
        If the pattern is wrong, or two shots would be one file.
    """
    places = {shot.id: place for place, shot in enumerate(project.hand_over.shots, 1)}
    paths = {shot.id: folder / shot_name(project, shot, places[shot.id]) for shot in shots}
    twice = [path for path, times in Counter(paths.values()).items() if times > 1]
    if twice:
        raise ImageError(
            f"several shots would be written to {twice[0].name}; rename them, or add {{number}} to the file names"
        )
    return paths


def check_shot(shot: Shot, path: Path, memory: int | None = None) -> None:
    """Says before the render what would be refused after it.

    Parameters
    ----------
    shot : Shot
        The shot.
    path : Path
        Its file.
    memory : int, optional
        Bytes that may be used.

    Raises
    ------
    ImageError
        If its file cannot hold what is asked for, or the picture is too large.
    """
    if shot.turn is not None:
        needed = film_memory(shot) + shot.frames * shot.width * shot.height * 3
    else:
        settings, needed = shot_settings(shot), film_memory(shot)
        try:
            if {"lights", "kinds"} <= set(settings.passes):
                raise ImageError("light is kept apart by light or by kind; make two shots of it")
            ending_of(path, settings.cut_out and not settings.form.on_white, settings.form.bits, bool(settings.passes))
        except ImageError as fault:
            raise ImageError(f"{shot.name}: {fault}") from None
    if memory is not None and needed > memory:
        raise ImageError(f"{shot.name} needs about {needed / 1e9:.1f} GB of memory; choose a smaller size")


def samples_to_come(shot: Shot) -> int:
    """Samples of a pixel that a shot takes in all, about where it stops by its noise.

    Parameters
    ----------
    shot : Shot
        The shot.

    Returns
    -------
    int
        Of all its frames, where it is a turn.
    """
    return expected_samples(shot.noise, shot.samples) if shot.turn is None else shot.samples * shot.frames


def film_memory(shot: Shot) -> int:
    """Memory that rendering a shot takes at least, bytes: the film, and the picture while its noise is removed.

    Parameters
    ----------
    shot : Shot
        The shot.

    Returns
    -------
    int
    """
    films = 2 if shot.background == "set" else 3  # what is seen through clear glass has sums of its own
    films += 2 if shot.background.endswith("shadow") else 0  # the set without the product
    apart = films * _LAYER_BYTES * (len(KINDS) - 1) if "kinds" in shot.passes and shot.kind == "exr" else 0
    return shot.width * shot.height * (films * FILM_BYTES + apart + (_HALF_BYTES if shot.noise else 0))
