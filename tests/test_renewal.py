"""Edits start only those pixels again that they touch, and the whole is what a fresh picture would be."""

import numpy as np
import pytest

from mat_shelf.document.mark import Mark
from mat_shelf.geometry.solids import box
from mat_shelf.rendering.film import Film
from mat_shelf.rendering.first_hit import find_first_hits, renewed_first_hits
from mat_shelf.rendering.pace import WIDEST_STRIDE
from mat_shelf.rendering.region import PictureRegion
from mat_shelf.rendering.renewal import (
    fill_touched,
    inside_patches,
    lattice_of,
    on_lattice,
    patches_of,
    poured_geometries,
    touched_bits,
)
from mat_shelf.rendering.session import RenderSession
from mat_shelf.rendering.sums import new_sums
from mat_shelf.scene.backdrop import seen_from
from mat_shelf.scene.geometry import Geometry

SIZE = 120, 80


@pytest.fixture
def session(plain_demo):
    session = RenderSession(plain_demo[1], threads=2)
    session.resize(*SIZE)
    yield session
    session.close()


@pytest.fixture
def small_session(small_project):
    session = RenderSession(small_project[1], threads=2)
    session.resize(*SIZE)
    yield session
    session.close()


def refined(session, samples=2):
    """The next fine frame of at least that many samples."""
    while True:
        frame = session.step()
        if frame is not None and not frame.is_coarse and frame.samples >= samples:
            return frame


def with_values(project, material_id, **values):
    material = project.material(material_id)
    return project.with_material(material.with_(recipe=material.recipe.with_(**values)))


@pytest.fixture
def full_session(demo):
    """A session of the demo with its patterns, overlays and marks."""
    session = RenderSession(demo[1], threads=2)
    session.resize(*SIZE)
    yield session
    session.close()


def test_after_random_edits_the_sums_are_those_of_a_fresh_picture(full_session, demo):
    """Bit for bit, at the samples that each pixel has, with patterns and marks too."""
    session, (project, _) = full_session, demo
    printed = [mark for mark in project.marks if not mark.is_displaced]  # true relief is another shape
    chance = np.random.default_rng(7)
    session.update(project)
    refined(session)
    shares = []
    for _ in range(20):
        material = project.materials[chance.integers(len(project.materials))]
        values = {"specular_roughness": round(chance.random(), 2), "base_color": tuple(chance.random(3).round(2))}
        if chance.random() < 0.3 and project.material(material.id).recipe.emission_luminance == 0:
            values["coat_weight"] = round(chance.random(), 2)
        own = project.material(material.id).recipe
        values |= {"feeds": tuple(feed for feed in own.feeds if feed.input not in values)}
        if own.patterns and chance.random() < 0.5:
            placement = own.patterns[0].placement
            turned = own.patterns[0].with_(placement=placement.with_(turn=round(90 * chance.random(), 1)))
            values["patterns"] = (turned, *own.patterns[1:])
        project = with_values(project, material.id, **values)
        if chance.random() < 0.3:
            mark = printed[chance.integers(len(printed))]
            project = project.with_(
                marks=tuple(
                    m.with_(backing=0.1 + 0.4 * chance.random()) if m.id == mark.id else m for m in project.marks
                )
            )
        if chance.random() < 0.2:
            part = project.part(("collar", "ring", "cap-ring")[chance.integers(3)])
            project = project.with_part(part.with_(edge_radius=round(0.6 * chance.random(), 2)))
        before = session._film
        session.update(project)
        session.step()
        assert session._film is before  # none of these edits starts all pixels again
        shares.append((session._film.sums.counts < 2).mean())
        for _ in range(chance.integers(4)):
            session.step()
    assert 0 < np.median(shares) < 0.15
    kept, task = session._film.sums, session._task
    assert len(np.unique(kept.counts)) > 2
    fresh = Film(*SIZE)
    while len(behind := np.flatnonzero(kept.counts > fresh.sums.counts).astype(np.int32)):
        session.tracer.add_samples(task, fresh, pixels=behind)  # one by one
    taken = kept.counts > 0
    for name in fresh.sums._fields:
        assert np.array_equal(getattr(kept, name)[taken], getattr(fresh.sums, name)[taken]), name
    assert (kept.light[~taken] == 0).all()


