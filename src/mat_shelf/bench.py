"""Speed, as ratios to a reference library measured in the same run: absolute times depend on the machine."""

import importlib.util
import json
import os
import resource
import statistics
import subprocess
import sys
import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from pathlib import Path

import numpy as np
import trimesh
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from mat_shelf.demo.desk_set import demo_project
from mat_shelf.document.image import ImageRef
from mat_shelf.document.pattern import Placement
from mat_shelf.document.project import Camera, Material
from mat_shelf.document.recipe import Recipe
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.models.import_process import import_model
from mat_shelf.exchange.product_import import new_project, product_of
from mat_shelf.exchange.project_file import save_project
from mat_shelf.geometry.adjacency import adjacency
from mat_shelf.geometry.mesh import checked
from mat_shelf.geometry.selecting import smooth_region
from mat_shelf.geometry.unwrap import unwrap
from mat_shelf.library.library import Library
from mat_shelf.library.shipped import SHIPPED
from mat_shelf.optics.media import extinction
from mat_shelf.patterns.mipmap import Mipmap
from mat_shelf.patterns.points import flat_points
from mat_shelf.patterns.sources import Cells, Noise
from mat_shelf.patterns.step import PatternContext, run_steps
from mat_shelf.rendering.camera import FRAME, make_camera_view
from mat_shelf.rendering.denoise import denoise
from mat_shelf.rendering.film import Film
from mat_shelf.rendering.session import COARSE_SAMPLES, RenderSession, render
from mat_shelf.rendering.tracer import NO_LIMIT, RenderTask, Tracer
from mat_shelf.scene.geometry import Geometry
from mat_shelf.scene.lights import make_lights, plain_room
from mat_shelf.scene.material_table import make_material_table

WIDTH, HEIGHT, DEPTH = 640, 430, 8
SAMPLES = 8
ROUNDS = 5
RADIUS, FLOOR = 30.0, 500.0
CENTRES = (-35.0, 35.0)
ROUGHNESS, COLOR, FLOOR_COLOR, IOR = 0.3, (0.6, 0.1, 0.1), (0.5, 0.5, 0.5), 1.5
CAMERA = Camera(position=(0, 120, 400), target=(0, 30, 0), focal_length=70)
ROOM = plain_room(1000, 300)


DRAGS = 40


def bench(say=lambda text: None) -> dict:
    """Runs every bench. See `paths_per_second`, `media`, `edit_to_picture`, `interface`, `patterns`, `marks`,
    `large_model`, `search` and `rest`."""
    result = {"cores": os.cpu_count(), **rest(say)}
    result["search_ms"] = search(say)
    result["edit_to_picture"] = edit_to_picture(say)
    result["interface"] = interface(say)
    result["patterns"] = patterns(say)
    result["marks"] = marks(say)
    result["large_model"] = large_model(say, result["edit_to_picture"]["median_ms"])
    return result | media(say) | paths_per_second(say)


def rest(say) -> dict:
    """Time from nothing to the first coarse picture of the demo, kernels compiled before; and memory after that.

    Returns
    -------
    dict
        `warm_start_s`, of a new process that opens the demo's file; `rest_memory_mb`, its resident memory when the
        picture has been refined a little.
    """
    say("warm start")
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "demo.matshelf"
        save_project(path, *demo_project())
        started = time.perf_counter()
        process = subprocess.Popen(
            [sys.executable, "-c", _START, str(path)], stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True
        )
        process.stdout.readline()
        seconds = time.perf_counter() - started
        memory = process.stdout.readline()
        process.wait()
    return {"warm_start_s": round(seconds, 2), "rest_memory_mb": round(int(memory) / 1024)}


_START = """
import resource, sys
from pathlib import Path
from mat_shelf.exchange.readers import prepare_readers
prepare_readers()  # as the command line does
from mat_shelf.exchange.project_file import open_project
from mat_shelf.rendering.session import RenderSession
project, meshes = open_project(Path(sys.argv[1]))
session = RenderSession(meshes)
session.resize(640, 430)
session.update(project)
session.step()
print("shown", flush=True)
for _ in range(12):
    session.step()
print(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss, flush=True)
session.close()
"""


