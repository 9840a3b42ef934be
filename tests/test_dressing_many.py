"""Many parts dressed at once: by commands, and by a swatch dragged over the picture."""

import numpy as np
import pytest
from driving import LEFT, PLAIN, picture_of, place_of, seen
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QDragEnterEvent, QDragMoveEvent, QDropEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from mat_shelf.app.library.swatch_drag import wearable_mime
from mat_shelf.commands.materials import Wearable
from mat_shelf.commands.product import ProductCommands
from mat_shelf.commands.session import Session
from mat_shelf.document.material import Material
from mat_shelf.document.product import Part, Product
from mat_shelf.document.recipe import Recipe
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.models.mesh_glb import NamedMesh
from mat_shelf.exchange.product_import import new_project
from mat_shelf.geometry.solids import box
from mat_shelf.library.library import Library

SHIFT, CONTROL = Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.ControlModifier


@pytest.fixture
def pegs():
    """Three pegs of one shape and a plank, grey, red, red and grey."""
    assets = Assets()
    peg, plank = (assets.add(NamedMesh("b", box(size, 0.01))) for size in ((20, 40, 20), (150, 6, 40)))
    parts = tuple(
        Part(id=f"peg{k}", name=f"Peg {k}", mesh=peg, material=material, group="Pegs").with_(
            pose=Part(id="x", name="x", mesh=peg).pose.with_(shift=(50.0 * k - 50, 6.0, 0.0))
        )
        for k, material in enumerate(("grey", "red", "red"))
    )
    parts += (Part(id="plank", name="Plank", mesh=plank, material="grey"),)
    materials = tuple(
        Material(id=name, name=name.title(), recipe=Recipe(base_color=color, specular_weight=0.0))
        for name, color in (("grey", (0.3, 0.3, 0.3)), ("red", (0.5, 0.02, 0.02)))
    )
    return new_project(Product(name="Pegs", parts=parts), materials, (150.0, 46.0, 40.0)), assets


def worn(session) -> dict[str, str]:
    return {part.id: part.material for part in session.project.product.parts}


def test_sets_of_parts_are_dressed_in_one_step(pegs, tmp_path):
    session = Session(*pegs, Library(tmp_path / "library"))
    sets = dict(session.parts_beside("peg1"))
    assert sets["the group Pegs, 3 parts"] == sets["all of this shape, 3 parts"] == ["peg0", "peg1", "peg2"]
    assert sets["all that wear Red, 2 parts"] == ["peg1", "peg2"] and len(sets["the whole product, 4 parts"]) == 4
    before = session.project
    session.put_on([(part, None) for part in sets["all that wear Red, 2 parts"]], Wearable("swatch", "copper"))
    assert worn(session) == {"peg0": "grey", "peg1": "copper", "peg2": "copper", "plank": "grey"}
    assert session.history.undo_label == "Copper on 2 parts"
    session.undo()
    assert session.project == before
    session.select("peg2")
    session.select_also("plank")
    assert dict(session.parts_beside("plank"))["the selected parts, 2 parts"] == ["peg2", "plank"]
    session.wear("peg0", "chrome")
    session.dress_next()
    session.dress_next()
    assert session.selected == "peg2" and [*worn(session).values()] == ["chrome"] * 3 + ["grey"]
    session.put_on([(part, None) for part in ["peg0"]], Wearable("swatch", "no-such-swatch"))
    assert worn(session)["peg0"] == "chrome"


def test_a_region_becomes_a_zone_and_a_whole_part_does_not(pegs, tmp_path):
    session = Session(*pegs, Library(tmp_path / "library"))
    work = ProductCommands(session)
    mesh = session.assets.meshes[session.project.part("plank").mesh]
    top = next(k for k in range(len(mesh.triangles)) if mesh.normals[mesh.triangles[k]][:, 1].min() > 0.99)
    region = work.region_at("plank", top)
    assert 0 < region.sum() < len(mesh.triangles) / 2 and region[top]
    before = session.project
    work.dress_region("plank", region, Wearable("swatch", "copper"))
    (zone,) = session.project.part("plank").zones
    assert zone.material == "copper" and worn(session)["plank"] == "grey"
    work.dress_region(
        "plank", region, Wearable("swatch", "chrome")
    )  # the same faces: the zone that is there is dressed
    assert [z.material for z in session.project.part("plank").zones] == ["chrome"]
    session.undo()
    session.undo()
    assert session.project == before
    session.put_on([(part, None) for part in ["plank"]], Wearable("swatch", "copper"), clear_zones=True)
    assert worn(session)["plank"] == "copper" and not session.project.part("plank").zones
    work.dress_region("peg0", np.ones_like(work.region_at("peg0", 0)), Wearable("swatch", "chrome"))
    assert worn(session)["peg0"] == "chrome" and not session.project.part("peg0").zones


