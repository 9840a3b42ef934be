"""Path state packed into one int32.

From the lowest bits on: bounces (16 bits), whether it has met what guides the denoiser, a surface or a cloud (1),
whether the lights that it may meet now were counted already (2): `UNAIMED`, `AIMED` from where rays towards lights were
sent and nothing was met since, `THROUGH` from there on through clear surfaces; and how far it is one that photons stand
for (2): `ALONE` if not, `WIDE` from where it left a surface that they are looked up at, `BENT` once it met mirrors and
clear glass, and nothing else, since.
"""

from mat_shelf.numerics.kernels import inline

UNAIMED, AIMED, THROUGH = 0, 1, 2
ALONE, WIDE, BENT = 0, 1, 2
_GUIDED_BIT, _AIMED_BITS, _BENT_BITS = 16, 17, 19


@inline
def pack_state(bounces, guided, aimed, bent):
    """Pack the state of a path.

    Parameters
    ----------
    bounces : int
        Bounces so far.
    guided : int
        1 where the path has met a guide.
    aimed : int
        How far the lights were counted.
    bent : int
        How far photons stand for it.

    Returns
    -------
    int32
    """
    return bounces | (guided << _GUIDED_BIT) | (aimed << _AIMED_BITS) | (bent << _BENT_BITS)


@inline
def unpack_state(number):
    """Bounces, 1 where the path has met a guide, how far the lights were counted, how far photons stand for it.

    Parameters
    ----------
    number : int32
        Packed state.

    Returns
    -------
    tuple of 4 int
    """
    return number & 0xFFFF, (number >> _GUIDED_BIT) & 1, (number >> _AIMED_BITS) & 3, number >> _BENT_BITS


@inline
def is_untouched(number):
    """True if the path comes straight from the camera.

    Parameters
    ----------
    number : int32
        Packed state.

    Returns
    -------
    bool
    """
    return number == 0