def test_a_material_is_dragged_at_full_size_beside_clean_pixels(session, plain_demo):
    project, _ = plain_demo
    session.update(project)
    before = refined(session, 8)
    session.update(with_values(project, "teal-lacquer", base_color=(0.6, 0.02, 0.02)))
    frame = session.step()
    assert frame.pixels.shape[:2] == SIZE[::-1] and frame.is_coarse
    part = [p.id for p in project.product.parts].index("barrel")
    barrel = before.first_hits.part == part
    assert barrel.sum() > 50
    assert frame.pixels[barrel].mean(axis=0)[0] > 2 * frame.pixels[barrel].mean(axis=0)[1]
    same = (frame.pixels == before.pixels).all(axis=2)
    assert same.mean() > 0.6
    counts = session._film.sums.counts.reshape(SIZE[::-1])
    assert (counts[barrel] <= 1).all() and (counts[same] >= 8).mean() > 0.8


def test_a_drag_that_was_late_does_not_make_the_next_one_small(session, plain_demo, monkeypatch):
    project, _ = plain_demo
    session.update(project)
    refined(session, 8)
    small, coarse_frame = [], session._coarse_frame
    monkeypatch.setattr(session, "_coarse_frame", lambda *of: small.append(of) or coarse_frame(*of))

    def is_of_full_size(red: float) -> bool:
        small.clear()
        session.update(with_values(project, "teal-lacquer", base_color=(red, 0.02, 0.02)))
        session.step()
        return not small

    assert is_of_full_size(0.3)
    session._pace.stride = WIDEST_STRIDE + 1  # as it would learn on a machine that is busy
    assert not is_of_full_size(0.4)
    refined(session, 8)
    assert is_of_full_size(0.5)


def test_a_drag_shows_no_pixel_without_a_sample(session, plain_demo, monkeypatch):
    """Not even where only every second or third pixel is traced, and a region is refined in between."""
    project, _ = plain_demo
    monkeypatch.setattr("mat_shelf.rendering.pace.PIXEL_S", 2e-4)
    session.update(project)
    before = refined(session, 8)
    lining = before.first_hits.part == [p.id for p in project.product.parts].index("lining")
    strides = set()
    for k in range(6):
        session.update(with_values(project, "wool-felt", base_color=(0.05 + 0.13 * k, 0.7 - 0.13 * k, 0.05)))
        frame = session.step()
        strides.add(frame.stride)
    assert max(strides) > 1 and frame.is_coarse and frame.pixels.shape == before.pixels.shape

    def is_red(frame):
        return (frame.pixels[lining, 0] > frame.pixels[lining, 1].astype(int) + 10).mean()

    assert is_red(frame) > 0.9 > 0.5 > is_red(before)
    session.set_region(PictureRegion(50, 30, 24, 16))
    assert is_red(refined(session, 16)) > 0.9  # also outside of the region


def test_a_drag_that_begins_at_once_becomes_sharp(session, plain_demo, monkeypatch):
    """Before the first sample of all pixels there are small pictures only; they give way while the drag goes on."""
    project, _ = plain_demo
    monkeypatch.setattr("mat_shelf.rendering.session.FILLED_AT_ONCE", 2500)
    session.update(project)
    session.step()
    sharp = []
    for k in range(14):
        state = with_values(project, "sealing-wax", base_color=(0.1, 0.02 + 0.05 * k, 0.6))
        session.update(state)
        frame = session.step()
        sharp.append(session._clean is not None and frame.light.shape[:2] == (SIZE[1], SIZE[0]))
    assert not sharp[0] and sharp[-1] and sharp == sorted(sharp)
    last = frame.pixels.astype(int)
    fine = refined(session, 16).pixels.astype(int)
    assert np.abs(last - fine).mean() < 14  # it is the picture of one sample
    fresh = RenderSession(plain_demo[1], threads=2)
    fresh.resize(*SIZE)
    fresh.update(state)
    while session._film.samples > fresh._film.samples:
        fresh.step()
    fresh.close()
    assert np.array_equal(session._film.sums.light, fresh._film.sums.light)


def test_what_the_picture_does_not_depend_on_starts_nothing(session, plain_demo):
    project, _ = plain_demo
    session.update(project)
    shown = refined(session, 8)
    counts = session._film.sums.counts.copy()
    material = project.materials[3]
    renamed = project.with_material(material.with_(name="Another name"))
    lit = renamed.with_set(renamed.set.with_(exposure=renamed.set.exposure + 1))
    for edit in (renamed, lit):
        revision = session.update(edit)
        frame = session.step()
        assert frame.revision == revision and not frame.is_coarse and frame.samples == shown.samples
        assert (session._film.sums.counts == counts).all()
        assert (frame.pixels == shown.pixels).all() == (edit is renamed)
    assert frame.pixels.mean() > shown.pixels.mean() + 20
    turned = lit.with_set(lit.set.with_(turn=lit.set.turn + 40))
    session.update(turned)
    assert session.step().is_coarse and session._film.samples == 0


