"""Props: true size, no part of the product, kept with the set."""

import numpy as np
import pytest
import trimesh
from driving import picture_of
from PyQt6.QtWidgets import QFileDialog

from mat_shelf.document.prop import PROP_KINDS, Prop
from mat_shelf.rendering.aovs import render_aovs
from mat_shelf.rendering.final_render import render_picture
from mat_shelf.scene.props import SHAPES, prop_bounds

SIZE = 90, 60


def prop(kind: str, **fields) -> Prop:
    return Prop(id=kind, name=kind, kind=kind, **fields)


@pytest.mark.parametrize(
    ("kind", "size"),
    [("disc", (25, 1.8, 25)), ("card", (148, 0.4, 105)), ("sphere", (40, 40, 40)), ("ruler", (204, 1.6, 28))],
)
def test_they_have_their_true_size_and_stand_on_the_floor(kind, size):
    """A6 is 148 by 105 mm (ISO 216)."""
    low, high = prop_bounds(prop(kind), {})
    assert high - low == pytest.approx(size, abs=0.05) and low[1] == pytest.approx(0, abs=1e-3)
    low, high = prop_bounds(prop(kind, x=10, z=-20, turn=90, is_upright=True, size=2.0), {})
    assert low[1] == pytest.approx(0, abs=1e-3) and high[1] == pytest.approx(2 * size[2], abs=0.1)
    assert (low + high)[[0, 2]] / 2 == pytest.approx((10, -20), abs=1.0)
    assert kind in PROP_KINDS


def test_the_ruler_has_a_mark_at_each_millimetre():
    body, marks = SHAPES["ruler"]()
    places = np.unique(np.round(marks.vertices[:, 0].reshape(-1), 1))
    assert marks.bounds[0][0] == pytest.approx(-100, abs=0.2) and marks.bounds[1][0] == pytest.approx(100, abs=0.2)
    assert len(trimesh.Trimesh(marks.vertices, marks.triangles).split(only_watertight=False)) == 201
    assert np.diff(places).max() < 1.0 and body.bounds[1][1] < marks.bounds[1][1]


def test_they_are_seen_and_are_no_part_of_the_product(small_project):
    project, assets = small_project
    stood = project.with_set(project.set.with_(props=(prop("sphere", x=60, z=40), prop("curtain", z=-120))))
    plain, shown = (render_picture(p, assets, *SIZE, 8, denoise=False) for p in (project, stood))
    assert np.abs(plain.light - shown.light).max() > 0.1
    masks = [render_aovs(p, r, ("parts",)) for p, r in ((project, plain), (stood, shown))]
    parts = [{name for name in made if not name.endswith(("Backdrop", "No part"))} for made in masks]
    assert parts[0] == parts[1]
    cut, cut_stood = (render_picture(p, assets, *SIZE, 8, cut_out=True, denoise=False) for p in (project, stood))
    assert (cut.alpha == cut_stood.alpha).all()
    bare = project.set.with_(backdrop=None)
    cut, cut_stood = (
        render_picture(project.with_set(s), assets, *SIZE, 8, cut_out=True, denoise=False)
        for s in (bare, bare.with_(props=stood.set.props))
    )
    assert (cut.alpha == cut_stood.alpha).all()
    hidden = stood.with_set(stood.set.with_(props=tuple(p.with_(is_on=False) for p in stood.set.props)))
    assert (render_picture(hidden, assets, *SIZE, 8, denoise=False).light == plain.light).all()


@pytest.mark.long
def test_props_are_added_dressed_and_kept_in_the_window(open_window, small_project, qtbot, tmp_path, monkeypatch):
    window = open_window(*small_project)
    workshop, card = window.workshop, window.set_board.props_card
    window.stations.buttons()[4].click()
    before = picture_of(qtbot, window)
    card.add_button.menu().actions()[3].trigger()
    assert workshop.prop.kind == "sphere" and card.list.count() == 1
    shown = picture_of(qtbot, window)
    assert np.abs(shown.astype(int) - before).max() > 30
    row = card.rows["x"]
    row.number.setText("-55")
    row.number.setModified(True)
    row.number.editingFinished.emit()
    assert workshop.prop.x == -55
    card.material_box.setCurrentIndex(1)
    card.material_box.activated.emit(1)
    worn = workshop.prop.material
    assert worn == workshop.project.materials[0].id
    workshop.delete_materials([worn])
    assert "Grey sphere" in window.notice.text.text() and workshop.project.material(worn)

    plan = window.set_board.plan
    box = plan._prop_boxes()[0]
    start = plan.place_of(box.mean(axis=0))
    from test_set_plan import drag, xy

    before_z = workshop.prop.z
    drag(plan, xy(start), xy(start) + (0, 12))  # towards the front
    assert workshop.prop.z > before_z + 1 and workshop.prop.x == pytest.approx(-55, abs=2)

    solid = trimesh.creation.box((30, 20, 10))
    solid.export(tmp_path / "block.stl")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a: (str(tmp_path / "block.stl"), ""))
    card.add_button.menu().actions()[-1].trigger()
    qtbot.waitUntil(lambda: len(workshop.project.set.props) == 2, timeout=60_000)
    assert workshop.prop.kind == "model"
    low, high = prop_bounds(workshop.prop, workshop.assets.meshes)
    assert sorted(high - low) == pytest.approx([10, 20, 30], abs=0.01) and low[1] + workshop.prop.y == pytest.approx(0)
    path = tmp_path / "stood.matshelf"
    assert workshop.save(path)
    saved = workshop.project
    workshop.open(path)
    qtbot.waitUntil(lambda: workshop.path == path, timeout=60_000)
    assert workshop.project == saved and saved.set.props[1].mesh in workshop.assets.meshes
    workshop.keep_set(100.0)
    qtbot.waitUntil(lambda: len(workshop.kept_sets()) == 1, timeout=30_000)
    count = len(workshop.project.sets)
    workshop.add_kept_set(workshop.kept_sets()[0], 100.0)
    qtbot.waitUntil(lambda: len(workshop.project.sets) == count + 1, timeout=30_000)
    assert len(workshop.project.set.props) == 2 and workshop.project.set.props[0].material is None
    (tmp_path / "broken.stl").write_bytes(b"solid nonsense")
    workshop.add_model_prop(tmp_path / "broken.stl", [[0, 0, 0], [1, 1, 1]])
    qtbot.waitUntil(lambda: "broken.stl was not added as a prop" in window.notice.text.text(), timeout=60_000)
    workshop.remove_prop()
    assert len(workshop.project.set.props) == 1
