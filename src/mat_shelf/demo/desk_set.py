"""The demo project: the desk set as one would photograph it, in five sets of light."""

import numpy as np

from mat_shelf.demo import fountain_pen, ink_bottle, pad_and_card, sleeve, tray, warmer, wax
from mat_shelf.demo.marks import desk_set_marks
from mat_shelf.document.camera import Camera, View
from mat_shelf.document.fill import Beads, Bubbles, Fill
from mat_shelf.document.material import Material
from mat_shelf.document.product import Part, Product
from mat_shelf.document.project import Project
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.models.mesh_glb import NamedMesh, glb_bytes, read_own_glb
from mat_shelf.geometry.mesh import Mesh
from mat_shelf.geometry.solids import moved, rotation
from mat_shelf.library.shipped import SHIPPED
from mat_shelf.scene.sets import SETS

DRESSING = {
    "Bottle": "bottle-glass",
    "Ink": "blue-black-ink",
    "Collar": "turned-brass",
    "Bottle cap": "moulded-black",
    "Barrel": "teal-lacquer",
    "Pen cap": "teal-lacquer",
    "Cap lining": "moulded-black",
    "Grip": "grip-rubber",
    "Ring": "polished-brass",
    "Cap ring": "polished-brass",
    "Clip": "polished-brass",
    "Nib": "nib-gold",
    "Wax stick": "sealing-wax",
    "Second stick": "wax-plum",
    "Seal": "green-onyx",
    "Seal face": "polished-brass",
    "Tray": "oiled-oak",
    "Lining": "wool-felt",
    "Cork pad": "cork",
    "Card": "card",
    "Sleeve": "saddle-leather",
    "Warmer body": "graphite-enamel",
    "Warmer dish": "weathered-copper",
    "Warmer window": "smoked-pane",
    "Warmer ring": "lit-amber",
}
"""Which shipped swatch each part wears."""


BOTTLE_AT, BOTTLE_TURN = (-52, pad_and_card.PAD + 0.02, -46), -14
WARMER_AT, WARMER_TURN = (62, 0, -66), -8


def _placed(shift, degrees):
    """Takes points and directions from a piece's own modelling into the scene."""
    turn = rotation("y", degrees)

    def place(point, direction):
        put = turn @ np.array(point) + np.array(shift)
        return tuple(float(x) for x in put), tuple(float(x) for x in turn @ np.array(direction))

    return place


SEAL_AT = (-130, 0, -26)
EDGE_RADII = {
    "Collar": 0.15,
    "Ring": 0.25,
    "Cap ring": 0.25,
    "Cap lining": 0.2,
    "Clip": 0.12,
    "Nib": 0.06,
    "Warmer window": 0.3,
    "Warmer ring": 0.3,
}
"""mm, of the edges that a lathe or a press leaves."""


INK = Fill(vessel=("bottle",), measure="volume", volume=50.0, tension=45.0, density=1.02, contact_angle=24.0)

BUBBLES = Bubbles(liquid="clear-ink", trails=14)
DROPS = Beads(host="bottle", density=90.0, size=0.7, spread=60.0, patches=0.15, runs=26)
CLEAR = (0.52, 0.70, 0.90)
"""Transmission colour of the ink through which bubbles are seen."""


