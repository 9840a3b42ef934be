"""Models in and out: a textured model read, and the demo written with its maps."""

import statistics
import tempfile
import time
from pathlib import Path

import numpy as np
import trimesh
from PIL import Image

from mat_shelf.demo.desk_set import demo_project
from mat_shelf.exchange.materials import flattening
from mat_shelf.exchange.models.gltf_reader import read_gltf
from mat_shelf.exchange.models.product_glb import GlbOptions, export_glb

_TURNS = 3
_TEXTURE = 2048


def exchange(say) -> dict[str, float]:
    """A textured GLB of 1.3 million triangles read, and the demo exported as GLB with maps of 2048 texels.

    Returns
    -------
    dict of float
        `gltf_read_s`, reading alone, process start and mending apart, and `gltf_vs_trimesh`, that over `trimesh.load`;
        `glb_s`, the export with unwrapping, baking and writing, `bake_s`, the bakes in it alone, and `glb_vs_bake`.
    """
    say("models read")
    ours, theirs = [], []
    with tempfile.TemporaryDirectory() as folder:
        path = _textured(Path(folder))
        for _ in range(_TURNS):
            began = time.perf_counter()
            read_gltf(path)
            read = time.perf_counter()
            trimesh.load(path, process=False)
            ours.append(read - began)
            theirs.append(time.perf_counter() - read)
        say("models written")
        project, assets = demo_project()
        export_glb(Path(folder) / "warm.glb", project, assets, GlbOptions(size=64))
        baking, bake = [], flattening.bake

        def timed(*arguments, **named):
            began = time.perf_counter()
            made = bake(*arguments, **named)
            baking.append(time.perf_counter() - began)
            return made

        flattening.bake = timed
        try:
            began = time.perf_counter()
            export_glb(Path(folder) / "demo.glb", project, assets, GlbOptions())
            whole = time.perf_counter() - began
        finally:
            flattening.bake = bake
    return {
        "gltf_read_s": statistics.median(ours),
        "gltf_vs_trimesh": statistics.median(a / b for a, b in zip(ours, theirs, strict=True)),
        "glb_s": whole,
        "bake_s": sum(baking),
        "glb_vs_bake": whole / sum(baking),
    }


def _textured(folder: Path) -> Path:
    ball = trimesh.creation.icosphere(8, 0.04)
    uv = np.stack([np.arctan2(ball.vertices[:, 1], ball.vertices[:, 0]) / np.pi / 2 % 1, ball.vertices[:, 2] * 12.5], 1)
    pixels = np.random.default_rng(1).integers(0, 255, (_TEXTURE, _TEXTURE, 3), np.uint8)
    material = trimesh.visual.material.PBRMaterial(baseColorTexture=Image.fromarray(pixels), name="Speckle")
    ball.visual = trimesh.visual.TextureVisuals(uv=uv % 1, material=material)
    path = folder / "ball.glb"
    path.write_bytes(trimesh.Scene(ball).export(file_type="glb", include_normals=True))
    return path
