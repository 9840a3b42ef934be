"""Nodes of MaterialX as patterns: what feeds an input, as a pattern with a range.

Whatever is added to a pattern, or multiplied, goes into the range; inverting does too. What is not understood is told.

References
----------
MaterialX 1.39 specification, standard nodes.
"""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from mat_shelf.document.ids import name_from, new_id
from mat_shelf.document.image import ImageRef
from mat_shelf.document.pattern import Pattern, Placement, Step
from mat_shelf.exchange.materials.materialx_tree import Connection, MaterialxError, Node, Tree, floats
from mat_shelf.exchange.models.texturing import UPRIGHT
from mat_shelf.patterns.sources import Constant, Pictured
from mat_shelf.patterns.sources.noise import Noise
from mat_shelf.patterns.steps import Combine, Levels, Ramp, Threshold

_ENDS = {"periodic": "repeat", "mirror": "mirror", "clamp": "hold", "constant": "hold"}
_MODES = {
    "screen": "screen",
    "overlay": "overlay",
    "max": "lighter",
    "min": "darker",
    "difference": "difference",
    "subtract": "subtract",
    "add": "add",
    "multiply": "multiply",
}
_CHANNELS = {
    "outr": "red",
    "outg": "green",
    "outb": "blue",
    "outa": "alpha",
    "outx": "red",
    "outy": "green",
    "outz": "blue",
}
_LETTERS = {"r": "red", "g": "green", "b": "blue", "a": "alpha"}
_MOST_DEPTH = 60


class NotUnderstoodError(ValueError):
    """Something that is connected, for which there is no pattern; the message says what."""


@dataclass(frozen=True)
class Fed:
    """Values of something connected: ``low + (high - low) * pattern``; the pattern is None where they are constant.

    Attributes
    ----------
    low, high : (3,) float
    is_color : bool
        Whether the pattern, or the constant, has a colour.
    """

    pattern: str | None
    low: np.ndarray
    high: np.ndarray
    is_color: bool

    def scaled(self, by) -> "Fed":
        """The same, multiplied.

        Parameters
        ----------
        by : float or (3,) float
            Factor.

        Returns
        -------
        Fed
        """
        return Fed(self.pattern, self.low * by, self.high * by, self.is_color)

    def moved(self, by) -> "Fed":
        """The same, with something added.

        Parameters
        ----------
        by : float or (3,) float
            Summand.

        Returns
        -------
        Fed
        """
        return Fed(self.pattern, self.low + by, self.high + by, self.is_color)


