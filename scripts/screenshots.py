"""Makes the pictures in docs/screenshots and docs/pictures from the demo: all of them, or the groups that are named."""

import os
import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ["XDG_CONFIG_HOME"] = tempfile.mkdtemp()

import numpy as np
import trimesh
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from mat_shelf.app.product.product_board import CHECKS
from mat_shelf.app.set.light_card import HIGHLIGHT
from mat_shelf.app.start import application
from mat_shelf.app.wall.render_worker import CLOSE_UP, MAIN
from mat_shelf.app.window import Window
from mat_shelf.app.workshop import Workshop
from mat_shelf.commands.hand_over import SIZES, WHOLE
from mat_shelf.commands.patterns import PAINTING
from mat_shelf.commands.retouching import PAINT
from mat_shelf.demo.desk_set import SEAL_AT, demo_project, desk_set_meshes
from mat_shelf.document.camera import Camera
from mat_shelf.document.fill import Fill, Stream
from mat_shelf.document.finish import Adjustment
from mat_shelf.document.pattern import Placement
from mat_shelf.document.product import Part
from mat_shelf.document.reference import Overlap
from mat_shelf.document.retouch import AreaBrush, AreaStroke
from mat_shelf.document.set import Backdrop
from mat_shelf.document.turn import Turn
from mat_shelf.exchange.image_writing import write_image
from mat_shelf.exchange.materials.texture_files import write_maps
from mat_shelf.exchange.models.mesh_glb import NamedMesh
from mat_shelf.exchange.turntable import TurnSettings, render_turntable
from mat_shelf.fills.liquids import LIQUIDS
from mat_shelf.geometry.mesh import checked
from mat_shelf.geometry.pose import posed_bounds
from mat_shelf.geometry.solids import lathe, moved
from mat_shelf.library.library import Library
from mat_shelf.library.shipped import READY_OVERLAYS
from mat_shelf.patterns.sources import Painted
from mat_shelf.patterns.step import PatternContext
from mat_shelf.rendering.aovs import render_aovs
from mat_shelf.rendering.baking import bake
from mat_shelf.rendering.final_render import render_picture
from mat_shelf.rendering.input_picture import SAMPLES as INPUT_SAMPLES
from mat_shelf.rendering.navigation import dolly, framed, orbit
from mat_shelf.rendering.wave_state import KINDS
from mat_shelf.scene.geometry_maps import needed_geometry_maps
from mat_shelf.sheets.printing import make_sheet
from mat_shelf.sheets.sheet import Paper, Sheet

FOLDER = Path(__file__).parents[1] / "docs" / "screenshots"
DETAILS = FOLDER.parent / "pictures"
SAMPLES = 16
"""Of a picture on the wall; they are cleaned, so more would hardly be seen."""


def settle(app, window: Window, samples: int) -> None:
    """Waits until the viewport shows the newest edit with enough samples."""
    while True:
        app.processEvents()
        time.sleep(0.02)
        frame = window.viewport.frame
        if frame and frame.revision == window.viewport.revision and not frame.is_coarse and frame.samples >= samples:
            app.processEvents()
            return


def wait_for_close_up(app, window: Window) -> None:
    """Waits until the close-up is fine; it is worked on while it is looked at."""
    view = window.wall.close_up
    view._worker.looked_at = CLOSE_UP
    while view.frame is None or view.frame.is_coarse or view.frame.samples < SAMPLES:
        app.processEvents()
        time.sleep(0.02)
    view._worker.looked_at = MAIN


def place_of(window: Window, part: str) -> QPointF:
    """A point of the viewport where a part is seen."""
    seen = window.viewport.frame.first_hits.part
    ys, xs = np.nonzero(seen == [p.id for p in window.workshop.project.product.parts].index(part))
    rect, k = window.viewport.picture_rect, len(ys) // 2
    return QPointF(rect.x() + xs[k] / seen.shape[1] * rect.width(), rect.y() + ys[k] / seen.shape[0] * rect.height())


