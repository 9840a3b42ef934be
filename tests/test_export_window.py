"""Exports from the real window: what is chosen, what is told, what is written, and Cancel."""

from html import unescape

import numpy as np
import pytest
import trimesh
from checkers import gltf_issues
from PyQt6.QtWidgets import QFileDialog, QPushButton
from test_product_glb import checkered

from mat_shelf.commands.exports import export_subjects
from mat_shelf.document.material import Material
from mat_shelf.exchange.swatch_file import open_swatch


@pytest.fixture
def window(open_window, small_project):
    """The small project with a checkered material on its block."""
    project, assets = small_project
    squares = Material(id="squares", name="Squares", recipe=checkered(10.0).with_(coat_weight=1.0))
    plum = Material(id="plum", name="Squares, plum", recipe=squares.recipe, parent="squares")
    part = project.product.parts[0].with_(material="squares")
    project = project.with_material(squares).with_material(plum).with_part(part)
    return open_window(project, assets)


def choose(box, data) -> None:
    box.setCurrentIndex(box.findData(data))


def finish(qtbot, dialog) -> str:
    """Waits for the end of an export; what it says."""
    qtbot.waitUntil(lambda: dialog.start_button.isEnabled(), timeout=120_000)
    return dialog.state.text()


def test_a_product_is_exported_with_its_losses_told(window, qtbot, tmp_path, monkeypatch):
    """File > Export, a format, a size, a place from the file dialog; the file is one that others read."""
    window.menus.find("Export…").trigger()
    dialog = window.dialogs.open_export()
    choose(dialog.format_box, "glb")
    choose(dialog.size_box, 256)
    qtbot.waitUntil(lambda: "Squares" in dialog.losses.text(), timeout=10_000)
    said = unescape(dialog.losses.text())
    assert "coat's index becomes 1.5: Squares" in said and "maps of 256 texels at most: Squares" in said
    small = dialog.estimate.text()
    choose(dialog.size_box, 4096)
    qtbot.waitUntil(lambda: dialog.estimate.text() != small, timeout=10_000)
    assert "MB" in dialog.estimate.text()
    choose(dialog.size_box, 256)
    path = tmp_path / "block.glb"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *rest: (str(path), ""))
    dialog.browse_button.click()
    assert dialog.path == path
    before = window.workshop.project
    dialog.start_button.click()
    assert dialog.cancel_button.text() == "Cancel"
    assert finish(qtbot, dialog).startswith(f"Written to {path}") and dialog.open_button.isEnabled()
    assert window.workshop.project is before and gltf_issues(path) == []
    (solid, *_) = trimesh.load(path, force="scene").geometry.values()
    colors = np.asarray(solid.visual.material.baseColorTexture).reshape(-1, 3)
    assert len(np.unique(colors, axis=0)) > 1
    # again at the same place: it is asked about, not simply replaced
    dialog.start_button.click()
    assert "is there already" in dialog.state.text() and dialog.start_button.isEnabled()
    dialog.path_field.setText(str(tmp_path / "nowhere" / "a.glb"))
    dialog.start_button.click()
    assert "There is no folder" in dialog.state.text()


def test_an_export_is_cancelled(window, qtbot, tmp_path):
    dialog = window.dialogs.open_export()
    choose(dialog.format_box, "glb")
    choose(dialog.size_box, 8192)
    dialog.path_field.setText(str(tmp_path / "large.glb"))
    dialog.start_button.click()
    qtbot.waitUntil(lambda: dialog.state.text() != "Preparing…", timeout=60_000)
    dialog.cancel_button.click()
    assert "nothing was written" in finish(qtbot, dialog) and not (tmp_path / "large.glb").exists()
    window.workshop.select(window.workshop.project.product.parts[0].id)  # the window goes on


