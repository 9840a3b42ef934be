"""Marks against the geometry of what they lie on, and in the window by the hand."""

import io
import math

import numpy as np
import pytest
import trimesh
from driving import LEFT, dropped, picture_of, pixel_place, seen
from PIL import Image
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from test_art import layered

from mat_shelf.document.camera import Camera
from mat_shelf.document.image import ImageRef
from mat_shelf.document.mark import Mark
from mat_shelf.document.material import Material
from mat_shelf.document.pattern import Pattern
from mat_shelf.document.product import Part, Product
from mat_shelf.document.recipe import Overlay, Recipe
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.image_reading import ImageError, read_svg
from mat_shelf.exchange.models.mesh_glb import NamedMesh
from mat_shelf.exchange.product_import import new_project
from mat_shelf.geometry.mesh import checked
from mat_shelf.marks.surface_map import SurfaceMapError, map_surface, point_beside
from mat_shelf.patterns.sources import Constant
from mat_shelf.rendering.camera import make_camera_view
from mat_shelf.rendering.final_render import render_picture
from mat_shelf.rendering.first_hit import pixel_rays

RED, BLUE = (200, 20, 20), (20, 20, 200)
GLASS = Recipe(transmission_weight=1.0, specular_roughness=0.0, specular_ior=1.5)
BLACK = Recipe(base_color=(0.0, 0.0, 0.0), specular_weight=0.0)
MATT = Recipe(base_color=(1.0, 1.0, 1.0), specular_weight=0.0)


def png(pixels) -> bytes:
    out = io.BytesIO()
    Image.fromarray(np.asarray(pixels, np.uint8)).save(out, "PNG")
    return out.getvalue()


def plain(color, width=60, height=40) -> np.ndarray:
    return np.tile(np.uint8(color), (height, width, 1))


def art(assets: Assets, pixels, name="art") -> ImageRef:
    digest, kind = assets.add_map(png(pixels))
    return ImageRef(name=f"{name}.png", digest=digest, kind=kind)


def cylinder(radius=20.0, height=60.0, parts=360):
    solid = trimesh.creation.cylinder(radius, height, sections=parts)
    turned = solid.vertices[:, [0, 2, 1]] * (1, 1, -1)
    return checked(turned, solid.faces, crease_degrees=40)


def plate(width, height, depth):
    """A sharp-edged box about the middle of the world."""
    solid = trimesh.creation.box((width, height, depth))
    return checked(solid.vertices, solid.faces, crease_degrees=10)


def project_of(mesh, recipe, *marks, assets=None):
    assets = assets or Assets()
    part = Part(id="p", name="Body", mesh=assets.add(NamedMesh("p", mesh)), material="m")
    project = new_project(Product(name="P", parts=(part,)), (Material(id="m", name="M", recipe=recipe),), (60, 60, 60))
    return project.with_(marks=tuple(marks)), assets


def mark(**values) -> Mark:
    start = {"id": "a", "name": "A", "part": "p", "point": (0, 0, 20), "facing": (0, 0, 1), "recipe": MATT}
    return Mark(**start | {"thickness": 0.0} | values)


def albedo(project, assets, camera, width=240, height=160, samples=8):
    project = project.with_view(project.view.with_(camera=camera))
    rendered = render_picture(project, assets, width, height, samples, denoise=False)
    return rendered, rendered.film.picture("albedo")


@pytest.mark.parametrize("turn", [0.0, 30.0])
@pytest.mark.long
def test_a_label_of_30_by_20_mm_measures_so_along_a_cylinder(turn):
    """On a cylinder of 40 mm, 30 mm are 85.9 degrees: seen where the camera's rays meet what looks red."""
    assets = Assets()
    label = mark(width=30.0, height=20.0, turn=turn, art=art(assets, plain(RED)))
    project, assets = project_of(cylinder(), BLACK, label, assets=assets)
    sheet = map_surface(label, assets.meshes[project.part("p").mesh])
    assert sheet.lies.all() and sheet.stretch(30.0, 20.0) < 2e-3
    if turn:
        return
    camera = Camera(position=(0, 0, 500), target=(0, 0, 0), focal_length=200)
    rendered, color = albedo(project, assets, camera, 480, 360, 16)
    is_red = (color[..., 0] > 0.25) & (color[..., 1] < 0.05)
    _, directions, _ = pixel_rays(make_camera_view(camera, 480, 360), 480, 360)
    origins = np.ascontiguousarray(np.broadcast_to(np.float32(camera.position), directions.shape))
    part, _, _, _, distance = rendered.task.geometry.intersect(origins, directions)
    places = (origins + directions * distance[:, None])[is_red.ravel() & (part == 0)]
    angle = np.degrees(np.arctan2(places[:, 0], places[:, 2]))
    assert np.ptp(angle) == pytest.approx(math.degrees(30 / 20), abs=1.2)
    assert np.ptp(places[:, 1]) == pytest.approx(20.0, abs=0.4)


