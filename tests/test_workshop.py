"""The workshop's stations and panes in the real window: variants, shelf, close-up lamp, ball, rooms, renders."""

import numpy as np
import OpenEXR
import OpenImageIO
import pytest
from driving import (
    CONTROL,
    LEFT,
    PLAIN,
    SHIFT,
    click_part,
    close_up_at,
    drag_slider,
    dropped,
    make_constant,
    picture_of,
    place_of,
    seen,
    shortcut,
)
from PIL import Image
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QFileDialog, QLabel

from mat_shelf.app.library.compare_dialog import differences
from mat_shelf.app.recent import recent_projects
from mat_shelf.document.recipe import Overlay, Recipe
from mat_shelf.exchange.project_file import save_project
from mat_shelf.library.library import LibraryEntry


def select_swatch(window, name: str) -> LibraryEntry:
    rows = window.library.model.rows
    row = next(i for i, r in enumerate(rows) if isinstance(r, LibraryEntry) and r.name == name)
    window.library.list.setCurrentIndex(window.library.model.index(row))
    return rows[row]


def choose(window, text: str) -> None:
    """Chooses a line of the swatch menu."""
    action = next(a for a in window.library.menu().actions() if a.text().startswith(text))
    assert action.isEnabled()
    action.trigger()


@pytest.mark.long
def test_a_variant_follows_its_parent_in_all_but_its_own(open_window, demo, qtbot):
    window = open_window(*demo)
    workshop, board = window.workshop, window.board
    click_part(window, "sleeve")
    QTest.mouseClick(board.header.vary_button, LEFT)
    variant = workshop.selected_material
    assert variant.parent == "saddle-leather" and workshop.project.part("sleeve").material == variant.id
    assert (
        "variant of Saddle leather" in board.header.parent_button.text()
        and not board.rows["base_color"].label.back.isVisible()
    )

    # Its colour becomes its own; then the parent is opened and both colour and roughness change there.
    make_constant(window, "base_color")
    board.rows["base_color"].text.setText("#204060")
    board.rows["base_color"].text.setModified(True)
    board.rows["base_color"].text.editingFinished.emit()
    assert (
        workshop.selected_material.own == ("base_color", "feeds/base_color")
        and board.rows["base_color"].label.back.isVisible()
    )
    blue = picture_of(qtbot, window)[seen(window, "sleeve")].astype(int).mean(axis=0)
    assert blue[2] > blue[0] + 20
    QTest.mouseClick(board.header.parent_button, LEFT)
    assert workshop.selected_material.id == "saddle-leather" and board.header.variants_label.text() == "1 variant"
    make_constant(window, "specular_roughness")
    make_constant(window, "base_color")
    drag_slider(board.rows["specular_roughness"].slider, 0.1)
    board.rows["base_color"].text.setText("#D0D020")
    board.rows["base_color"].text.setModified(True)
    board.rows["base_color"].text.editingFinished.emit()
    parent, variant = workshop.project.material("saddle-leather"), workshop.project.material(variant.id)
    assert variant.recipe.specular_roughness == parent.recipe.specular_roughness == pytest.approx(0.1, abs=0.02)
    assert variant.recipe.base_color != parent.recipe.base_color
    still = picture_of(qtbot, window)[seen(window, "sleeve")].astype(int).mean(axis=0)
    assert still[2] > still[0] + 15  # the sleeve stays blue

    # It is renamed, and gives its colour back: the picture follows the parent's.
    click_part(window, "tray")
    click_part(window, "sleeve")
    QTest.mouseClick(board.header.name, LEFT)
    board.header.name.selectAll()
    QTest.keyClicks(board.header.name, "Sleeve leather")
    QTest.keyClick(board.header.name, Qt.Key.Key_Return)
    assert workshop.selected_material.name == "Sleeve leather"
    QTest.mouseClick(board.rows["base_color"].label.back, LEFT)
    assert workshop.selected_material.own == ()
    yellow = picture_of(qtbot, window)[seen(window, "sleeve")].astype(int).mean(axis=0)
    assert yellow[0] > yellow[2] + 60

    # The parent is worn by nothing but is needed; once its variant is undone away it can be thrown out.
    window.menus.find("Delete unused materials").trigger()
    assert "saddle-leather" in {m.id for m in workshop.project.materials}
    workshop.wear("sleeve", "grip-rubber")
    count = len(workshop.project.materials)
    window.menus.find("Delete unused materials").trigger()
    assert len(workshop.project.materials) == count - 2
    shortcut(qtbot, window, Qt.Key.Key_Z, CONTROL)
    assert len(workshop.project.materials) == count


def names_of(window) -> set[str]:
    return {entry.name for entry in window.workshop.library.entries()}