GRID = 2048
NOISE = Noise(octaves=6)


def patterns(say) -> dict:
    """Patterns per second beside a reference library, and what fed materials cost.

    Returns
    -------
    dict
        `noise_ms` and `cellular_ms`, for GRID x GRID points on all cores; `noise_vs_reference` and
        `cellular_vs_reference`, the reference's time over ours; `fed_patterns_cost`, the time of a picture of the demo
        in which three patterns feed the wood of its tray over that of one without patterns; `demo_patterns_cost`, the
        same with all the demo's patterns.
    """
    say("patterns")
    grid = np.indices((GRID, GRID), np.float32).reshape(2, -1) * np.float32(0.05)
    flat = np.concatenate([grid, np.zeros((1, GRID * GRID), np.float32)])
    pieces = [np.ascontiguousarray(piece) for piece in np.array_split(flat, 256, axis=1)]
    made = {
        "noise": (NOISE, _reference_noise("perlin")),
        "cellular": (Cells(), _reference_noise("cells")),
    }
    result: dict = {}
    planar = Placement(projection="planar", axis="z", size=1.0)
    nothing = flat_points(1.0, 1, 1)
    with ThreadPoolExecutor(os.cpu_count()) as threads:
        for name, (source, reference) in made.items():

            def ours(piece, source=source):
                return run_steps((source,), piece, planar, nothing, PatternContext())

            ours(pieces[0])
            times = {"ours": [], "theirs": []}
            for _ in range(ROUNDS):
                started = time.perf_counter()
                list(threads.map(ours, pieces))
                times["ours"].append(time.perf_counter() - started)
                if reference is not None:
                    started = time.perf_counter()
                    reference(grid)
                    times["theirs"].append(time.perf_counter() - started)
            result[f"{name}_ms"] = round(1000 * statistics.median(times["ours"]))
            if reference is not None:
                ratio = statistics.median(times["theirs"]) / statistics.median(times["ours"])
                result[f"{name}_vs_reference"] = round(ratio, 2)
    say("fed patterns")
    project, assets = demo_project()
    plain = project.with_(materials=tuple(_without_patterns(m) for m in project.materials))
    tray = plain.material("oiled-oak")
    fed = plain.with_material(tray.with_(recipe=project.material("oiled-oak").recipe))
    seconds = {name: [] for name in ("plain", "fed", "all")}
    for _ in range(3):
        for name, shown in (("plain", plain), ("fed", fed), ("all", project)):
            started = time.perf_counter()
            render(shown, assets, WIDTH, HEIGHT, SAMPLES, denoise=False)
            seconds[name].append(time.perf_counter() - started)
    base = statistics.median(seconds["plain"])
    result["fed_patterns_cost"] = round(statistics.median(seconds["fed"]) / base, 2)
    result["demo_patterns_cost"] = round(statistics.median(seconds["all"]) / base, 2)
    return result


MARKS, LARGE_ART = 8, 2


