"""Cut-outs of clear glass: what is behind them shows through, with their tint."""

import math
from dataclasses import replace

import numpy as np
import pytest
from PIL import Image

from mat_shelf.document.camera import Camera, View
from mat_shelf.document.material import Material
from mat_shelf.document.product import Part, Product
from mat_shelf.document.project import Project
from mat_shelf.document.recipe import Recipe
from mat_shelf.document.set import Set
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.image_writing import Form
from mat_shelf.exchange.models.mesh_glb import NamedMesh
from mat_shelf.exchange.render_file import RenderSettings, render_to_file
from mat_shelf.geometry.solids import box, lathe, moved
from mat_shelf.rendering.final_render import render_picture

SIZE = 60, 40
ROOM = 0.8
"""Of the even room, 1 for 1000 cd/m2."""
INDEX, THICK, DEPTH = 1.5, 6.0, 6.0
AMBER = (0.7, 0.35, 0.1)


def scene(recipe: Recipe, mesh, material: str = "glass") -> tuple[Project, Assets]:
    """A thing and a matt card beside it in an even room, seen in parallel rays along z."""
    assets = Assets()
    thing = assets.add(NamedMesh("thing", mesh))
    card = assets.add(NamedMesh("card", moved(box((20, 80, 4), 0.5), (70, 0, 0))))
    project = Project(
        name="Pane",
        product=Product(
            name="Pane",
            parts=(
                Part(id="pane", name="Pane", mesh=thing, material=material),
                Part(id="card", name="Card", mesh=card, material="grey"),
            ),
        ),
        materials=(Material(id="glass", name="Glass", recipe=recipe), Material(id="grey", name="Grey")),
        sets=(Set(id="s", name="s", surround=1000 * ROOM, ground=1000 * ROOM, backdrop=None),),
        current_set="s",
        views=(View(id="final", name="F", camera=Camera(position=(20, 0, 500), target=(20, 0, 0), is_parallel=True)),),
    )
    return project, assets


def glass(**values) -> Recipe:
    return Recipe(transmission_weight=1.0, specular_ior=INDEX, specular_roughness=0.0, **values)


PANE = moved(box((80, 120, THICK), 0.0), (-20, 0, 0))


@pytest.mark.parametrize("color", [pytest.param((1.0, 1.0, 1.0), marks=pytest.mark.long), AMBER])
def test_a_pane_hides_what_it_reflects_and_absorbs(color):
    """Twice Fresnel's 4 percent at n = 1.5, and Beer's law."""
    project, assets = scene(glass(transmission_color=color, transmission_depth=DEPTH), PANE)
    cut = render_picture(project, assets, *SIZE, 256, cut_out=True, denoise=False)
    whole = render_picture(project, assets, *SIZE, 256, denoise=False)
    parts = cut.film.part
    pane, card = parts == 0, parts == 1
    assert pane.sum() > 300 and card.sum() > 40
    through = (1 - 0.04) ** 2 * min(color) ** (THICK / DEPTH)
    assert cut.alpha[pane].mean() == pytest.approx(1 - through, abs=0.006)
    assert (cut.alpha[card & (cut.film.cover()[..., 0] == 1)] == 1).all()
    # Over the room that it was lit in, it is the picture of both.
    over = cut.light + (1 - cut.alpha) * ROOM
    assert over[pane].mean(axis=0) == pytest.approx(whole.light[pane].mean(axis=0), rel=0.004)
    assert over[card].mean(axis=0) == pytest.approx(whole.light[card].mean(axis=0), rel=0.004)
    # Over black only what it reflects is left, and its tint.
    tint = (1 - 0.04) ** 2 * (np.array(color) ** (THICK / DEPTH) - min(color) ** (THICK / DEPTH)) * ROOM
    mirrored = whole.light[pane].mean(axis=0) - (1 - 0.04) ** 2 * np.array(color) ** (THICK / DEPTH) * ROOM
    assert cut.light[pane].mean(axis=0) == pytest.approx(tint + mirrored, abs=0.006)


def test_noise_is_taken_from_the_alpha_too():
    project, assets = scene(glass(), PANE)
    noisy, clean = (render_picture(project, assets, *SIZE, 8, cut_out=True, denoise=d) for d in (False, True))
    inner = np.s_[2:18, 5:26]  # well inside of the pane
    assert noisy.alpha[inner].mean() == pytest.approx(clean.alpha[inner].mean(), abs=0.01)
    assert clean.alpha[inner].std() < 0.3 * noisy.alpha[inner].std()
    edge = clean.film.cover()[..., 0] < 1
    assert (clean.alpha[edge] <= clean.film.cover()[edge]).all()


@pytest.mark.long
def test_a_ball_of_glass_keeps_its_rim():
    """Rays through its middle go straight on; those near the rim are bent aside and show the set that draws it."""
    angle = np.linspace(-np.pi / 2, np.pi / 2, 300)
    ball = lathe(np.stack([40 * np.cos(angle), 40 * np.sin(angle)], axis=1), 300)
    project, assets = scene(glass(), moved(ball, (-20, 0, 0)))
    cut = render_picture(project, assets, 120, 80, 64, cut_out=True, denoise=False)
    rows, columns = np.nonzero(cut.film.part == 0)
    middle = rows.mean(), columns.mean()
    share = np.hypot(rows - middle[0], columns - middle[1]) / math.sqrt(len(rows) / math.pi)
    alpha = cut.alpha[rows, columns, 0]

    def bent(at: float) -> float:
        """Degrees by which Snell's law turns a ray that meets the ball at this share of its radius."""
        return math.degrees(2 * (math.asin(at) - math.asin(at / INDEX)))

    straight, aside = share < 0.28, (share > 0.85) & (share < 0.97)
    assert bent(0.28) < 12 and bent(0.85) > 35
    assert alpha[straight].mean() == pytest.approx(1 - 0.96**2, abs=0.02)
    assert alpha[aside].mean() > 0.97


def test_files_without_light_of_their_own_keep_highlights_on_glass(tmp_path):
    """A PNG holds colours without alpha: where glass mirrors a bright room, laid over black it is as bright as that."""
    project, assets = scene(glass(), PANE)
    bright = project.with_set(project.set.with_(exposure=3.0))
    settings = RenderSettings(*SIZE, 32, denoise=False, cut_out=True)
    rendered, _ = render_to_file(bright, assets, tmp_path / "a.png", settings)
    pane = (rendered.film.part == 0) & (rendered.film.cover()[..., 0] == 1)
    reflected = rendered.light[pane].mean()
    assert 0.3 < reflected < 0.9 and rendered.alpha[pane].mean() < 0.12
    pixels = np.asarray(Image.open(tmp_path / "a.png")).astype(float) / 255
    shown = ((pixels[..., :3] + 0.055) / 1.055) ** 2.4 * pixels[..., 3:]  # IEC 61966-2-1, over black
    assert shown[pane].mean() == pytest.approx(reflected, rel=0.15)
    on_white = replace(settings, form=Form(on_white=True))
    render_to_file(project, assets, tmp_path / "b.png", on_white)
    white = np.asarray(Image.open(tmp_path / "b.png"))
    assert (white[~(rendered.film.cover()[..., 0] > 0)] == 255).all() and white[pane].mean() > 235
