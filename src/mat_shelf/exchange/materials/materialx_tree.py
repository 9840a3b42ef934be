"""MaterialX documents of any origin as trees of nodes: checked for size and loops, references resolved.

References
----------
MaterialX 1.39 specification, "MaterialX file format".
"""

import xml.etree.ElementTree as ElementTree
from typing import NamedTuple

LARGEST_TEXT = 64 << 20
MOST_NODES = 20_000
_MOST_DEPTH = 200
"""Nodes from a surface to the end of what it is connected to."""


class MaterialxError(ValueError):
    """A document that cannot be used; the message says why."""


class Node(NamedTuple):
    """A node, and the graph that it is in.

    Attributes
    ----------
    element : Element
    scope : Element
        The graph, or the document.
    """

    element: ElementTree.Element
    scope: ElementTree.Element

    @property
    def category(self) -> str:
        """Kind of node."""
        return self.element.tag

    @property
    def name(self) -> str:
        """Its name."""
        return self.element.get("name", "")

    @property
    def kind(self) -> str:
        """Type of its output."""
        return self.element.get("type", "")


class Connection(NamedTuple):
    """Output of a node that an input is connected to.

    Attributes
    ----------
    output : str
        Its name, where the node has several.
    channels : str
        Channels that older documents take of it.
    """

    node: Node
    output: str = ""
    channels: str = ""


class Tree:
    """A document.

    Parameters
    ----------
    data : bytes
        Content of its file.

    Raises
    ------
    MaterialxError
        If it is none, is damaged, too large, or declares entities.
    """

    def __init__(self, data: bytes):
        if len(data) > LARGEST_TEXT:
            raise MaterialxError(f"it is larger than {LARGEST_TEXT >> 20} MiB")
        if b"<!DOCTYPE" in data or b"<!ENTITY" in data:
            raise MaterialxError("it declares entities, which no material needs")
        try:
            self.root = ElementTree.fromstring(data)
        except (ElementTree.ParseError, ValueError, LookupError):
            raise MaterialxError("it is no MaterialX, or it is damaged") from None
        if self.root.tag != "materialx":
            raise MaterialxError("it is no MaterialX")
        if sum(1 for _ in self.root.iter()) > 20 * MOST_NODES:
            raise MaterialxError(f"it has more than {MOST_NODES:,} nodes")
        self._names: dict[int, dict[str, ElementTree.Element]] = {}
        self._graphs = {graph.get("name", ""): graph for graph in self.root if graph.tag == "nodegraph"}

    def nodes(self, category: str | None = None, kind: str | None = None) -> list[Node]:
        """Nodes of the document itself.

        Parameters
        ----------
        category, kind : str, optional
            What they must be.

        Returns
        -------
        list of Node
        """
        return [
            Node(element, self.root)
            for element in self.root
            if (category is None or element.tag == category) and (kind is None or element.get("type") == kind)
        ]

    def input(self, node: Node, name: str) -> "Connection | str | None":
        """Connection or value of an input; None where it has neither.

        Parameters
        ----------
        node : Node
            The node.
        name : str
            Name of the input.

        Returns
        -------
        Connection, str or None
        """
        element = next((e for e in node.element if e.tag == "input" and e.get("name") == name), None)
        return None if element is None else self._resolved(element, node.scope, 0)

    def _resolved(self, element, scope, depth: int) -> "Connection | str | None":
        if depth > _MOST_DEPTH:
            raise MaterialxError("its nodes are connected in a loop")
        outer = element.get("interfacename")
        if outer:
            found = next((e for e in scope if e.tag == "input" and e.get("name") == outer), None)
            return None if found is None else self._resolved(found, self.root, depth + 1)
        graph, channels = element.get("nodegraph"), element.get("channels", "")
        if graph:
            inner = self._graphs.get(graph)
            wanted = element.get("output", "")
            outputs = [] if inner is None else [e for e in inner if e.tag == "output"]
            found = next((e for e in outputs if not wanted or e.get("name") == wanted), None)
            return None if found is None else self._resolved(found, inner, depth + 1)
        name = element.get("nodename")
        if name:
            found = self._in(scope).get(name)
            if found is None:
                return None
            if found.tag == "output":
                return self._resolved(found, scope, depth + 1)
            return Connection(Node(found, scope), element.get("output", ""), channels)
        return element.get("value")

    def _in(self, scope) -> dict[str, ElementTree.Element]:
        if id(scope) not in self._names:
            self._names[id(scope)] = {e.get("name", ""): e for e in scope if e.tag != "input"}
        return self._names[id(scope)]

    def attribute(self, node: Node, input_name: str, name: str) -> str:
        """An attribute of an input, such as its colour space; empty where there is none.

        Parameters
        ----------
        node : Node
            The node.
        input_name : str
            Name of the input.
        name : str
            Name of the attribute.

        Returns
        -------
        str
        """
        element = next((e for e in node.element if e.tag == "input" and e.get("name") == input_name), None)
        return "" if element is None else element.get(name, "")


def floats(text: str | None, count: int) -> tuple[float, ...] | None:
    """Numbers out of a value.

    Parameters
    ----------
    text : str or None
        As the document has them.
    count : int
        How many are wanted; one stands for all.

    Returns
    -------
    tuple of float or None
    """
    try:
        found = tuple(float(word) for word in (text or "").replace(",", " ").split())
    except ValueError:
        return None
    if len(found) == 1:
        return found * count
    return found[:count] if len(found) >= count else None