def marks(say) -> dict:
    """What marks cost.

    Returns
    -------
    dict
        `marks_cost`: the time of a picture of the demo, without patterns, with `MARKS` marks, `LARGE_ART` of them with
        art of 8192 x 4096 pixels, over that of one without marks; the median of rounds in which both were made one
        after the other.
    """
    say("marks")
    project, assets = demo_project()
    plain = project.with_(materials=tuple(_without_patterns(m) for m in project.materials), marks=())
    pixels = np.random.default_rng(1).integers(0, 256, (4096, 8192, 4), np.uint8)
    large = ImageRef(name="large.png", digest="8" * 64, kind="png")
    assets.pictures[large.digest] = Mipmap(pixels)
    made = [*project.marks]
    labels = [mark for mark in project.marks if mark.kind == "label"]
    while len(made) < MARKS:
        origin = labels[len(made) % len(labels)]
        up = 6.0 * (len(made) - MARKS)
        point = (origin.point[0], origin.point[1] + up, origin.point[2])
        made.append(origin.with_(id=f"more-{len(made)}", point=point, width=20.0, height=5.0))
    made = [mark.with_(art=large) if k >= MARKS - LARGE_ART else mark for k, mark in enumerate(made)]
    marked = plain.with_(marks=tuple(made))
    costs = []
    for number in range(ROUNDS + 1):
        seconds = []
        for shown in (plain, marked):
            started = time.perf_counter()
            render(shown, assets, WIDTH, HEIGHT, SAMPLES, denoise=False)
            seconds.append(time.perf_counter() - started)
        if number:  # the first one lays the marks
            costs.append(seconds[1] / seconds[0])
    return {"marks_cost": round(statistics.median(costs), 2)}


def _without_patterns(material: Material) -> Material:
    return material.with_(parent=None, own=(), recipe=material.recipe.with_(feeds=(), relief=()))


def _reference_noise(kind: str):
    """The reference library's noise in two dimensions, or None where it is not installed."""
    if importlib.util.find_spec("pyfastnoiselite") is None:
        return None
    from pyfastnoiselite import pyfastnoiselite as reference

    noise = reference.FastNoiseLite(seed=1)
    noise.frequency = 1.0
    if kind == "perlin":
        noise.noise_type = reference.NoiseType.NoiseType_Perlin
        noise.fractal_type = reference.FractalType.FractalType_FBm
        noise.fractal_octaves = NOISE.octaves
    else:
        noise.noise_type = reference.NoiseType.NoiseType_Cellular
    return noise.gen_from_coords


SWATCHES = 10_000


def search(say) -> float:
    """Median time of a search over 10,000 swatches, ms."""
    say("search")
    with tempfile.TemporaryDirectory() as folder:
        library = Library(Path(folder) / "shelf")
        library.fill_index(
            SHIPPED[k % len(SHIPPED)].with_(id=f"swatch-{k}", name=f"{SHIPPED[k % len(SHIPPED)].name} {k}")
            for k in range(SWATCHES)
        )
        times = []
        for text in ("b", "brass", "lac 7", "glass clear", "12", "wax", "metal 99", "blue-black", "nothing at all") * 3:
            started = time.perf_counter()
            library.search(text)
            times.append(time.perf_counter() - started)
    return round(statistics.median(times) * 1000, 2)


def edit_to_picture(say) -> dict:
    """A roughness dragged in the demo at 640x430: from each edit to its coarse picture, cleaned and developed.

    Returns
    -------
    dict
        `median_ms`, `p95_ms`, `pictures_per_s`; and `per_bare_pass`, the median over that of the same coarse pass
        alone, without denoising.
    """
    say("edit to picture")
    project, meshes = demo_project()
    session = RenderSession(meshes)
    session.resize(640, 430)
    session.update(project)
    for _ in range(3):
        session.step()
    material = project.material("teal-lacquer")
    times, bare = [], []
    for k in range(DRAGS):
        recipe = material.recipe.with_(specular_roughness=round(0.05 + 0.9 * k / DRAGS, 4))
        started = time.perf_counter()
        session.update(project.with_material(material.with_(recipe=recipe)))
        frame = session.step()
        times.append(time.perf_counter() - started)
        height, width = frame.pixels.shape[:2]
        task = session.coarse_shot()
        film = Film(width, height)
        started = time.perf_counter()
        for _ in range(COARSE_SAMPLES):
            session.tracer.add_sample(task, film)
        bare.append(time.perf_counter() - started)
    session.close()
    median = statistics.median(times)
    return {
        "median_ms": round(median * 1000, 1),
        "p95_ms": round(sorted(times)[int(0.95 * len(times))] * 1000, 1),
        "per_bare_pass": round(median / statistics.median(bare), 2),
        "pictures_per_s": round(1 / median, 1),
    }


