"""Glass, liquid, wax, frost and overlays made by hand in the real window, and looked for in its pixels."""

import numpy as np
import pytest
from driving import LEFT, SCALE, click_part, drag_slider, open_card, picture_of, seen
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from test_pattern_window import begin, drop_pattern

from mat_shelf.document.material import Material
from mat_shelf.document.product import Part, Product
from mat_shelf.document.recipe import Recipe
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.models.mesh_glb import NamedMesh
from mat_shelf.exchange.product_import import new_project
from mat_shelf.geometry.solids import box, lathe, moved

CLEAR = {"transmission_weight": 1.0, "specular_roughness": 0.0}


@pytest.fixture
def window(open_window, request):
    """A glass with liquid that reaches a little into its wall, and a plate of something soft, thin at one end."""
    assets = Assets()
    shell = lathe([(0, 0), (22, 0), (22, 44), (18, 44), (18, 4), (0, 4)], 96)
    liquid = lathe([(0, 3), (19, 3), (19, 34), (0, 34)], 96)
    plate = moved(box((34, 36, 8), 0.4), (48, 0, 0))
    pieces = (("Glass", shell, "glass"), ("Liquid", liquid, "liquid"), ("Plate", plate, "plate"))
    parts = tuple(
        Part(id=name.lower(), name=name, mesh=assets.add(NamedMesh(name, mesh)), material=material)
        for name, mesh, material in pieces
    )
    materials = (
        Material(id="glass", name="Glass", recipe=Recipe(specular_ior=1.52, nesting_priority=5, **CLEAR)),
        Material(id="liquid", name="Liquid", recipe=Recipe(specular_ior=1.333, nesting_priority=3, **CLEAR)),
        Material(id="plate", name="Plate", recipe=Recipe(base_color=(0.4, 0.4, 0.4))),
    )
    project = new_project(Product(name="Set", parts=parts), materials, (90.0, 44.0, 44.0))
    return open_window(project, assets, getattr(request, "param", SCALE))


def type_in(row, text: str) -> None:
    field = row.number if hasattr(row, "number") else row.text
    field.setText(text)
    field.setModified(True)
    field.editingFinished.emit()


def mean_of(qtbot, window, part: str) -> np.ndarray:
    picture = picture_of(qtbot, window, samples=4).astype(float)
    return picture[seen(window, part)].mean(axis=0)


@pytest.mark.long
@pytest.mark.refines(4)
def test_liquid_darkens_with_depth_and_keeps_its_millimetres(window, qtbot):
    """Ink in a glass: tinted over a depth in mm, darker where the depth is less; three times as large a product of the
    same numbers is darker still, since light goes three times as far."""
    workshop, board = window.workshop, window.board
    workshop.select("liquid")
    window.viewport.frame_part("glass")
    board.header.kind_box.setCurrentText("Glass, liquid")
    board.header.kind_box.activated.emit(board.header.kind_box.currentIndex())
    assert board.rows["transmission_color"].isVisible() and board.rows["transmission_depth"].isVisible()
    water = mean_of(qtbot, window, "glass")
    type_in(board.rows["transmission_color"], "#5078D8")
    type_in(board.rows["transmission_depth"], "60")
    pale = mean_of(qtbot, window, "glass")
    assert pale[0] < water[0] - 10 and pale[2] > pale[0] + 10
    type_in(board.rows["transmission_depth"], "8")
    ink = mean_of(qtbot, window, "glass")
    assert ink[0] < 0.85 * pale[0]
    window.work.scale_to(3.0)
    window.viewport.frame_part("glass")
    large = mean_of(qtbot, window, "glass")
    assert workshop.project.material("liquid").recipe.transmission_depth == 8
    assert large[0] < 0.85 * ink[0]
    for _ in range(4):
        workshop.undo()
    window.viewport.frame_part("glass")
    assert np.abs(mean_of(qtbot, window, "glass") - water).max() < 8


@pytest.mark.long
@pytest.mark.refines(4)
def test_a_soft_body_takes_light_in_and_velvet_is_light_at_its_rim(window, qtbot):
    """Sealing wax glows red where it is thin; velvet is darker straight on than the plain plate, by its fuzz alone."""
    workshop, board = window.workshop, window.board
    click_part(window, "plate")
    grey = mean_of(qtbot, window, "plate")
    board.header.kind_box.setCurrentText("Soft body")
    board.header.kind_box.activated.emit(board.header.kind_box.currentIndex())
    type_in(board.rows["subsurface_weight"], "1")
    type_in(board.rows["subsurface_color"], "#C82020")
    short = mean_of(qtbot, window, "plate")
    assert short[0] > 2 * short[1] and grey[0] < 1.3 * grey[1]
    type_in(board.rows["subsurface_radius"], "6")  # light gets through 8 mm now, and out at the back
    deep = mean_of(qtbot, window, "plate")
    assert abs(deep[0] - short[0]) > 4 or abs(deep[1] - short[1]) > 4
    for _ in range(3):
        workshop.undo()
    board.header.kind_box.setCurrentText("Cloth")
    board.header.kind_box.activated.emit(board.header.kind_box.currentIndex())
    type_in(board.rows["base_color"], "#101018")
    dark = mean_of(qtbot, window, "plate")
    drag_slider(board.rows["fuzz_weight"].slider, 1.0)
    assert mean_of(qtbot, window, "plate").mean() > dark.mean() + 4