@pytest.mark.long
def test_a_level_is_dragged_at_full_size_and_then_begun_anew(session, plain_demo):
    """While it is dragged only what shows the vessel changes; the picture at rest is one that never saw another."""
    project, assets = plain_demo
    parts = project.product.parts
    ink = next(part for part in parts if part.fill is not None)

    def filled(volume):
        return project.with_part(ink.with_(fill=ink.fill.with_(measure="volume", volume=volume)))

    collar, new = project.part("collar"), project.materials[0].with_(id="new", name="New")
    worn = project.with_(materials=(*project.materials, new)).with_part(collar.with_(material="new"))
    assert poured_geometries(project, worn) is None and poured_geometries(project, project) is None
    session.update(filled(40.0))
    shown = refined(session)
    places = [place for place, part in enumerate(parts) if part.id in (ink.id, *ink.fill.vessel)]
    vessel, camera, counts = np.isin(shown.first_hits.part, places), project.view.camera, []
    for volume in (30.0, 20.0, 12.0):
        session.update(filled(volume))
        dragged = session.step()
        assert dragged.is_coarse and dragged.pixels.shape == shown.pixels.shape
        changed = np.abs(dragged.pixels.astype(int) - shown.pixels).max(axis=2) > 30
        assert changed[vessel].mean() > 0.03
        assert changed[~vessel].mean() < 0.02
        # What is pointed at meanwhile is what stands there now, of a surface of fewer triangles.
        hits = dragged.first_hits
        anew = find_first_hits(seen_from(filled(volume), camera), hits.geometry, camera, *SIZE)
        assert all(np.array_equal(getattr(hits, name), getattr(anew, name)) for name in ("part", "solid", "primitive"))
        counts.append(hits.geometry.counts[hits.visible.index(parts.index(ink))])
        if volume != 30.0:
            session.step()  # a hand that rests for a moment
    fresh = RenderSession(assets, threads=2)
    fresh.resize(*SIZE)
    fresh.update(filled(12.0))
    pictures = [refined(each, 4) for each in (session, fresh)]
    fresh.close()
    assert np.array_equal(session._film.sums.light, fresh._film.sums.light)
    ours, theirs = (picture.first_hits for picture in pictures)
    assert all(np.array_equal(getattr(ours, name), getattr(theirs, name)) for name in ("part", "solid", "primitive"))
    assert ours.geometry.counts[ours.visible.index(parts.index(ink))] > 1.5 * max(counts)
    assert np.allclose(ours.depth, theirs.depth, rtol=1e-5)  # trees of other triangles round otherwise


def test_only_the_liquid_that_is_dragged_is_coarse(session, plain_demo):
    """What is pointed at in another vessel meanwhile is what stands there."""
    project, camera = plain_demo[0], plain_demo[0].view.camera
    ink, bottle = (project.part(name) for name in ("ink", "bottle"))
    aside = bottle.with_(id="other", pose=bottle.pose.with_(shift=(60.0, 0.0, -40.0)))
    wine = ink.with_(id="wine", fill=ink.fill.with_(vessel=("other",), measure="volume", volume=40.0))
    project = project.with_parts((*project.product.parts, aside, wine))

    def filled(volume):
        return project.with_part(ink.with_(fill=ink.fill.with_(measure="volume", volume=volume)))

    session.update(filled(40.0))
    still = refined(session).first_hits
    session.update(filled(20.0))
    hits = session.step().first_hits
    place = project.product.parts.index(wine)
    solid = hits.visible.index(place)
    assert hits.geometry.solids[solid] is still.geometry.solids[solid]
    assert (hits.part == project.product.parts.index(aside)).any()
    anew = find_first_hits(seen_from(filled(20.0), camera), hits.geometry, camera, *SIZE)
    assert all(np.array_equal(getattr(hits, name), getattr(anew, name)) for name in ("part", "solid", "primitive"))


