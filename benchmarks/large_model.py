"""A model of more than a million triangles."""

import resource
import statistics
import tempfile
import time
from pathlib import Path

import numpy as np
import trimesh
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from mat_shelf.document.material import Material
from mat_shelf.document.recipe import Recipe
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.models.import_process import import_model
from mat_shelf.exchange.product_import import new_project, product_of
from mat_shelf.geometry.adjacency import adjacency
from mat_shelf.geometry.selecting import smooth_region
from mat_shelf.geometry.unwrap import unwrap
from mat_shelf.rendering.session import RenderSession

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
