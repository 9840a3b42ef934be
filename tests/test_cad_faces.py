"""Faces of a CAD model, against the kernel that made it, and how they are selected."""

import gmsh
import numpy as np
import pytest
from driving import LEFT, PLAIN, picture_of
from PyQt6.QtTest import QTest

from mat_shelf.document.product import Zone
from mat_shelf.exchange.model_update import update_model
from mat_shelf.exchange.models.import_process import import_model
from mat_shelf.exchange.package import PackageError
from mat_shelf.exchange.product_import import new_project, read_product
from mat_shelf.exchange.project_file import read_project, save_project
from mat_shelf.geometry.adjacency import face_areas
from mat_shelf.geometry.cad_faces import face_numbers, faces_alike

SIZE, RADIUS = (40.0, 30.0, 20.0), 3.0


@pytest.fixture(scope="module")
def filleted(tmp_path_factory):
    """A STEP file of a block with all edges rounded, and the areas of its faces as OpenCASCADE has them, mm2."""
    path = tmp_path_factory.mktemp("cad") / "block.step"
    gmsh.initialize(interruptible=False)
    gmsh.option.setNumber("General.Terminal", 0)
    gmsh.model.occ.addBox(0, 0, 0, *SIZE)
    gmsh.model.occ.synchronize()
    gmsh.model.occ.fillet([1], [tag for _, tag in gmsh.model.getEntities(1)], [RADIUS])
    gmsh.model.occ.synchronize()
    areas = sorted(gmsh.model.occ.getMass(2, tag) for _, tag in gmsh.model.getEntities(2))
    gmsh.write(str(path))
    gmsh.finalize()
    return path, np.array(areas)


def test_a_step_model_keeps_the_faces_that_were_drawn(filleted):
    path, areas = filleted
    (part,) = import_model(path).parts
    numbers = face_numbers(part.cad_faces, len(part.mesh.triangles))
    assert len(areas) == 26 and numbers.max() + 1 == 26
    own = np.sort(np.bincount(numbers, face_areas(part.mesh)))
    assert own == pytest.approx(areas, rel=0.02)  # chords of arcs lie inside, up to 0.05 mm

    def alike(face: int) -> int:
        return len(np.unique(numbers[faces_alike(part.mesh, numbers, numbers == face)]))

    by_size = np.argsort(np.bincount(numbers, face_areas(part.mesh)))
    assert [alike(by_size[0]), alike(by_size[7])] == [8, 8]  # the corners
    assert [alike(by_size[k]) for k in (8, 12, 16)] == [4, 4, 4]  # the fillets along each axis
    assert [alike(by_size[k]) for k in (20, 22, 24)] == [2, 2, 2]  # the flats


def test_they_are_kept_in_the_file_and_by_the_next_version(filleted, tmp_path):
    found = read_product(filleted[0])
    project = new_project(found.product, found.materials, SIZE)
    save_project(tmp_path / "a.matshelf", project, found.assets)
    again, assets = read_project(tmp_path / "a.matshelf")
    assert again == project
    (part,) = again.product.parts
    assert len(assets.faces[part.cad_faces]) == 26
    newer = read_product(filleted[0])
    (other,) = newer.product.parts
    coarser = other.with_(cad_faces=newer.assets.add_faces(newer.assets.faces[other.cad_faces][::2]))
    assets.take(newer.assets)
    updated, _ = update_model(again, assets, newer.product.with_(parts=(coarser,)), ())
    assert updated.product.parts[0].cad_faces in (part.cad_faces, coarser.cad_faces)
    dangling = project.with_part(part.with_(cad_faces="0" * 64))
    with pytest.raises((PackageError, KeyError)):
        save_project(tmp_path / "c.matshelf", dangling, found.assets)
        read_project(tmp_path / "c.matshelf")