def test_a_material_leaves_by_a_right_click_in_each_format(window, qtbot, tmp_path):
    """From the picture, the list of materials and the library; several swatches become a folder of files."""
    workshop = window.workshop
    workshop.select(workshop.project.product.parts[0].id)
    actions = window.viewport.part_menu.menu(workshop.selected).actions()
    next(action for action in actions if action.text().startswith("Export")).trigger()
    dialog = window.dialogs.open_export(export_subjects(workshop, [workshop.project.material("squares")]))
    shown = [dialog.subject_box.itemText(k) for k in range(dialog.subject_box.count())]
    assert shown[0] == "Material: Squares" and "Whole product" in shown and any("Part:" in text for text in shown)
    for key, name in (("mtlx", "Squares.mtlx"), ("swatch", "Squares.swatch"), ("textures", "Squares")):
        choose(dialog.format_box, key)
        choose(dialog.size_box, 256)
        assert dialog.path.name == name
        dialog.path_field.setText(str(tmp_path / name))
        dialog.start_button.click()
        assert finish(qtbot, dialog).startswith("Written to")
    assert open_swatch(tmp_path / "Squares.swatch").recipe == workshop.project.material("squares").recipe
    assert "<open_pbr_surface" in (tmp_path / "Squares.mtlx").read_text()
    assert {path.name for path in (tmp_path / "Squares").iterdir()} >= {"squares_on_squares_base_color.png"}

    panel = window.library
    chosen = [entry for entry in workshop.library.entries() if entry.kind == "material"][:3]
    panel._export(chosen)
    choose(dialog.format_box, "swatch")
    assert "3 swatches" in dialog.subject_box.currentText()
    dialog.path_field.setText(str(tmp_path / "three"))
    dialog.start_button.click()
    assert finish(qtbot, dialog).startswith("Written to")
    assert len(list((tmp_path / "three").glob("*.swatch"))) == 3


@pytest.mark.long
def test_what_an_import_left_out_is_told_and_listed(open_window, small_project, qtbot, tmp_path):
    """One part of two is damaged: the other comes in, the message names the first, the list has all notes."""
    from gltf_samples import Sample

    sample = Sample()
    image = sample.add("images", {"uri": "gone.png"})
    texture = {"index": sample.add("textures", {"source": image})}
    sample.quad({"name": "Card", "pbrMetallicRoughness": {"baseColorTexture": texture}}, name="Good")
    bad = sample.quad(name="Bad")
    mesh = sample.text["meshes"][sample.text["nodes"][bad]["mesh"]]
    sample.text["accessors"][mesh["primitives"][0]["indices"]]["count"] = 10**7
    window = open_window(*small_project)
    window.model_import.start(sample.write(tmp_path / "half.glb"))
    qtbot.waitUntil(lambda: "1 part read" in window.notice.text.text(), timeout=60_000)
    assert "more note" in window.notice.text.text()
    next(b for b in window.notice.buttons if b.text() == "Add to this product").click()
    assert [part.name for part in window.workshop.project.product.parts][-1] == "Good"
    listed = " / ".join(text for _, text in window.notice.messages)
    assert "'Bad' left out" in listed and "gone.png" in listed
    details = [b for b in window.notice.findChildren(QPushButton) if b.text() == "All notes" and b.isVisible()]
    details[0].click()
    assert "gone.png" in window.dialogs.open_messages().text.toPlainText()


def test_materials_of_one_name_get_files_of_their_own_and_no_file_is_replaced_unasked(window, qtbot, tmp_path):
    workshop = window.workshop
    squares = workshop.project.material("squares")
    twin = squares.with_(id="twin", name="squares/", recipe=squares.recipe.with_(coat_weight=0.25))
    dialog = window.dialogs.open_export(export_subjects(workshop, [squares, twin, squares.with_(id="third")]))
    choose(dialog.format_box, "swatch")
    folder = tmp_path / "all"
    dialog.path_field.setText(str(folder))
    dialog.start_button.click()
    assert finish(qtbot, dialog).startswith("Written to")
    files = sorted(folder.iterdir())
    assert len(files) == 3 and len({path.name.lower() for path in files}) == 3
    assert sorted(open_swatch(path).recipe.coat_weight for path in files) == [0.25, 1.0, 1.0]
    before = {path: path.stat().st_mtime_ns for path in files}
    dialog.start_button.click()
    assert "2 more are there already" in dialog.state.text() and dialog.start_button.isEnabled()
    assert {path: path.stat().st_mtime_ns for path in files} == before
    dialog.start_button.click()
    assert finish(qtbot, dialog).startswith("Written to")
    assert {path: path.stat().st_mtime_ns for path in folder.iterdir()} != before