@pytest.mark.long
def test_shapes_lights_and_fillings_start_all_pixels_again(session, plain_demo):
    project, _ = plain_demo

    def bits_of(edit):
        tasks = []
        for state in (project, edit):
            session.update(state)
            tasks.append(session._shot(session._wanted, *SIZE, seed=1))
        return touched_bits(*tasks)

    glass = next(m for m in project.materials if m.recipe.transmission_weight == 1 and m.recipe.nesting_priority != 5)
    part = project.product.parts[0]
    for edit in (
        with_values(project, glass.id, transmission_weight=0.0),
        with_values(project, glass.id, nesting_priority=5),
        with_values(project, glass.id, geometry_thin_walled=True),
        project.with_part(part.with_(pose=part.pose.with_(shift=(1.0, 0.0, 0.0)))),
        project.with_part(part.with_(material=project.materials[-1].id)),
        project.with_set(project.set.with_(turn=project.set.turn + 10)),
        project.with_set(project.set.with_(straight_light=not project.set.straight_light)),
    ):
        assert bits_of(edit) is None
    assert bits_of(with_values(project, glass.id, specular_roughness=0.5)) > 0
    assert bits_of(project) == 0


def test_a_mark_touches_its_own_part(small_session, small_project):
    session, (project, _) = small_session, small_project
    session.update(project)
    refined(session)
    task = session._task
    mark = Mark(id="m", name="m", part="block", point=(0, 20, 15), facing=(0, 0, 1), width=8.0, height=6.0)
    session.update(project.with_mark(mark))
    bits = touched_bits(task, session._shot(session._wanted, *SIZE, seed=1))
    on_block = session.step().first_hits.part == 0
    renewed = session._film.sums.counts < 2
    assert bits == 1 and renewed.reshape(SIZE[::-1])[on_block].mean() > 0.98 and renewed.mean() < 0.8


def test_a_sample_that_is_stopped_leaves_whole_samples(small_session, small_project):
    session, (project, _) = small_session, small_project
    session.update(project)
    refined(session)
    calls = iter(range(10_000))
    film = Film(400, 300)
    task = session._shot(session._wanted, 400, 300, seed=1)
    assert not session.tracer.add_samples(task, film, lambda: next(calls) > 5)
    counts = film.sums.counts
    assert 0 < (counts == 1).sum() < counts.size and (film.sums.light[counts == 0] == 0).all()
    assert session.tracer.add_samples(task, film) and (counts == 1).all()
    whole = Film(400, 300)
    session.tracer.add_samples(task, whole)
    assert np.array_equal(film.sums.light, whole.sums.light)


def test_patches_are_of_whole_grains_and_stay_in_the_picture():
    """The denoiser works on 16 by 16 pixels at a time, a fact of this library as measured."""
    for top, left, height, width in ((0, 0, 40, 50), (90, 150, 51, 103), (5, 8, 33, 60), (3, 3, 139, 240)):
        seen = np.zeros((141, 253), bool)
        seen[top : top + height, left : left + width] = True
        (patch,) = patches_of(seen, seen)
        rows, columns = np.arange(141)[patch.rows], np.arange(253)[patch.columns]
        assert len(rows) % 16 == 0 or len(rows) == 141
        assert len(columns) % 16 == 0 or len(columns) == 253
        beside = (
            min(top - rows[0], rows[-1] - (top + height - 1)),
            min(left - columns[0], columns[-1] - (left + width - 1)),
        )
        at_border = {0, 140} & {rows[0], rows[-1]}, {0, 252} & {columns[0], columns[-1]}
        assert all(least >= 6 or border for least, border in zip(beside, at_border, strict=True))


@pytest.mark.parametrize("stride", [1, 2, 3, 4])
def test_touched_pixels_are_filled_from_their_lattice(stride):
    """A plane of values is met exactly between the points of a lattice; the other pixels stay, and lone ones too."""
    height, width = 141, 253
    y, x = np.mgrid[:height, :width].astype(np.float32)
    plane = np.stack([x, y, x + 2 * y], axis=2)
    places = (np.abs(y - 40) < 18) & (np.abs(x - 50) < 29), (np.abs(y - 90) < 11) & (np.abs(x - 200) < 11)
    together = np.flatnonzero(places[0] | places[1])  # their corners are too few pixels of a tile
    touched = np.zeros((height, width), bool)
    touched.flat[np.union1d(together, [7, 999, 30_000])] = True
    patches = patches_of(touched, touched)
    seen = np.sort(np.concatenate([patch.pixels for patch in patches]))
    assert len(patches) == 2 and np.isin(seen, together).all() and len(seen) > 0.95 * len(together)
    assert np.array_equal(inside_patches(patches, seen, touched.shape), seen)
    filled = np.zeros_like(plane)
    for patch in patches:
        rows, columns = lattice_of(patch, stride)
        chosen = on_lattice(patch.pixels, width, stride)
        assert len(chosen) == pytest.approx(len(patch.pixels) / stride**2, rel=0.3)
        assert np.isin(chosen, np.arange(height * width).reshape(height, width)[rows, columns]).all()
        fill_touched(filled, plane[rows, columns], patch, stride)
    expected = np.zeros_like(plane).reshape(-1, 3)
    expected[seen] = plane.reshape(-1, 3)[seen]
    assert filled.reshape(-1, 3) == pytest.approx(expected, abs=1e-4)


