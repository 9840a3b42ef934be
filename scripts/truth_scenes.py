"""Random scenes beside an independent renderer, `mitsuba` (scalar_rgb), where both have the model.

    .venv/bin/python scripts/truth_scenes.py [20] [--seed SEED]

Bodies of matt colour, mirrors, glass, tinted and cloudy glass, thin panes and glass that is painted in part stand on a
floor or float above it, in a room with a picture that looks the same from no two sides, or under softboxes. Each is
rendered 16 times by both; means by region must agree within 5 standard errors, and all together by chi-square.
"""

import sys
import tempfile
from pathlib import Path
from typing import NamedTuple

import numpy as np
import trimesh
from scipy import stats

sys.path.insert(0, str(Path(__file__).parent))

from journal import Journal  # noqa: E402
from truth_furnace import BUILD, main  # noqa: E402

from mat_shelf.document.camera import Camera  # noqa: E402
from mat_shelf.document.light import Light  # noqa: E402
from mat_shelf.document.recipe import Recipe  # noqa: E402
from mat_shelf.geometry.mesh import Mesh, checked  # noqa: E402
from mat_shelf.geometry.solids import box, moved  # noqa: E402
from mat_shelf.optics.media import extinction  # noqa: E402
from mat_shelf.rendering.camera import make_camera_view  # noqa: E402
from mat_shelf.rendering.film import Film  # noqa: E402
from mat_shelf.rendering.render_task import RenderTask
from mat_shelf.rendering.tracer import Tracer  # noqa: E402
from mat_shelf.scene.dielectric_contact import Body, resolve_contact  # noqa: E402
from mat_shelf.scene.geometry import Geometry  # noqa: E402
from mat_shelf.scene.lights import make_lights  # noqa: E402
from mat_shelf.scene.material_table import make_material_table  # noqa: E402

WIDTH, HEIGHT, REGION = 48, 32, 8
RENDERS, SAMPLES = 16, 32
FURTHEST, LEAST_LIKELY = 5.0, 1e-4
GAP = 0.02
"""mm between the floor and what stands on it, for the other renderer: here it stands on the floor itself."""
KINDS = ("matt", "mirror", "glass", "tinted", "cloudy", "pane", "painted")


class Piece(NamedTuple):
    """One body of a scene.

    Attributes
    ----------
    kind : one of KINDS
    mesh : Mesh, as it stands
    recipe, paint : Recipe
        `paint` is on the last faces, of a painted body.
    stands : bool
    """

    kind: str
    mesh: Mesh
    recipe: Recipe
    paint: Recipe | None
    stands: bool

    def painted_from(self) -> int:
        return len(self.mesh.triangles) * 3 // 4 if self.paint is not None else len(self.mesh.triangles)


class Scene(NamedTuple):
    pieces: list[Piece]
    room: np.ndarray
    softboxes: list[Light]
    camera: Camera
    ground: Recipe


def drawn(seed: int) -> Scene:
    """A scene at random."""
    rng = np.random.default_rng(seed)
    pieces = [_piece(rng, x) for x in rng.permutation([-75.0, 0.0, 75.0])[: rng.integers(2, 4)]]
    dark = np.zeros((16, 32, 3), np.float32)
    room = rng.uniform(0.05, 1, (4, 8, 3)).astype(np.float32).repeat(64, axis=0).repeat(64, axis=1)
    boxes = []
    # Small lights are not seen through glass: what it gathers of them is too rare for means of few renders.
    has_softboxes = rng.random() < 0.6 and all(piece.kind in ("matt", "mirror", "pane") for piece in pieces)
    if has_softboxes:
        for side in (-1, 1)[: rng.integers(1, 3)]:
            place = (side * rng.uniform(350, 600), rng.uniform(500, 900), rng.uniform(0, 500))
            boxes.append(
                Light(
                    position=tuple(float(x) for x in place),
                    target=(0, 20, 0),
                    width=float(rng.uniform(120, 300)),
                    height=float(rng.uniform(120, 300)),
                    luminance=float(rng.uniform(4000, 20000)),
                )
            )
    turn, height = rng.uniform(-0.6, 0.6), rng.uniform(90, 320)
    camera = Camera(
        position=(float(420 * np.sin(turn)), float(height), float(420 * np.cos(turn))),
        target=(0.0, 25.0, 0.0),
        focal_length=float(rng.uniform(50, 70)),
        f_stop=2.0 if rng.random() < 0.3 else 0.0,
    )
    return Scene(pieces, dark if has_softboxes else room, boxes, camera, _matt(rng))


def _matt(rng) -> Recipe:
    return Recipe(base_color=tuple(float(c) for c in rng.uniform(0.05, 0.9, 3)), specular_weight=0.0)