def interface(say) -> dict:
    """How long the interface thread is held up while a value is dragged in the real window, without a display.

    Returns
    -------
    dict
        See `mat_shelf.app.interface_bench`; empty where the window cannot be opened here.
    """
    say("interface")
    run_steps = subprocess.run(
        [sys.executable, "-m", "mat_shelf.app.interface_bench"],
        env=os.environ | {"QT_QPA_PLATFORM": "offscreen"},
        capture_output=True,
        text=True,
    )
    return json.loads(run_steps.stdout) if run_steps.returncode == 0 else {}


LARGE_CUTS = 8


def large_model(say, demo_ms: float) -> dict:
    """A ball of 1.3 million triangles: brought in, seen, edited, and a zone grown on it.

    Parameters
    ----------
    demo_ms : float
        What an edit of the demo took in this run.

    Returns
    -------
    dict
        `triangles`; `import_s`, from the file to parts of a project; `first_picture_s`, from there to a coarse picture;
        `edit_ms` and `edit_vs_demo`; `neighbours_s`, finding which faces meet, once; `grow_ms`, one growing on it;
        `grow_vs_scipy`, scipy's connected components on the same graph over that; `import_memory_mb`, the most that
        the reading process took; `unwrap_s`, unwrapping the whole ball at a texel of 0.1 mm.
    """
    say("large model")
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "large.ply"
        ball = trimesh.creation.icosphere(LARGE_CUTS, 40.0)
        ball.export(path)
        started = time.perf_counter()
        model = import_model(path)
        assets = Assets()
        product, materials = product_of(model, assets)
        imported = time.perf_counter()
    project = new_project(product, materials, (80.0, 80.0, 80.0))
    project = project.with_material(Material(id="m", name="m"))
    part = project.product.parts[0].with_(material="m")
    project = project.with_part(part)
    session = RenderSession(assets)
    session.resize(640, 430)
    session.update(project)
    session.step()
    seen = time.perf_counter()
    times = []
    for k in range(12):
        recipe = Recipe(specular_roughness=0.1 + 0.05 * k)
        edited = time.perf_counter()
        session.update(project.with_material(Material(id="m", name="m", recipe=recipe)))
        session.step()
        times.append(time.perf_counter() - edited)
    session.close()
    mesh = assets.meshes[part.mesh]
    began = time.perf_counter()
    graph = adjacency(mesh)
    smooth_region(graph, 0, 0.2)
    found = time.perf_counter()
    smooth_region(graph, 5, 18.0)
    grown = time.perf_counter()
    kept = graph.pairs[graph.bend <= 18.0]
    matrix = coo_matrix(
        (np.ones(len(kept), np.int8), (kept[:, 0], kept[:, 1])), shape=(graph.count, graph.count)
    ).tocsr()
    prepared = time.perf_counter()
    connected_components(matrix, directed=False)
    theirs = time.perf_counter() - prepared
    edit_ms = statistics.median(times) * 1000
    memory = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1024
    unwraps = time.perf_counter()
    unwrap(mesh, 0.1)
    laid = time.perf_counter() - unwraps
    return {
        "triangles": len(mesh.triangles),
        "import_s": round(imported - started, 1),
        "first_picture_s": round(seen - imported, 1),
        "edit_ms": round(edit_ms, 1),
        "edit_vs_demo": round(edit_ms / demo_ms, 2),
        "neighbours_s": round(found - began, 2),
        "grow_ms": round((grown - found) * 1000, 1),
        "grow_vs_scipy": round(theirs / (grown - found), 2),
        "import_memory_mb": round(memory),
        "unwrap_s": round(laid, 1),
    }


ERROR_SIZE, ERROR_SECONDS, TRUTH_SAMPLES, SEEDS = (160, 108), 10.0, 4096, 6