@pytest.mark.long
def test_one_smudge_drives_roughness_relief_and_frost(window, qtbot, monkeypatch):
    """Frosted glass: the same pattern in three places, each seen in the picture, and the frost laid under another
    overlay by dragging."""
    workshop, board = window.workshop, window.board
    workshop.select("glass")
    clear = picture_of(qtbot, window).astype(float)
    inside = seen(window, "glass")
    smudge = begin(window, "Finger smudges")
    board.strip.tiles[0].setFocus()
    QTest.keyClick(board.strip.tiles[0], Qt.Key.Key_Escape)
    assert not board.strip.isVisible()
    tile = board.patterns_card.rows[smudge.id].button
    drop_pattern(monkeypatch, tile, board.rows["specular_roughness"].chip)
    rough = picture_of(qtbot, window).astype(float)
    assert np.abs(rough - clear)[inside].mean() > 3
    board.patterns.open(None)  # where the release of the drag was a click
    open_card(board, "Relief")
    drop_pattern(monkeypatch, board.rows["specular_roughness"].chip, board.relief_card)
    board.patterns.open(None)  # where the release of the drag was a click
    open_card(board, "Overlays")
    card = board.overlays_card
    for name in ("Frost", "Settled dust"):
        menu = card.menu()
        next(action for action in menu.actions() if action.text() == name).trigger()
        menu.close()
    frosted = picture_of(qtbot, window).astype(float)
    assert np.abs(frosted - rough)[inside].mean() > 3
    recipe = workshop.selected_material.recipe
    assert recipe.uses_of(smudge.id) == ["Specular roughness", "Relief"]
    assert [overlay.name for overlay in recipe.overlays] == ["Frost", "Settled dust"]

    upper, lower = card.rows.values()
    qtbot.waitUntil(lambda: lower.y() > upper.y())
    end = lower.name.mapFromGlobal(upper.mapToGlobal(upper.rect().topLeft()))
    QTest.mousePress(lower.name, LEFT, pos=lower.name.rect().center())
    QTest.mouseMove(lower.name, end)
    QTest.mouseRelease(lower.name, LEFT, pos=end)
    assert [overlay.name for overlay in workshop.selected_material.recipe.overlays] == ["Settled dust", "Frost"]
    drag_slider(card.age.slider, 0.0)
    new = picture_of(qtbot, window).astype(float)
    assert np.abs(new - rough)[inside].mean() < 0.5 * np.abs(frosted - rough)[inside].mean()


@pytest.mark.refines(4)
@pytest.mark.long
def test_light_goes_straight_through_glass_where_one_asks(window, qtbot):
    """The box of the Set station: the floor beside and under the glass changes, and is as before when it is undone."""
    workshop = window.workshop
    window.stations.buttons()[4].click()
    before = picture_of(qtbot, window, samples=4).astype(float)
    QTest.mouseClick(window.set_board.straight_box, LEFT)
    assert workshop.project.set.straight_light
    straight = picture_of(qtbot, window, samples=4).astype(float)
    assert np.abs(straight - before).max(axis=2).max() > 20
    workshop.undo()
    assert not window.set_board.straight_box.isChecked()
    assert np.abs(picture_of(qtbot, window, samples=4).astype(float) - before).mean() < 2


@pytest.mark.refines(8)
@pytest.mark.long
def test_exact_colours_show_a_matt_colour_as_it_is(window, qtbot):
    """The second tone curve: a matt plate in even light of 1000 cd/m2 is seen in its own sRGB (IEC 61966-2-1); the
    usual curve takes some off it.
    """
    workshop = window.workshop
    color = (0.3, 0.12, 0.05)
    even = workshop.project.set.with_(lights=(), surround=1000.0, ground=1000.0, backdrop=None)
    matt = workshop.project.material("plate").with_(recipe=Recipe(base_color=color, specular_weight=0.0))
    parts = [part for part in workshop.project.product.parts if part.id == "plate"]
    workshop.edit("Even", workshop.project.with_set(even).with_material(matt).with_parts(parts))
    window.stations.buttons()[4].click()
    usual = np.median(picture_of(qtbot, window, samples=8)[seen(window, "plate")], axis=0)
    box = window.set_board.tone_row.box
    box.setFocus()
    QTest.keyClick(box, Qt.Key.Key_Down)
    assert workshop.project.set.tone_curve == "exact" and box.currentText() == "Exact colours"
    exact = np.median(picture_of(qtbot, window, samples=8)[seen(window, "plate")], axis=0)
    expected = 255 * np.array([1.055 * c ** (1 / 2.4) - 0.055 for c in color])
    assert exact == pytest.approx(expected, abs=5)
    assert (usual < exact - 3).all()
    QTest.keyClick(box, Qt.Key.Key_Down)
    assert workshop.project.set.tone_curve == "filmic"
    filmic = np.median(picture_of(qtbot, window, samples=8)[seen(window, "plate")], axis=0)
    assert np.ptp(filmic) > np.ptp(exact) and filmic[2] < exact[2] - 5  # more contrast
    workshop.undo()
    workshop.undo()
    assert box.currentText() == "Neutral"


@pytest.mark.parametrize("window", [1.0], indirect=True)  # of the liquid itself little is seen
@pytest.mark.refines(4)
@pytest.mark.long
def test_a_part_gets_a_priority_of_its_own(window, qtbot):
    """The liquid reaches into the glass's wall; of higher priority it fills it there, and the picture changes."""
    workshop, card = window.workshop, window.product_board.size_card
    click_part(window, "liquid")
    window.stations.buttons()[0].click()
    before = picture_of(qtbot, window, samples=4).astype(float)
    assert card.priority_box.isEnabled() and card.priority_box.currentText() == "As material"
    card.priority_box.setCurrentIndex(card.priority_box.findData(8))
    card.priority_box.activated.emit(card.priority_box.currentIndex())
    assert workshop.project.product.parts[1].priority == 8
    after = picture_of(qtbot, window, samples=4).astype(float)
    assert np.abs(after - before).max(axis=2).max() > 15
    workshop.undo()
    assert card.priority_box.currentText() == "As material"