def _piece(rng, x: float) -> Piece:
    kind, stands = str(rng.choice(KINDS)), bool(rng.random() < 0.5)
    size = float(rng.uniform(40, 56))
    if rng.random() < 0.5 or kind == "painted":
        mesh = box((size, float(rng.uniform(30, 60)), size), 0.01)
    else:
        solid = trimesh.creation.icosphere(4)
        mesh = checked(solid.vertices * size / 2 + (0, size / 2, 0), solid.faces, solid.vertices)
    turn = trimesh.transformations.rotation_matrix(float(rng.uniform(0, 1.5)), (0, 1, 0))[:3, :3].astype(np.float32)
    mesh = Mesh(mesh.vertices @ turn.T, mesh.triangles, mesh.normals @ turn.T)
    lowest = float(mesh.vertices[:, 1].min())
    mesh = moved(mesh, (x, -lowest + (0.0 if stands else float(rng.uniform(2, 40))), float(rng.uniform(-30, 30))))
    clear = Recipe(transmission_weight=1.0, specular_roughness=0.0, specular_ior=float(rng.uniform(1.3, 1.8)))
    tint = tuple(float(c) for c in rng.uniform(0.2, 0.95, 3))
    made = {
        "matt": _matt(rng),
        "mirror": Recipe(base_color=(1, 1, 1), base_metalness=1.0, specular_roughness=0.0),
        "glass": clear,
        "tinted": clear.with_(transmission_color=tint, transmission_depth=20.0),
        "cloudy": clear.with_(
            transmission_color=(0.6, 0.6, 0.6),
            transmission_depth=float(rng.uniform(10, 40)),
            transmission_scatter=(float(rng.uniform(0.1, 0.5)),) * 3,
            transmission_scatter_anisotropy=float(rng.uniform(-0.3, 0.7)),
        ),
        "pane": clear.with_(geometry_thin_walled=True),
        "painted": clear,
    }
    return Piece(kind, mesh, made[kind], _matt(rng) if kind == "painted" else None, stands)


def _ground() -> Mesh:
    corners = np.array([[-1, 0, -1], [-1, 0, 1], [1, 0, 1], [1, 0, -1]]) * 500.0
    return checked(corners, [[0, 1, 2], [0, 2, 3]])


def ours(scene: Scene) -> np.ndarray:
    """Renders by this program, (RENDERS, HEIGHT, WIDTH, 3)."""
    bodies = [
        None if piece.kind in ("matt", "mirror") else Body(5, False, piece.kind != "pane") for piece in scene.pieces
    ]
    meshes = resolve_contact([*(piece.mesh for piece in scene.pieces), _ground()], [*bodies, None], 0.05)
    recipes = [*(piece.recipe for piece in scene.pieces), scene.ground]
    zoned = []
    for place, piece in enumerate(scene.pieces):
        if piece.paint is not None:
            faces = np.full(len(piece.mesh.triangles), place, np.int32)
            faces[piece.painted_from() :] = len(recipes)
            recipes.append(piece.paint)
            zoned.append((place, faces))
    material_table = make_material_table(recipes, range(len(meshes)), zoned=zoned)
    lights, view = make_lights(scene.room, scene.softboxes), make_camera_view(scene.camera, WIDTH, HEIGHT)
    geometry, tracer, made = Geometry(meshes), Tracer(2), []
    for number in range(RENDERS):
        film = Film(WIDTH, HEIGHT)
        tracer.fill(RenderTask(geometry, material_table, lights, view, seed=number + 1), film, SAMPLES)
        made.append(film.picture())
    tracer.close()
    return np.array(made)


def theirs(scene: Scene) -> np.ndarray:
    """Renders by `mitsuba`, (RENDERS, HEIGHT, WIDTH, 3)."""
    import mitsuba as mi

    mi.set_variant("scalar_rgb")
    to_world = mi.ScalarTransform4f()
    view = make_camera_view(scene.camera, WIDTH, HEIGHT)
    sensor = {
        "type": "thinlens" if scene.camera.f_stop else "perspective",
        "fov": float(2 * np.degrees(np.arctan(18 / scene.camera.focal_length))),
        "fov_axis": "x",
        "to_world": to_world.look_at(list(scene.camera.position), list(scene.camera.target), [0, 1, 0]),
        "film": {"type": "hdrfilm", "width": WIDTH, "height": HEIGHT, "rfilter": {"type": "box"}},
    }
    if scene.camera.f_stop:
        sensor |= {"aperture_radius": float(view.lens), "focus_distance": float(view.focus)}
    has_media = any(piece.kind in ("tinted", "cloudy") for piece in scene.pieces)
    made = {
        "type": "scene",
        "integrator": {"type": "volpathmis" if has_media else "path", "max_depth": 400, "rr_depth": 40},
        "sensor": sensor,
        "ground": {
            "type": "rectangle",
            "to_world": to_world.rotate([1, 0, 0], -90).scale(500),
            "bsdf": _matt_bsdf(scene.ground),
        },
    }
    if scene.room.any():
        made["room"] = {"type": "envmap", "bitmap": mi.Bitmap(np.ascontiguousarray(scene.room))}
    lights = make_lights(scene.room, scene.softboxes)
    for number, lamp in enumerate(scene.softboxes):
        radiance = {"type": "rgb", "value": [float(c) for c in lights.boxes[number, 12:15]]}
        place = to_world.look_at(list(lamp.position), list(lamp.target), [0, 1, 0])
        made[f"lamp{number}"] = {
            "type": "rectangle",
            "to_world": place.scale([lamp.width / 2, lamp.height / 2, 1]),
            "emitter": {"type": "area", "radiance": radiance},
        }
    with tempfile.TemporaryDirectory() as folder:
        for number, piece in enumerate(scene.pieces):
            made |= _shapes(piece, number, Path(folder))
        loaded = mi.load_dict(made)
        return np.array([np.array(mi.render(loaded, spp=SAMPLES, seed=seed)) for seed in range(RENDERS)])


