"""Patterns as nodes of MaterialX, where the standard has them.

An image on the UVs, levels, thresholds, ramps and combinations say exactly the same there; noise looks alike but its
grains lie elsewhere. What the standard has no node for is told, so that it can be baked.

References
----------
MaterialX 1.39 specification, standard nodes; the order of scaling, rotating and shifting is that of `patterns.placing`.
"""

from collections.abc import Callable
from itertools import pairwise

from mat_shelf.document.image import ImageRef
from mat_shelf.document.pattern import Feed, Pattern, Placement, Step
from mat_shelf.document.recipe import Recipe
from mat_shelf.exchange.materials.materialx_document import Graph, Typed, Wire
from mat_shelf.patterns.sources import Constant, Pictured
from mat_shelf.patterns.sources.noise import Noise
from mat_shelf.patterns.steps import Combine, Contrast, Invert, Levels, Ramp, Threshold

_ENDS = {"repeat": "periodic", "mirror": "mirror", "hold": "clamp"}
_CHANNELS = {"red": 0, "green": 1, "blue": 2, "alpha": 3}
_MODES = {
    "multiply": "multiply",
    "add": "add",
    "subtract": "subtract",
    "screen": "screen",
    "overlay": "overlay",
    "lighter": "max",
    "darker": "min",
    "difference": "difference",
}


class NoNodeError(ValueError):
    """A pattern that the standard has no nodes for; the message says what in it."""