def test_on_a_ball_it_shrinks_as_circles_round_its_middle_do():
    """A circle at the distance r on a sphere of radius R is 2 pi R sin(r / R) long."""
    solid = trimesh.creation.icosphere(5)
    mesh = checked(solid.vertices * 25, solid.faces, solid.vertices)
    sheet = map_surface(mark(point=(0, 0, 25), width=40.0, height=40.0), mesh)
    expected = 1 - math.sin(math.hypot(20, 20) / 25) / (math.hypot(20, 20) / 25)
    assert sheet.stretch(40.0, 40.0) == pytest.approx(expected, abs=0.03)
    assert np.linalg.norm(sheet.points.reshape(-1, 3), axis=1) == pytest.approx(25, abs=0.05)


@pytest.mark.long
def test_what_is_seen_of_it_is_what_its_art_covers():
    """A disc in the art covers pi / 4 of the mark; beside it the body is seen; a clear sheet covers a quarter."""
    y, x = np.mgrid[-1:1:256j, -1:1:256j]
    disc = np.dstack([plain(RED, 256, 256), np.where(x * x + y * y <= 1, 255, 0)])
    shares = {}
    for backing in (0.0, 0.25):
        assets = Assets()
        label = mark(point=(0, 0, 5), width=30.0, height=30.0, art=art(assets, disc), backing=backing)
        project, assets = project_of(plate(80, 80, 10), BLACK, label, assets=assets)
        _, color = albedo(
            project, assets, Camera(position=(0, 0, 1000), target=(0, 0, 0), focal_length=400), 320, 240, 24
        )
        pixel = 1000 * 36 / 400 / 320 * 0.995  # the label lies 5 mm nearer
        shares[backing] = color[60:180, 80:240, 0].sum() * pixel**2 / 900  # beside the plate there is more to see
    red = 0.5776  # of 200 in sRGB (IEC 61966-2-1)
    assert shares[0.0] == pytest.approx(math.pi / 4 * red, rel=0.02)
    assert shares[0.25] - shares[0.0] == pytest.approx((1 - math.pi / 4) * 0.25 * 0.85, rel=0.1)


def test_frost_runs_over_a_label_and_wear_under_it():
    """Green over red, half of it over the label's blue too; and half over the label alone, as its own overlay."""

    def half(**more):
        pattern = Pattern(id="half", name="Half", steps=(Constant(value=0.5),))
        green = MATT.with_(base_color=(0, 1, 0), patterns=(pattern,))
        return Overlay(id="o", name="O", recipe=green, mask="half", **more)

    assets = Assets()
    plain_label = mark(point=(0, 0, 2), width=40.0, height=40.0, art=art(assets, plain(BLUE)))
    dirty_label = plain_label.with_(recipe=MATT.with_(overlays=(half(),)))
    red = MATT.with_(base_color=(1, 0, 0))
    camera = Camera(position=(0, 0, 400), target=(0, 0, 0), focal_length=200)

    def seen(label, *overlays):
        project, _ = project_of(plate(60, 60, 4), red.with_(overlays=overlays), label, assets=assets)
        _, color = albedo(project, assets, camera, 60, 40, 48)
        beside = color[18:22, 5:9]  # the plate reaches half a frame to each side, the label a third
        return color[15:25, 25:35].mean(axis=(0, 1)), beside.mean(axis=(0, 1))

    blue = seen(plain_label)[0]
    for label, overlays, on_label, beside in (
        (plain_label, (half(is_over_marks=True),), (0, 0.5, blue[2] / 2), (0.5, 0.5, 0)),
        (plain_label, (half(),), (0, 0, blue[2]), (0.5, 0.5, 0)),
        (dirty_label, (), (0, 0.5, blue[2] / 2), (1, 0, 0)),
        (dirty_label, (half(is_over_marks=True),), (0, 0.75, blue[2] / 4), (0.5, 0.5, 0)),
    ):
        one, other = seen(label, *overlays)
        assert one == pytest.approx(on_label, abs=0.04) and other == pytest.approx(beside, abs=0.06)


