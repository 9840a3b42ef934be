"""MaterialX documents as they grow: nodes with typed inputs, connections and graphs.

References
----------
MaterialX 1.39 specification, Academy Software Foundation.
"""

import re
import xml.etree.ElementTree as ElementTree
from collections.abc import Iterable, Mapping
from typing import NamedTuple

_LARGEST_NUMBER = 1e30


class Wire(NamedTuple):
    """The output of a node, to be connected to an input.

    Attributes
    ----------
    node : str
        Its name.
    kind : str
        Type of its values: "float", "color3", "vector2", "vector3".
    output : str
        Name of the output, where the node has several; for a graph, the graph's output.
    """

    node: str
    kind: str
    output: str = ""


class Typed(NamedTuple):
    """A value whose type cannot be told from what it is.

    Attributes
    ----------
    kind : str
        "filename", "string", "vector2", "vector3", "integer", "boolean".
    """

    value: object
    kind: str


class Document:
    """A document.

    Parameters
    ----------
    about : str
        Words for whoever opens the file.
    """

    def __init__(self, about: str = ""):
        self.root = ElementTree.Element("materialx", {"version": "1.39", "colorspace": "lin_rec709"})
        if about:
            self.root.set("doc", about)
        self._names: set[str] = set()

    def free_name(self, wanted: str) -> str:
        """A name that is free in all of the document.

        Parameters
        ----------
        wanted : str
            What it should be like.

        Returns
        -------
        str
        """
        base = re.sub(r"[^A-Za-z0-9_]+", "_", wanted).strip("_") or "thing"
        base = f"_{base}" if base[0].isdigit() else base
        name, count = base, 2
        while name in self._names:
            name, count = f"{base}_{count}", count + 1
        self._names.add(name)
        return name

    def graph(self, name: str) -> "Graph":
        """A new node graph.

        Parameters
        ----------
        name : str
            Its name.

        Returns
        -------
        Graph
        """
        return Graph(self, self.free_name(name))

    def node(self, category: str, kind: str, name: str, inputs: Mapping[str, object], within=None, **attributes) -> str:
        """Adds a node.

        Parameters
        ----------
        category : str
            What it is.
        kind : str
            Type of its output.
        name : str
            Its name, which is made free.
        inputs : mapping of values, `Wire` or `Typed`
            By name.
        within : Element, optional
            The graph that it is in.
        **attributes : str
            Further attributes.

        Returns
        -------
        str
            Its name.
        """
        element = ElementTree.SubElement(
            self.root if within is None else within,
            category,
            {"name": self.free_name(name), "type": kind, **attributes},
        )
        for key, value in inputs.items():
            element.append(_input(key, value))
        return element.get("name")

    def look(self, name: str, worn: Iterable[tuple[str, str]]) -> None:
        """Adds a look.

        Parameters
        ----------
        name : str
            Its name.
        worn : iterable of (geometry, material)
            Names of both.
        """
        look = ElementTree.SubElement(self.root, "look", {"name": self.free_name(name)})
        for geometry, material in worn:
            attributes = {"name": self.free_name(f"{geometry} wears"), "geom": f"/{geometry}", "material": material}
            ElementTree.SubElement(look, "materialassign", attributes)

    def text(self) -> bytes:
        """The whole file.

        Returns
        -------
        bytes
        """
        for graph in self.root.iter("nodegraph"):
            _prune(graph)
        ElementTree.indent(self.root)
        return ElementTree.tostring(self.root, "utf-8", xml_declaration=True) + b"\n"


class Graph:
    """A node graph of a document.

    Parameters
    ----------
    document : Document
        The document.
    name : str
        Its name.
    """

    def __init__(self, document: Document, name: str):
        self.document, self.name = document, name
        self.element = ElementTree.SubElement(document.root, "nodegraph", {"name": name})
        self._known: dict[tuple, Wire] = {}

    def add(self, category: str, kind: str, inputs: Mapping[str, object], name: str = "") -> Wire:
        """Adds a node, or finds the one that says the same.

        Parameters
        ----------
        category : str
            What it is.
        kind : str
            Type of its output.
        inputs : mapping of values, `Wire` or `Typed`
            By name.
        name : str
            Its name; by default after its category.

        Returns
        -------
        Wire
        """
        key = (category, kind, tuple(sorted((k, repr(v)) for k, v in inputs.items())))
        if key not in self._known:
            made = self.document.node(category, kind, name or category, inputs, self.element)
            self._known[key] = Wire(made, kind)
        return self._known[key]

    def output(self, name: str, wire: Wire) -> Wire:
        """An output of the graph.

        Parameters
        ----------
        name : str
            Its name.
        wire : Wire
            What it shows.

        Returns
        -------
        Wire
            To be connected outside of the graph.
        """
        attributes = {"name": name, "type": wire.kind, "nodename": wire.node}
        ElementTree.SubElement(self.element, "output", attributes)
        return Wire(self.name, wire.kind, name)

    @property
    def is_empty(self) -> bool:
        """True if nothing is in it."""
        return len(self.element) == 0

    def drop(self) -> None:
        """Takes it out of the document again."""
        self.document.root.remove(self.element)


def _prune(graph: ElementTree.Element) -> None:
    """Takes nodes out of a graph that none of its outputs shows."""
    nodes = {node.get("name"): node for node in graph if node.tag != "output"}
    waiting, shown = [node.get("nodename") for node in graph if node.tag == "output"], set()
    while waiting:
        name = waiting.pop()
        if name in nodes and name not in shown:
            shown.add(name)
            waiting += [element.get("nodename") for element in nodes[name] if element.get("nodename")]
    for name, node in nodes.items():
        if name not in shown:
            graph.remove(node)


def _input(name: str, value) -> ElementTree.Element:
    if isinstance(value, Wire):
        element = ElementTree.Element("input", {"name": name, "type": value.kind})
        if value.output:
            element.set("nodegraph", value.node)
            element.set("output", value.output)
        else:
            element.set("nodename", value.node)
        return element
    kind, shown = _shown(value)
    return ElementTree.Element("input", {"name": name, "type": kind, "value": shown})


def _shown(value) -> tuple[str, str]:
    if isinstance(value, Typed):
        inner = value.value
        return value.kind, _shown(inner)[1] if not isinstance(inner, str) else inner
    if isinstance(value, bool):
        return "boolean", "true" if value else "false"
    if isinstance(value, int):
        return "integer", str(value)
    if isinstance(value, str):
        return "string", value
    if isinstance(value, float):
        return "float", _number(value)
    numbers = [float(x) for x in value]
    return {2: "vector2", 3: "color3"}[len(numbers)], ", ".join(map(_number, numbers))


def _number(value: float) -> str:
    value = min(max(value, -_LARGEST_NUMBER), _LARGEST_NUMBER)
    return f"{value:.7g}"
