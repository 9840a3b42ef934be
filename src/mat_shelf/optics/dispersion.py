"""Light split by glass: one path carries one channel from there on."""

from mat_shelf.numerics.kernels import F, inline

_D_LINE, _F_LINE, _C_LINE = 587.6, 486.1, 656.3
SPLIT = tuple(F((1 / nm**2 - 1 / _D_LINE**2) / (1 / _F_LINE**2 - 1 / _C_LINE**2)) for nm in (612.0, 549.0, 465.0))
"""How far the index for red, green and blue light is from that of the D line, in parts of that between F and C lines
(Cauchy 1836, two terms)."""


@inline
def one_channel(throughput, u):
    """The channel that a path carries alone from where light is split, and its throughput then.

    Parameters
    ----------
    throughput : float32 triple
        Of the path before.
    u : float32 in [0, 1)

    Returns
    -------
    channel : int
    throughput : float32 triple
    """
    lit = (throughput[0] > F(0), throughput[1] > F(0), throughput[2] > F(0))
    channel = min(int(u * F(3)), 2)
    if lit[0] and not lit[1] and not lit[2]:
        return 0, throughput
    if lit[1] and not lit[0] and not lit[2]:
        return 1, throughput
    if lit[2] and not lit[0] and not lit[1]:
        return 2, throughput
    if channel == 0:
        return 0, (F(3) * throughput[0], F(0), F(0))
    if channel == 1:
        return 1, (F(0), F(3) * throughput[1], F(0))
    return 2, (F(0), F(0), F(3) * throughput[2])
