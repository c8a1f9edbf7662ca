"""A text with front matter: YAML between lines of `---`, or TOML between lines of `+++`, above it.

The tree is the mapping of the front matter, with the text below it under `#body`. One that is
written is in YAML; `profiles/each.py` changes an earlier one where it stands.
"""

from __future__ import annotations

import re
from typing import Any, NamedTuple

from ..errors import FormatError, RefusedError
from . import BODY as BODY
from . import decode
from .json import SHAPE as SHAPE
from .yaml import UNWRITABLE as UNWRITABLE

LARGEST = 1 << 24
"""Bytes of a file beyond which it is refused."""

FORMS = {"---": "yaml", "+++": "toml"}
"""Containers of front matter, by the line that it stands between."""

_LINE = re.compile(r"(?:---|\+\+\+)[ \t]*\r?\n")


class Parts(NamedTuple):
    """A file in three: the line that starts its front matter, this, and all from its end on."""

    mark: str
    head: str
    rest: str

    @property
    def form(self) -> str:
        """The container that the front matter is in."""
        return FORMS[self.mark[:3]]

    @property
    def body(self) -> str:
        """The text below the front matter."""
        return self.rest.partition("\n")[2]


def parts_of(text: str) -> Parts | None:
    """The parts of a file; None where it does not start with front matter that ends."""
    start = _LINE.match(text)
    if start is None:
        return None
    mark = start[0][:3]
    end = re.compile(rf"^{re.escape(mark)}[ \t]*\r?$", re.MULTILINE).search(text, start.end())
    if end is None:
        return None
    return Parts(start[0], text[start.end() : end.start()], text[end.start() :])


def read(data: bytes, file: str) -> Any:
    """Bytes to a tree. Raises `FormatError` for a file without front matter."""
    from . import container

    if len(data) > LARGEST:
        raise FormatError("a text with front matter is 16 MB at most", file=file)
    parts = parts_of(decode(data, file, declared=False))
    if parts is None:
        message = "there is no front matter, between two lines of --- or of +++"
        raise FormatError(message, file=file, place="line 1")
    head = parts.head
    # Places in the front matter are told by the lines of the file: it starts on the second one.
    tree = container(parts.form).read(("\n" + head).encode(), file) if head.strip() else {}
    if not isinstance(tree, dict):
        raise FormatError("its front matter is no mapping", file=file, place="line 2")
    body = parts.body
    return {**tree, BODY: body} if body else tree


def write(tree: Any) -> bytes:
    """A tree to UTF-8 bytes, its front matter in YAML.

    Raises `RefusedError` for a text of which a part would be read as the end of the front matter.
    """
    from .yaml import write as yaml

    body = tree.get(BODY, "")
    if not isinstance(body, str):
        raise RefusedError("what stands below front matter is a text")
    head = {key: value for key, value in tree.items() if key != BODY}
    said = yaml(head).decode() if head else ""
    whole = f"---\n{said}---\n{body}"
    if (found := parts_of(whole)) is None or found.head != said:
        raise RefusedError("a text in front matter has a line that would end it")
    return whole.encode("utf-8")