def wait_for_answer(app, window: Window, text: str) -> None:
    """Waits for a question with such an answer."""
    while not (window.notice.isVisible() and any(b.text().startswith(text) for b in window.notice.buttons)):
        app.processEvents()
        time.sleep(0.02)


def answer(app, window: Window, text: str) -> None:
    wait_for_answer(app, window, text)
    next(button for button in window.notice.buttons if button.text().startswith(text)).click()
    app.processEvents()


def texture_set(folder: Path) -> list[Path]:
    """A texture set of the sleeve's leather, as it would come from elsewhere, baked out of its own patterns."""
    project, assets = demo_project()
    recipe = project.material("saddle-leather").recipe
    corners = np.array([[0, 0, 0], [20, 0, 0], [20, 20, 0], [0, 20, 0]], float)
    mesh = checked(corners, [[0, 1, 2], [0, 2, 3]], uv=corners[:, :2] / 20)
    context = PatternContext({pattern.id: pattern for pattern in recipe.patterns}, assets.pictures)
    maps = bake(recipe, Part(id="patch", name="Patch", mesh="0" * 64), mesh, 512, context).maps
    maps["gloss"] = 1 - maps.pop("specular_roughness")
    maps["normal"][..., 1] *= -1  # green down, as some write it
    return write_maps(folder, "saddle", maps)


def show_crease(app, window: Window) -> None:
    """A crease painted on the leather sleeve, close up, as relief."""
    workshop, work, viewport = window.workshop, window.board.patterns, window.viewport
    workshop.select("sleeve")
    work.open(work.begin((Painted(),), "Creases", Placement()))
    work.add_relief(work.pattern_id)
    work.set_relief(work.recipe.relief[-1].with_(height=-1.4))
    work.take_in_hand(PAINTING)
    work.set_brush(work.brush.with_(width=5.0, strength=0.9))
    viewport.frame_part("sleeve")
    workshop.explore(dolly(orbit(workshop.camera, 0.0, 0.5), 0.42))
    settle(app, window, 2)
    ys, xs = np.nonzero(viewport.picker.mask_of("sleeve", None))
    rect, shape = viewport.picture_rect, viewport.frame.first_hits.part.shape
    left, right, top, bottom = xs.min(), xs.max(), ys.min(), ys.max()
    for start, bow in ((0.34, 0.05), (0.44, -0.04), (0.52, 0.06)):
        line = []
        for t in np.linspace(0, 1, 40):
            x = left + (right - left) * (start + 0.1 * t + bow * np.sin(np.pi * t))
            y = top + (bottom - top) * (0.25 + 0.5 * t)
            line.append(
                QPoint(int(rect.x() + x / shape[1] * rect.width()), int(rect.y() + y / shape[0] * rect.height()))
            )
        QTest.mousePress(viewport, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, line[0])
        for place in line:
            QTest.mouseMove(viewport, place)
            app.processEvents()
        QTest.mouseRelease(viewport, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, line[-1])
    settle(app, window, SAMPLES)
    window.grab().save(str(FOLDER / "crease.png"))
    work.open(None)
    workshop.explore(None)


def show_overlays(app, window: Window) -> None:
    """The warmer with overlays of dust and wear, and their card."""
    workshop = window.workshop
    workshop.select("warmer-body")
    for ready in READY_OVERLAYS:
        if ready.id in ("worn-to-steel", "dust-in-crevices"):
            window.board.overlays_card.add(ready)
    window.board.folds["Base"].title.click()
    if not window.board.folds["Overlays"].card.isVisible():
        window.board.folds["Overlays"].tab.click()
    window.viewport.frame_part("warmer-body")
    while any(key not in workshop.assets.geometry_maps for key in needed_geometry_maps(workshop.project)):
        app.processEvents()
        time.sleep(0.02)
    settle(app, window, SAMPLES)
    window.grab().save(str(FOLDER / "overlays.png"))
    workshop.explore(None)


