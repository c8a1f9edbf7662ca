"""Files of a platform as neutral trees, and trees as files, by what its profile says of them."""

from __future__ import annotations

from typing import Any

from ..containers import container
from .schema import Profile


def load_tree(data: bytes, file: str, profile: Profile) -> Any:
    """Bytes to the tree that a profile's paths walk."""
    kind = container(profile.container)
    tree = kind.read(data, file)
    if profile.namespaces:
        from ..containers.namespaces import with_prefixes

        tree = with_prefixes(tree, profile.namespaces, file)
    return tree


def dump_tree(tree: Any, profile: Profile) -> bytes:
    """A tree to bytes."""
    if profile.namespaces:
        from ..containers.namespaces import declared

        tree = declared(tree, profile.namespaces)
    return container(profile.container).write(tree)