def test_a_label_on_glass_has_two_sides_and_does_not_print_through():
    """Red in front, blue behind: through the plate only blue is seen; on an opaque thin plate nothing is."""
    assets = Assets()
    both = mark(
        point=(0, 0, 2), width=40.0, height=40.0, art=art(assets, plain(RED)), back=art(assets, plain(BLUE), "back")
    )
    views = [Camera(position=(0, 0, z), target=(0, 0, 0), focal_length=200) for z in (400, -400)]
    colors = []
    for recipe in (GLASS, BLACK):
        project, assets = project_of(plate(60, 60, 4), recipe, both, assets=assets)
        for camera in views:
            rendered, _ = albedo(project, assets, camera, 60, 40, 32)
            colors.append(rendered.light[15:25, 25:35].mean(axis=(0, 1)))
    front, behind, opaque_front, opaque_behind = colors
    assert front[0] > 4 * front[2] and opaque_front[0] > 4 * opaque_front[2]
    # The glass reflects the grey room too; what red of the front came through would be seen beside green.
    assert behind[2] > 1.25 * behind[0] and abs(behind[0] - behind[1]) < 0.05 * behind[1]
    assert np.ptp(opaque_behind) < 0.01 * opaque_front.max()  # the lights are grey


def test_the_back_is_read_from_behind_and_a_mirrored_print_from_outside():
    """Left half red, right half blue, seen from behind through glass."""
    halves = np.hstack([plain(RED, 30), plain(BLUE, 30)])
    camera = Camera(position=(0, 0, -400), target=(0, 0, 0), focal_length=200)
    for values, left in (
        ({"kind": "print"}, "blue"),
        ({"kind": "print", "is_mirrored": True}, "red"),
        ({"back": True}, "red"),
    ):
        assets = Assets()
        picture = art(assets, halves)
        values = {**values, "back": picture} if "back" in values else values
        project, assets = project_of(
            plate(60, 60, 4),
            GLASS,
            mark(point=(0, 0, 2), width=40, height=40, art=picture, **values),
            assets=assets,
        )
        rendered, _ = albedo(project, assets, camera, 60, 40, 32)
        seen_left = rendered.light[15:25, 22:27].mean(axis=(0, 1))
        assert ("red" if seen_left[0] > seen_left[2] else "blue") == left, values


@pytest.mark.long
def test_edges_of_art_neither_bleed_nor_ring_nor_print_twice():
    """A red disc whose clear ground is bright green, seen so near that a pixel of art is four wide: along each row the
    red rises once and falls once, nowhere green, nowhere redder than the ink."""
    y, x = np.mgrid[-1:1:64j, -1:1:64j]
    cover = np.clip((0.7 - np.hypot(x, y)) * 32, 0, 1)
    inked = np.where(cover[..., None] > 0, np.uint8(RED), np.uint8((0, 255, 0)))
    disc = np.dstack([inked, (cover * 255).astype(np.uint8)])
    assets = Assets()
    label = mark(kind="print", point=(0, 0, 5), width=24.0, height=24.0, art=art(assets, disc))
    project, assets = project_of(plate(80, 80, 10), BLACK, label, assets=assets)
    near = Camera(position=(0, 0, 505), target=(0, 0, 5), focal_length=500 * 36 / 24)
    _, color = albedo(project, assets, near, 256, 256, 64)
    red = color[..., 0]
    assert color[..., 1].max() < 0.02 and red.max() < 0.5776 * 1.01
    for row in red[66:194:8]:
        edges = np.diff((row > 0.29).astype(int))
        assert (edges > 0).sum() == 1 and (edges < 0).sum() == 1
    assert red[128, 128] > 0.56 and red[128, 12] < 0.005