def show_marks(app, window: Window) -> None:
    """The bottle's label with the station's board and handles, and its emblem where light grazes it."""
    workshop = window.workshop
    window.stations.buttons()[2].click()
    workshop.use_set(workshop.project.sets[0].id)
    workshop.explore(None)
    window.viewport.frame_part("bottle")
    while window.shapes.job is not None:
        app.processEvents()
        time.sleep(0.02)
    window.marks.open("front-label")
    settle(app, window, 2 * SAMPLES)
    window.grab().save(str(FOLDER / "marks.png"))
    window.marks.open("emblem")
    look_level(window, "emblem", 170.0, 300.0)
    settle(app, window, 2 * SAMPLES)
    window.grab().save(str(DETAILS / "emblem.png"))
    thin_ink_without_front_label(workshop)
    window.marks.open("back-label")
    look_level(window, "back-label", 420.0, 150.0)
    settle(app, window, 2 * SAMPLES)
    window.grab().save(str(FOLDER / "through-ink.png"))
    workshop.undo()
    window.marks.open(None)
    workshop.explore(None)


def look_level(window: Window, mark: str, away: float, focal_length: float) -> None:
    """Looks at a mark from the bottle's front, nearly level, `away` mm from it."""
    workshop = window.workshop
    front = np.array(workshop.project.mark("front-label").facing) + (0, 0.06, 0)
    sheet = window.marks.sheet(workshop.project.mark(mark))
    middle = sheet.points[sheet.lies].mean(axis=0)
    eye = tuple(float(x) for x in middle + front * away)
    target = tuple(float(x) for x in middle)
    workshop.explore(workshop.camera.with_(position=eye, target=target, focal_length=focal_length, focus=0.0))


def thin_ink_without_front_label(workshop) -> None:
    """Ink thinned twelvefold, and nothing on the front wall: what is on the far one shows."""
    project = workshop.project
    ink = project.material("blue-black-ink")
    thinned = ink.recipe.with_(transmission_depth=12 * ink.recipe.transmission_depth)
    project = project.with_material(ink.with_(recipe=thinned))
    for name in ("front-label", "foil-frame"):
        project = project.with_mark(project.mark(name).with_(is_on=False))
    workshop.edit("Thin ink", project)


def show_patterns(app, window: Window, folder: Path) -> None:
    """The collar's strip beside the close-up, a map by itself on the tray, and a texture set that came in."""
    workshop, work = window.workshop, window.board.patterns
    window.stations.buttons()[1].click()
    workshop.use_set(workshop.project.sets[0].id)
    workshop.stand_ball(None)
    workshop.select("collar")
    work.open("wipe-lines", 1)
    settle(app, window, SAMPLES)
    window.grab().save(str(FOLDER / "strip.png"))
    workshop.select("tray")
    work.open("oak-grain")
    work.show_alone(True)
    window.board.strip.follow()
    settle(app, window, SAMPLES)
    window.grab().save(str(FOLDER / "alone.png"))
    work.show_alone(False)
    work.open(None)
    workshop.select("sleeve")
    window.board.images.read(texture_set(folder))
    while window.board.images.texture_dialog is None:
        app.processEvents()
        time.sleep(0.02)
    app.processEvents()
    window.board.images.texture_dialog.grab().save(str(DETAILS / "texture-set.png"))
    window.board.images.texture_dialog.close()
    window.board.choose_pattern(window.board.patterns_card)
    for _ in range(400):
        app.processEvents()
        time.sleep(0.01)
    window.board.new_popover.grab().save(str(FOLDER / "new-pattern.png"))
    window.board.new_popover.hide()


