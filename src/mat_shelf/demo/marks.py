"""The demo's marks: the bottle's labels and emblem, and the warmer's display."""

from mat_shelf.demo import ink_bottle, label_artwork
from mat_shelf.demo.warmer import RADIUS, WINDOW
from mat_shelf.document.image import ImageRef
from mat_shelf.document.mark import Mark
from mat_shelf.document.recipe import Recipe
from mat_shelf.exchange.assets import Assets

PAPER = Recipe(base_color=(1.0, 1.0, 1.0), base_diffuse_roughness=0.3, specular_weight=0.7, specular_roughness=0.5)
FOIL = Recipe(
    base_color=(1.0, 0.782, 0.343), base_metalness=1.0, specular_color=(0.974, 0.999, 0.973), specular_roughness=0.16
)
PANEL = Recipe(base_color=(0.004, 0.004, 0.004), specular_roughness=0.2)


def _art(assets: Assets, name: str, data: bytes) -> ImageRef:
    key, kind = assets.add_map(data)
    return ImageRef(name=f"{name}.png", digest=key, kind=kind)


def desk_set_marks(assets: Assets, stand, window_at) -> tuple[Mark, ...]:
    """The marks of the desk set, their art added to its assets.

    Parameters
    ----------
    stand, window_at : callable (point, direction) -> (point, direction)
        From the frames of the bottle's and of the window's own modelling to those of their parts.
    """
    half = ink_bottle.HALF
    front = stand((0, 20.5, half), (0, 0, 1))
    behind = stand((0, 20.0, -half), (0, 0, -1))
    shoulder = stand((0, 43.6, 20.2), (0, 0.84, 0.54))
    inner = window_at((0.3, sum(WINDOW) / 2 + 0.2, RADIUS + 0.05), (0, 0, -1))
    width, height = label_artwork.FRONT
    return (
        Mark(
            id="front-label",
            name="Front label",
            part="bottle",
            point=front[0],
            facing=front[1],
            width=width,
            height=height,
            art=_art(assets, "front label", label_artwork.front_label()),
            recipe=PAPER,
            thickness=0.1,
        ),
        Mark(
            id="foil-frame",
            name="Foil frame",
            kind="foil",
            part="bottle",
            point=front[0],
            facing=front[1],
            width=width,
            height=height,
            seen="outside",
            art=_art(assets, "foil frame", label_artwork.front_foil()),
            recipe=FOIL,
        ),
        Mark(
            id="back-label",
            name="Back label",
            part="bottle",
            point=behind[0],
            facing=behind[1],
            width=label_artwork.BACK[0],
            height=label_artwork.BACK[1],
            art=_art(assets, "back label", label_artwork.back_label()),
            back=_art(assets, "reeds", label_artwork.back_picture()),
            recipe=PAPER,
        ),
        Mark(
            id="emblem",
            name="Emblem",
            kind="stamp",
            part="bottle",
            point=shoulder[0],
            facing=shoulder[1],
            width=9.0,
            height=9.0,
            art=_art(assets, "emblem", label_artwork.emblem()),
            rise=0.4,
            slope=0.5,
            is_displaced=True,
        ),
        Mark(
            id="figures",
            name="Figures",
            kind="screen",
            part="warmer-window",
            point=inner[0],
            facing=inner[1],
            width=label_artwork.FIGURES[0],
            height=label_artwork.FIGURES[1],
            is_mirrored=True,
            seen="inside",
            art=_art(assets, "figures", label_artwork.figures()),
            recipe=PANEL,
            luminance=700.0,
        ),
    )