@pytest.mark.long
def test_cropped_and_padded_art_stays_at_its_printed_size():
    """Half red, half blue, 40 x 20 mm: without its left half it is 20 mm of blue that lie where they lay; with 10 mm
    put on at the right the blue is where it was and as large."""
    halves = np.concatenate([plain(RED, 40, 40), plain(BLUE, 40, 40)], axis=1)

    def blue_of(**values):
        assets = Assets()
        label = mark(point=(0, 0, 5), width=40.0, height=20.0, art=art(assets, halves)).with_(**values)
        project, assets = project_of(plate(80, 80, 10), BLACK, label, assets=assets)
        above = Camera(position=(0, 0, 1000), target=(0, 0, 0), focal_length=400)
        _, color = albedo(project, assets, above, 320, 240, 16)
        return color[..., 2][60:180], color[..., 0][60:180]

    whole, red = blue_of()
    cut, no_red = blue_of(crop=(0.5, 0, 0, 0), width=20.0, point=(10, 0, 5))
    padded, _ = blue_of(crop=(0, -0.25, 0, 0), width=50.0, point=(5, 0, 5))
    assert red[:, 60:260].max() > 0.5 and no_red[:, 60:260].max() < 0.02
    for other in (cut, padded):
        assert np.abs(other - whole).max(axis=0)[80:240].mean() < 0.02


def test_a_mark_lies_on_the_next_version_of_its_part():
    """A bottle that became 2 mm wider and is cut into other facets: the label is on its wall again, as large."""
    sheet = map_surface(mark(turn=10.0), cylinder(22.0, 64.0, 200))
    assert sheet.lies.all()
    assert np.hypot(*sheet.points[sheet.lies][:, [0, 2]].T) == pytest.approx(22, abs=0.05)
    around = np.unwrap(np.arctan2(sheet.points[..., 0], sheet.points[..., 2]), axis=1)
    assert sheet.lies.shape[0] > 2 and np.ptp(around) * 22 == pytest.approx(
        30 * math.cos(math.radians(10)) + 20 * math.sin(math.radians(10)), rel=0.02
    )


def test_colours_of_art_are_kept_under_flat_light():
    """Within 1.0 of CIE 1976 lightness and chroma; closer than CIEDE2000 1.0 is for such colours (CIE 15)."""
    from mat_shelf.optics.color import decode_srgb, lab_from_linear

    rng = np.random.default_rng(3)
    for color in rng.integers(0, 256, (6, 3)):
        assets = Assets()
        label = mark(point=(0, 0, 5), width=60.0, height=60.0, art=art(assets, plain(color)))
        project, assets = project_of(plate(80, 80, 10), BLACK, label, assets=assets)
        _, shown = albedo(project, assets, Camera(position=(0, 0, 500), target=(0, 0, 0), focal_length=400), 32, 24, 4)
        got, meant = (lab_from_linear(c) for c in (shown[8:16, 12:20].mean(axis=(0, 1)), decode_srgb(color / 255)))
        assert np.abs(np.subtract(got, meant)).max() < 1.0, color


def test_it_is_moved_by_millimetres_along_the_surface():
    mesh = cylinder()
    label = mark()
    point, facing = point_beside(label, mesh, project_of(mesh, BLACK)[0].part("p").pose, math.pi * 10, 3.0)
    assert point == pytest.approx((20, 3, 0), abs=0.05) and facing == pytest.approx((1, 0, 0), abs=0.02)
    with pytest.raises(SurfaceMapError, match="ends"):
        point_beside(label, mesh, project_of(mesh, BLACK)[0].part("p").pose, 0.0, 50.0)


def test_wrapped_right_round_its_ends_meet():
    mesh = cylinder()
    whole = 2 * math.pi * 20
    sheet = map_surface(mark(width=whole, height=10.0), mesh)
    assert sheet.lies.all()
    assert np.abs(sheet.points[:, 0] - sheet.points[:, -1]).max() < 0.05
    assert sheet.stretch(whole, 10.0) < 5e-3