def show_product_station(app, window: Window, folder: Path) -> None:
    """Some of the desk set, brought in with the wrong unit, then dressed but for a zone of the warmer."""
    scene = trimesh.Scene()
    meshes = desk_set_meshes()
    for name in ("Bottle", "Ink", "Collar", "Bottle cap", "Cork pad", "Warmer body", "Warmer dish", "Warmer window"):
        solid = trimesh.Trimesh(meshes[name].vertices / 25.4, meshes[name].triangles, process=False)
        scene.add_geometry(solid, node_name=name, geom_name=name)
    path = folder / "Ink and warmer.glb"
    path.write_bytes(scene.export(file_type="glb"))
    workshop, work = window.workshop, window.work
    workshop.stand_ball(None)
    workshop.history.saved = workshop.project
    window.model_import.start(path)
    answer(app, window, "New project")
    wait_for_answer(app, window, "in:")
    settle(app, window, 16)
    window.grab().save(str(FOLDER / "size.png"))
    answer(app, window, "in:")
    material_table = ("bottle-glass", "blue-black-ink", "polished-brass", "moulded-black", "cork")
    for part, swatch in zip(workshop.project.product.parts, material_table, strict=False):
        workshop.wear(part.id, swatch)
    for name, swatch in (
        ("Warmer body", "graphite-enamel"),
        ("Warmer dish", "copper"),
        ("Warmer window", "smoked-pane"),
    ):
        workshop.wear(next(part.id for part in workshop.project.product.parts if part.name == name), swatch)
    pad = next(part for part in workshop.project.product.parts if part.name == "Cork pad")
    workshop.select(pad.id)
    settle(app, window, 4)
    window.product_board.zones_card.way_buttons["alike"].setChecked(True)
    work.pick(
        pad.id, int(window.viewport.frame.first_hits.face(*window.viewport.picker.pixel(place_of(window, pad.id))))
    )
    while work.chosen is None:
        app.processEvents()
        time.sleep(0.02)
    settle(app, window, SAMPLES)
    window.grab().save(str(FOLDER / "zones.png"))
    window.product_board.row.folds[CHECKS].tab.click()
    work.make_zone()
    pad = workshop.project.part(pad.id)
    bare = pad.with_zone(pad.zones[0].with_(material=None))
    workshop.edit("Bare", workshop.project.with_part(bare))
    window.product_board.zones_card.let_go()
    work.show_gap(1)
    settle(app, window, SAMPLES)
    window.grab().save(str(FOLDER / "unassigned.png"))
    work.choose(None)
    workshop.explore(None)
    workshop.select(None)
    work.unwrap(0.3)
    while work.unwrapping:
        app.processEvents()
        time.sleep(0.02)
    settle(app, window, 16)
    card = window.product_board.uv_card
    card.view_box.setCurrentIndex(card.view_box.findData("stretch"))
    app.processEvents()
    window.grab().save(str(FOLDER / "stretch.png"))


def show_inputs(app, window: Window) -> None:
    """The roughness of all materials, beside the list of the project's materials."""
    window.library_pane.show_materials()
    window.workshop.look_at_input("specular_roughness")
    while window.viewport.frame.values is None or window.viewport.frame.samples < INPUT_SAMPLES:
        app.processEvents()
        time.sleep(0.01)
    window.viewport.input_legend.point_at(place_of(window, "tray"))
    app.processEvents()
    window.grab().save(str(FOLDER / "inputs.png"))
    window.viewport.input_legend.leave()
    window.workshop.look_at_input("")
    window.library_pane.show_page(window.library)
    settle(app, window, SAMPLES)
    finder = window.dialogs.open_finder()
    finder.words.setText("sel")
    app.processEvents()
    finder.grab().save(str(DETAILS / "finder.png"))
    finder.hide()


def show_surfaces(_app) -> None:
    """Details before and after: a foot with sharp edges and rounded ones, a coarse seal as it is and smoothed."""
    project, assets = demo_project()
    foot, seal = project.part("seal-face"), project.part("seal")
    turned = lathe([(0, 0), (14, 0), (14, 3), (12, 3), (12, 6.95), (0, 6.95)], 160)
    foot = foot.with_(mesh=assets.add(NamedMesh("Foot", moved(turned, SEAL_AT))), rounded_edges="both")
    rounded_foot = [project.with_part(foot.with_(edge_radius=radius)) for radius in (0.0, 0.5)]
    profile = [(0, 7), (11.4, 7), (11.4, 15), (6.2, 27), (7.2, 44), (12.8, 55), (9.5, 65), (0, 67)]
    coarse = lathe(profile, segments=8)
    seal = seal.with_(mesh=assets.add(NamedMesh("Seal", moved(coarse, SEAL_AT))), hard_angle=75.0)
    marks = tuple(mark for mark in project.marks if mark.part != seal.id)
    smoothed = [project.with_part(seal.with_(smoothing=level)).with_(marks=marks) for level in (0, 3)]
    for name, shown, part, fill in (("edges", rounded_foot, foot, 1.1), ("smoothing", smoothed, seal, 0.85)):
        bounds = posed_bounds(assets.meshes[part.mesh], part.pose)
        camera = framed(project.view.camera, bounds, fill)
        lights = []
        for one in shown:
            view = one.view.with_(camera=camera)
            lights.append(render_picture(one.with_view(view), assets, 560, 420, 4 * SAMPLES).light)
        write_image(DETAILS / f"{name}.png", np.concatenate(lights, axis=1))


