"""Several files that belong together: a folder, or a zip of one.

The tree is a `Folder`: the node from which the paths of each file start, by the first name of these
paths. Elements of XML are marked, so that one shape can walk trees of different containers.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from . import Shape
from .json import SHAPE as MAPPINGS
from .xml import ElementShape
from .zip import said_of

OTHERS = "other files"
"""The name under which files that the profile does not name are kept."""


class Element(dict[str, Any]):
    """An element of XML among files of other containers."""


class Folder(dict[str, Any]):
    """The nodes from which paths start, by first name; `trees` are whole, `others` as they came."""

    def __init__(self, trees: Mapping[str, Any], others: Mapping[str, bytes]) -> None:
        super().__init__()
        self.trees, self.others = dict(trees), others


class MarkedShape(ElementShape):
    """Elements that are marked."""

    def new(self) -> Element:
        """An empty element."""
        return Element()


MARKED = MarkedShape()


def marked(tree: Any) -> Any:
    """A tree of elements that are marked."""
    top = Element()
    stack: list[tuple[Any, Element]] = [(tree, top)]
    while stack:
        old, new = stack.pop()
        for key, value in old.items():
            if key != "#children":
                new[key] = value
                continue
            children: list[tuple[str, Any]] = []
            for name, child in value:
                made = child if name == "#text" else Element()
                children.append((name, made))
                if made is not child:
                    stack.append((child, made))
            new[key] = children
    return top


class FilesShape:
    """Paths whose first name is that of a file, and then as its container walks them."""

    ALWAYS_TEXT = False

    def __init__(self, shapes: Mapping[str, Shape]) -> None:
        self.shapes = dict(shapes)

    def of(self, at: str) -> Shape:
        """The shape of the records at a path."""
        return self.shapes.get(at.split("/")[0], MAPPINGS)

    def root(self, tree: Any) -> Any:
        """The node that paths start from: the folder."""
        return tree

    def _of(self, node: Any) -> Shape:
        return MARKED if isinstance(node, Element) else MAPPINGS

    def step(self, node: Any, name: str) -> Any:
        """The value under one name, or None."""
        return self._of(node).step(node, name)

    def records(self, tree: Any, path: tuple[str, ...]) -> Iterator[tuple[str, Any]]:
        """The records that stand at a path, each with its place."""
        if not isinstance(tree, Folder):
            yield from self._of(tree).records(tree, path)
        elif len(path) == 1:  # the file itself is a list
            yield from MAPPINGS.records(tree, path)
        elif path[0] in tree:
            for place, node in self.of(path[0]).records(tree[path[0]], path[1:]):
                yield f"{path[0]}/{place}", node

    def pairs(self, node: Any) -> Iterator[tuple[str, Any]]:
        """What a node holds directly; of a folder, other files are one value."""
        yield from self._of(node).pairs(node)
        if isinstance(node, Folder) and node.others:
            yield OTHERS, {name: said_of(node.others, name) for name in node.others}

    def folded(self, node: Any, child: str, key: str, value: str) -> list[tuple[str, Any]]:
        """As `pairs`, with repeated children that hold a key and a value folded into pairs."""
        return self._of(node).folded(node, child, key, value)

    def put(self, node: Any, name: str, value: Any) -> None:
        """Set the value under one name."""
        self._of(node).put(node, name, value)

    def add(self, node: Any, name: str, value: Any) -> Any:
        """Add a value under a name that may be there already."""
        return self._of(node).add(node, name, value)

    def ensure(self, tree: Any, path: tuple[str, ...]) -> Any:
        """The node at a path, made where it is missing."""
        if isinstance(tree, Folder):
            return self.of(path[0]).ensure(tree[path[0]], path[1:]) if path else tree
        return self._of(tree).ensure(tree, path)

    def replace(self, tree: Any, path: tuple[str, ...], records: list[Any]) -> None:
        """Set the records that stand at a path."""
        if not isinstance(tree, Folder):
            self._of(tree).replace(tree, path, records)
        elif len(path) == 1:
            tree[path[0]] = records
        else:
            self.of(path[0]).replace(tree[path[0]], path[1:], records)

    def settled(self, text: str) -> str:
        """A text as it is read again: that of each file is asked for its own shape."""
        return text

    def new(self) -> Any:
        """An empty record."""
        return {}