@pytest.mark.long
def test_a_swatch_is_duplicated_described_and_found_by_its_tags(open_window):
    window = open_window()
    select_swatch(window, "Copper")
    choose(window, "Duplicate")
    assert "Copper 2" in names_of(window)
    entry = select_swatch(window, "Copper 2")
    choose(window, "Name, tags")
    dialog = window.library.describe_dialog
    dialog.name.setText("Old copper")
    dialog.tags.setText("worn, kettle")
    dialog.note.setPlainText("As on the stove.")
    QTest.mouseClick(dialog.confirm, LEFT)
    described = window.workshop.library.swatch(entry.id)
    assert (described.name, described.tags, described.note) == ("Old copper", ("worn", "kettle"), "As on the stove.")
    window.library.search.setText("kett")
    assert [row.name for row in window.library.model.rows if isinstance(row, LibraryEntry)] == ["Old copper"]
    window.library.search.setText("nothing has this")
    assert window.library.hint.isVisible() and "No swatch" in window.library.hint.text()


@pytest.mark.long
def test_a_variant_keeps_what_was_tuned_and_follows_its_parent_in_the_rest(open_window):
    window = open_window()
    workshop, library = window.workshop, window.workshop.library
    select_swatch(window, "Copper")
    choose(window, "Make a variant")
    variant = select_swatch(window, "Copper, variant")
    click_part(window, "warmer-dish")
    select_swatch(window, "Copper, variant")
    choose(window, "Put on Warmer dish")
    assert workshop.project.part("warmer-dish").material == variant.id
    make_constant(window, "specular_roughness")
    drag_slider(window.board.rows["specular_roughness"].slider, 0.9)
    window.board.header.open_save()
    assert "Copper, variant" in window.board.header.save_popover.update_button.text()
    QTest.mouseClick(window.board.header.save_popover.update_button, LEFT)
    kept = library.swatch(variant.id)
    assert kept.own == ("feeds/specular_roughness", "specular_roughness")
    assert kept.recipe.specular_roughness == pytest.approx(0.9, abs=0.02)
    parent = library.swatch(kept.parent)
    library.add(parent.tuned(parent.recipe.with_(base_color=(0.1, 0.2, 0.3))))
    assert library.swatch(variant.id).recipe.base_color == (0.1, 0.2, 0.3)


@pytest.mark.parametrize(
    ("change", "line"),
    [
        ({"specular_roughness": 0.9}, ("Specular roughness", "0.20", "0.90")),
        ({"contact": "wet"}, ("Contact", "dry", "wet")),
        ({"geometry_thin_walled": True}, ("Thin-walled", "no", "yes")),
        ({"base_color": (0.0, 0.0, 0.0)}, ("Base colour", "#E7E7E7", "#000000")),
        ({"thin_film_thickness": 0.25}, ("Thin film thickness", "500 nm", "250 nm")),
        ({"overlays": (Overlay(id="o", name="Rubbed"),)}, ("Overlays", "none", "Rubbed 1")),
    ],
)
def test_each_value_in_which_two_recipes_differ_is_shown_in_words(change, line):
    plain = Recipe(specular_roughness=0.2)
    assert differences(plain, plain.with_(**change)) == [line]


@pytest.mark.long
def test_two_swatches_are_compared(open_window):
    window = open_window()
    library = window.workshop.library
    copper = library.swatch(next(entry.id for entry in library.entries() if entry.name == "Copper"))
    library.add(copper.with_(id="one", name="One"))
    recipe = copper.recipe.with_(contact="wet", overlays=(Overlay(id="o", name="Rubbed"),))
    library.add(copper.tuned(recipe).with_(id="two", name="Two"))
    window.library.model.reload()
    selection = window.library.list.selectionModel()
    for row, entry in enumerate(window.library.model.rows):
        if isinstance(entry, LibraryEntry) and entry.id in ("one", "two"):
            selection.select(window.library.model.index(row), selection.SelectionFlag.Select)
    choose(window, "Compare the two")
    dialog = window.library.compare_dialog
    shown = {label.text() for label in dialog.findChildren(QLabel)}
    assert {"One", "Two", "Contact", "dry", "wet", "Overlays", "none", "Rubbed 1"} <= shown
    dialog.close()


@pytest.mark.long
def test_a_swatch_thrown_out_by_delete_comes_back_from_the_message(open_window):
    window = open_window()
    select_swatch(window, "Copper")
    choose(window, "Duplicate")
    select_swatch(window, "Copper 2")
    window.library.list.setFocus()
    QTest.keyClick(window.library.list, Qt.Key.Key_Delete)
    assert "Copper 2" not in names_of(window) and window.notice.buttons[0].text() == "Restore"
    QTest.mouseClick(window.notice.buttons[0], LEFT)
    assert "Copper 2" in names_of(window)