def show_start(app, window: Window) -> None:
    """The start page by itself."""
    page = window.start_page
    page.show_on(True)
    app.processEvents()
    page.grab().save(str(DETAILS / "start.png"))
    page.show_on(False)


def show_set(app, window: Window, folder: Path) -> None:
    """The Set station: a light aimed by pointing, its handles and the plan, and the product on a photograph."""
    workshop, board = window.workshop, window.set_board
    window.stations.buttons()[4].click()
    workshop.use_set("two-strips")
    settle(app, window, SAMPLES)
    board.light_card.way_buttons[HIGHLIGHT].click()
    spot = place_of(window, "pen-cap").toPoint()
    QTest.mouseClick(window.viewport, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, spot)
    settle(app, window, SAMPLES)
    window.grab().save(str(DETAILS / "aiming.png"))
    board.light_card.let_go()

    workshop.use_set("side-window")
    board.lights_card.add_light("Strip light")
    workshop.move_light((-60.0, 70.0, -260.0))
    workshop.shape_light({"width": 60.0, "height": 220.0, "roll": 68.0})
    for kind in ("ruler", "disc", "sphere"):
        board.props_card.add(kind)
    camera = workshop.camera
    workshop.explore(camera.with_(position=tuple(1.35 * x for x in camera.position)))
    settle(app, window, 2 * SAMPLES)
    window.grab().save(str(FOLDER / "set.png"))
    window.resize(1600, 900)
    board.plan_sides.click()
    for name, is_open in (("Light", False), ("Props", True), ("Position", True), ("Plan", True)):
        board.row.folds[name].turned.emit(is_open)
    settle(app, window, SAMPLES)
    window.grab().save(str(DETAILS / "plan.png"))
    board.plan_sides.click()
    for name, is_open in (("Props", False), ("Position", False), ("Light", True)):
        board.row.folds[name].turned.emit(is_open)
    window.resize(1280, 800)
    workshop.explore(None)
    for _ in range(3):
        workshop.remove_prop()
    workshop.remove_light()

    # For want of a photograph of a table, an empty wooden floor in the same light.
    project = workshop.project
    studio = project.set.with_(backdrop=Backdrop(form="floor", material="oiled-oak"))
    bare = project.with_(product=project.product.with_(parts=()), marks=()).with_set(studio)
    window.wall.give_way("pictures", True)
    write_image(folder / "table.png", render_picture(bare, workshop.assets, 1200, 800, 32).light)
    window.wall.give_way("pictures", False)
    workshop.set_backdrop("floor")
    workshop.set_plate(folder / "table.png")
    workshop.wait()
    QApplication.processEvents()
    color = {"color": (0.25, 0.16, 0.1), "gloss": 0.3, "roughness": 0.2}
    project = workshop.project
    workshop.edit("Floor", project.with_set(project.set.with_(backdrop=project.set.backdrop.with_(**color))))
    board.row.folds["Backdrop"].turned.emit(True)
    board.backdrop_card.lines_button.click()
    settle(app, window, 2 * SAMPLES)
    window.grab().save(str(DETAILS / "backplate.png"))
    board.backdrop_card.let_go()
    workshop.set_plate(None)