def equal_time(say) -> dict:
    """How far the demo's picture is from the truth after ten seconds. Takes a quarter of an hour.

    As many samples as ten seconds give at WIDTH x HEIGHT are taken of a smaller picture, whose truth can be waited for.

    Returns
    -------
    dict
        `samples_in_10_s`; `error_raw` and `error_denoised`, roots of the mean of (a - b)^2 / (b^2 + 0.01) over pixels,
        b being a picture of TRUTH_SAMPLES samples and no limit to what a path may bring; `mean_difference`, how far
        the mean is from the truth's, as a share.
    """
    say("samples in ten seconds")
    project, assets = demo_project()
    rendered = render(project, assets, WIDTH, HEIGHT, 10_000, seconds=ERROR_SECONDS, denoise=False)
    samples = rendered.film.samples
    width, height = ERROR_SIZE
    task = replace(rendered.task, view=make_camera_view(project.view.camera, width, height))
    tracer = Tracer()
    truth = Film(width, height)
    for done in range(TRUTH_SAMPLES):
        if done % 64 == 0:
            say(f"the truth, {done} of {TRUTH_SAMPLES} samples")
        tracer.add_sample(replace(task, brightest=NO_LIMIT, seed=7), truth)
    expected = truth.picture().astype(float)
    raw, clean, mean = [], [], []
    for seed in range(SEEDS):
        film = Film(width, height)
        for _ in range(samples):
            tracer.add_sample(replace(task, seed=100 + seed), film)
        for errors, picture in ((raw, film.picture()), (clean, denoise(film))):
            errors.append(np.sqrt(np.mean((picture - expected) ** 2 / (expected**2 + 0.01))))
        mean.append(film.picture().mean())
    tracer.close()
    return {
        "samples_in_10_s": samples,
        "error_raw": round(float(np.mean(raw)), 4),
        "error_denoised": round(float(np.mean(clean)), 4),
        "mean_difference": round(float(np.mean(mean) / expected.mean() - 1), 4),
    }


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
    tracer.add_sample(task, Film(width, height))
    ratios, means = [], {"ours": [], "theirs": []}
    for number in range(ROUNDS):
        film = Film(width, height)
        started = time.perf_counter()
        for _ in range(MEDIA_SAMPLES):
            tracer.add_sample(replace(task, seed=number + 1), film)
        ours = time.perf_counter() - started
        started = time.perf_counter()
        theirs = np.array(mi.render(reference, spp=MEDIA_SAMPLES, seed=number))[..., :3]
        ratios.append((time.perf_counter() - started) / ours)
        means["ours"].append(film.picture().mean())
        means["theirs"].append(theirs.mean())
    tracer.close()
    return statistics.median(ratios), float(np.mean(means["ours"]) / np.mean(means["theirs"]) - 1)


def paths_per_second(say) -> dict:
    """Paths per second on the reference scene.

    Returns
    -------
    dict
        `paths_per_s`; and, where the reference library is installed, `reference_paths_per_s` and
        `paths_vs_reference`, the median over rounds in which both ran one after the other.
    """
    task, tracer = reference_shot(), Tracer()
    reference = _reference_scene() if importlib.util.find_spec("mitsuba") else None
    tracer.add_sample(task, Film(WIDTH, HEIGHT))
    ours, theirs = [], []
    for number in range(ROUNDS):
        say(f"paths per second, round {number + 1} of {ROUNDS}")
        film = Film(WIDTH, HEIGHT)
        started = time.perf_counter()
        for _ in range(SAMPLES):
            tracer.add_sample(task, film)
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
    return result


def reference_shot() -> RenderTask:
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
        make_camera_view(CAMERA, WIDTH, HEIGHT),
        depth=DEPTH,
    )


def _reference_scene():
    """The same scene for the reference library, scalar and in RGB."""
    import mitsuba as mi

    mi.set_variant("scalar_rgb")
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
            "film": {"type": "hdrfilm", "width": WIDTH, "height": HEIGHT, "rfilter": {"type": "box"}},
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