class PatternNodes:
    """Nodes for the patterns of one recipe.

    Parameters
    ----------
    graph : Graph
        Takes the nodes.
    recipe : Recipe
        Recipe that has the patterns.
    file_of : callable (ImageRef) -> str
        Path of an image's file from the document's.
    note : callable (str) -> None
        Told what is alike rather than the same.
    """

    def __init__(self, graph: Graph, recipe: Recipe, file_of: Callable[[ImageRef], str], note: Callable[[str], None]):
        self.graph, self.recipe, self.file_of, self.note = graph, recipe, file_of, note
        self._done: dict[str, Wire] = {}

    def of(self, pattern_id: str) -> Wire:
        """The nodes of a pattern.

        Parameters
        ----------
        pattern_id : str
            Its id.

        Returns
        -------
        Wire
            A float, or a color3.

        Raises
        ------
        NoNodeError
            If something in it has no node.
        """
        if pattern_id not in self._done:
            pattern = self.recipe.pattern(pattern_id)
            wire: Wire | None = None
            for step in pattern.steps:
                if wire is None:
                    wire = self._source(step, pattern)
                elif step.is_on:
                    wire = self._step(step, wire)
            self._done[pattern_id] = wire
        return self._done[pattern_id]

    def stand_in(self, pattern_id: str, wire: Wire) -> None:
        """Takes an image for a pattern from now on.

        Parameters
        ----------
        pattern_id : str
            Id of the pattern.
        wire : Wire
            The image.
        """
        self._done[pattern_id] = wire

    def feed(self, feed: Feed) -> Wire:
        """Nodes for what a feed gives its input.

        Parameters
        ----------
        feed : Feed
            The feed.

        Returns
        -------
        Wire

        Raises
        ------
        NoNodeError
            If something in its pattern has no node.
        """
        wire, is_color = self.of(feed.pattern), isinstance(feed.low, tuple)
        if is_color:
            wire = self._as_color(wire)
            low, high = feed.low, feed.high
            if high != (1.0, 1.0, 1.0) or low != (0.0, 0.0, 0.0):
                span = tuple(b - a for a, b in zip(low, high, strict=True))
                wire = self._add("multiply", "color3", in1=wire, in2=span)
                if low != (0.0, 0.0, 0.0):
                    wire = self._add("add", "color3", in1=wire, in2=low)
        else:
            wire = self.grey(wire)
            if (feed.low, feed.high) != (0.0, 1.0):
                wire = self._add("multiply", "float", in1=wire, in2=float(feed.high - feed.low))
                wire = self._add("add", "float", in1=wire, in2=float(feed.low))
        if feed.amount < 1:
            own = getattr(self.recipe, feed.input)
            wire = self._add("mix", wire.kind, fg=wire, bg=own, mix=float(feed.amount))
        return wire

    def grey(self, wire: Wire) -> Wire:
        """The brightness of a colour; a number as it is.

        Parameters
        ----------
        wire : Wire
            A float or a color3.

        Returns
        -------
        Wire
        """
        if wire.kind == "float":
            return wire
        bright = self._add("luminance", "color3", **{"in": wire})
        return self._add("extract", "float", **{"in": bright, "index": 0})

    def _as_color(self, wire: Wire) -> Wire:
        return wire if wire.kind == "color3" else self._add("convert", "color3", **{"in": wire})

    def _add(self, category: str, kind: str, **inputs) -> Wire:
        return self.graph.add(category, kind, inputs)

    def uv(self, placement: Placement) -> Wire:
        """Coordinates that a placement by the UVs gives its pattern.

        Parameters
        ----------
        placement : Placement
            One by the UVs from 0 to 1.

        Returns
        -------
        Wire

        Raises
        ------
        NoNodeError
            If it is another one.
        """
        if placement.projection != "whole uv":
            raise NoNodeError(f"its projection, {placement.projection}, is by the size of a part")
        if placement.shuffle or placement.shuffle_turn:
            raise NoNodeError("it is shuffled by part")
        wire = self._add("texcoord", "vector2", index=Typed(0, "integer"))
        if placement.repeat != (1.0, 1.0):
            wire = self._add("multiply", "vector2", in1=wire, in2=placement.repeat)
        if placement.turn:
            wire = self._add("rotate2d", "vector2", **{"in": wire, "amount": placement.turn})
        shift = tuple(x / placement.size for x in placement.shift)
        if shift != (0.0, 0.0):
            wire = self._add("subtract", "vector2", in1=wire, in2=shift)
        if placement.stretch != 1:
            wire = self._add("divide", "vector2", in1=wire, in2=(placement.stretch, 1.0))
        return wire

    def _position(self, placement: Placement) -> Wire:
        """Coordinates through a part, in sizes of the pattern; positions are taken for millimetres."""
        if placement.projection != "solid" or placement.turn or placement.shuffle or placement.shuffle_turn:
            raise NoNodeError(f"its projection, {placement.projection}, is by the size of a part")
        wire = self._add("position", "vector3", space="object")
        along = {"x": 0, "y": 1, "z": 2}[placement.axis]
        sizes = [placement.size] * 3
        sizes[along] *= placement.stretch
        self.note("patterns through a body go by positions in millimetres, from the part's own origin")
        return self._add("divide", "vector3", in1=wire, in2=Typed(tuple(sizes), "vector3"))

    def _source(self, step: Step, pattern: Pattern) -> Wire:
        if isinstance(step, Pictured) and step.picture is not None:
            return self._image(step, pattern.placement)
        if isinstance(step, Noise):
            return self._noise(step, pattern)
        if isinstance(step, Constant):
            return self._add("constant", "float", value=step.value)
        raise NoNodeError(f"its source, {step.label}, has no node")

    def _image(self, step: Pictured, placement: Placement) -> Wire:
        file, uv = Typed(self.file_of(step.picture), "filename"), self.uv(placement)
        ends = {"texcoord": uv, "uaddressmode": _ENDS[step.ends], "vaddressmode": _ENDS[step.ends]}
        name = step.picture.name.rpartition(".")[0] or step.picture.name
        kind = "color4" if step.shown == "alpha" else "color3"
        wire = image_node(self.graph, file, kind, step.space == "colour", ends, name)
        if step.shown == "colour":
            return wire
        if step.shown == "grey":
            return self.grey(wire)
        return self._add("extract", "float", **{"in": wire, "index": _CHANNELS[step.shown]})

    def _noise(self, step: Noise, pattern: Pattern) -> Wire:
        position = self._position(pattern.placement)
        self.note(f"the noise of '{pattern.name}' looks alike; its grains lie elsewhere")
        if step.character != "smooth":
            raise NoNodeError(f"its {step.character} noise has no node")
        inputs = {"octaves": step.octaves, "lacunarity": step.lacunarity, "diminish": step.gain}
        wire = self.graph.add("fractal3d", "float", {**inputs, "position": position})
        # Its values lie about 0; ours about a half.
        wire = self._add("multiply", "float", in1=wire, in2=0.5)
        return self._add("add", "float", in1=wire, in2=0.5)

    def _step(self, step: Step, wire: Wire) -> Wire:
        if isinstance(step, Levels):
            ends = {"inlow": step.black, "inhigh": step.white, "gamma": step.grey}
            ends |= {"outlow": step.low, "outhigh": step.high, "doclamp": True}
            return self._add("range", wire.kind, **{"in": wire, **ends})
        if isinstance(step, Invert):
            return self._add("invert", wire.kind, **{"in": wire})
        if isinstance(step, Threshold):
            half = max(step.softness / 2, 1e-4)
            edges = {"low": step.edge - half, "high": step.edge + half}
            return self._add("smoothstep", "float", **{"in": self.grey(wire), **edges})
        if isinstance(step, Contrast):
            return self._contrast(step, wire)
        if isinstance(step, Ramp):
            return self._ramp(step, wire)
        if isinstance(step, Combine):
            return self._combined(step, wire)
        raise NoNodeError(f"its step {step.label} has no node")

    def _contrast(self, step: Contrast, wire: Wire) -> Wire:
        wire = self._add("multiply", wire.kind, in1=wire, in2=step.contrast)
        wire = self._add("add", wire.kind, in1=wire, in2=0.5 + step.lift - 0.5 * step.contrast)
        wire = self._add("max", wire.kind, in1=wire, in2=0.0)
        return wire if step.gamma == 1 else self._add("power", wire.kind, in1=wire, in2=1 / step.gamma)

    def _ramp(self, step: Ramp, wire: Wire) -> Wire:
        """Each stop takes over from the one before along the way to it."""
        value, made = self.grey(wire), None
        for (start, color), (end, other) in pairwise(step.stops):
            made = color if made is None else made
            if end > start:
                share = self._add("range", "float", **{"in": value, "inlow": start, "inhigh": end, "doclamp": True})
            else:
                share = self._add("ifgreatereq", "float", value1=value, value2=start, in1=1.0, in2=0.0)
            made = self._add("mix", "color3", fg=other, bg=made, mix=share)
        return made

    def _combined(self, step: Combine, wire: Wire) -> Wire:
        if step.other is None:
            return wire
        other = self.of(step.other)
        kind = "color3" if "color3" in (wire.kind, other.kind) else "float"
        a, b = (self._as_color(w) if kind == "color3" else w for w in (wire, other))
        category = _MODES.get(step.way)
        if category in ("screen", "overlay", "difference"):
            made = self._add(category, kind, fg=b, bg=a)
        else:
            made = b if category is None else self._add(category, kind, in1=a, in2=b)
        if step.mask is not None:
            share = self.grey(self.of(step.mask))
            if step.amount < 1:
                share = self._add("multiply", "float", in1=share, in2=step.amount)
            return self._add("mix", kind, fg=made, bg=a, mix=share)
        return made if step.amount >= 1 else self._add("mix", kind, fg=made, bg=a, mix=step.amount)


def image_node(graph: Graph, file: Typed, kind: str, is_color: bool, inputs: dict, name: str) -> Wire:
    """An image, with its colour space.

    Parameters
    ----------
    graph : Graph
        Takes the node.
    file : Typed
        Path of its file.
    kind : str
        Type of its values.
    is_color : bool
        Whether its numbers are sRGB.
    inputs : dict
        Further inputs.
    name : str
        Name of the node.

    Returns
    -------
    Wire
    """
    wire = graph.add("image", kind, {"file": file, **inputs}, name)
    node = next(node for node in graph.element if node.get("name") == wire.node)
    for element in node:
        if element.get("name") == "file":
            element.set("colorspace", "srgb_texture" if is_color else "lin_rec709")
    return wire