def show_fills(app) -> None:
    """The Fill station, and renders of a stream, a meniscus, bubbles and the bottle out of the cold."""
    with tempfile.TemporaryDirectory() as folder:
        project, assets = demo_project()
        window = Window(Workshop(project, assets, Library(Path(folder) / "shelf")))
        workshop, fills = window.workshop, window.fills
        window.resize(1280, 800)
        window.show()
        settle(app, window, 1)
        window.stations.buttons()[3].click()
        workshop.look_through("bottle")
        workshop.select("bottle")
        settle(app, window, 2 * SAMPLES)
        window.grab().save(str(FOLDER / "fill.png"))
        workshop.edit("No marks", workshop.project.with_(marks=()))
        fills.put("Level", fills.fill.with_(volume=36.0))
        fills.set_liquid(next(liquid for liquid in LIQUIDS if liquid.name == "Tea"))
        still = workshop.project
        fills.add_bubbles()
        workshop.edit("Bubbles", fills.with_bubbles(fills.bubbles.with_(trails=14)))
        bubbly = workshop.project
        glass = project.material(project.part("bottle").material)
        mist = next(overlay for overlay in READY_OVERLAYS if overlay.id == "mist")
        cold = project.with_(current_view="cold").with_material(glass.with_(recipe=glass.recipe.with_overlay(mist)))
        ink = project.part("ink")
        water = Fill(vessel=("warmer-dish",), share=80.0)
        stream = Stream(liquid="poured", height=70.0, aside=12.0, width=5.0, speed=0.25, rings=0.4)
        wet = (
            ink.with_(id="poured", name="Water", material="water", fill=water),
            ink.with_(id="stream", name="Stream of Water", material="water", fill=None, stream=stream),
        )
        poured = project.with_parts((*project.product.parts, *wet))
        window.wall.give_way("pictures", True)
        for name, shown, camera in (
            ("pour", poured, Camera(position=(0, 200, 110), target=(62, 72, -66), focal_length=90, f_stop=22)),
            ("meniscus", still, Camera(position=(-110, 52, 150), target=(-46, 38, -28), focal_length=150, f_stop=22)),
            ("bubbles", bubbly, Camera(position=(-110, 60, 170), target=(-48, 30, -30), focal_length=130, f_stop=22)),
            ("cold", cold, cold.view.camera),
        ):
            shown = shown.with_view(shown.view.with_(camera=camera))
            write_image(DETAILS / f"{name}.png", render_picture(shown, assets, 720, 480, 3 * SAMPLES).light)
        workshop.history.saved = workshop.project
        window.close()


def draw_caustics() -> None:
    """The empty bottle under the hard lamp."""
    project, assets = demo_project()
    kept = {"bottle", "cork-pad"}
    parts = tuple(part.with_(is_hidden=part.id not in kept) for part in project.product.parts)
    alone = project.with_(product=project.product.with_(parts=parts), current_set="hard-lamp", marks=())
    camera = Camera(position=(-60, 190, 420), target=(-38, 24, -40), focal_length=110)
    shown = alone.with_view(alone.view.with_(camera=camera))
    write_image(DETAILS / "caustics.png", render_picture(shown, assets, 840, 560, 8 * SAMPLES).light)


def draw_shadow() -> None:
    """The product cut out with its shadow, laid on a colour and on white."""
    project, assets = demo_project()
    cut = render_picture(project, assets, 640, 430, 4 * SAMPLES, cut_out=True, has_shadow=True)
    grounds = [cut.light + (1 - cut.alpha) * np.array(color, np.float32) for color in ((0.45, 0.33, 0.2), (0.9,) * 3)]
    write_image(DETAILS / "shadow.png", np.concatenate(grounds, axis=1))


def draw_kinds() -> None:
    """The demo by the kinds of its light: matt, shiny, through glass, out of soft bodies, and what shadows lack."""
    project, assets = demo_project()
    made = render_picture(project, assets, 420, 280, 4 * SAMPLES, by_kind=True)
    kinds = render_aovs(project, made, ("kinds",))
    shown = [made.light] + [kinds[f"kind.{name}"] for name in KINDS[1:]]
    rows = [np.concatenate(shown[k : k + 3], axis=1) for k in (0, 3)]
    write_image(DETAILS / "kinds.png", np.concatenate(rows))


