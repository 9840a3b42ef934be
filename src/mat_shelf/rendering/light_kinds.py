"""Light that a surface sends back, told apart: what is matt and what is shiny."""

from mat_shelf.numerics.kernels import F, apart
from mat_shelf.numerics.vectors import scale
from mat_shelf.optics.coat_and_fuzz import evaluate_layered
from mat_shelf.optics.surface import Lobes, evaluate_bsdf
from mat_shelf.rendering.wave_state import DIFFUSE, REFLECTION


@apart
def one_kind(block, look, lobes, layers, is_layered, wo, wi, value, u):
    """One of the two kinds of light that a surface sends back, by chance, and its value over that chance.

    Parameters
    ----------
    block : (M, WIDTH) float32
        Parameter block.
    look : int
        Row of the point.
    lobes, layers : Lobes, Layers
        As `prepare_lobes` and `prepare_layered` have them.
    is_layered : bool
        Whether `layers` count.
    wo, wi : float32 triple
        Directions towards the viewer and the light, about the shading normal.
    value : float32 triple
        Of both kinds together, as `evaluate_bsdf` or `evaluate_layered` has it.
    u : float32 in [0, 1)

    Returns
    -------
    kind : int
        `DIFFUSE` or `REFLECTION`.
    value : float32 triple
    """
    bare = Lobes(
        lobes.ax,
        lobes.ay,
        lobes.eta,
        lobes.eta_fresnel,
        lobes.metal,
        lobes.transmission,
        lobes.pick_metal,
        lobes.pick_boundary,
        lobes.pick_rest,
        lobes.passes,
        lobes.under,
        F(0),
        lobes.mirror_lost,
        lobes.mirror_mean,
        lobes.reflect_gain,
        lobes.transmit_gain,
        lobes.least_reflected,
        lobes.is_sharp,
    )
    if is_layered:
        shiny, _ = evaluate_layered(block, look, bare, layers, wo, wi)
    else:
        shiny, _ = evaluate_bsdf(block, look, bare, wo, wi)
    shiny = min(shiny[0], value[0]), min(shiny[1], value[1]), min(shiny[2], value[2])
    matt = value[0] - shiny[0], value[1] - shiny[1], value[2] - shiny[2]
    a, b = matt[0] + matt[1] + matt[2], shiny[0] + shiny[1] + shiny[2]
    if u * (a + b) < a:
        return DIFFUSE, scale(matt, (a + b) / a)
    return REFLECTION, scale(shiny, (a + b) / max(b, F(1e-30)))