def test_a_small_reflection_waits_but_no_small_part():
    seen, nothing = np.zeros((200, 300), bool), np.zeros((200, 300), bool)
    seen[20:90, 20:90] = seen[150:160, 250:260] = True
    own = seen & (np.arange(300) > 200)
    assert len(patches_of(seen, nothing)) == 1 and len(patches_of(seen, own)) == 2
    seen[150:160, 250:260] = False
    seen[100:180:4, 180:290:4] = True  # as many as count, but so few on each square that noise is all one would see
    assert len(patches_of(seen, nothing)) == 1 and len(patches_of(seen, seen)) == 2
    alike = np.kron(np.indices((5, 8)).sum(axis=0) % 2, np.ones((40, 40))).astype(bool)
    shown = np.concatenate([patch.pixels for patch in patches_of(alike, np.zeros_like(alike))])
    assert np.isin(np.flatnonzero(alike), shown).mean() > 0.95  # none of many reflections is the least


def test_first_hits_follow_a_shape_round_the_camera_to_the_border_of_the_picture(small_project):
    project, _ = small_project
    camera = project.view.camera.with_(position=(0.0, 200.0, 300.0), target=(0.0, 200.0, 0.0))
    wall = box((10, 10, 2), 0)
    before = find_first_hits(project, Geometry([wall]), camera, 60, 40)
    assert (before.part < 0).any()
    room = Geometry([box((900, 900, 900), 0)])
    after = renewed_first_hits(before, room, camera, np.arange(60 * 40, dtype=np.int32))
    assert (after.part == 0).all()
    assert np.array_equal(after.depth, find_first_hits(project, room, camera, 60, 40).depth)


def test_a_drag_changes_what_shows_the_edit_however_long_the_picture_was_refined(session, plain_demo):
    """Paths meet the felt by chance from more and more places; it is seen from as many as before."""
    project, _ = plain_demo
    felt = [p.id for p in project.product.parts if p.material == "wool-felt"]
    session.update(project)
    changed = []
    for samples, color in ((2, (0.6, 0.02, 0.02)), (32, (0.02, 0.02, 0.6))):
        before = refined(session, samples)
        session.update(with_values(project, "wool-felt", base_color=color))
        frame = session.step()
        assert (session._film.sums.counts == 0).sum() > 0
        changed.append((frame.pixels != before.pixels).any(axis=2).sum())
    seen = np.isin(before.first_hits.part, [[p.id for p in project.product.parts].index(each) for each in felt]).sum()
    assert all(0.9 * seen < count < 2 * seen for count in changed)  # mirrored sharply it is seen too


def test_a_crop_is_what_a_picture_of_its_pixels_would_be():
    film = Film(9, 7)
    film.sums = new_sums(63)
    film.sums.light[:] = np.arange(63)[:, None, None]
    film.sums.counts[:] = 2
    crop = film.crop(slice(1, 7, 2), slice(0, 9, 3))
    assert (crop.height, crop.width) == (3, 3)
    assert np.array_equal(crop.picture()[..., 0], film.picture()[1:7:2, 0:9:3, 0])


def test_an_edit_that_is_not_seen_does_not_begin_the_time_anew(small_project):
    project, assets = small_project
    session = RenderSession(assets, threads=2)
    session.resize(48, 32)
    session.update(project)
    frame = session.step()
    while frame.is_coarse or frame.samples < 4:
        frame = session.step() or frame
    session.update(project.with_(name="Renamed"))
    after = session.step()
    assert (after.samples, after.seconds) == (frame.samples, frame.seconds)
    while (later := session.step()) is None:
        pass
    assert later.samples > after.samples and later.seconds > after.seconds
    session.close()
