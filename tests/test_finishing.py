"""The finish of the light: tone, colour, bloom, masks; and that it is shown without a new render."""

import colour
import numpy as np
import pytest

from mat_shelf.document.finish import TONES, Adjustment, Finish, MaskedAdjustment
from mat_shelf.exchange.look_file import KeptLook, open_look, save_look
from mat_shelf.exchange.package import PackageError
from mat_shelf.exchange.render_file import RenderSettings, render_to_file
from mat_shelf.rendering.adjusting import adjusted, tone_mask
from mat_shelf.rendering.aovs import finish_masks, render_aovs
from mat_shelf.rendering.blooming import with_bloom, with_glare
from mat_shelf.rendering.final_render import render_picture
from mat_shelf.rendering.finishing import finished
from mat_shelf.rendering.session import RenderSession
from mat_shelf.rendering.tone import develop


def luminance(light):
    """Rec.709 weights (ITU-R BT.709-6, 3.2)."""
    return light @ np.array([0.2126, 0.7152, 0.0722])


@pytest.fixture(scope="module")
def light():
    return (np.random.default_rng(4).random((60, 90, 3), np.float32) ** 3 * 4).astype(np.float32)


def test_nothing_changes_by_default(light):
    assert finished(light, Finish()) is light and adjusted(light, Adjustment()) is light
    off = Finish(is_on=False, whole=Adjustment(exposure=2))
    assert finished(light, off) is light


def test_exposure_doubles_and_contrast_stretches_stops(light):
    assert adjusted(light, Adjustment(exposure=1)) == pytest.approx(2 * light, rel=2e-3, abs=1e-5)
    grey = (0.18 * 2.0 ** np.arange(-4, 4)).astype(np.float32)  # stops around a middle grey
    steps = np.repeat(grey[None, :, None], 3, axis=2)
    stops = np.log2(adjusted(steps, Adjustment(contrast=1.5))[0, :, 0] / 0.18)
    assert stops == pytest.approx(1.5 * np.arange(-4, 4), abs=0.02)


def test_shadows_and_highlights_move_their_own_side_in_order():
    grey = (0.18 * 2.0 ** np.linspace(-7, 6, 300)).astype(np.float32)
    steps = np.repeat(grey[None, :, None], 3, axis=2)
    for name, is_its_side in (("shadows", grey < 0.18), ("highlights", grey > 0.18)):
        for stops in (-2.0, 2.0):
            moved = adjusted(steps, Adjustment(**{name: stops}, contrast=0.5 if stops < 0 else 2.0))[0, :, 0]
            assert (np.diff(moved) > 0).all()
            alone = adjusted(steps, Adjustment(**{name: stops}))[0, :, 0]
            assert alone[~is_its_side] == pytest.approx(grey[~is_its_side], rel=3e-3)
            far = (grey < 0.18 / 40) if name == "shadows" else (grey > 0.18 * 20)
            assert np.log2(alone[far] / grey[far]) == pytest.approx(stops, abs=0.03)


@pytest.mark.parametrize("warmth", [-60.0, 40.0, 100.0])
def test_warmth_is_a_shift_in_mired(warmth):
    """The white of the picture becomes that of a light of the shifted temperature, by another library."""
    made = adjusted(np.full((1, 1, 3), 0.5, np.float32), Adjustment(warmth=warmth))[0, 0].astype(float)
    xyz = colour.RGB_to_XYZ(made, "ITU-R BT.709", apply_cctf_decoding=False)
    base = colour.XYZ_to_xy(colour.RGB_to_XYZ([0.5] * 3, "ITU-R BT.709", apply_cctf_decoding=False))
    kelvin, plain = (colour.temperature.xy_to_CCT_McCamy1992(xy) for xy in (colour.XYZ_to_xy(xyz), base))
    assert 1e6 / kelvin - 1e6 / plain == pytest.approx(warmth, abs=0.1 * abs(warmth))
    assert luminance(made) == pytest.approx(0.5, rel=0.02)


def test_saturation_keeps_luminance_and_muted_leaves_strong_colours(light):
    grey = adjusted(light, Adjustment(saturation=0))
    assert np.ptp(grey, axis=2).max() < 1e-5 and luminance(grey) == pytest.approx(luminance(light), rel=3e-3)
    two = np.array([[[0.5, 0.45, 0.42], [0.6, 0.0, 0.0]]], np.float32)
    made = adjusted(two, Adjustment(muted=1.0))
    assert np.ptp(made[0, 0]) > 1.5 * np.ptp(two[0, 0]) and made[0, 1] == pytest.approx(two[0, 1], abs=2e-3)


