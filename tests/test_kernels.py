"""The cache of compiled kernels follows the code that they are made of, and no other."""

import pytest

from mat_shelf.numerics import kernels

PASSES = "mat_shelf.rendering.passes"
REACHED = "mat_shelf.optics.fresnel"
"""A module of compiled functions that the passes reach through others."""
read_source = kernels._source.__wrapped__


@pytest.fixture
def edited(monkeypatch):
    """Folder of the kernels of the passes after text has been added to a module, as if by an editor."""

    def folder_after(module=None, text=b""):
        monkeypatch.setattr(kernels, "_source", lambda name: read_source(name) + (text if name == module else b""))
        return kernels.cache_folder.__wrapped__(PASSES)

    return folder_after


def test_kernels_are_compiled_anew_when_what_they_call_has_changed(edited):
    before = edited()
    assert edited() == before == kernels.cache_folder(PASSES)
    assert edited(REACHED, b"# changed\n") != before
    assert edited(PASSES, b"# changed\n") != before
    assert edited("mat_shelf.numerics.kernels", b"LATER = 1\n") != before  # a constant, which a kernel may use


def test_what_a_module_keeps_is_made_anew_when_any_of_it_has_changed(monkeypatch):
    """A table that plain Python computes, whose functions no kernel calls."""
    module = "mat_shelf.numerics.even_sequences"
    folder = kernels.cache_folder(module)
    changed = read_source(module).replace(b"default_rng(1)", b"default_rng(2)")
    assert changed != read_source(module)
    monkeypatch.setattr(kernels, "_source", lambda name: changed if name == module else read_source(name))
    assert kernels.cache_folder.__wrapped__(module) != folder


def test_kernels_are_kept_when_something_else_has_changed(edited):
    before = edited()
    for module in ("mat_shelf.app.theme", "mat_shelf.commands.session", "mat_shelf.exchange.texture_set"):
        assert read_source(module)
        assert edited(module, b"# changed\n") == before, module