def show_hand_over(app) -> None:
    """Shots, some of them rendered, and a finish beside the picture as rendered."""
    with tempfile.TemporaryDirectory() as folder:
        window = Window(Workshop(*demo_project(), Library(Path(folder) / "shelf")))
        window.resize(1280, 800)
        window.show()
        settle(app, window, 1)
        workshop, work, board = window.workshop, window.hand_over, window.hand_over_board
        window.stations.show(board)
        output = Path(tempfile.gettempdir()) / "Shop images"
        shutil.rmtree(output, ignore_errors=True)  # what is there would be asked about
        output.mkdir(exist_ok=True)
        board.run.set_folder(output)
        project = workshop.project
        views = [view.id for view in project.views]
        work.add_shots(views[:1], size=SIZES["A4 across, 300 dpi"], kind="tiff", bits=16, is_on=False)
        work.add_shots(views, size=(240, 160, 72.0), samples=8, background="white", kind="jpg")
        board.shots_card.start_or_stop()
        while board.run.runs:
            app.processEvents()
            time.sleep(0.02)
        work.add_shots(views[:1], [studio.id for studio in project.sets[:2]], size=SIZES["Square, shop"])
        work.add_masked("backdrop")
        warmer = work.adjustment.with_(warmth=14.0, exposure=0.25)
        workshop.edit("Backdrop", work.with_adjustment(warmer))
        work.choose_adjustment(WHOLE)
        toned = work.adjustment.with_(contrast=1.12, shadows=0.4, saturation=1.08)
        finish = work.finish.with_(whole=toned, bloom=0.5, bloom_above=1.2)
        workshop.edit("Finish", workshop.project.with_finish(finish))
        board.finish_card.compare_button.click()
        settle(app, window, 4 * SAMPLES)
        window.grab().save(str(FOLDER / "hand-over.png"))
        dialog = window.dialogs.open_export()
        dialog.path_field.setText("/home/ada/Desk set.glb")
        for _ in range(20):
            app.processEvents()
            time.sleep(0.02)
        dialog.grab().save(str(DETAILS / "export.png"))
        dialog.close()
        board.finish_card.compare_button.click()
        work.take(PAINT)
        glow = [(-7.0 + 0.5 * k, 4.6 - 0.1 * k) for k in range(30)]
        work.paint(AreaStroke(points=tuple(glow), brush=AreaBrush(width=5.0)), goes_on=False)
        workshop.edit("Tray", work.with_adjustment(Adjustment(exposure=0.6, warmth=12.0)))
        settle(app, window, 2 * SAMPLES)
        window.grab().save(str(DETAILS / "retouch.png"))
        workshop.history.saved = workshop.project
        window.close()
    draw_shadow()
    draw_kinds()


