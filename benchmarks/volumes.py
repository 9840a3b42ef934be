"""Media beside the reference renderer."""

import importlib.util
import statistics
import tempfile
import time
from dataclasses import replace
from pathlib import Path

import numpy as np
import trimesh

from benchmarks.picture_size import ROUNDS
from mat_shelf.document.camera import Camera
from mat_shelf.document.recipe import Recipe
from mat_shelf.geometry.mesh import checked
from mat_shelf.optics.media import extinction
from mat_shelf.rendering.camera import FRAME, make_camera_view
from mat_shelf.rendering.film import Film
from mat_shelf.rendering.render_task import RenderTask
from mat_shelf.rendering.tracer import Tracer
from mat_shelf.scene.geometry import Geometry
from mat_shelf.scene.lights import make_lights
from mat_shelf.scene.material_table import make_material_table

MEDIA_DEPTH, MEDIA_SAMPLES, MEDIA_SIZE = 96, 8, (360, 270)
GLASS = Recipe(transmission_weight=1.0, specular_roughness=0.0, specular_ior=1.5)
INK = Recipe(
    transmission_weight=1.0,
    specular_roughness=0.0,
    specular_ior=1.333,
    transmission_color=(0.25, 0.4, 0.8),
    transmission_depth=15.0,
    nesting_priority=6,
)
WAX = Recipe(
    transmission_weight=1.0,
    specular_roughness=0.0,
    specular_ior=1.45,
    transmission_color=(0.05, 0.04, 0.03),
    transmission_depth=5.0,
    transmission_scatter=(0.9, 0.55, 0.3),
)


GLASS = Recipe(transmission_weight=1.0, specular_roughness=0.0, specular_ior=1.5)


INK = Recipe(
    transmission_weight=1.0,
    specular_roughness=0.0,
    specular_ior=1.333,
    transmission_color=(0.25, 0.4, 0.8),
    transmission_depth=15.0,
    nesting_priority=6,
)


WAX = Recipe(
    transmission_weight=1.0,
    specular_roughness=0.0,
    specular_ior=1.45,
    transmission_color=(0.05, 0.04, 0.03),
    transmission_depth=5.0,
    transmission_scatter=(0.9, 0.55, 0.3),
)


def media(say) -> dict:
    """Glass with ink in it, and a cloudy ball as wax is, beside the reference library's volumes.

    Returns
    -------
    dict
        `glass_vs_reference`, `wax_vs_reference`: the reference's time over ours at equal samples, the median of
        rounds in which both ran one after the other; `glass_mean_difference`, `wax_mean_difference`: how far the means
        of the pictures are apart, as a share. Empty where the library is not installed.
    """
    if importlib.util.find_spec("mitsuba") is None:
        return {}
    result = {}
    for name, balls in (("glass", ((30.0, GLASS), (22.0, INK))), ("wax", ((30.0, WAX),))):
        say(f"{name} beside the reference")
        ratio, difference = _against_volumes(balls)
        result[f"{name}_vs_reference"], result[f"{name}_mean_difference"] = round(ratio, 2), round(difference, 4)
    return result


def _against_volumes(balls) -> tuple[float, float]:
    """Ratio of times, and difference of means, of balls one in another in an even room."""
    import mitsuba as mi

    mi.set_variant("scalar_rgb")
    solid = trimesh.creation.icosphere(5)
    width, height = MEDIA_SIZE
    camera = Camera(position=(0, 0, 300), target=(0, 0, 0), focal_length=100)
    meshes = [checked(solid.vertices * radius, solid.faces, solid.vertices) for radius, _ in balls]
    task = RenderTask(
        Geometry(meshes),
        make_material_table([recipe for _, recipe in balls], range(len(balls))),
        make_lights(np.ones((16, 32, 3), np.float32)),
        make_camera_view(camera, width, height),
        depth=MEDIA_DEPTH,
    )
    scene = {
        "type": "scene",
        "integrator": {"type": "volpath", "max_depth": 4 * MEDIA_DEPTH, "rr_depth": 24},
        "room": {"type": "constant", "radiance": {"type": "rgb", "value": 1.0}},
        "sensor": {
            "type": "perspective",
            "fov_axis": "x",
            "fov": 2 * np.degrees(np.arctan(FRAME[0] / 2 / camera.focal_length)),
            "to_world": mi.ScalarTransform4f().look_at(camera.position, camera.target, (0, 1, 0)),
            "film": {"type": "hdrfilm", "width": width, "height": height, "rfilter": {"type": "box"}},
        },
    }
    inside_of = [1.0, *(recipe.specular_ior for _, recipe in balls)]
    with tempfile.TemporaryDirectory() as folder:
        for k, (radius, recipe) in enumerate(balls):
            path = Path(folder) / f"{k}.ply"
            moved = trimesh.Trimesh(solid.vertices * radius, solid.faces, vertex_normals=solid.vertices, process=False)
            moved.export(path, vertex_normal=True)
            bsdf = {"type": "dielectric", "int_ior": recipe.specular_ior, "ext_ior": inside_of[k]}
            scene[f"ball-{k}"] = {"type": "ply", "filename": str(path), "bsdf": bsdf}
            if recipe.transmission_depth > 0:
                lost, kept = extinction(
                    recipe.transmission_color, recipe.transmission_depth, recipe.transmission_scatter
                )
                scene[f"ball-{k}"]["interior"] = {
                    "type": "homogeneous",
                    "sigma_t": {"type": "rgb", "value": [float(x) for x in lost]},
                    "albedo": {"type": "rgb", "value": [float(x) for x in kept]},
                }
        reference = mi.load_dict(scene)
    tracer = Tracer()
    tracer.add_samples(task, Film(width, height))
    ratios, means = [], {"ours": [], "theirs": []}
    for number in range(ROUNDS):
        film = Film(width, height)
        started = time.perf_counter()
        tracer.fill(replace(task, seed=number + 1), film, MEDIA_SAMPLES)
        ours = time.perf_counter() - started
        started = time.perf_counter()
        theirs = np.array(mi.render(reference, spp=MEDIA_SAMPLES, seed=number))[..., :3]
        ratios.append((time.perf_counter() - started) / ours)
        means["ours"].append(film.picture().mean())
        means["theirs"].append(theirs.mean())
    tracer.close()
    return statistics.median(ratios), float(np.mean(means["ours"]) / np.mean(means["theirs"]) - 1)
