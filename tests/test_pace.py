"""Strides of the pictures of a drag, learned from how long they took."""

import pytest

from mat_shelf.rendering.pace import WIDEST_STRIDE, PreviewPace

pytestmark = pytest.mark.plain


def drag(pace: PreviewPace, pixels: int, beside: float, pictures: int, pixel_s: float = 1e-6) -> list[int]:
    """Strides of the pictures of a drag on a machine that takes the same time for each pixel that is traced."""
    strides = []
    for _ in range(pictures):
        strides.append(pace.stride)
        if pace.stride <= WIDEST_STRIDE:
            pace.learn(0.01 + pixels * pixel_s / pace.stride**2, beside)
    return strides


def test_a_picture_that_something_held_up_does_not_make_the_next_ones_coarse():
    pace = PreviewPace(8_000)
    drag(pace, 8_000, 0.03, 8)
    pace.learn(0.6, 0.03)
    assert set(drag(pace, 8_000, 0.03, 8)) == {1}


def test_the_stride_settles():
    for pixels in (5_000, 80_000, 200_000, 600_000, 3_000_000):
        for beside in (0.02, 0.06, 0.2):
            strides = drag(PreviewPace(pixels), pixels, beside, 60)
            assert len(set(strides[30:])) == 1, (pixels, beside)


def test_pictures_become_coarse_until_they_come_in_time_and_no_further():
    pace = PreviewPace(1_000)
    assert drag(pace, 200_000, 0.03, 12)[-1] == 2
    assert drag(pace, 200_000, 0.03, 20, pixel_s=3e-5)[-1] == WIDEST_STRIDE + 1
    slow_beside = PreviewPace(1_000)
    assert drag(slow_beside, 1_000, 0.5, 12)[-1] == 1, "few pixels are not why it is late"


def test_a_finer_stride_that_does_not_come_in_time_after_all_is_given_up():
    pace = PreviewPace(100_000)
    assert drag(pace, 60_000, 0.01, 12)[-1] == 1
    assert drag(pace, 85_000, 0.03, 12)[-1] == 2
    begun_fine = PreviewPace(1_000)
    assert drag(begun_fine, 85_000, 0.03, 12)[-1] == 1


def test_time_beside_tracing_keeps_pictures_from_becoming_finer():
    quick, slow = PreviewPace(100_000), PreviewPace(100_000)
    assert quick.stride == slow.stride > 1
    assert drag(quick, 60_000, 0.01, 12)[-1] == 1
    assert drag(slow, 60_000, 0.06, 12)[-1] == 2
