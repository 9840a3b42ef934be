"""Opens thousands of projects and swatches that are damaged in a way that makes sense, and counts what comes of it.

    .venv/bin/python scripts/fuzz_packages.py [20000] [--journal FILE] [--case NUMBER]

Each must end as a project or in a message, within 20 s and 2 GB. It goes on from its journal.
"""

import io
import json
import random
import struct
import sys
import zipfile
from functools import cache
from pathlib import Path

sys.path[:0] = [str(Path(__file__).parent), str(Path(__file__).parents[1] / "tests")]

from fuzzing import damaged  # noqa: E402
from hostile import glb, sha  # noqa: E402
from supervised import main  # noqa: E402

NASTY = (
    None, True, -1, 0, 1e308, -1e308, float("nan"), float("inf"), 10**30, "", "x" * 200, "\ud800", "../../../etc", [],
    {}, [[]], [None] * 3, {"a": {}}, "0" * 64, [1e9, 1e9, 1e9], [0, 0, 0], 2**63, -0.0, "material-00000000", "é" * 120,
)  # fmt: skip
"""Values that something may stumble over."""


@cache
def sound() -> tuple[dict, dict[str, bytes]]:
    """The text and entries of a small project with some of everything: zones, marks, variants, patterns, pictures."""
    import numpy as np
    from PIL import Image

    from mat_shelf.demo.desk_set import demo_project
    from mat_shelf.document.product import Part, Product, Zone
    from mat_shelf.document.reference import Overlap, Reference
    from mat_shelf.exchange.assets import Assets, asset_names
    from mat_shelf.exchange.models.mesh_glb import NamedMesh
    from mat_shelf.exchange.product_import import new_project
    from mat_shelf.geometry.solids import box

    desk, desk_assets = demo_project()
    assets = Assets()
    mesh = assets.add(NamedMesh("block", box((60, 40, 30), 3)))
    fed = [m for m in desk.materials if m.recipe.patterns and not m.recipe.pictures()][:2]
    fed += [m for m in desk.materials if m.recipe.overlays][:1]
    materials = tuple({m.id: m for m in fed}.values())
    faces = assets.add_faces(np.arange(40))
    zone = Zone(id="z", name="Zone", faces=faces, material=materials[1].id)
    parts = (
        Part(id="block", name="Block", mesh=mesh, material=materials[0].id, zones=(zone,)),
        Part(id="other", name="Other", mesh=mesh, material=materials[-1].id),
    )
    project = new_project(Product(name="Block", parts=parts), materials, (60.0, 40.0, 30.0))
    out = io.BytesIO()
    Image.new("RGBA", (16, 16), (9, 99, 200, 90)).save(out, "PNG")
    key, kind = assets.add_picture(out.getvalue())
    assets.add_map(out.getvalue())
    picture = {"name": "r.png", "digest": key, "kind": kind}
    mark = desk.marks[0].with_(part="block", point=(0, 20, 0), facing=(0, 1, 0), art=picture, back=None)
    project = project.with_reference(Reference(id="r", name="Photo", image=picture, overlap=Overlap(turn=0.1)))
    project = project.with_(current_reference="r", marks=(mark,)).with_variant(materials[0].id, "variant", "Variant")
    names = asset_names(project)
    return json.loads(project.model_dump_json()), {n: assets.data(k) for k, n in names.items() if assets.holds(k)}


def places(value, path=()):
    """Every place in a text, as a path of keys."""
    yield path
    items = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    for key, item in items:
        yield from places(item, (*path, key))


def changed_text(text: dict, chance: random.Random) -> dict:
    """A copy in which a few values are others, gone, doubled or swapped."""
    text = json.loads(json.dumps(text))
    for _ in range(chance.choice((1, 1, 2, 5))):
        path = chance.choice(list(places(text))[1:])
        holder = text
        for key in path[:-1]:
            holder = holder[key]
        way = chance.randrange(6)
        if way == 0 and isinstance(holder, dict):
            holder[chance.choice(("unknown", "id", "kind", "x" * 5000))] = holder.pop(path[-1])
        elif way == 1:
            del holder[path[-1]]
        elif way == 2 and isinstance(holder, list):
            holder *= chance.choice((2, 7, 300))
        elif way == 3:
            other = chance.choice(list(places(text)))
            value = text
            for key in other:
                value = value[key]
            holder[path[-1]] = json.loads(json.dumps(value))
        else:
            holder[path[-1]] = chance.choice(NASTY)
    return text


def changed_asset(name: str, data: bytes, chance: random.Random) -> bytes:
    """Another content for an entry, damaged or of strange numbers."""
    if name.endswith(".glb") and chance.random() < 0.6:
        length = struct.unpack("<I", data[12:16])[0]
        text = json.loads(data[20 : 20 + length])
        return glb(changed_text(text, chance), data[28 + length :])
    if name.endswith(".faces") and chance.random() < 0.6:
        runs = [
            chance.choice((0, 1, 7, 2**31, 2**32 - 1, chance.randrange(10_000)))
            for _ in range(2 * chance.randrange(1, 9))
        ]
        return struct.pack(f"<{len(runs)}I", *runs)
    return next(damaged(data, 1, chance.randrange(1 << 30)))


def package(number: int) -> bytes:
    """The package of a case."""
    chance = random.Random(number)
    text, entries = sound()
    entries = dict(entries)
    way = chance.randrange(10)
    if way < 5:
        text = changed_text(text, chance)
    elif way < 8:
        name = chance.choice(list(entries))
        data = changed_asset(name, entries.pop(name), chance)
        old = name.split("/")[1].split(".")[0]
        entries[name.replace(old, sha(data))] = data  # its address is right, so that it is decoded
        text = json.loads(json.dumps(text).replace(old, sha(data)))
    out = io.BytesIO()
    with zipfile.ZipFile(
        out, "w", chance.choice((zipfile.ZIP_DEFLATED, zipfile.ZIP_STORED, zipfile.ZIP_BZIP2))
    ) as made:
        made.writestr("project.json", json.dumps(text))
        for name, data in entries.items():
            made.writestr(name if chance.random() > 0.02 else f"../{name}", data)
    data = out.getvalue()
    return next(damaged(data, 1, number)) if way >= 8 else data


def prepare() -> None:
    """Load what every case needs, and start the readers."""
    from mat_shelf.exchange.readers import prepare_readers

    prepare_readers()
    sound()


def run_case(number: int, folder: Path) -> str:
    from mat_shelf.exchange.package import PackageError
    from mat_shelf.exchange.project_file import read_project, save_project

    path = folder / "case.matshelf"
    path.write_bytes(package(number))
    try:
        project, assets = read_project(path)
    except PackageError as fault:
        return "message" if 10 < len(str(fault)) < 1000 else f"traceback: a message of {len(str(fault))} letters"
    save_project(folder / "again.matshelf", project, assets)
    again, _ = read_project(folder / "again.matshelf")
    return "project" if again == project else "traceback: what was opened is not what was saved"


if __name__ == "__main__":
    sys.exit(main(__file__, run_case, 20_000, prepare=prepare))
