"""Records that stand below each other by their addresses, and by nothing else.

Each gets under `#upper` the address of the record that it stands below: the one whose path its own
begins with, the longest if there are several. Nothing is written so.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any
from urllib.parse import urlsplit

from ..addresses import normal_path
from ..containers import Shape
from ..errors import FormatError
from .each import above_each
from .schema import Profile
from .slugs import said
from .trees import UPPER


def opened(tree: Any, profile: Profile, shape: Shape, file: str) -> Any:
    """A document whose records say what they stand below.

    Raises `FormatError` where no records stand.
    """
    try:
        for at, key in profile.above.items():
            _tell(shape.root(tree), shape, at, key)
    except FormatError as error:
        raise FormatError(error.message, file=file, place=error.place) from None
    return tree


def _tell(root: Any, shape: Shape, at: str, key: str) -> None:
    nodes = [node for _, node in shape.records(root, tuple(at.split("/")))]
    held = [said(node, shape, key) if isinstance(node, dict) else None for node in nodes]
    for node, upper in zip(nodes, uppers([text or "" for text in held]), strict=True):
        if upper:
            node[UPPER] = upper


def uppers(addresses: Sequence[str]) -> list[str]:
    """For each address the one among these that it lies below; empty where there is none."""
    paths = [_path(address) for address in addresses]
    first: Mapping[str, str] = {
        path: address for path, address in reversed([*zip(paths, addresses, strict=True)]) if path
    }
    return [first.get(path, "") for path in above_each(paths)]


def _path(address: str) -> str:
    """The path of an address as it is compared; empty for what has none."""
    if address[:1] == "/" != address[1:2]:
        path = address.partition("#")[0].partition("?")[0]
    else:
        try:
            path = urlsplit(address).path
        except ValueError:
            return ""
    return normal_path(path).rsplit(".", 1)[0] if path.strip("/") else "/" if path else ""
