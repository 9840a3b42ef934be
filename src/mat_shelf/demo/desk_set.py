"""The demo project: pieces of the desk set on a sweep under one soft light."""

from mat_shelf.demo import fountain_pen, ink_bottle
from mat_shelf.demo.sets import SETS
from mat_shelf.document.project import Camera, Material, Part, Product, Project, View
from mat_shelf.exchange.assets import Assets
from mat_shelf.geometry.glb import NamedMesh, glb_bytes, read_glb
from mat_shelf.geometry.mesh import Mesh
from mat_shelf.geometry.solids import box, moved, rotation
from mat_shelf.shelf.shipped import SHIPPED

DRESSING = {
    "Bottle": "bottle-glass",
    "Ink": "blue-black-ink",
    "Collar": "satin-steel",
    "Bottle cap": "moulded-black",
    "Barrel": "teal-lacquer",
    "Pen cap": "teal-lacquer",
    "Cap lining": "moulded-black",
    "Grip": "moulded-black",
    "Ring": "polished-brass",
    "Cap ring": "polished-brass",
    "Clip": "polished-brass",
    "Nib": "nib-gold",
    "Wax stick": "sealing-wax",
}
"""Which shipped swatch each part wears."""


def desk_set_meshes() -> dict[str, Mesh]:
    """The product's parts, in place, by name."""
    turn = rotation("y", -16)
    bottle = {
        "Bottle": ink_bottle.glass(),
        "Ink": ink_bottle.ink(),
        "Collar": ink_bottle.collar(),
        "Bottle cap": ink_bottle.cap(),
    }
    parts = {name: moved(mesh, (-4, 0, -22), turn) for name, mesh in bottle.items()}
    pen = {
        "Barrel": fountain_pen.barrel(),
        "Ring": fountain_pen.ring(),
        "Grip": fountain_pen.grip(),
        "Nib": fountain_pen.nib(),
    }
    parts |= {name: fountain_pen.laid(mesh, (80, 6.42, 14), 200, roll=-122) for name, mesh in pen.items()}
    cap = {
        "Pen cap": fountain_pen.cap(),
        "Cap lining": fountain_pen.cap_lining(),
        "Cap ring": fountain_pen.cap_ring(),
        "Clip": fountain_pen.clip(),
    }
    parts |= {name: fountain_pen.laid(mesh, (26, 7.5, 56), 12, roll=-72) for name, mesh in cap.items()}
    parts["Wax stick"] = moved(box((84, 11, 11), 1.7, steps=10), (-66, 0, 6), rotation("y", 52))
    return parts


def demo_project() -> tuple[Project, Assets]:
    """The demo and its meshes. The model goes through a GLB, as a user's would."""
    model = glb_bytes([NamedMesh(name, mesh) for name, mesh in desk_set_meshes().items()])
    meshes = Assets()
    swatches = {swatch.id: swatch for swatch in SHIPPED}
    parts = tuple(
        Part(
            id=part.name.lower().replace(" ", "-"),
            name=part.name,
            mesh=meshes.add(part),
            material=DRESSING[part.name],
        )
        for part in read_glb(model)
    )
    worn = dict.fromkeys(DRESSING.values())
    materials = tuple(
        Material(id=key, name=swatches[key].name, family=swatches[key].family, recipe=swatches[key].recipe)
        for key in worn
    )
    final = View(
        id="final",
        name="Final",
        camera=Camera(position=(-70, 180, 565), target=(-4, 30, 4), focal_length=105),
    )
    nib = View(
        id="nib",
        name="Nib",
        camera=Camera(position=(-60, 120, 330), target=(12, 8, 42), focal_length=135, f_stop=11),
    )
    project = Project(
        name="Desk set",
        product=Product(name="Gannet & Reed desk set", parts=parts),
        materials=materials,
        sets=SETS,
        current_set=SETS[0].id,
        views=(final, nib),
    )
    return project, meshes
