"""What a path went through so far, in one int32.

From the lowest bits on: bounces (8 bits), boundaries without effect that it passed (8), scatterings inside bodies (13),
and whether the lights that it may meet now were counted already (2): `UNAIMED`, `AIMED` from where rays towards lights
were sent and nothing was met since, `THROUGH` from there on through clear surfaces.
"""

from mat_shelf.optics.kernels import inline

UNAIMED, AIMED, THROUGH = 0, 1, 2
_PASSED_BITS, _SCATTERED_BITS, _AIMED_BITS = 8, 16, 29


@inline
def tally(bounces, passed, scatterings, aimed):
    return bounces | (passed << _PASSED_BITS) | (scatterings << _SCATTERED_BITS) | (aimed << _AIMED_BITS)


@inline
def told(number):
    """Bounces, boundaries passed, scatterings, and how far the lights were counted."""
    return number & 0xFF, (number >> _PASSED_BITS) & 0xFF, (number >> _SCATTERED_BITS) & 0x1FFF, number >> _AIMED_BITS


@inline
def is_untouched(number):
    """Whether the path comes straight from the camera."""
    return number == 0