def drag(window, part: str, modifiers, swatch: str = "copper") -> None:
    """Drags a swatch over a part; `QDropEvent` then lets it go there."""
    data, place = wearable_mime(Wearable("swatch", swatch)), QPointF(place_of(window, part))
    copy = Qt.DropAction.CopyAction
    QApplication.sendEvent(window.viewport, QDragEnterEvent(place.toPoint(), copy, data, LEFT, modifiers))
    QApplication.sendEvent(window.viewport, QDragMoveEvent(place.toPoint(), copy, data, LEFT, modifiers))
    window.lit = [part for part, _ in window.viewport.select.under_drop]
    QApplication.sendEvent(window.viewport, QDropEvent(place, copy, data, LEFT, modifiers))


def test_a_swatch_is_dropped_on_the_list_of_parts(open_window, pegs, qtbot):
    window = open_window(*pegs)
    window.stations.buttons()[0].click()
    tree = window.product_board.parts_card.tree
    lines = {item.text(0): item for item in window.product_board.parts_card._items()}

    def drop(line: str, swatch: str) -> None:
        place = QPointF(tree.visualItemRect(lines[line]).center())
        data, copy = wearable_mime(Wearable("swatch", swatch)), Qt.DropAction.CopyAction
        for kind in (QDragEnterEvent, QDragMoveEvent):
            QApplication.sendEvent(tree.viewport(), kind(place.toPoint(), copy, data, LEFT, PLAIN))
        QApplication.sendEvent(tree.viewport(), QDropEvent(place, copy, data, LEFT, PLAIN))

    drop("Peg 2", "copper")
    assert [*worn(window.workshop).values()] == ["grey", "red", "copper", "grey"]
    lines = {item.text(0): item for item in window.product_board.parts_card._items()}
    drop("Pegs", "chrome")
    assert [*worn(window.workshop).values()] == ["chrome"] * 3 + ["grey"]
    assert window.workshop.history.undo_label == "Chrome on 3 parts"
    lines = {item.text(0): item for item in window.product_board.parts_card._items()}
    tree.customContextMenuRequested.emit(tree.visualItemRect(lines["Plank"]).center())
    menu = QApplication.activePopupWidget()
    assert window.workshop.selected == "plank" and "Hide Plank\tH" in [action.text() for action in menu.actions()]
    menu.close()


@pytest.mark.refines(4)
@pytest.mark.long
def test_a_dragged_swatch_lights_and_dresses_all_that_it_would_be_put_on(open_window, pegs, qtbot):
    window = open_window(*pegs)
    workshop = window.workshop
    before = picture_of(qtbot, window, samples=4).astype(int)
    masks = {name: seen(window, name) for name in ("peg0", "peg1", "peg2", "plank")}

    def changed() -> set[str]:
        now = picture_of(qtbot, window, samples=4).astype(int)
        return {name for name, mask in masks.items() if np.abs(now - before)[mask].mean() > 12}

    drag(window, "peg1", SHIFT)
    assert window.lit == ["peg1", "peg2"] and changed() == {"peg1", "peg2"}
    workshop.undo()
    workshop.select("peg0")
    workshop.select_also("plank")
    drag(window, "plank", PLAIN)
    assert set(window.lit) == {"peg0", "plank"} and changed() == {"peg0", "plank"}
    workshop.undo()
    drag(window, "peg1", PLAIN)
    assert window.lit == ["peg1"] and changed() == {"peg1"}
    QTest.keyClick(window.viewport, Qt.Key.Key_R)
    assert workshop.selected == "peg2" and changed() == {"peg1", "peg2"}
    workshop.undo()
    workshop.undo()
    drag(window, "peg0", CONTROL)  # it looks into the shape first
    qtbot.waitUntil(lambda: window.work.region_at("peg0", 0) is not None, timeout=10_000)
    drag(window, "peg0", CONTROL)
    assert window.lit == ["peg0"] and worn(workshop)["peg0"] == "grey"
    (zone,) = workshop.project.part("peg0").zones
    assert zone.material == "copper" and zone.id == workshop.selected_zone_id
    workshop.undo()
    assert not workshop.project.part("peg0").zones
