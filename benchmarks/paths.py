"""Paths a second beside the reference renderer, on the same scene."""

import importlib.util
import json
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
import trimesh

from benchmarks.picture_size import DEPTH, HEIGHT, ROUNDS, SAMPLES, WIDTH
from mat_shelf.document.camera import Camera
from mat_shelf.document.recipe import Recipe
from mat_shelf.geometry.mesh import checked
from mat_shelf.rendering.camera import FRAME, make_camera_view
from mat_shelf.rendering.film import Film
from mat_shelf.rendering.render_task import RenderTask
from mat_shelf.rendering.tracer import Tracer
from mat_shelf.scene.geometry import Geometry
from mat_shelf.scene.lights import make_lights
from mat_shelf.scene.material_table import make_material_table
from mat_shelf.scene.rooms import plain_room

RADIUS, FLOOR = 30.0, 500.0


CENTRES = (-35.0, 35.0)


ROUGHNESS, COLOR, FLOOR_COLOR, IOR = 0.3, (0.6, 0.1, 0.1), (0.5, 0.5, 0.5), 1.5


CAMERA = Camera(position=(0, 120, 400), target=(0, 30, 0), focal_length=70)


ROOM = plain_room(1000, 300)


def paths_per_second(say) -> dict:
    """Paths per second on the reference scene.

    Returns
    -------
    dict
        `paths_per_s`; and, where the reference library is installed, `reference_paths_per_s` and
        `paths_vs_reference`, the median over rounds in which both ran one after the other; and what
        `benchmarks.vectorised` finds.
    """
    task, tracer = reference_task(), Tracer()
    reference = reference_scene() if importlib.util.find_spec("mitsuba") else None
    film = Film(WIDTH, HEIGHT)
    tracer.fill(task, film, SAMPLES)
    ours, theirs = [], []
    for number in range(ROUNDS):
        say(f"paths per second, round {number + 1} of {ROUNDS}")
        started = time.perf_counter()
        tracer.fill(task, film, film.samples + SAMPLES)
        ours.append(WIDTH * HEIGHT * SAMPLES / (time.perf_counter() - started))
        if reference is not None:
            import mitsuba

            started = time.perf_counter()
            np.array(mitsuba.render(reference, spp=SAMPLES, seed=number))
            theirs.append(WIDTH * HEIGHT * SAMPLES / (time.perf_counter() - started))
    tracer.close()
    result = {"paths_per_s": round(statistics.median(ours))}
    if theirs:
        result["reference_paths_per_s"] = round(statistics.median(theirs))
        ratios = [a / b for a, b in zip(ours, theirs, strict=True)]
        result["paths_vs_reference"] = round(statistics.median(ratios), 3)
        say("paths per second beside the vectorised reference")
        done = subprocess.run([sys.executable, "-m", "benchmarks.vectorised"], capture_output=True, text=True)
        if done.returncode == 0:
            result |= json.loads(done.stdout.splitlines()[-1])
        else:
            say(f"left out: {(done.stderr.strip() or 'it ended').splitlines()[-1]}")
    return result


def reference_task(width: int = WIDTH, height: int = HEIGHT) -> RenderTask:
    """A rough plastic and a glass sphere of 80k triangles each, on a floor, in a room."""
    ball = trimesh.creation.icosphere(6)
    balls = [checked(ball.vertices * RADIUS + (x, RADIUS, 0), ball.faces, ball.vertices) for x in CENTRES]
    corners = np.array([[-1, 0, -1], [-1, 0, 1], [1, 0, 1], [1, 0, -1]]) * FLOOR
    floor = checked(corners, [[0, 1, 2], [0, 2, 3]])
    plastic = Recipe(base_color=COLOR, specular_roughness=ROUGHNESS, specular_ior=IOR)
    glass = Recipe(transmission_weight=1.0, specular_roughness=0.0, specular_ior=IOR)
    matt = Recipe(base_color=FLOOR_COLOR, specular_weight=0.0)
    return RenderTask(
        Geometry([*balls, floor]),
        make_material_table([plastic, glass, matt], [0, 1, 2]),
        make_lights(ROOM),
        make_camera_view(CAMERA, width, height),
        depth=DEPTH,
    )


def reference_scene(variant: str = "scalar_rgb", width: int = WIDTH, height: int = HEIGHT):
    """The same scene for the reference library, in RGB."""
    import mitsuba as mi

    mi.set_variant(variant)
    ball = trimesh.creation.icosphere(6)
    plastic = {
        "type": "roughplastic",
        "distribution": "ggx",
        "alpha": ROUGHNESS**2,
        "diffuse_reflectance": {"type": "rgb", "value": COLOR},
        "int_ior": IOR,
    }
    glass = {"type": "dielectric", "int_ior": IOR, "ext_ior": 1.0}
    scene = {
        "type": "scene",
        "integrator": {"type": "path", "max_depth": DEPTH},
        "sensor": {
            "type": "perspective",
            "fov": 2 * np.degrees(np.arctan(FRAME[0] / 2 / CAMERA.focal_length)),
            "fov_axis": "x",
            "to_world": mi.ScalarTransform4f().look_at(CAMERA.position, CAMERA.target, (0, 1, 0)),
            "film": {"type": "hdrfilm", "width": width, "height": height, "rfilter": {"type": "box"}},
        },
        "room": {"type": "envmap", "bitmap": mi.Bitmap(np.array(ROOM))},
        "floor": {
            "type": "rectangle",
            "to_world": mi.ScalarTransform4f().rotate([1, 0, 0], -90).scale(FLOOR),
            "bsdf": {"type": "diffuse", "reflectance": {"type": "rgb", "value": FLOOR_COLOR}},
        },
    }
    with tempfile.TemporaryDirectory() as folder:
        for name, x, bsdf in (("plastic", CENTRES[0], plastic), ("glass", CENTRES[1], glass)):
            path = Path(folder) / f"{name}.ply"
            moved = trimesh.Trimesh(
                ball.vertices * RADIUS + (x, RADIUS, 0), ball.faces, vertex_normals=ball.vertices, process=False
            )
            moved.export(path, vertex_normal=True)
            scene[name] = {"type": "ply", "filename": str(path), "bsdf": bsdf}
        return mi.load_dict(scene)