@pytest.mark.parametrize("fineness", ["draft", "fine"])
def test_finer_and_coarser_triangles_lose_nothing(filleted, fineness):
    """A fillet in a zone stays exactly that fillet, with its radius; the part keeps all that was set on it."""
    path, areas = filleted
    found = read_product(path)
    project, assets = new_project(found.product, found.materials, SIZE), found.assets
    (part,) = project.product.parts
    numbers = face_numbers(assets.faces[part.cad_faces], len(assets.meshes[part.mesh].triangles))
    chosen = int(np.bincount(numbers, face_areas(assets.meshes[part.mesh])).argsort()[12])
    zone = Zone(id="z", name="Fillet", faces=assets.add_faces(np.flatnonzero(numbers == chosen)), edge_radius=0.4)
    project = project.with_part(part.with_(zones=(zone,), edge_radius=0.2))
    again = read_product(path, fineness=fineness)
    assets.take(again.assets)
    updated, told = update_model(project, assets, again.product, again.materials)
    (other,) = updated.product.parts
    mesh = assets.meshes[other.mesh]
    ratio = len(mesh.triangles) / len(numbers)
    assert (ratio < 0.7) if fineness == "draft" else (ratio > 1.5)
    assert (other.id, other.edge_radius, updated.product.fineness) == (part.id, 0.2, fineness) and not told.gone
    after = face_numbers(assets.faces[other.cad_faces], len(mesh.triangles))
    assert np.array_equal(np.flatnonzero(after == chosen), assets.faces[other.zones[0].faces])
    assert other.zones[0].edge_radius == 0.4
    own = np.sort(np.bincount(after, face_areas(mesh)))
    assert own == pytest.approx(areas, rel=0.06 if fineness == "draft" else 0.006)


@pytest.mark.long
def test_a_click_takes_the_face_that_was_drawn_and_all_like_it(open_window, filleted, qtbot):
    found = read_product(filleted[0])
    window = open_window(new_project(found.product, found.materials, SIZE), found.assets)
    work, card = window.work, window.product_board.zones_card
    window.stations.buttons()[0].click()
    QTest.mouseClick(card.way_buttons["drawn"], LEFT)
    picture_of(qtbot, window)
    hits, (part,) = window.viewport.frame.first_hits, work.project.product.parts
    numbers = face_numbers(found.assets.faces[part.cad_faces], len(found.assets.meshes[part.mesh].triangles))
    areas = np.bincount(numbers, face_areas(found.assets.meshes[part.mesh]))
    row, column = max(
        ((r, c) for r, c in np.argwhere(hits.part == 0)[::5]), key=lambda at: areas[numbers[hits.face(*at)]]
    )
    place = window.viewport.picture_rect
    x = place.x() + (column + 0.5) / hits.part.shape[1] * place.width()
    y = place.y() + (row + 0.5) / hits.part.shape[0] * place.height()
    QTest.mouseClick(window.viewport, LEFT, PLAIN, type(place.topLeft())(round(x), round(y)))
    qtbot.waitUntil(lambda: work.chosen is not None, timeout=10_000)
    assert np.array_equal(work.chosen[1], numbers == numbers[hits.face(row, column)])
    assert card.alike_button.isEnabled()
    QTest.mouseClick(card.alike_button, LEFT)
    assert len(np.unique(numbers[work.chosen[1]])) == 2
    QTest.mouseClick(card.make_button, LEFT)
    (zone,) = work.project.product.parts[0].zones
    assert np.array_equal(np.unique(numbers[found.assets.faces[zone.faces]]), np.sort(np.argsort(areas)[-2:]))


def test_parts_without_them_say_so(open_window, small_project, qtbot):
    window = open_window(*small_project)
    window.stations.buttons()[0].click()
    QTest.mouseClick(window.product_board.zones_card.way_buttons["drawn"], LEFT)
    window.work.pick("block", 0)
    assert window.work.chosen is None and "no CAD faces" in window.notice.text.text()
    assert not window.product_board.zones_card.alike_button.isEnabled()