@pytest.mark.parametrize("size", [0.004, 0.03, 0.15])
def test_bloom_keeps_the_light_and_takes_it_only_above_the_threshold(size):
    light = np.full((171, 203, 3), 0.2, np.float32)
    light[80:90, 100:112] = (9.0, 6.0, 3.0)
    made = with_bloom(light, 0.8, 1.0, size)
    assert made.sum(dtype=np.float64) == pytest.approx(light.sum(dtype=np.float64), rel=2e-3)
    lamp = made[80:90, 100:112]
    assert (made >= 0.2 - 1e-5).all() and lamp.sum() < light[80:90, 100:112].sum() - 1
    assert (with_bloom(np.minimum(light, 0.9), 0.8, 1.0, size) == np.minimum(light, 0.9)).all()
    away = made[85, 112 + round(1.5 * size * 171)] - 0.2
    assert away[0] > away[1] > away[2] > 0  # in the colour of what is bright


@pytest.mark.parametrize("rays", [5, 8])
def test_glare_goes_out_in_rays_and_keeps_the_light(rays):
    light = np.zeros((480, 480, 3), np.float32)
    light[239:242, 239:242] = (400.0, 200.0, 100.0)
    made = with_glare(light, 0.5, 1.0, 0.04, rays)
    assert made.sum(dtype=np.float64) == pytest.approx(light.sum(dtype=np.float64), rel=0.01)
    turns = np.radians(np.arange(0, 360, 0.5))

    def round_(radius):
        """Light on a circle about the lamp, by the angle from what is up."""
        y = np.round(240 - radius * np.cos(turns)).astype(int)
        return made[y, np.round(240 - radius * np.sin(turns)).astype(int), 0]

    seen = round_(50)
    peaks = np.degrees(turns[(seen > 0.3 * seen.max()) & (np.roll(seen, 1) <= 0.3 * seen.max())])
    assert len(peaks) == rays and np.allclose(np.diff(peaks), 360 / rays, atol=3)
    assert seen[0] > 0.7 * seen.max()  # one of them goes straight up
    assert round_(69)[0] / round_(50)[0] == pytest.approx(np.exp(-1), rel=0.15)  # 0.04 of 480 further
    dull = np.minimum(light, 0.9)
    assert np.allclose(with_glare(dull, 0.5, 1.0, 0.04, rays), dull, atol=1e-6)


def test_vignette_and_sharpening(light):
    dark = finished(np.ones((60, 90, 3), np.float32), Finish(vignette=0.5))
    assert dark[30, 45, 0] == pytest.approx(1, abs=1e-2) and dark[0, 0, 0] == pytest.approx(0.5, abs=0.02)
    edge = np.full((20, 20, 3), 0.2, np.float32)
    edge[:, 10:] = 0.6
    sharp = finished(edge, Finish(sharpening=1.0))
    assert sharp[5, 10, 0] > 0.62 and sharp[5, 9, 0] < 0.19 and sharp[5, 3, 0] == pytest.approx(0.2, rel=1e-5)


def test_what_is_no_number_ends_in_no_crash():
    """As a damaged file may have it: black where it is none, white where it is endless."""
    bad = np.array([[[np.nan] * 3, [np.inf] * 3, [-np.inf] * 3, [3e38, 3e38, 0], [1, 1, 1]]], np.float32)
    for curve in ("neutral", "exact", "filmic"):
        shown = develop(bad, 0.0, curve)
        assert (shown[0, [0, 2]] == 0).all() and (shown[0, 1] == 255).all() and (shown[0, 3, :2] > 240).all()
    finish = Finish(whole=Adjustment(contrast=1.2), bloom=0.5, glare=0.5, vignette=0.2, sharpening=1.0)
    assert develop(finished(bad, finish)).shape == (1, 5, 3)
    assert np.isfinite(tone_mask(bad, "shadows")).all()


def test_extremes_stay_finite():
    wild = np.array([[[0, 0, 0], [1e-30, 0, 0], [1e6, 1e6, 1e5], [3e4, 0, 0]]], np.float32)
    for sign in (-1, 1):
        most = Adjustment(
            exposure=8 * sign, warmth=150 * sign, tint=sign, contrast=4 if sign > 0 else 0.25,
            highlights=2 * sign, shadows=2 * sign, saturation=3, muted=sign,
        )  # fmt: skip
        finish = Finish(whole=most, bloom=1, bloom_above=0.05, bloom_size=20, vignette=sign, sharpening=2)
        assert np.isfinite(finished(wild, finish)).all() and (finished(wild, finish) >= 0).all()