def _matt_bsdf(recipe: Recipe) -> dict:
    bsdf = {"type": "diffuse", "reflectance": {"type": "rgb", "value": list(recipe.base_color)}}
    return {"type": "twosided", "bsdf": bsdf}


def _shapes(piece: Piece, number: int, folder: Path) -> dict:
    recipe, lift = piece.recipe, GAP if piece.stands else 0.0
    glass = {"type": "dielectric", "int_ior": recipe.specular_ior, "ext_ior": 1.0}
    bsdf = {
        "matt": lambda: _matt_bsdf(recipe),
        "mirror": lambda: {"type": "twosided", "bsdf": {"type": "conductor", "material": "none"}},
        "pane": lambda: {"type": "thindielectric", "int_ior": recipe.specular_ior, "ext_ior": 1.0},
    }.get(piece.kind, lambda: glass)()
    cut = piece.painted_from()
    made = {}
    for name, faces, worn in (("body", piece.mesh.triangles[:cut], bsdf), ("paint", piece.mesh.triangles[cut:], None)):
        if not len(faces):
            continue
        path = folder / f"{number}{name}.ply"
        vertices = piece.mesh.vertices + np.float32([0, lift, 0])
        solid = trimesh.Trimesh(vertices, faces, vertex_normals=piece.mesh.normals, process=False)
        path.write_bytes(trimesh.exchange.ply.export_ply(solid, vertex_normal=True))
        shape = {"type": "ply", "filename": str(path), "bsdf": worn or _matt_bsdf(piece.paint)}
        if piece.kind in ("tinted", "cloudy"):
            lost, kept = extinction(recipe.transmission_color, recipe.transmission_depth, recipe.transmission_scatter)
            shape["interior"] = {
                "type": "homogeneous",
                "sigma_t": {"type": "rgb", "value": [float(x) for x in lost]},
                "albedo": {"type": "rgb", "value": [float(x) for x in kept]},
                "phase": {"type": "hg", "g": recipe.transmission_scatter_anisotropy},
            }
        made[f"{name}{number}"] = shape
    return made


def deviations(seed: int) -> np.ndarray:
    """How far means by region are apart, in standard errors, as normal deviates, (regions,)."""
    scene = drawn(seed)
    means, errors = [], []
    for renders in (ours(scene), theirs(scene)):
        bright = renders @ np.float32([0.2126, 0.7152, 0.0722])
        rows = bright.reshape(RENDERS, HEIGHT // REGION, REGION, WIDTH // REGION, REGION).mean(axis=(2, 4))
        means.append(rows.reshape(RENDERS, -1).mean(axis=0))
        errors.append(rows.reshape(RENDERS, -1).std(axis=0, ddof=1) / np.sqrt(RENDERS))
    error = np.sqrt(errors[0] ** 2 + errors[1] ** 2)
    # Means this close are one to any eye; where hardly anything varies, an error says nothing.
    error = np.maximum(error, 5e-4 * means[1] + 1e-6)
    spread = (means[0] - means[1]) / error
    return stats.norm.ppf(np.clip(stats.t.cdf(spread, 2 * (RENDERS - 1)), 1e-15, 1 - 1e-15))


def run(count: int, first: int) -> tuple[str, bool]:
    """Renders that many scenes, from a seed on: what came of it, in a line of Markdown, and whether all are alike."""
    journal = Journal(BUILD / f"scenes-{first}.jsonl")
    for number in journal.left(count):
        apart = deviations(first + number)
        worst = float(np.abs(apart).max())
        end = "apart" if worst > FURTHEST else "alike"
        journal.note(end, seed=first + number, worst=worst, square=float((apart**2).sum()), regions=len(apart))
        kinds = ", ".join(piece.kind for piece in drawn(first + number).pieces)
        print(f"{first + number}: at most {worst:.2f} standard errors apart ({kinds})", flush=True)
    square, regions = (sum(case[name] for case in journal.cases) for name in ("square", "regions"))
    chance = float(stats.chi2.sf(square, regions))
    line = (
        f"- {count} scenes at random, seeds {first} to {first + count - 1}: means of {regions} regions are at most "
        f"{journal.most('worst'):.1f} standard errors apart; chi-square {square:.0f}, chance {chance:.2g}."
    )
    return line, chance > LEAST_LIKELY and set(journal.ends()) == {"alike"}


if __name__ == "__main__":
    sys.exit(main(run, 20))