@pytest.mark.parametrize(
    "svg, words",
    [
        (b'<!DOCTYPE svg [<!ENTITY a "aaaa">]><svg xmlns="http://www.w3.org/2000/svg"/>', "entities"),
        (b'<svg xmlns="http://www.w3.org/2000/svg"><image href="file:///etc/passwd"/></svg>', "another file"),
        (b"<svg xmlns=\"http://www.w3.org/2000/svg\"><image href = '/etc/passwd'/></svg>", "another file"),
        ('<svg><image href="/etc/passwd"/></svg>'.encode("utf-16"), "another file"),
        (b'<svg xmlns="http://www.w3.org/2000/svg"><script>x</script></svg>', "scripts"),
        (b"<svg", "cannot be read"),
        (b" " * 20_000_001, "20 MB"),
    ],
)
def test_hostile_drawings_are_refused_in_words(svg, words, qapp):
    with pytest.raises(ImageError, match=words):
        read_svg(svg)


def test_a_drawing_becomes_art_with_alpha(qapp):
    square = b'<rect width="20" height="20" fill="#c81414"/>'
    svg = b'<svg xmlns="http://www.w3.org/2000/svg" width="40" height="20">' + square + b"</svg>"
    picture = np.asarray(Image.open(io.BytesIO(read_svg(svg))))
    assert picture.shape == (2048, 4096, 4)
    assert tuple(picture[1000, 1000]) == (200, 20, 20, 255) and picture[1000, 3000, 3] == 0


@pytest.mark.refines(4)
def test_art_is_dropped_on_the_product_carried_turned_sized_and_ordered(open_window, qtbot, small_project, tmp_path):
    """Each step is looked for in the document and in the picture."""
    window = open_window(*small_project)
    workshop, work, board, viewport = window.workshop, window.marks, window.marks_board, window.viewport
    window.stations.buttons()[2].click()
    assert board.hint.isVisible()
    work.workshop.select("block")
    file = tmp_path / "art.png"
    file.write_bytes(png(plain(BLUE, 120, 80)))
    picture_of(qtbot, window)
    ys, xs = np.nonzero(seen(window, "block"))
    start = pixel_place(window, int(np.median(ys)), int(np.median(xs)))
    dropped(window.viewport, file, at=start)
    qtbot.waitUntil(lambda: len(workshop.project.marks) == 1, timeout=20_000)
    label = work.mark
    assert label.part == "block" and label.width == pytest.approx(120 / 300 * 25.4, abs=0.01)
    blue = blue_pixels(picture_of(qtbot, window, samples=4))
    assert blue.sum() > 60

    corner = window.mark_tool.handles()["upper right"].toPoint()
    middle = viewport.picker.seen_place(work.sheet(label).middle_point()).toPoint()
    QTest.mousePress(viewport, LEFT, pos=corner)
    QTest.mouseMove(viewport, corner + (corner - middle) * 0.6)
    QTest.mouseRelease(viewport, LEFT, pos=corner + (corner - middle) * 0.6)
    assert work.mark.width == pytest.approx(1.6 * label.width, rel=0.1)
    assert work.mark.width / work.mark.height == pytest.approx(1.5, abs=0.02)
    larger = blue_pixels(picture_of(qtbot, window, samples=4))
    assert larger.sum() > 1.8 * blue.sum()

    QTest.keyClick(viewport, Qt.Key.Key_Right)
    assert np.linalg.norm(np.subtract(work.mark.point, label.point)) == pytest.approx(0.1, abs=1e-3)
    workshop.undo()
    workshop.undo()
    assert work.mark == label
    QTest.keyClick(viewport, Qt.Key.Key_Q)
    square = picture_of(qtbot, window, samples=4)
    assert blue_pixels(square).mean() > 0.1
    board.add("print")
    assert [m.kind for m in workshop.project.marks] == ["label", "print"] and work.mark.kind == "print"
    work.move(work.mark, -1)
    assert [m.kind for m in workshop.project.marks] == ["print", "label"]
    work.remove(work.mark)
    assert [m.kind for m in workshop.project.marks] == ["label"]
    board.add_bar_code("1234")
    assert "12 digits" in window.notice.text.text() and len(workshop.project.marks) == 1
    board.add_bar_code("400638133393")
    assert work.mark.name == "EAN 4006381333931" and (work.mark.width, work.mark.height) == (37.29, 25.93)
    board.add_words("Blue-black\n50 ml")
    words = work.mark
    assert words.kind == "print" and workshop.assets.pictures[words.art.digest].channels == 4
    work.line_up(words, workshop.project.mark(label.id), "middle")
    assert np.linalg.norm(np.subtract(work.mark.point, label.point)) < 0.2