@pytest.mark.long
def test_masks_are_those_of_the_passes(plain_demo):
    """Of a part, a material, a zone and the backdrop; outside of them nothing changes."""
    project, assets = plain_demo
    rendered = render_picture(project, assets, 90, 60, 2, denoise=False)
    part = project.part("tray")
    asked = (("part", part.id), ("material", part.material), ("backdrop", ""))
    masked = tuple(
        MaskedAdjustment(id=f"m{k}", kind=kind, target=target, adjustment=Adjustment(exposure=1))
        for k, (kind, target) in enumerate(asked)
    )
    project = project.with_finish(Finish(masked=masked))
    masks = finish_masks(project, rendered, assets)
    passes = render_aovs(project, rendered, ("parts", "materials"))
    material = project.material(part.material)
    assert (masks["m0"] == passes[f"part.{part.name}"][..., 0]).all()
    assert (masks["m1"] == passes[f"material.{material.name}"][..., 0]).all()
    assert masks["m2"] == pytest.approx(passes["part.Backdrop"][..., 0] + passes.get("part.No part", 0), abs=1e-6)
    one = finished(rendered.light, project.finish.with_(masked=masked[:1]), masks)
    outside = masks["m0"] == 0
    assert (one[outside] == rendered.light[outside]).all()
    assert one[masks["m0"] == 1] == pytest.approx(2 * rendered.light[masks["m0"] == 1], rel=3e-3)


def test_a_region_is_finished_as_the_whole_is(small_project, tmp_path):
    """Its masks too, though most pixels have no samples."""
    from mat_shelf.exchange.image_reading import read_map
    from mat_shelf.rendering.region import PictureRegion

    project, assets = small_project
    darker = MaskedAdjustment(id="m", kind="backdrop", adjustment=Adjustment(exposure=-2))
    project, place = project.with_finish(Finish(masked=(darker,))), PictureRegion(10, 8, 30, 20)
    for name, region in (("whole", None), ("part", place)):
        settings = RenderSettings(60, 40, 3, denoise=False, region=region)
        render_to_file(project, assets, tmp_path / f"{name}.exr", settings)
    whole, part = (
        read_map((tmp_path / f"{name}.exr").read_bytes())[place.slices()][..., :3] for name in ("whole", "part")
    )
    assert np.isfinite(part).all() and part == pytest.approx(whole, rel=1e-3, abs=1e-5)


def test_the_session_shows_it_without_a_new_sample(small_project):
    project, assets = small_project
    session = RenderSession(assets, threads=2)
    try:
        session.resize(120, 80)
        session.update(project)
        while (frame := session.step()) is None or frame.samples < 4:
            pass
        film, before, plain = session._film, session._film.sums.counts.copy(), frame
        block = frame.first_hits.part == 0
        brighter = MaskedAdjustment(id="m", kind="part", target="block", adjustment=Adjustment(exposure=1.5))
        session.update(project.with_finish(Finish(masked=(brighter,))))
        session.compare_finish(True)
        frame = session.step()
        assert session._film is film and (film.sums.counts == before).all() and not frame.is_coarse
        inner = block & np.roll(block, 2, 0) & np.roll(block, -2, 0) & np.roll(block, 2, 1) & np.roll(block, -2, 1)
        outer = ~(block | np.roll(block, 2, 0) | np.roll(block, -2, 0) | np.roll(block, 2, 1) | np.roll(block, -2, 1))
        assert frame.pixels[inner].mean() > plain.pixels[inner].mean() + 15
        assert (frame.pixels[outer] == plain.pixels[outer]).all()
        assert (frame.as_rendered == plain.pixels).all()
    finally:
        session.close()