@pytest.mark.long
@pytest.mark.refines(8)
def test_the_lamp_of_the_close_up_and_the_ball(open_window, qtbot):
    window = open_window()
    workshop, close_up = window.workshop, window.wall.close_up
    close_up_at(window, place_of(window, "card"))

    def close_up_picture() -> np.ndarray:
        def shown():
            return (
                close_up.frame is not None
                and close_up.frame.revision == close_up.revision
                and close_up.frame.samples >= 2
            )

        qtbot.waitUntil(shown, timeout=60_000)
        return close_up.frame.pixels.astype(int)

    # A lamp held from the front is far brighter on flat card than one that grazes it from the rim.
    plain = close_up_picture().mean()
    viewport = picture_of(qtbot, window, samples=8).astype(int)

    def drag_lamp(x: float, y: float) -> None:
        place = QPoint(round(x * close_up.width()), round(y * close_up.height()))
        QTest.mousePress(close_up, LEFT, PLAIN, close_up.rect().center())
        QTest.mouseMove(close_up, place)
        QTest.mouseRelease(close_up, LEFT, PLAIN, place)

    drag_lamp(0.5, 0.3)  # the card lies flat and is seen from above: light from the top of the pane is overhead
    bright = close_up_picture().mean()
    drag_lamp(0.01, 0.62)
    grazing = close_up_picture().mean()
    assert bright > grazing + 30
    QTest.keyClick(close_up, Qt.Key.Key_L)
    assert workshop.close_up_light is None and close_up_picture().mean() == pytest.approx(plain, abs=4)
    assert (
        np.abs(picture_of(qtbot, window, samples=8).astype(int) - viewport).mean() < 2
    )  # the viewport keeps the set's light

    # A ball beside the warmer's enamel, orange in the picture and no part of the product; Delete takes it away.
    spot = place_of(window, "warmer-body")
    before = picture_of(qtbot, window, samples=8).astype(int)
    close_up_at(window, spot, SHIFT)
    after = picture_of(qtbot, window, samples=8).astype(int)
    changed = np.abs(after - before).max(axis=2) > 60
    assert changed.sum() > 60
    orange = after[changed].mean(axis=0)
    assert orange[0] > orange[1] + 40 > orange[2] + 40
    assert (window.viewport.frame.first_hits.part[changed] == -1).mean() > 0.8
    assert not workshop.history.is_changed
    window.viewport.setFocus()
    QTest.keyClick(window.viewport, Qt.Key.Key_Delete)
    assert workshop.ball is None and np.abs(picture_of(qtbot, window, samples=8).astype(int) - before).mean() < 2


@pytest.mark.long
def choose_surround(board, words: str) -> None:
    box = board.surround_card.kind_box
    box.setCurrentIndex(box.findText(words))
    box.activated.emit(box.currentIndex())


@pytest.mark.long
def test_a_room_picture_lights_the_set(open_window, qtbot, tmp_path, monkeypatch):
    window = open_window()
    workshop, board = window.workshop, window.set_board
    pixels = np.full((32, 64, 3), (0.05, 0.05, 0.4), np.float32)
    OpenImageIO.ImageBuf(pixels).write(str(tmp_path / "blue.exr"))
    (tmp_path / "broken.hdr").write_bytes(b"#?RADIANCE\nnonsense")
    workshop.use_set("desk-lamp")
    before = picture_of(qtbot, window)[seen(window, "card")].astype(int).mean(axis=0)
    project = workshop.project
    dropped(window, tmp_path / "broken.hdr")
    qtbot.waitUntil(lambda: "broken.hdr cannot be an environment" in window.notice.text.text(), timeout=30_000)
    assert workshop.project is project
    window.stations.buttons()[4].click()
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a: (str(tmp_path / "blue.exr"), ""))
    choose_surround(board, "Environment (HDR)")
    qtbot.waitUntil(lambda: workshop.project.set.room is not None, timeout=30_000)
    assert workshop.project.set.room.name == "blue.exr"
    rows = board.surround_card.rows
    assert not rows["room_luminance"].isHidden() and rows["surround"].isHidden()
    workshop.edit("Brighter", workshop.project.with_set(workshop.project.set.with_(room_luminance=5000.0)))
    blue = picture_of(qtbot, window)[seen(window, "card")].astype(int).mean(axis=0)
    assert blue[2] - blue[0] > before[2] - before[0] + 30

    # It is saved with the project, opened by dropping the file, and listed among the recent ones.
    path = tmp_path / "lit.matshelf"
    assert workshop.save(path)
    saved = workshop.project
    choose_surround(board, "Even room")
    assert workshop.project.set.room is None
    workshop.history.saved = workshop.project
    dropped(window, path)
    qtbot.waitUntil(lambda: workshop.project == saved, timeout=30_000)
    assert saved.set.room.digest in workshop.assets.rooms
    assert recent_projects()[0] == path
    other = tmp_path / "other.matshelf"
    save_project(other, *((saved.with_(name="Other")), workshop.assets))
    workshop.open(other)
    assert recent_projects()[:2] == [other, path]
    window.menus.recent.aboutToShow.emit()
    window.menus.recent.actions()[1].trigger()
    qtbot.waitUntil(lambda: workshop.path == path, timeout=30_000)
    path.unlink()
    assert path not in recent_projects()