def blue_pixels(picture) -> np.ndarray:
    picture = picture.astype(int)
    return (picture[..., 2] > 60) & (picture[..., 2] > 2 * picture[..., 0])


def test_a_mark_keeps_its_place_in_the_project_when_its_part_goes(open_window, qtbot):
    label = mark(point=(0, 0, 10), recipe=Recipe(base_color=(0, 0, 0.6)))
    window = open_window(*project_of(plate(60, 40, 20), Recipe(), label))
    workshop, work = window.workshop, window.marks
    work.open(label.id)
    assert work.problem(label) == ""
    work.put("Size", label.with_(width=90.0))
    assert "hangs over an edge" in work.problem(work.mark)
    workshop.edit("Take out", workshop.project.with_parts([]))
    assert work.mark is not None and "removed" in work.problem(work.mark)
    window.stations.buttons()[2].click()
    assert "removed" in window.marks_board.problem.text()
    workshop.undo()
    assert "hangs" in work.problem(work.mark)
    work.put("Lose", label.with_(part="gone"))
    QTest.mouseClick(window.marks_board.centre_button, LEFT)
    assert "Select the part" in window.notice.text.text()
    picture_of(qtbot, window)
    workshop.select("p")
    QTest.mouseClick(window.marks_board.centre_button, LEFT)
    assert work.mark.part == "p" and work.sheet(work.mark) is not None and "gone" not in work.problem(work.mark)


@pytest.mark.long
def test_a_sheet_of_labels_is_cut_apart_where_it_lies(open_window):
    """Two labels on a sheet of 40 x 20 mm: each keeps its size and its place, and undo brings the sheet back."""
    sheet = np.zeros((200, 400, 4), np.uint8)
    sheet[20:180, 20:120] = (*RED, 255)
    sheet[50:150, 220:380] = (*BLUE, 255)
    assets = Assets()
    whole = mark(point=(0, 0, 10), width=40.0, height=20.0, art=art(assets, sheet, "sheet"))
    project, assets = project_of(plate(60, 40, 20), Recipe(), whole, assets=assets)
    window = open_window(project, assets)
    window.marks.cut_apart(whole)
    red, blue = window.workshop.project.marks
    assert (red.width, red.height, blue.width, blue.height) == (10.0, 16.0, 16.0, 10.0)
    assert red.point == pytest.approx((-13, 0, 10), abs=0.05) and blue.point == pytest.approx((10, 0, 10), abs=0.05)
    window.workshop.undo()
    assert window.workshop.project.marks == (whole,)
    window.marks.open(whole.id)
    window.marks.crop(whole, {"left": 0.0, "right": 4.0, "top": 0.0, "bottom": 3.0})
    window.marks.cut_apart(window.marks.mark)  # of a cropped sheet all labels lie where they would
    again = window.workshop.project.marks
    assert [m.point for m in again] == [pytest.approx(m.point, abs=0.05) for m in (red, blue)]
    assert [(m.width, m.crop) for m in again] == [(10.0, (0, 0, 0, 0)), (16.0, (0, 0, 0, 0))]