def desk_set_meshes() -> dict[str, Mesh]:
    """The product's parts, in place, by name."""
    bottle = {
        "Bottle": ink_bottle.glass(),
        "Ink": ink_bottle.ink(),
        "Collar": ink_bottle.collar(),
        "Bottle cap": ink_bottle.cap(),
    }
    stand = BOTTLE_AT
    parts = {name: moved(mesh, stand, rotation("y", BOTTLE_TURN)) for name, mesh in bottle.items()}
    parts["Cork pad"] = moved(pad_and_card.pad(), (stand[0], 0, stand[2]))
    board, in_tray = rotation("y", 4), (32, 0, 34)
    parts["Tray"] = moved(tray.tray(), in_tray, board)
    parts["Lining"] = moved(tray.lining(), in_tray, board)
    pen = {
        "Barrel": fountain_pen.barrel(),
        "Ring": fountain_pen.pen_ring(),
        "Grip": fountain_pen.grip(),
        "Nib": fountain_pen.nib(),
    }
    on_felt = tray.LINED + fountain_pen.RADIUS + 0.1
    parts |= {name: fountain_pen.laid(mesh, (92, on_felt, 24), 185, roll=-122) for name, mesh in pen.items()}
    cap = {
        "Pen cap": fountain_pen.pen_cap(),
        "Cap lining": fountain_pen.cap_lining(),
        "Cap ring": fountain_pen.cap_ring(),
        "Clip": fountain_pen.clip(),
    }
    parts |= {name: fountain_pen.laid(mesh, (34, on_felt + 1.0, 55), 6, roll=-72) for name, mesh in cap.items()}
    parts["Wax stick"] = moved(wax.stick(), (-126, 0, 46), rotation("y", 64))
    parts["Second stick"] = moved(wax.stick(66), (-104, 0, 66), rotation("y", 52))
    parts["Seal"] = moved(wax.seal(), SEAL_AT)
    parts["Seal face"] = moved(wax.seal_face(), SEAL_AT)
    parts["Card"] = moved(pad_and_card.card(), (-56, 0.02, 126), rotation("y", 11))
    parts["Sleeve"] = moved(sleeve.sleeve(), (150, 0, 120), rotation("y", -95))
    warmth = {
        "Warmer body": warmer.body(),
        "Warmer dish": warmer.dish(),
        "Warmer window": warmer.window(),
        "Warmer ring": warmer.ring(),
    }
    parts |= {name: moved(mesh, WARMER_AT, rotation("y", WARMER_TURN)) for name, mesh in warmth.items()}
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
            edge_radius=EDGE_RADII.get(part.name, 0.0),
            fill=INK if part.name == "Ink" else None,
        )
        for part in read_own_glb(model)
    )
    materials: dict[str, Material] = {}
    for key in dict.fromkeys((*DRESSING.values(), "air", "water")):
        swatch = swatches[key]
        if swatch.parent is not None and swatch.parent not in materials:
            raise ValueError(f"the demo must wear '{swatch.parent}' before its variant '{key}'")
        materials[key] = Material(
            id=key,
            name=swatch.name,
            family=swatch.family,
            recipe=swatch.recipe,
            swatch=key,
            parent=swatch.parent,
            own=swatch.own,
        )
    ink = materials["blue-black-ink"]
    clear = ink.recipe.with_(transmission_color=CLEAR)
    materials["clear-ink"] = ink.with_(
        id="clear-ink", name="Clear ink", recipe=clear, swatch=None, parent=ink.id, own=("transmission_color",)
    )
    poured = next(part for part in parts if part.id == "ink")
    cold = (
        poured.with_(id="clear-ink", name="Clear ink", material="clear-ink"),
        poured.with_(id="bubbles", name="Bubbles", material="air", fill=None, bubbles=BUBBLES),
        poured.with_(id="condensation", name="Condensation", material="water", fill=None, beads=DROPS),
    )
    warm = {"hides": tuple(part.id for part in cold)}
    final = View(
        **warm,
        id="final",
        name="Final",
        camera=Camera(position=(-140, 345, 850), target=(6, 20, 24), focal_length=105),
    )
    nib = View(
        **warm,
        id="nib",
        name="Nib",
        camera=Camera(position=(-120, 130, 330), target=(12, 14, 24), focal_length=135, f_stop=11),
    )
    bottle = View(
        **warm,
        id="bottle",
        name="Bottle",
        camera=Camera(position=(-130, 120, 440), target=(-50, 38, -40), focal_length=120, f_stop=16),
    )
    out_of_the_cold = View(
        id="cold",
        name="Cold",
        camera=Camera(position=(-150, 70, 230), target=(-52, 37, -42), focal_length=92, f_stop=22),
        hides=("ink",),
    )
    project = Project(
        name="Desk set",
        product=Product(name="Gannet & Reed desk set", parts=(*parts, *cold)),
        materials=tuple(materials.values()),
        marks=desk_set_marks(meshes, _placed(BOTTLE_AT, BOTTLE_TURN), _placed(WARMER_AT, WARMER_TURN)),
        sets=SETS,
        current_set=SETS[0].id,
        views=(final, nib, bottle, out_of_the_cold),
    )
    return project, meshes
