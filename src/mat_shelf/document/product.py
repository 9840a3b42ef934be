"""The product: parts, their poses and the zones of their faces."""

from typing import Annotated, Literal

from pydantic import Field

from mat_shelf.document.fill import MOST_STACKED, Beads, Bubbles, Fill, Foam, Stream
from mat_shelf.document.ids import Digest, Id, Name, by_id, with_one
from mat_shelf.document.parameter import Frozen, Point, number

MOST_PARTS, MOST_ZONES = 20_000, 1000
MOST_SMOOTHING, MOST_HARD = 5, 64
FINENESS = {"draft": (0.2, 0.5), "good": (0.05, 0.25), "fine": (0.01, 0.1)}
"""mm that triangles may lie beside a curved face of a CAD model at most, and radians between two of them."""
MOST_RADIUS, MOST_DENSITY = 100.0, 25.0
"""mm, of a rounded edge; g/cm3, of what floats."""

Angle = Annotated[float, Field(ge=-360, le=360, allow_inf_nan=False)]


class Pose(Frozen):
    """Pose of a part: its mesh is scaled, then rotated, then shifted.

    Attributes
    ----------
    shift : (3,) mm
    turn : (3,) degrees
        About x, then y, then z, each of the world.
    scale : of its mesh's own size
    """

    shift: Point = (0.0, 0.0, 0.0)
    turn: tuple[Angle, Angle, Angle] = (0.0, 0.0, 0.0)
    scale: float = Field(1.0, ge=1e-9, le=1e9, allow_inf_nan=False)


class Zone(Frozen):
    """Some of a part's faces, with a material of their own.

    Attributes
    ----------
    faces : SHA-256 of their list
    edge_radius : float or None
        mm, of edges within it and at its border; None for that of its part.
    """

    id: Id
    name: Name
    faces: Digest
    material: Id | None = None
    edge_radius: Annotated[float, Field(ge=0, le=MOST_RADIUS, allow_inf_nan=False)] | None = None


class Hollowing(Frozen):
    """A part's inside taken out of a solid.

    Attributes
    ----------
    solid : SHA-256 of the solid's GLB
    made : SHA-256 of the GLB that was made of it
    """

    solid: Digest
    made: Digest
    wall: float = number(2.0, 0.001, 1e4, label="Wall", unit="mm", tip="Thickness of the sides.", usual=(0.5, 10))
    base: float = number(3.0, 0.001, 1e4, label="Base", unit="mm", tip="Thickness of the bottom.", usual=(0.5, 20))
    corner: float = number(
        2.0, 0.0, 1e4, label="Inner corner", unit="mm", tip="Radius between inner wall and bottom.", usual=(0, 10)
    )
    raised: float = number(
        0.0,
        -1e4,
        1e4,
        label="Middle raised",
        unit="mm",
        tip="Of the base inside: above 0 as under a bottle of wine, below 0 as in a bowl.",
        usual=(-10, 20),
    )
    follows: float = number(
        0.0,
        0.0,
        100.0,
        label="Base follows outside",
        unit="%",
        tip="How far the base inside rises where the outside does: with 100 % it is as thick everywhere.",
    )


