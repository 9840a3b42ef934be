"""Arrays of a wave of paths, and the tables that its passes read."""

from collections import namedtuple

import numpy as np

from mat_shelf.document.set import MOST_LIGHTS
from mat_shelf.numerics.kernels import F
from mat_shelf.scene.interior_list import MOST_NESTED

SOFT = 7
"""Columns of the parameter block that a path keeps: albedo and extinction of three channels, and how far forward."""
Paths = namedtuple(
    "Paths", "origin direction throughput pdf whole left spread pixel random bounces inside walk soft kind"
)
"""State of the paths of a wave.

origin, direction, throughput : (N, 3) float32
pdf : (N,) float32, density of the direction; 0 where light sampling had no part in it
whole : (N,) float32, sum of the weights of the lights where rays were aimed at them last, as `sample_lights` has it
left : (N,) int32, the geometry that turned it last, whose lights it may meet; -1 straight from the camera
spread : (N,) float32, share of the directions that the path could have taken where it was turned most freely: 0 as long
as it met mirrors and clear glass only, 1 after a matt surface
pixel : (N,) uint32, row of the sums that it adds to: an index that has no sign needs no test whether it counts from
the end; random : (N,) uint32
bounces : (N,) int32, as `pack_state` has it
inside : (N, NESTING) int32, the bodies around, as `interior_list` has them
walk : (N,) int32, the soft body, by its geometry, that it wanders about in; -1 outside of any
kind : (N,) int32, how it was turned first, as `KINDS` counts; 0 as long as nothing has turned it
soft : (N, SOFT) float32, what that body does to it, as it was where it went in: the columns from SUBSURFACE_ALBEDO on
"""
ShadingPoints = namedtuple("ShadingPoints", "position facing normal row look part triangle afar")
"""Where a wave met the scene.

position (mm), facing and normal : (N, 3) float32; geometric and shading normal
row : (N,) int32, the material's parameter row; -1 where nothing was hit
look : (N,) int32, the parameter row to shade with: the material's, or one of the point's own where it is fed
part, triangle : (N,) int32, geometry and row of its triangles
afar : (N, 2) float32, where in the room a path that meets nothing ends, as `find_in_room` has it
"""
KINDS = ("emission", "diffuse", "reflection", "transmission", "subsurface", "shadow")
"""Kinds of light, by what turned it last before the camera: seen straight, off a matt surface, off a shiny one, through
a surface, out of a soft body. The last is light missing for what stands in its way, which is no part of a picture."""
DIFFUSE, REFLECTION, TRANSMISSION, SUBSURFACE, SHADOW = range(1, 6)
Shadows = namedtuple("Shadows", "rays reach layer weights")
"""Rays towards lights.

rays : Paths. `throughput` is the light that each brings if nothing is in its way, `pdf` the weight that is part of it
and that is due only to rays that could have come upon the light by chance too; `left` is 0 where light that is stopped
counts as shadow, else -1
reach : (N,) float32, mm, how far the light is
layer : (N,) int32, layer of the film for its light
weights : (MOST_LIGHTS,) float32, scratch space
"""
SceneTables = namedtuple(
    "SceneTables",
    "triangles rows zone_first zone_rows met_bits block bodies frames lights tables surface edges dressing photons "
    "glow",
)
"""What the passes read: of `Geometry`, of `MaterialTable`, of `Lights`, the albedo tables, what dresses points, the
`Photons` of the sample, and `Glow`.

`block` is (M, WIDTH) float32, a row of each material, then rows of single points.
"""
PathLimits = namedtuple(
    "PathLimits",
    "depth most cut props catch through straight carries camera plate pixels beside layers waves marked_waves "
    "fed_waves free dress by_kind",
)
"""How far paths go.

depth : int, bounces at which they end
most : float32, as `RenderTask.brightest`
cut : int, row that the camera does not see, nor anything behind it: the backdrop, where the product is cut out; else -2
props : int, first row of what the camera does not see either then, the props; beyond all rows else
catch : int, row of the backdrop, where a photograph stands in its place: what the camera sees of it, or of nothing,
goes to the second half of the sums; else -2
through : bool, whether what lies behind the product goes there where the camera sees it through clear glass
straight : bool, as `RenderTask.straight`
carries : bool, whether paths carry light from lights, to be left as photons
camera : CameraView; plate : (H, W, 3) float32, as `RenderTask.backplate`, (0, 0, 3) without one
pixels : (N,) or (2N,) int32, the pixel of the picture of each row of the sums
beside : (N,) or (2N,) uint32, which of the samples abreast each row is of
layers : (L + K + 3,) int32, layer of the film for each light, the room, what glows, K parts, and the photograph
waves : int, surfaces that a path may meet; marked_waves, fed_waves : those at which marks, and patterns, count
free : int, first row of the parameter block for single points
dress : int, address of `dressing.dress_points`
by_kind : bool, whether the layers of the film are kinds of light, as `KINDS` counts, and not lights
"""
Beginning = namedtuple("Beginning", "width height samples abreast draws salts seed nest is_bundled together")
"""How paths begin.

width, height : int, pixels of the picture; 0 where the paths of a wave have begun already
samples : (S,) int32, their numbers; seed : int
abreast : int, how many of them are in a wave side by side, each with sums of its own: all, where the whole wave is
taken through its bounces together, or one, where the paths of a pixel come one after another and add to the same sums
draws : (S, K) uint32; salts : (S,) uint32, as `low_discrepancy.even_draws` has them
nest : (NESTING,) int32, interior list of the camera
is_bundled : bool, whether they are cast in bundles: they begin in air, in a scene without caps
together : int, paths that are taken through all their bounces before the next ones begin: the fewer, the more of their
state stays in the cache
"""
Hits = namedtuple("Hits", "geometry primitive u v distance")
"""What rays met, as `ray_casting.nearest` has it, (N,) each."""


def new_paths(count: int) -> Paths:
    """Arrays for the paths of a wave.

    Parameters
    ----------
    count : int
        Length of the arrays.

    Returns
    -------
    Paths
    """
    triple = (count, 3)
    return Paths(
        np.empty(triple, F),
        np.empty(triple, F),
        np.empty(triple, F),
        np.empty(count, F),
        np.ones(count, F),
        np.full(count, -1, np.int32),
        np.empty(count, F),
        np.empty(count, np.uint32),
        np.empty(count, np.uint32),
        np.empty(count, np.int32),
        np.empty((count, MOST_NESTED), np.int32),
        np.full(count, -1, np.int32),
        np.empty((count, SOFT), F),
        np.zeros(count, np.int32),
    )


def new_shading_points(count: int) -> ShadingPoints:
    """Arrays for the points of a wave.

    Parameters
    ----------
    count : int
        Length of the arrays.

    Returns
    -------
    ShadingPoints
    """
    numbers = (np.empty(count, np.int32) for _ in range(4))
    triples = (np.empty((count, 3), F) for _ in range(3))
    return ShadingPoints(*triples, *numbers, np.empty((count, 2), F))


def new_shadows(count: int) -> Shadows:
    """Arrays for rays towards lights.

    Parameters
    ----------
    count : int
        Length of the arrays.

    Returns
    -------
    Shadows
    """
    return Shadows(new_paths(count), np.empty(count, F), np.empty(count, np.int32), np.empty(MOST_LIGHTS + 1, F))


def new_hits(count: int) -> Hits:
    """Arrays for the hits of a wave.

    Parameters
    ----------
    count : int
        Length of the arrays.

    Returns
    -------
    Hits
    """
    return Hits(np.empty(count, np.int32), np.empty(count, np.int32), *(np.empty(count, F) for _ in range(3)))