def show_sheets(app) -> None:
    """A proof sheet of the leather, one of the whole product, two renders compared, and a turn in a browser."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        project, assets = demo_project()
        project = project.with_(name="Gannet & Reed desk set")
        leather = next(material.id for material in project.materials if material.name == "Saddle leather")
        sets = ("side-window", "two-strips", "rim-and-fill", "overhead")
        grid = Sheet("grid", (leather,), sets, ("bowl", "sphere", "part"), samples=4 * SAMPLES)
        worn = {key for part in project.product.parts for key in part.worn()}
        listed = tuple(each.id for each in project.materials if each.id in worn)
        product = Sheet("product", listed, (project.current_set,), samples=4 * SAMPLES)
        for made, sheet in (("sheet", grid), ("product-sheet", product)):
            first = make_sheet(project, assets, sheet, Paper(dpi=100), folder / f"{made}.png")[0]
            shutil.copyfile(first, DETAILS / f"{made}.png")
        window = Window(Workshop(project, assets, Library(folder / "shelf")))
        window.resize(1280, 800)
        window.show()
        settle(app, window, SAMPLES)
        window.viewport.snapshots.take("A")
        wax = next(material for material in project.materials if material.name == "Sealing wax")
        darker = wax.with_(recipe=wax.recipe.with_(subsurface_color=(0.35, 0.02, 0.02), specular_roughness=0.5))
        window.workshop.edit("Darker wax", window.workshop.project.with_material(darker))
        while window.viewport.frame.revision != window.viewport.revision:
            app.processEvents()
            time.sleep(0.02)
        settle(app, window, SAMPLES)
        dialog = window.dialogs.open_difference()
        while dialog.difference is None:
            app.processEvents()
            time.sleep(0.02)
        dialog.grab().save(str(DETAILS / "difference.png"))
        dialog.close()
        window.workshop.history.saved = window.workshop.project
        window.close()
        browser = shutil.which("chromium")
        if browser is None:
            print("without chromium there is no picture of the page with a turn")
            return
        turn = TurnSettings(Turn(frames=12), width=720, height=480, samples=SAMPLES)
        render_turntable(project, assets, folder / "turn.html", turn)
        shot = f"--screenshot={DETAILS / 'turn-page.png'}"
        size = ["--window-size=900,640", "--virtual-time-budget=4000"]
        page = (folder / "turn.html").as_uri()
        subprocess.run([browser, "--headless", "--no-sandbox", *size, shot, page], check=True, capture_output=True)


def show_stations(app) -> None:
    """The window, from station to station."""
    with tempfile.TemporaryDirectory() as folder:
        library = Library(Path(folder) / "shelf")
        project, assets = demo_project()
        # For want of a photograph, the product in another light.
        other = render_picture(project.with_(current_set="desk-lamp"), assets, 720, 480, 2 * SAMPLES)
        write_image(Path(folder) / "reference.png", other.light)
        window = Window(Workshop(project, assets, library))
        window.workshop.set_reference(Path(folder) / "reference.png")
        window.workshop.wait()
        QApplication.processEvents()
        window.workshop.rename_reference(window.workshop.project.reference.id, "Under a desk lamp")
        window.workshop.lay_reference(Overlap())  # it was rendered through the same camera
        window.resize(1280, 800)
        window.show()
        settle(app, window, 1)
        window.viewport.close_up_point.put(place_of(window, "collar"))
        window.workshop.select("second-stick")
        settle(app, window, SAMPLES)
        window.grab().save(str(FOLDER / "materials.png"))
        window.viewport.wipe.toggle()
        app.processEvents()
        window.grab().save(str(FOLDER / "wipe.png"))
        window.viewport.wipe.toggle()
        show_inputs(app, window)
        show_start(app, window)
        window.menus.find("Dark look").trigger()
        app.processEvents()
        window.grab().save(str(FOLDER / "dark.png"))
        window.menus.find("Dark look").trigger()
        window.resize(2560, 1440)
        window.panes.take("compare")
        settle(app, window, SAMPLES)
        wait_for_close_up(app, window)
        window.grab().save(str(FOLDER / "compare.png"))
        window.resize(1280, 800)
        QApplication.processEvents()
        window.panes.take("board")
        show_set(app, window, Path(folder))
        window.wall.close_up.toggle_light()
        window.viewport.close_up_point.put_ball(place_of(window, "warmer-body"))
        window.notice.hide()
        settle(app, window, SAMPLES)
        window.grab().save(str(DETAILS / "ball.png"))
        show_patterns(app, window, Path(folder))
        show_crease(app, window)
        show_overlays(app, window)
        show_marks(app, window)
        show_product_station(app, window, Path(folder))
        window.workshop.history.saved = window.workshop.project
        window.close()
    draw_caustics()


GROUPS = {
    "stations": show_stations,
    "surfaces": show_surfaces,
    "fills": show_fills,
    "hand-over": show_hand_over,
    "sheets": show_sheets,
}


def main() -> None:
    for folder in (FOLDER, DETAILS):
        folder.mkdir(parents=True, exist_ok=True)
    wanted = sys.argv[1:] or list(GROUPS)
    if not set(wanted) <= set(GROUPS):
        sys.exit(f"screenshots.py makes all pictures, or those of {', '.join(GROUPS)}")
    app = application()
    for name in wanted:
        GROUPS[name](app)


if __name__ == "__main__":
    main()
