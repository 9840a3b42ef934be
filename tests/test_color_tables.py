"""Colour tables read, used and written, beside another library's."""

import colour
import numpy as np
import pytest
from driving import picture_of
from hypothesis import given, settings
from hypothesis import strategies as st
from PyQt6.QtWidgets import QFileDialog

from mat_shelf.document.color_table import ColorTable
from mat_shelf.document.finish import Adjustment, Finish
from mat_shelf.exchange.cube_file import read_cube, write_cube
from mat_shelf.exchange.image_decoding import ImageError
from mat_shelf.exchange.project_file import read_project, save_project
from mat_shelf.optics.color import decode_srgb, encode_srgb
from mat_shelf.rendering.color_lookup import looked_up
from mat_shelf.rendering.finishing import baked_colors, finished
from mat_shelf.rendering.tone import light_shown_as, tone_map


def bent(size: int) -> np.ndarray:
    """A table that mixes channels and bends them."""
    r, g, b = np.meshgrid(*[np.linspace(0, 1, size)] * 3, indexing="ij")
    return np.stack([0.8 * r**1.4 + 0.2 * b, 0.1 + 0.7 * np.sqrt(g), 0.9 * b * (1 - 0.3 * r)], axis=3)


def shown_by(table: ColorTable, coded: np.ndarray, amount: float = 1.0) -> np.ndarray:
    """Coded colours as a finished picture shows them."""
    return encode_srgb(looked_up(decode_srgb(coded).astype(np.float32)[None], table.with_(amount=amount))[0])


@pytest.mark.parametrize("size", [2, 5, 17, 33])
def test_colours_are_met_in_tables_as_another_library_does(tmp_path, size):
    """colour-science writes the table, and looks up in it by tetrahedra too."""
    theirs = colour.LUT3D(bent(size), "Bent")
    colour.write_LUT(theirs, str(tmp_path / "Bent.cube"))
    table = read_cube(tmp_path / "Bent.cube")
    assert (table.name, table.size) == ("Bent", size)
    coded = np.random.default_rng(4).uniform(0, 1, (500, 3))
    expected = theirs.apply(coded, interpolator=colour.algebra.table_interpolation_tetrahedral)
    assert np.abs(shown_by(table, coded) - expected).max() < 2e-3
    assert np.abs(shown_by(table, coded, 0.25) - (0.75 * coded + 0.25 * expected)).max() < 2e-3


@pytest.mark.long
def test_channels_domains_and_large_cubes_are_resampled(tmp_path):
    path = tmp_path / "a.cube"
    path.write_text(
        '# by hand\nTITLE "Dark"\nLUT_1D_SIZE 3\nLUT_1D_INPUT_RANGE 0 1\n0 0 0\n# half\n0.2 0.5 0.4\n1 1 1\n'
    )
    dark = shown_by(read_cube(path), np.array([[0.5, 0.5, 0.5], [0.75, 0.25, 0.25]]))
    assert dark == pytest.approx(np.array([[0.2, 0.5, 0.4], [0.6, 0.25, 0.2]]), abs=2e-3)
    path.write_text("LUT_1D_SIZE 2\nLUT_1D_INPUT_RANGE 0 2\n0 0 0\n1 1 1\n")
    assert shown_by(read_cube(path), np.array([[0.8, 0.4, 0.2]])) == pytest.approx(
        np.array([[0.4, 0.2, 0.1]]), abs=2e-3
    )
    side = np.linspace(0, 1, 65)
    wide = np.stack(np.meshgrid(side, side, side, indexing="ij"), axis=3) ** 2
    lines = "\n".join(" ".join(f"{x:.6f}" for x in each) for each in wide.transpose(2, 1, 0, 3).reshape(-1, 3))
    path.write_text(f"LUT_3D_SIZE 65\nDOMAIN_MIN 0 0 0\nDOMAIN_MAX 2 2 2\n{lines}\n")
    assert shown_by(read_cube(path), np.array([[0.8, 0.4, 0.2]])) == pytest.approx(
        np.array([[0.16, 0.04, 0.01]]), abs=2e-3
    )