class Part(Frozen):
    """One named piece of the product.

    Attributes
    ----------
    mesh : SHA-256 of its GLB
    material : id or None
        What all its faces wear that are in no zone.
    zones : tuple of Zone
        They share no face.
    is_hidden : bool
        Hidden parts are neither seen nor rendered.
    group : str or None
        Parts of one group are picked and moved together.
    priority : int or None
        For nested bodies, instead of the one of its material.
    rounded_edges : str
        Which of its edges are: "convex", "concave" or "both".
    smoothing : int
        Levels by which its surface is smoothed; 0 for none.
    hard_regions : tuple of str
        SHA-256 of lists of faces whose borders stay hard where the part is smoothed.
    cad_faces : str or None
        SHA-256 of the list of the first triangles of the faces that an engineer drew; None where none are known.
    fill : Fill or None
        Of a liquid, what it fills: its shape follows from that, and the mesh is only what it was poured as.
    beads : Beads or None
        Of drops, what they lie on: their shapes follow from that, and the mesh is only one of them.
    bubbles : Bubbles or None
        Of bubbles, the liquid that they are in; likewise.
    foam : Foam or None
        Of foam, the liquid that it stands on; likewise.
    stream : Stream or None
        Of a stream, the liquid that it is poured onto; likewise.
    hollowing : Hollowing or None
        Of a solid that was hollowed, what it was made of; see `hollowed`.
    floats : float or None
        Of a solid that floats in the liquid that it is in, its density, g/cm3.
    """

    id: Id
    name: Name
    mesh: Digest
    material: Id | None = None
    pose: Pose = Pose()
    zones: Annotated[tuple[Zone, ...], Field(max_length=MOST_ZONES)] = ()
    is_hidden: bool = False
    group: Name | None = None
    priority: Annotated[int, Field(ge=0, le=9)] | None = None
    fill: Fill | None = None
    beads: Beads | None = None
    bubbles: Bubbles | None = None
    foam: Foam | None = None
    stream: Stream | None = None
    hollowing: Hollowing | None = None
    floats: Annotated[float, Field(gt=0, le=MOST_DENSITY, title="Density")] | None = None
    cad_faces: Digest | None = None
    hard_regions: Annotated[tuple[Digest, ...], Field(max_length=MOST_HARD)] = ()
    edge_radius: float = number(
        0.0,
        0.0,
        MOST_RADIUS,
        label="Edge radius",
        unit="mm",
        tip="Sharp edges are shaded as if they were rounded so far; the silhouette stays as it is.",
        usual=(0.0, 2.0),
        zero="sharp",
    )
    rounded_edges: Literal["convex", "concave", "both"] = Field(
        "convex", title="Rounded", description="Outer edges, inner ones, or all of them."
    )
    smoothing: int = number(
        0,
        0,
        MOST_SMOOTHING,
        label="Smoothing",
        tip="How often each face is divided and smoothed. Zones, patterns and marks stay where they are.",
        zero="none",
    )
    hard_angle: float = number(
        60.0,
        0.0,
        180.0,
        label="Hard above",
        unit="°",
        tip="Edges that bend by more stay hard; borders of zones always do.",
    )

    @property
    def is_derived(self) -> bool:
        """True if its shape follows from other parts, so that it has no faces or place of its own to be edited."""
        return any(each is not None for each in (self.fill, self.beads, self.bubbles, self.foam, self.stream))

    @property
    def hollowed(self) -> Hollowing | None:
        """The way it was hollowed, unless its mesh was changed since."""
        return self.hollowing if self.hollowing is not None and self.hollowing.made == self.mesh else None

    @property
    def stands_by(self) -> tuple[Id, ...]:
        """Ids of the parts that its shape follows from: a vessel, a liquid, or what drops lie on."""
        if self.fill is not None:
            return self.fill.vessel if self.fill.over is None else (*self.fill.vessel, self.fill.over)
        for in_liquid in (self.bubbles, self.foam, self.stream):
            if in_liquid is not None:
                return (in_liquid.liquid,)
        return (self.beads.host,) if self.beads is not None else ()

    def zone(self, zone_id: str) -> Zone:
        """The zone with this id. Raises KeyError."""
        return by_id(self.zones, zone_id)

    def with_zone(self, zone: Zone) -> "Part":
        """A copy in which `zone` replaces the one with its id, or is added."""
        return self.with_(zones=with_one(self.zones, zone))

    def face_lists(self) -> dict[str, str]:
        """Lists of its faces, by SHA-256, and what each is, in words."""
        lists = {region: f"the hard edges of part '{self.name}'" for region in self.hard_regions}
        lists |= {zone.faces: f"the faces of zone '{zone.name}'" for zone in self.zones}
        return lists | ({self.cad_faces: f"the CAD faces of part '{self.name}'"} if self.cad_faces else {})

    def worn(self) -> list[str]:
        """Ids of the materials on it, its own first, each once."""
        return list(dict.fromkeys(i for i in (self.material, *(z.material for z in self.zones)) if i is not None))


class Product(Frozen):
    """The imported model, in millimetres, y up.

    Attributes
    ----------
    unit : what the numbers of its file were taken for
    source : str or None
        Path of the one file that all of it came from; None where there are several, or none.
    source_modified : int
        When that file was last written, as it was read, ns.
    fineness : str
        How finely the curved faces of a CAD model were laid out in triangles, a key of `FINENESS`.
    """

    name: Name
    unit: Literal["mm", "cm", "m", "in", "ft"] = "mm"
    parts: Annotated[tuple[Part, ...], Field(max_length=MOST_PARTS)] = ()
    source: Annotated[str, Field(max_length=4096)] | None = None
    source_modified: int = Field(0, ge=0, lt=1 << 63)
    fineness: Literal["draft", "good", "fine"] = "good"

    def carriers_of(self, part: Part) -> tuple[Part, ...]:
        """The modelled parts that a part's shape follows from in the end; itself where it is one."""
        known, waiting, found = {p.id: p for p in self.parts}, [part], []
        for each in waiting:
            if not each.is_derived:
                found.append(each)
            waiting += [known[i] for i in each.stands_by if i in known and known[i] not in waiting]
        return tuple(found)

    def liquids_under(self, fill: Fill) -> tuple[Part, ...]:
        """The liquids that one lies on, the lowest first; none where they are gone, or lie on each other in a ring."""
        known, found, at = {p.id: p for p in self.parts if p.fill is not None}, [], fill
        while at.over in known and len(found) < MOST_STACKED:
            below = known[at.over]
            if below in found or below.fill == fill:
                break
            found.append(below)
            at = below.fill
        return tuple(reversed(found))

    def solids(self) -> dict[str, str]:
        """Names of the parts that were hollowed, by the SHA-256 of the solids that they were made of."""
        return {part.hollowed.solid: part.name for part in self.parts if part.hollowed is not None}

    @property
    def modelled(self) -> tuple[Part, ...]:
        """Its parts without those whose shape follows from others."""
        return tuple(part for part in self.parts if not part.is_derived)

    contact: float = number(
        0.05,
        0,
        5,
        label="Gap tolerance",
        unit="mm",
        tip="Bodies with a gap narrower than this touch: a liquid and its glass then show no dark line between.",
        usual=(0, 0.5),
    )