@pytest.mark.long
def test_the_render_dialog_offers_what_a_file_can_hold(open_window, qtbot, tmp_path):
    window = open_window()
    window.open_render()
    dialog = window.render_dialog
    assert dialog.fields.size_box.currentText() == "Full HD"
    dialog.fields.width_box.setValue(1900)
    assert dialog.fields.size_box.currentText() == "Custom"
    dialog.fields.path_field.setText(str(tmp_path / "out.jpg"))
    assert (
        not dialog.fields.cut_box.isEnabled()
        and not dialog.fields.deep_box.isEnabled()
        and not dialog.fields.pass_boxes["depth"].isEnabled()
    )
    dialog.fields.kind_box.setCurrentText("EXR")
    dialog.fields.kind_box.textActivated.emit("EXR")
    assert dialog.fields.path_field.text().endswith("out.exr") and dialog.fields.pass_boxes["depth"].isEnabled()
    dialog.fields.view_box.setCurrentIndex(dialog.fields.view_box.findText("Nib"))
    dialog.fields.set_box.setCurrentIndex(dialog.fields.set_box.findText("Rim and fill"))
    for name in ("depth", "parts", "materials"):
        dialog.fields.pass_boxes[name].setChecked(True)
    dialog.fields.cut_box.setChecked(True)
    for box, value in ((dialog.fields.width_box, 120), (dialog.fields.height_box, 80), (dialog.fields.samples_box, 8)):
        box.setValue(value)
    project = window.workshop.project
    QTest.mouseClick(dialog.start_button, LEFT)
    qtbot.waitUntil(dialog.start_button.isEnabled, timeout=90_000)
    assert dialog.state.text() == f"Written to {tmp_path / 'out.exr'}" and window.workshop.project is project
    with OpenEXR.File(str(tmp_path / "out.exr"), separate_channels=True) as file:
        channels = {name: channel.pixels for name, channel in file.channels().items()}
    parts = {name: mask for name, mask in channels.items() if name.startswith("part.")}
    assert "part.Nib.Y" in parts and "part.Wax stick.Y" not in parts  # the nib's view does not reach that far
    assert sum(parts.values()) == pytest.approx(np.ones((80, 120)), abs=1e-5)
    product = sum(mask for name, mask in parts.items() if "Backdrop" not in name and "No part" not in name)
    assert channels["A"] == pytest.approx(product, abs=1e-5)
    assert channels["depth.Z"][parts["part.Nib.Y"] == 1].max() < 400  # mm: nearer than the camera's own distance

    dialog.fields.path_field.setText(str(tmp_path / "out.png"))
    dialog.fields.deep_box.setChecked(True)
    QTest.mouseClick(dialog.start_button, LEFT)
    qtbot.waitUntil(dialog.start_button.isEnabled, timeout=90_000)
    with Image.open(tmp_path / "out.png") as picture:
        assert picture.size == (120, 80) and picture.mode == "RGBA"
    assert (tmp_path / "out.png").read_bytes()[24] == 16


@pytest.mark.long
def test_keys_and_gestures_are_listed(open_window, small_project, qtbot):
    window = open_window(*small_project)
    shortcut(qtbot, window, Qt.Key.Key_F1, PLAIN)
    dialog = window.dialogs.open_shortcuts()
    shown = {label.text() for label in dialog.findChildren(type(window.notice.text))}
    assert {"Ctrl+K", "Save to library", "Puts a coloured ball there"} <= shown
    dialog.close()


def test_a_project_is_read_aside_and_what_was_done_meanwhile_is_asked_for(
    open_window, qtbot, small_project, tmp_path, monkeypatch
):
    """Opening gives the window back at once; an edit made before it is over is not lost without a question."""
    window = open_window()
    path = tmp_path / "block.matshelf"
    save_project(path, *small_project)
    window.files.open(path)
    assert window.workshop.project.name != small_project[0].name  # it is still being read
    qtbot.waitUntil(lambda: window.workshop.path == path, timeout=20_000)
    assert window.workshop.project == small_project[0]
    asked = []
    monkeypatch.setattr(type(window.files), "may_leave", lambda self: asked.append(1) or False)
    window.files.open(path)
    window.workshop.edit("Rename", window.workshop.project.with_(name="Mine"))
    qtbot.waitUntil(lambda: window.files.open_job is None, timeout=20_000)
    assert asked and window.workshop.project.name == "Mine"