def test_a_finish_goes_out_as_a_table_and_comes_back(tmp_path):
    """Read by colour-science, too; one that changes nothing is the identity."""
    whole = Adjustment(exposure=-0.4, contrast=1.3, warmth=30, saturation=1.2)
    write_cube(tmp_path / "Warm.cube", "Warm", baked_colors(Finish(whole=whole)))
    coded = np.random.default_rng(2).uniform(0.02, 0.75, (400, 3))
    light = light_shown_as(decode_srgb(coded).astype(np.float32)[None])
    direct = encode_srgb(tone_map(finished(light, Finish(whole=whole)))[0])
    assert np.abs(shown_by(read_cube(tmp_path / "Warm.cube"), coded) - direct).mean() < 3e-3
    theirs = colour.read_LUT(str(tmp_path / "Warm.cube"))
    assert np.abs(theirs.apply(coded) - direct).mean() < 3e-3
    same = np.abs(baked_colors(Finish()) - colour.LUT3D.linear_table(33)).max(axis=3)
    assert same[:28, :28, :28].max() < 2e-3  # beyond are colours that the tone curve never shows


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "how large"),
        ("LUT_3D_SIZE", "how large"),
        ("LUT_3D_SIZE 1\n0 0 0", "cannot be"),
        ("LUT_3D_SIZE 500000\n0 0 0", "cannot be"),
        ("LUT_3D_SIZE 2\n0 0 0\n", "needs 8"),
        ("LUT_3D_SIZE 2\n" + "0 0 x\n" * 8, "three numbers"),
        ("LUT_3D_SIZE 2\n" + "0 0 nan\n" * 8, "no numbers"),
        ("LUT_3D_SIZE 2\nDOMAIN_MIN 1 1 1\n" + "0 0 0\n" * 8, "ends before"),
        ("LUT_3D_SIZE 2\nDOMAIN_MAX 1 a\n" + "0 0 0\n" * 8, "three numbers"),
        ("LUT_3D_SIZE 2\nDOMAIN_MAX 1\n" + "0 0 0\n" * 8, "three numbers"),
        ("LUT_3D_SIZE " + "9" * 9000 + "\n0 0 0", "cannot be"),
        ("\n" * 100_000 + "0 0 0", "no colour table"),
        ("LUT_3D_SIZE 2\n" + "0 0 0\nDOMAIN_MIN 0 0 0\n" + "0 0 0\n" * 7, "three numbers"),
    ],
)
def test_what_is_no_table_is_said(tmp_path, text, words):
    (tmp_path / "a.cube").write_text(text)
    with pytest.raises(ImageError, match=words):
        read_cube(tmp_path / "a.cube")


@settings(max_examples=60, deadline=None)
@given(st.binary(max_size=300), st.integers(0, 250))
def test_damaged_tables_end_in_a_message_or_a_table(tmp_path_factory, junk, at):
    path = tmp_path_factory.mktemp("cube") / "a.cube"
    write_cube(path, "Any", np.full((2, 2, 2, 3), 0.5))
    whole = path.read_bytes()
    path.write_bytes(whole[:at] + junk + whole[at + len(junk) // 2 :])
    try:
        assert read_cube(path).colors().shape[3] == 3
    except ImageError as fault:
        assert str(fault)


def test_packed_colours_that_are_others_than_they_say_are_refused():
    table = ColorTable.of("Any", bent(3))
    for data in ("AAAA", table.data[:-8], ColorTable.of("Any", bent(4)).data, "!"):
        with pytest.raises(ValueError, match="table"):
            ColorTable(name="Any", size=3, data=data)


def test_a_table_is_chosen_weighed_saved_and_removed(open_window, small_project, qtbot, tmp_path, monkeypatch):
    window = open_window(*small_project)
    window.stations.buttons()[5].click()
    board, work, session = window.hand_over_board, window.hand_over, window.workshop
    before = picture_of(qtbot, window).astype(int)
    write_cube(tmp_path / "Grey & cold.cube", "x", np.repeat(bent(9)[..., 1:2], 3, axis=3) * (0.8, 0.9, 1))
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(tmp_path / "Grey & cold.cube"), ""))

    def choose(words):
        board.finish_card._fill_looks()
        next(a for a in board.finish_card.looks.actions() if a.text().startswith(words)).trigger()

    assert not board.edges_card.table_row.isVisible()
    choose("Use a colour table")
    qtbot.waitUntil(lambda: work.finish.table is not None, timeout=10_000)
    cold = picture_of(qtbot, window).astype(int)
    assert np.abs(cold - before).mean() > 5 and (cold[..., 2] >= cold[..., 0]).mean() > 0.99
    row = board.edges_card.table_row
    assert row.isVisible() and row.slider.place() == 1.0
    row.binding.set(0.0)
    assert np.abs(picture_of(qtbot, window).astype(int) - before).max() <= 3
    row.binding.set(1.0)
    save_project(tmp_path / "a.matshelf", session.project, session.assets)
    assert read_project(tmp_path / "a.matshelf")[0].finish.table == work.finish.table

    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "out"), ""))
    said = []
    session.said.connect(said.append)
    choose("Save this finish as a colour table")
    qtbot.waitUntil(lambda: bool(said), timeout=10_000)
    assert said == ["out.cube is the finish as a colour table, without masks, bloom, glare, vignette, sharpening."]
    assert np.abs(read_cube(tmp_path / "out.cube").colors() - baked_colors(work.finish)).max() < 1e-3
    written = (tmp_path / "out.cube").stat().st_mtime_ns
    choose("Save this finish as a colour table")  # of a name that nobody asked about
    assert "out.cube is there already" in said[-1] and (tmp_path / "out.cube").stat().st_mtime_ns == written
    choose("Remove colour table Grey && cold")
    assert work.finish.table is None and row.isHidden()
    (tmp_path / "Grey & cold.cube").write_text("nothing")
    choose("Use a colour table")
    qtbot.waitUntil(lambda: "Grey & cold.cube was not used" in said[-1], timeout=10_000)
    assert work.finish.table is None
