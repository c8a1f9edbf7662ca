"""The form of a document of our own: typed records, and values that JSON has no word for."""

from __future__ import annotations

import base64
from collections.abc import Callable
from datetime import date, datetime, time
from typing import Any, Literal

import msgspec
from msgspec import Struct

from .containers import Repeated
from .model import (
    PLAIN,
    Content,
    Extra,
    Form,
    Gathers,
    Generated,
    Location,
    Markup,
    MenuReference,
    Picture,
    Products,
    Role,
    Target,
    Text,
    Traits,
    Widget,
)

ID = "ypsiform"
"""The id of the platform whose files these are."""


class LinksPart(
    Struct, forbid_unknown_fields=True, omit_defaults=True, tag_field="block", tag="links"
):
    """A block of links: the number of its heading, those of the items below it, and its own key."""

    heading: int | None = None
    items: list[int] = []
    key: str = ""


class _Held(Struct, forbid_unknown_fields=True, omit_defaults=True, tag_field="block"):
    """A block that holds something other than links. `number` is its own in reading order."""

    number: int
    origin: str = ""


class PicturePart(_Held, tag="picture"):
    """A picture."""

    holds: Picture = msgspec.field(default_factory=lambda: Picture(""))


class TextPart(_Held, tag="text"):
    """A text."""

    holds: Text = msgspec.field(default_factory=lambda: Text(""))


class MarkupPart(_Held, tag="markup"):
    """Markup."""

    holds: Markup = msgspec.field(default_factory=lambda: Markup(""))


class ProductsPart(_Held, tag="products"):
    """Live product cards."""

    holds: Products = msgspec.field(default_factory=lambda: Products(()))


class MenuPart(_Held, tag="menu"):
    """Another menu, shown here."""

    holds: MenuReference = msgspec.field(default_factory=lambda: MenuReference(""))


class GeneratedPart(_Held, tag="generated"):
    """A block that a rule fills."""

    holds: Generated = msgspec.field(default_factory=lambda: Generated("", "", 0))


class FormPart(_Held, tag="form"):
    """An input form."""

    holds: Form = msgspec.field(default_factory=lambda: Form(()))


class WidgetPart(_Held, tag="widget"):
    """A block of a platform's own."""

    holds: Widget = msgspec.field(default_factory=lambda: Widget(""))


Part = (
    LinksPart
    | PicturePart
    | TextPart
    | MarkupPart
    | ProductsPart
    | MenuPart
    | GeneratedPart
    | FormPart
    | WidgetPart
)


PARTS: dict[type[Any], Callable[..., Any]] = {
    Picture: PicturePart,
    Text: TextPart,
    Markup: MarkupPart,
    Products: ProductsPart,
    MenuReference: MenuPart,
    Generated: GeneratedPart,
    Form: FormPart,
    Widget: WidgetPart,
}


class ColumnPart(Struct, forbid_unknown_fields=True, omit_defaults=True):
    """A column of a panel; `span` in twelfths."""

    blocks: list[Part]
    span: int | None = None
    label: str | None = None
    target: Target | None = None
    note: str | None = None
    id: str = ""


class PanelPart(Struct, forbid_unknown_fields=True, omit_defaults=True, rename="kebab"):
    """A panel that opens below an item."""

    columns: list[ColumnPart]
    style: str = "columns"
    full_width: bool = False
    opens: str | None = None
    tone: str | None = None
    before: MarkupPart | None = None
    after: MarkupPart | None = None


class ItemPart(Struct, forbid_unknown_fields=True, omit_defaults=True):
    """An item. `under` is the number of the one that it stands below, none at the top of a menu."""

    number: int
    label: str
    id: str = ""
    under: int | None = None
    target: Target = Target("none")
    role: Role = "link"
    inherited: bool = False
    hidden: bool = False
    traits: Traits = PLAIN
    translations: dict[str, str] = {}
    panel: PanelPart | None = None
    extras: tuple[Extra, ...] = ()
    origin: str = ""


class MenuRecord(Struct, forbid_unknown_fields=True, omit_defaults=True, kw_only=True):
    """A menu, its items flat and in reading order."""

    id: str
    key: str = ""
    title: str = ""
    language: str | None = None
    saved: bool = True
    owner: Literal["site", "platform"] = "site"
    rule: str | None = None
    gathers: Gathers | None = None
    stored: bool = True
    extras: tuple[Extra, ...] = ()
    origin: str = ""
    items: list[ItemPart]


class Document(Struct, forbid_unknown_fields=True, omit_defaults=True, kw_only=True):
    """A site. `used` are the keys of menus that something other than a location shows."""

    ypsiform: int
    platform: str = ID
    theme: str | None = None
    addresses: tuple[str, ...] = ()
    languages: tuple[str, ...] = ()
    locations: list[Location] = []
    menus: list[MenuRecord]
    used: list[str] = []
    contents: list[Content] = []
    extras: tuple[Extra, ...] = ()


_MARKS = frozenset({"#date", "#time", "#moment", "#bytes", "#pair", "#again", "#map", "#number"})


def packed(value: Any) -> Any:
    """A neutral value with nothing but what JSON holds, and marks for all else.

    Works at any depth that containers read. Raises nothing.
    """
    if isinstance(value, Repeated):
        return {"#again": [[k, packed(v)] for k, v in [*value.others, *value.items()]]}
    if isinstance(value, dict):
        if _MARKS.isdisjoint(value):
            return {key: packed(inner) for key, inner in value.items()}
        return {"#map": [[key, packed(inner)] for key, inner in value.items()]}
    if isinstance(value, tuple):
        return {"#pair": [packed(inner) for inner in value]}
    if isinstance(value, list):
        return [packed(inner) for inner in value]
    if isinstance(value, bytes):
        return {"#bytes": base64.b64encode(value).decode("ascii")}
    if isinstance(value, datetime):
        return {"#moment": value.isoformat()}
    if isinstance(value, date):
        return {"#date": value.isoformat()}
    if isinstance(value, time):
        return {"#time": value.isoformat()}
    if isinstance(value, float) and value != value:
        return {"#number": "nan"}
    if isinstance(value, float) and value in (float("inf"), float("-inf")):
        return {"#number": str(value)}
    return value


def unpacked(value: Any) -> Any:
    """The value that `packed` was given. Raises `ValueError` for marks that it does not make."""
    if isinstance(value, list):
        return [unpacked(inner) for inner in value]
    if not isinstance(value, dict):
        return value
    if len(value) == 1 and not _MARKS.isdisjoint(value):
        ((mark, held),) = value.items()
        return _MADE[mark](held)
    return {key: unpacked(inner) for key, inner in value.items()}


def _again(pairs: Any) -> Repeated:
    made = Repeated({})
    made.others = []
    told = [(str(key), unpacked(value)) for key, value in pairs]
    last = {key: at for at, (key, _) in enumerate(told)}
    made.others = [pair for at, pair in enumerate(told) if last[pair[0]] != at]
    made.update((key, value) for at, (key, value) in enumerate(told) if last[key] == at)
    return made


_MADE: dict[str, Callable[[Any], Any]] = {
    "#date": date.fromisoformat,
    "#time": time.fromisoformat,
    "#moment": datetime.fromisoformat,
    "#bytes": lambda text: base64.b64decode(text, validate=True),
    "#pair": lambda held: tuple(unpacked(inner) for inner in held),
    "#again": _again,
    "#map": lambda pairs: {str(key): unpacked(value) for key, value in pairs},
    "#number": float,
}