@pytest.mark.long
def test_marks_are_dragged_in_their_list_and_art_follows_its_file(open_window, qtbot, tmp_path):
    """Order by dragging, the crop dialog, art saved anew by another program: each in the document, and undone."""
    assets = Assets()
    sheet = np.zeros((80, 160, 4), np.uint8)
    sheet[20:60, 40:120] = (*RED, 255)
    lower = mark(point=(0, 0, 10), width=32.0, height=16.0, art=art(assets, sheet, "sheet"))
    upper = mark(id="b", name="B", point=(0, 0, 10), width=8.0, height=8.0)
    window = open_window(*project_of(plate(60, 40, 20), Recipe(), lower, upper, assets=assets))
    workshop, work, board = window.workshop, window.marks, window.marks_board
    window.stations.buttons()[2].click()
    assert list(board.list.rows) == ["b", "a"]
    qtbot.waitUntil(lambda: board.list.rows["a"].y() > board.list.rows["b"].y())
    row, above = board.list.rows["a"], board.list.rows["b"]
    QTest.mousePress(row, LEFT, pos=row.rect().center())
    QTest.mouseMove(row, row.mapFromGlobal(above.mapToGlobal(above.rect().topLeft())))
    QTest.mouseRelease(row, LEFT, pos=row.mapFromGlobal(above.mapToGlobal(above.rect().topLeft())))
    assert [m.id for m in workshop.project.marks] == ["b", "a"] and list(board.list.rows) == ["a", "b"]
    workshop.undo()
    assert [m.id for m in workshop.project.marks] == ["a", "b"]

    work.open("a")
    QTest.mouseClick(board.artwork.crop_button, LEFT)
    QTest.mouseClick(board.artwork.crop_dialog.trim_button, LEFT)
    assert (work.mark.width, work.mark.height) == pytest.approx((16.0, 8.0)) and work.mark.point == pytest.approx(
        (0, 0, 10), abs=0.01
    )
    board.artwork.crop_dialog.boxes["right"].setValue(board.artwork.crop_dialog.boxes["right"].value() - 4)
    assert work.mark.width == pytest.approx(20.0) and work.mark.point[0] == pytest.approx(2.0, abs=0.05)
    QTest.mouseClick(board.artwork.crop_dialog.whole_button, LEFT)
    assert work.mark.crop == (0, 0, 0, 0) and (work.mark.width, work.mark.height) == pytest.approx((32.0, 16.0))
    board.artwork.crop_dialog.close()

    file = tmp_path / "own.png"
    file.write_bytes(png(plain(RED, 30, 20)))
    board.artwork.read_art(file, lambda picture: board.artwork.put_art("art", picture))
    qtbot.waitUntil(lambda: work.mark.art is not None and work.mark.art.name == "own.png", timeout=20_000)
    first = work.mark.art.digest
    newer = tmp_path / "newer"
    newer.write_bytes(png(plain(BLUE, 30, 20)))
    newer.replace(file)
    qtbot.waitUntil(lambda: work.mark.art.digest != first, timeout=20_000)
    assert workshop.assets.pictures[work.mark.art.digest].levels[0][0, 0].tolist() == list(BLUE)
    assert "changed on disk" in window.notice.text.text()
    workshop.undo()
    assert work.mark.art.digest == first
    file.write_bytes(b"half a picture")
    qtbot.waitUntil(lambda: "cannot be used as art" in window.notice.text.text(), timeout=20_000)
    assert work.mark.art.digest == first


@pytest.mark.long
def test_all_layers_of_a_file_saved_anew_are_read_again(open_window, qtbot, tmp_path):
    """Two marks show two layers of one PSD; both follow when it is saved with other colours."""
    file = tmp_path / "art.psd"
    file.write_bytes(layered())
    window = open_window(*project_of(plate(60, 40, 20), Recipe(), mark(point=(0, 0, 10)), mark(id="b", name="B")))
    workshop, work, board = window.workshop, window.marks, window.marks_board
    for name, layer in (("a", 0), ("b", 1)):
        work.open(name)
        board.artwork.read_art(file, lambda picture: board.artwork.put_art("art", picture), layer)
        qtbot.waitUntil(lambda: work.mark.art is not None and board.artwork.job.isFinished(), timeout=20_000)
    before = [m.art.digest for m in workshop.project.marks]
    file.write_bytes(layered(0.5))
    qtbot.waitUntil(
        lambda: all(m.art.digest != old for m, old in zip(workshop.project.marks, before, strict=True)), timeout=20_000
    )


@pytest.mark.long
def test_sharpness_is_told_for_the_picture_that_will_be_rendered(open_window):
    """Twice as wide a picture takes twice as much art."""
    assets = Assets()
    label = mark(point=(0, 0, 10), art=art(assets, plain(RED, 300, 200)))
    window = open_window(*project_of(plate(60, 40, 20), Recipe(), label, assets=assets))
    ratio, needed = window.marks.sharpness(label, 1920)
    assert window.marks.sharpness(label, 3840) == (pytest.approx(ratio / 2), pytest.approx(2 * needed, abs=1))
    window.stations.buttons()[2].click()
    window.marks.open(label.id)
    window.workshop.picture_size = 16000, 9000
    window.workshop.picture_size_changed.emit()
    assert "Blurry at 16000" in window.marks_board.artwork.sharp.text()
