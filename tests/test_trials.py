"""Short versions of the long trials in ``scripts/``, which do thousands of the same cases."""

import os

import fuzz_packages
import fuzz_pictures
import pytest
from journal import Journal


@pytest.mark.long
@pytest.mark.parametrize("first", [0, 20, pytest.param(40, marks=pytest.mark.long)])
def test_damaged_packages_end_in_a_message_or_as_they_were_saved(first, tmp_path):
    ends = [fuzz_packages.run_case(number, tmp_path) for number in range(first, first + 20)]
    assert set(ends) <= {"message", "project"}, ends


def test_damaged_pictures_end_in_a_message_or_a_picture(tmp_path):
    ends = [fuzz_pictures.run_case(number, tmp_path) for number in range(60)]
    assert set(ends) == {"message", "picture"}, ends


@pytest.mark.long
def test_random_edits_are_undone_and_done_again(themed, monkeypatch, tmp_path):
    """In the real window; a case of the script is three times as long."""
    import random_edits

    from mat_shelf.app.library.thumbnail_worker import ThumbnailWorker

    boxes, files = random_edits.dialogs()
    chosen = [(files, name) for name in ("getOpenFileName", "getSaveFileName", "getOpenFileNames")]
    for owner, name in ((ThumbnailWorker, "want"), (boxes, "question"), *chosen):
        monkeypatch.setattr(owner, name, getattr(owner, name))  # they are given back afterwards
    monkeypatch.setattr(random_edits, "OPERATIONS", 70)
    try:
        for number in (0, 2):
            assert random_edits.run_case(number, tmp_path) == "undone, redone and kept"
    finally:
        if random_edits._trial is not None:
            random_edits._end()


def test_a_journal_goes_on_where_it_was_ended(tmp_path):
    path = tmp_path / "trial.jsonl"
    journal = Journal(path)
    assert list(journal.left(3)) == [0, 1, 2]
    journal.note("message", s=0.5)
    journal.note("project", s=2.5)
    with path.open("a") as file:
        file.write('{"end": "cut sho')
    again = Journal(path)
    assert list(again.left(3)) == [2] and again.ends() == {"message": 1, "project": 1} and again.most("s") == 2.5
    again.note("message")
    assert len(path.read_text().splitlines()) == 3 and os.path.exists(path)