class NodePatterns:
    """Patterns of one material.

    Parameters
    ----------
    tree : Tree
        The document.
    image : callable (str) -> ImageRef or None
        Keeps the image of a file.
    note : callable (str) -> None
        Told what is alike rather than the same.

    Attributes
    ----------
    patterns : list of Pattern
        Those that were made, each after those that it uses.
    """

    def __init__(self, tree: Tree, image: Callable[[str], ImageRef | None], note: Callable[[str], None]):
        self.tree, self.image, self.note = tree, image, note
        self.patterns: list[Pattern] = []
        self._done: dict[tuple, Fed] = {}

    def fed(self, connection: Connection, depth: int = 0) -> Fed:
        """Values of what an input is connected to.

        Parameters
        ----------
        connection : Connection
            What it is connected to.
        depth : int
            Nodes above it.

        Returns
        -------
        Fed

        Raises
        ------
        NotUnderstoodError
            If there is no pattern for it.
        MaterialxError
            If the nodes form a loop.
        """
        if depth > _MOST_DEPTH:
            raise MaterialxError("its nodes are connected in a loop, or too deep")
        key = id(connection.node.element), connection.output, connection.channels
        if key not in self._done:
            self._done[key] = self._made(connection, depth)
        return self._done[key]

    def operand(self, node: Node, name: str, default: float, depth: int = 0) -> Fed:
        """Values of an input, connected or constant.

        Parameters
        ----------
        node : Node
            The node.
        name : str
            Name of the input.
        default : float
            Its value where it is not given.
        depth : int
            Nodes above it.

        Returns
        -------
        Fed
        """
        found = self.tree.input(node, name)
        if isinstance(found, Connection):
            return self.fed(found, depth + 1)
        values = np.array(floats(found, 3) or (default,) * 3)
        return Fed(None, values, values, found is not None and "," in found and len(set(values)) > 1)

    def _made(self, connection: Connection, depth: int) -> Fed:
        node = connection.node
        category, inputs = node.category, ("in1", "in2")
        shown = _CHANNELS.get(connection.output) or _LETTERS.get(connection.channels)
        if category in ("image", "tiledimage", "gltf_image", "gltf_colorimage", "gltf_normalmap"):
            return self._image(node, shown, depth)
        if category.startswith(("separate", "extract", "swizzle", "luminance", "convert", "dot")):
            return self._channel(node, category, shown, depth)
        if category == "constant":
            return self.operand(node, "value", 0.0, depth)
        if category in ("fractal3d", "fractal2d", "noise3d", "noise2d"):
            return self._noise(node, category)
        if category == "invert":
            amount = self.operand(node, "amount", 1.0, depth).low
            return self.operand(node, "in", 0.0, depth).scaled(-1).moved(amount)
        if category in ("multiply", "add", "subtract", "divide"):
            a, b = (
                self.operand(node, name, 1.0 if category in ("multiply", "divide") else 0.0, depth) for name in inputs
            )
            return self._arithmetic(category, a, b)
        if category in ("screen", "overlay", "difference"):
            return self._mixed(node, _MODES[category], self.operand(node, "bg", 0.0, depth), depth)
        if category in ("max", "min"):
            a, b = (self.operand(node, name, 0.0, depth) for name in inputs)
            return (
                b
                if a.pattern is None and a.low.max() <= 0 and category == "max"
                else self._combined(_MODES[category], a, b, None)
            )
        if category == "mix":
            return self._mix(node, depth)
        if category in ("range", "remap", "clamp", "smoothstep", "power"):
            return self._point(node, category, depth)
        raise NotUnderstoodError(f"the node {category}")

    def _image(self, node: Node, shown: str | None, depth: int) -> Fed:
        file = self.tree.input(node, "file")
        image = self.image(file) if isinstance(file, str) else None
        if image is None:
            raise NotUnderstoodError("an image that is missing")
        is_gltf = node.category.startswith("gltf_")
        space = self.tree.attribute(node, "file", "colorspace") or self.tree.root.get("colorspace", "")
        is_color = node.category == "gltf_colorimage" or space.startswith("srgb")
        wide = node.kind.startswith(("color", "vector")) or node.kind == "multioutput" or is_gltf
        shown = shown or ("colour" if wide else "red")
        ends = {_ENDS.get(str(self.tree.input(node, side)), "repeat") for side in ("uaddressmode", "vaddressmode")}
        source = Pictured(
            picture=image,
            shown=shown,
            space="colour" if is_color and shown != "alpha" else "plain",
            ends=ends.pop() if len(ends) == 1 else "repeat",
        )
        name = image.name.rpartition(".")[0] or image.name
        pattern = self._keep(name, (source,), self._placement(node, depth))
        one = np.ones(3)
        made = Fed(pattern, 0 * one, one, shown == "colour")
        factor = floats(str(self.tree.input(node, "color") or "1"), 3) if is_gltf else None
        return made.scaled(np.array(factor)) if factor else made

    def _placement(self, node: Node, depth: int) -> Placement:
        """Placement by the UVs: multiplied, then rotated, then shifted, as `patterns.placing` has it."""
        tiling = floats(str(self.tree.input(node, "uvtiling") or "1"), 2) or (1.0, 1.0)
        offset = floats(str(self.tree.input(node, "uvoffset") or "0"), 2) or (0.0, 0.0)
        repeat, turn, shift = np.array(tiling), 0.0, -np.array(offset)
        if node.category.startswith("gltf_"):
            scale = floats(str(self.tree.input(node, "scale") or "1"), 2) or (1.0, 1.0)
            moved = floats(str(self.tree.input(node, "offset") or "0"), 2) or (0.0, 0.0)
            turned = floats(str(self.tree.input(node, "rotate") or "0"), 1) or (0.0,)
            return _by_uv(np.array(scale), turned[0], -np.array(moved))
        here = self.tree.input(node, "texcoord")
        chain: list[tuple[str, np.ndarray]] = []
        for _ in range(_MOST_DEPTH):
            if not isinstance(here, Connection):
                break
            one = here.node
            if one.category == "texcoord" or one.category == "geompropvalue":
                break
            if one.category == "place2d":
                scale = floats(str(self.tree.input(one, "scale") or "1"), 2) or (1.0, 1.0)
                moved = floats(str(self.tree.input(one, "offset") or "0"), 2) or (0.0, 0.0)
                turned = floats(str(self.tree.input(one, "rotate") or "0"), 1) or (0.0,)
                inverse = 1 / np.where(np.abs(scale) < 1e-9, 1, scale)
                return _by_uv(inverse, turned[0], np.array(moved))
            if one.category == "rotate2d":
                angle = floats(str(self.tree.input(one, "amount") or "0"), 1) or (0.0,)
                chain.append(("rotate2d", np.array(angle)))
                here = self.tree.input(one, "in")
                continue
            if one.category not in ("multiply", "divide", "add", "subtract"):
                raise NotUnderstoodError(f"coordinates by the node {one.category}")
            by = floats(str(self.tree.input(one, "in2") or "0"), 2)
            if by is None:
                raise NotUnderstoodError("coordinates that are computed")
            chain.append((one.category, np.array(by)))
            here = self.tree.input(one, "in1")
        for category, by in reversed(chain):
            if category == "rotate2d":
                turn += float(by[0])
            elif category in ("multiply", "divide"):
                factor = by if category == "multiply" else 1 / np.where(np.abs(by) < 1e-9, 1, by)
                if turn and factor[0] != factor[1]:
                    raise NotUnderstoodError("coordinates that are rotated, then stretched")
                repeat, shift = repeat * factor, shift * factor
            else:
                shift = shift + (by if category == "subtract" else -by)
        return _by_uv(repeat, turn, shift)

    def _channel(self, node: Node, category: str, shown: str | None, depth: int) -> Fed:
        found = self.tree.input(node, "in")
        if not isinstance(found, Connection):
            return self.operand(node, "in", 0.0, depth)
        if category == "extract":
            index = floats(str(self.tree.input(node, "index") or "0"), 1) or (0.0,)
            shown = ("red", "green", "blue", "alpha")[int(min(max(index[0], 0), 3))]
            if found.node.category == "luminance":  # the brightness has three equal channels
                return self.fed(found, depth + 1)
        elif category == "swizzle":
            letters = str(self.tree.input(node, "channels") or "")
            shown = (
                {"r": "red", "g": "green", "b": "blue", "a": "alpha"}.get(letters[:1])
                if len(set(letters)) == 1
                else None
            )
        if category == "luminance":
            shown = "grey"
        if shown and found.node.category in ("image", "tiledimage", "gltf_image", "gltf_colorimage"):
            return self._image(found.node, shown, depth + 1)
        inner = self.fed(found, depth + 1)
        if shown in ("red", "green", "blue") and inner.is_color and inner.pattern is None:
            value = np.full(3, inner.low[("red", "green", "blue").index(shown)])
            return Fed(None, value, value, False)
        if shown and inner.is_color and shown != "grey":
            raise NotUnderstoodError(f"one channel of the node {found.node.category}")
        return inner

    def _noise(self, node: Node, category: str) -> Fed:
        octaves = floats(str(self.tree.input(node, "octaves") or "3"), 1) or (3.0,)
        lacunarity = floats(str(self.tree.input(node, "lacunarity") or "2"), 1) or (2.0,)
        gain = floats(str(self.tree.input(node, "diminish") or "0.5"), 1) or (0.5,)
        step = Noise(
            octaves=int(np.clip(octaves[0], 1, 10)) if category.startswith("fractal") else 1,
            lacunarity=float(np.clip(lacunarity[0], 1.2, 4)),
            gain=float(np.clip(gain[0], 0, 1)),
        )
        size, here = 1.0, self.tree.input(node, "position")
        if isinstance(here, Connection) and here.node.category in ("multiply", "divide"):
            by = floats(str(self.tree.input(here.node, "in2") or "1"), 3) or (1.0,) * 3
            first = abs(by[0]) or 1.0
            size = first if here.node.category == "divide" else 1 / first
        self.note("noise looks alike; its grains lie elsewhere, and positions were taken for millimetres")
        placement = Placement(projection="solid", size=float(np.clip(size, 0.001, 10_000)))
        pattern = self._keep("Noise", (step,), placement)
        one = np.ones(3)
        return Fed(pattern, -one, one, False)  # there it lies about 0, here about a half

    def _arithmetic(self, category: str, a: Fed, b: Fed) -> Fed:
        if category == "divide":
            if b.pattern is not None:
                raise NotUnderstoodError("a division by a map")
            return a.scaled(1 / np.where(np.abs(b.low) < 1e-9, 1, b.low))
        if category == "subtract":
            if b.pattern is None:
                return a.moved(-b.low)
            if a.pattern is None:
                return b.scaled(-1).moved(a.low)
        if category == "add":
            if b.pattern is None:
                return a.moved(b.low)
            if a.pattern is None:
                return b.moved(a.low)
        if category == "multiply":
            if b.pattern is None:
                return a.scaled(b.low)
            if a.pattern is None:
                return b.scaled(a.low)
        return self._combined(_MODES[category], a, b, None)

    def _mixed(self, node: Node, way: str, below: Fed, depth: int) -> Fed:
        over, share = self.operand(node, "fg", 0.0, depth), self.operand(node, "mix", 1.0, depth)
        return self._combined(way, below, over, share)

    def _mix(self, node: Node, depth: int) -> Fed:
        below, over = self.operand(node, "bg", 0.0, depth), self.operand(node, "fg", 0.0, depth)
        share = self.operand(node, "mix", 0.0, depth)
        if share.pattern is None:
            amount = float(share.low[0])
            if below.pattern is None:
                return over.scaled(amount).moved(below.low * (1 - amount))
            if over.pattern is None:
                return below.scaled(1 - amount).moved(over.low * amount)
        elif below.pattern is None and over.pattern is None and not share.is_color:
            span = over.low - below.low  # a pattern between two constants is a range
            is_color = below.is_color or over.is_color
            return Fed(share.pattern, below.low + span * share.low, below.low + span * share.high, is_color)
        return self._combined("blend", below, over, share)

    def _combined(self, way: str, a: Fed, b: Fed, share: Fed | None) -> Fed:
        """Two patterns in one, by a third; each must be in [0, 1] for that."""
        first, second = self._whole(a), self._whole(b)
        amount, mask = 1.0, None
        if share is not None:
            if share.pattern is None:
                amount = float(np.clip(share.low[0], 0, 1))
            else:
                mask = self._whole(share)
        pattern = next(p for p in self.patterns if p.id == first)
        step = Combine(way=way, other=second, mask=mask, amount=amount)
        made = self._keep(f"{pattern.name}, combined", (*pattern.steps, step), pattern.placement)
        one = np.ones(3)
        return Fed(made, 0 * one, one, a.is_color or b.is_color)

    def _point(self, node: Node, category: str, depth: int) -> Fed:
        inner = self.operand(node, "in1" if category == "power" else "in", 0.0, depth)

        def number(name: str, default: float) -> float:
            found = self.tree.input(node, name)
            values = floats(found, 1) if isinstance(found, str) else None
            return values[0] if values else default

        if category in ("range", "remap"):
            low, high = number("inlow", 0.0), number("inhigh", 1.0)
            gamma = number("gamma", 1.0) if category == "range" else 1.0
            is_clamped = category == "range" and str(self.tree.input(node, "doclamp")) == "true"
            ends = number("outlow", 0.0), number("outhigh", 1.0)
            if inner.pattern is None or (not is_clamped and gamma == 1):
                span = high - low if abs(high - low) > 1e-9 else 1e-9
                return inner.moved(-low).scaled((ends[1] - ends[0]) / span).moved(ends[0])
            step: Step = Levels(
                black=float(np.clip(low, -1, 2)), white=float(np.clip(high, -1, 2)), grey=float(np.clip(gamma, 0.1, 10))
            )
            one = np.ones(3)
            return Fed(self._after(inner, step), one * ends[0], one * ends[1], inner.is_color)
        if category == "clamp":
            if inner.pattern is None:
                kept = np.clip(inner.low, number("low", 0.0), number("high", 1.0))
                return Fed(None, kept, kept, inner.is_color)
            return inner
        if inner.pattern is None:
            raise NotUnderstoodError(f"the node {category} of a constant")
        one = np.ones(3)
        if category == "smoothstep":
            low, high = number("low", 0.0), number("high", 1.0)
            step = Threshold(edge=float(np.clip((low + high) / 2, 0, 1)), softness=float(np.clip(high - low, 0, 1)))
            return Fed(self._after(inner, step), 0 * one, one, False)
        power = number("in2", 1.0)
        return Fed(
            self._after(inner, Levels(grey=float(np.clip(1 / max(power, 0.1), 0.1, 10)))), 0 * one, one, inner.is_color
        )

    def _after(self, inner: Fed, step: Step) -> str:
        pattern = next(p for p in self.patterns if p.id == self._whole(inner))
        return self._keep(pattern.name, (*pattern.steps, step), pattern.placement)

    def _whole(self, fed: Fed) -> str:
        """A pattern that has the range in it."""
        if fed.pattern is None:
            grey = float(np.clip(fed.low.mean(), 0, 1))
            steps: tuple[Step, ...] = (Constant(value=grey),)
            if fed.is_color:
                color = tuple(float(c) for c in np.clip(fed.low, 0, 1))
                steps = (*steps, Ramp(stops=((0.0, color), (1.0, color))))
            return self._keep("Colour" if fed.is_color else "Value", steps, UPRIGHT)
        if np.allclose(fed.low, 0) and np.allclose(fed.high, 1):
            return fed.pattern
        pattern = next(p for p in self.patterns if p.id == fed.pattern)
        if not fed.is_color or (np.ptp(fed.low) < 1e-6 and np.ptp(fed.high) < 1e-6):
            ends = (float(np.clip(x.mean(), -1, 2)) for x in (fed.low, fed.high))
            step: Step = Levels(**dict(zip(("low", "high"), ends, strict=True)))
        else:
            ends = (tuple(float(c) for c in np.clip(x, 0, 1)) for x in (fed.low, fed.high))
            step = Ramp(stops=tuple(zip((0.0, 1.0), ends, strict=True)))
        return self._keep(pattern.name, (*pattern.steps, step), pattern.placement)

    def _keep(self, name: str, steps: tuple[Step, ...], placement: Placement) -> str:
        known = next((p for p in self.patterns if p.steps == steps and p.placement == placement), None)
        if known is None:
            known = Pattern(id=new_id("pattern"), name=name_from(name, "Map"), steps=steps, placement=placement)
            self.patterns.append(known)
        return known.id


def _by_uv(repeat: np.ndarray, turn: float, shift: np.ndarray) -> Placement:
    if not np.isfinite([*repeat, *shift, turn]).all():
        return UPRIGHT
    return UPRIGHT.with_(
        repeat=tuple(float(x) for x in np.clip(repeat, -1000, 1000)),
        turn=float(turn) % 360 if turn >= 0 else -(-float(turn) % 360),
        shift=tuple(float(x) + 0.0 for x in np.clip(shift, -1e4, 1e4)),
    )