def test_a_finished_file_is_what_the_light_becomes(small_project, tmp_path):
    from mat_shelf.exchange.image_reading import read_map

    project, assets = small_project
    finish = Finish(whole=Adjustment(exposure=-1, saturation=0))
    settings = RenderSettings(60, 40, 2, denoise=False)
    rendered, _ = render_to_file(project.with_finish(finish), assets, tmp_path / "a.exr", settings)
    seen = read_map((tmp_path / "a.exr").read_bytes())
    assert seen[..., 0] == pytest.approx(luminance(rendered.light) / 2, rel=5e-3, abs=1e-5)
    as_rendered = RenderSettings(60, 40, 2, denoise=False, is_finished=False)
    render_to_file(project.with_finish(finish), assets, tmp_path / "b.exr", as_rendered)
    assert (read_map((tmp_path / "b.exr").read_bytes())[..., :3] == rendered.light).all()


def test_tones_are_the_whole_picture_and_keep_to_their_range():
    stops = np.linspace(-9, 7, 161)
    light = np.repeat((0.18 * 2.0**stops)[None, :, None], 3, axis=2).astype(np.float32)
    shadows, middle, highlights = (tone_mask(light, name)[0] for name in TONES)
    assert shadows + middle + highlights == pytest.approx(1, abs=1e-4)
    for mask, at in ((shadows, -4), (middle, -0.3), (highlights, 3)):
        assert mask[np.argmin(np.abs(stops - at))] == pytest.approx(1, abs=1e-3)
    assert (np.diff(shadows) <= 1e-6).all() and (np.diff(highlights) >= -1e-6).all()
    assert not tone_mask(light, "gone").any()


def test_a_cast_is_taken_out_of_the_shadows_alone():
    """Warm light in the dark and in the bright; only the dark one becomes grey."""
    light = np.array([[[0.012, 0.010, 0.007], [0.6, 0.5, 0.35]]], np.float32)
    cooler = MaskedAdjustment(id="m", kind="tones", target="shadows", adjustment=Adjustment(warmth=-70.0))
    made = finished(light, Finish(masked=(cooler,)))
    assert made[0, 1] == pytest.approx(light[0, 1], rel=1e-5)
    before, after = light[0, 0, 0] / light[0, 0, 2], made[0, 0, 0] / made[0, 0, 2]
    assert before > 1.6 and after < 1.25 and luminance(made)[0, 0] == pytest.approx(luminance(light)[0, 0], rel=0.1)


def test_a_look_leaves_the_masks_of_its_product_behind(tmp_path):
    of_part = MaskedAdjustment(id="a", kind="part", target="tray", adjustment=Adjustment(exposure=1))
    of_tones = MaskedAdjustment(id="b", kind="tones", target="shadows", adjustment=Adjustment(warmth=9))
    kept = KeptLook.of("Warm", Finish(is_on=False, masked=(of_part, of_tones), bloom=0.3))
    save_look(tmp_path / "Warm.look", kept)
    look = open_look(tmp_path / "Warm.look")
    assert look == kept and look.finish.is_on and look.finish.masked == (of_tones,)
    own = of_part.with_(id="c", target="cap")
    made = look.over(Finish(masked=(own, of_tones.with_(id="d")), vignette=1.0))
    assert made.masked == (own, of_tones) and made.bloom == 0.3 and made.vignette == 0
    for damage in (b"", b"{}", b"[1]", kept.model_dump_json().replace("0.3", "1e9").encode(), b"x" * (1 << 19)):
        (tmp_path / "Bad.look").write_bytes(damage)
        with pytest.raises((PackageError, OSError)):
            open_look(tmp_path / "Bad.look")


def test_the_curve_is_followed_as_it_is_seen():
    """Through its nodes, in sRGB-coded luminance (by colour-science); what is brighter than white stays."""
    before, after = np.array([0.25, 0.5, 1.0]), np.array([0.15, 0.6, 1.0])
    curve = ((0.0, 0.0), *zip(before.tolist(), after.tolist(), strict=True))
    grey = np.repeat(colour.models.eotf_sRGB(before)[None, :, None], 3, axis=2).astype(np.float32)
    made = adjusted(grey, Adjustment(curve=curve))
    assert made[0, :, 1] == pytest.approx(colour.models.eotf_sRGB(after), rel=4e-3)
    tinted = np.array([[[0.3, 0.2, 0.1], [9.0, 8.0, 7.0]]], np.float32)
    made = adjusted(tinted, Adjustment(curve=curve))
    assert made[0, 0] / made[0, 0, 1] == pytest.approx(tinted[0, 0] / tinted[0, 0, 1], rel=1e-4)
    assert made[0, 1] == pytest.approx(tinted[0, 1], rel=1e-3)
    with pytest.raises(ValueError, match="left to right"):
        Adjustment(curve=((0.5, 0.1), (0.5, 0.9)))
