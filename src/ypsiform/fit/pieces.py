"""Blocks of panels that are no links: kept as they can be, or going on as links."""

from __future__ import annotations

from msgspec.structs import replace

from ..encodings.blocks import says_beside
from ..facts import LEADS, Went
from ..findings import enumerated
from ..model import NOWHERE, Held, Item, Picture, Piece, Target, targets_of
from ..resolve.targets import Targets
from . import blocks, shape
from .labels import Labels, cut
from .work import Fate, Work, item_facts

OF_PICTURES = {
    "alt": "description",
    "caption": "caption",
    "target": "link",
    "title": "title",
    "second": "second picture",
    "second_target": "second link",
}
"""What a picture says beside its source, in words."""


class Pieces:
    """The blocks of one menu's panels: what each of them is at the destination."""

    def __init__(self, work: Work, fate: Fate, targets: Targets, labels: Labels) -> None:
        self.work, self.fate, self.targets, self.labels = work, fate, targets, labels
        # Of markup that is passed on in part the links that are left.
        self.left_in: dict[int, list[int]] = {}
        self.altered: dict[int, Held] = {}
        # What was taken away of markup, because it could run something.
        self.taken: dict[int, tuple[str, ...]] = {}
        self._offered: dict[int, list[blocks.Offer]] = {}
        # Whether a picture is an item, which has the title of its page where it says nothing.
        written = work.encoding is not None and not work.encoding.recorded
        self.captions_follow = written and labels.inherits

    def offers(self, piece: Piece) -> list[blocks.Offer]:
        """The links that a block goes on as; found once."""
        if self.work.pages_stay(self.fate):
            return []
        found = self._offered.get(piece.number)
        if found is None:
            made = blocks.offers(self.work, self.targets, piece)
            found = self._offered[piece.number] = made
        return found

    def as_links(self, row: int, piece: Piece) -> list[Item]:
        """The links that a block goes on as. The first one stands for it."""
        longest = self.fate.limits.label
        items: list[Item] = []
        for at, (words, source, there, nth) in enumerate(self.offers(piece)):
            label = self.labels.clean(words)
            target = there or NOWHERE
            if source is not None:
                target = self.targets.apply(row, source, f"link:{nth}", words)
            made = Item(
                id=f"block.{row}.{at}" if at else f"block.{row}",
                label=cut(label, longest) if longest else label,
                target=target,
                children=[],
                number=self.work.next_made() if at else row,
            )
            self.work.goes(row, f"link:{nth}", made.number, "target")
            items.append(made)
        return items

    def keep(self, row: int, piece: Piece) -> None:
        """Let a block that stays lead where it led; a loss for what it does not say any more."""
        picture = piece.holds
        links = targets_of(self.work.rows.things[row])
        if isinstance(picture, Picture):
            self._keep_picture(row, piece, picture)
            return
        left = self.left_in.get(row, list(range(len(links))))
        gone = [f"link:{n}" for n in range(len(links)) if n not in left]
        for now, nth in enumerate(left if row in self.left_in else ()):
            self.work.went.append(Went(row, f"link:{nth}", 0, row, f"link:{now}"))
        self.work.went += [Went(row, name, 0, row, "") for name in gone]
        if not self.work.same_file:
            piece.holds = blocks.relink(self.work, self.targets, row, picture, left)
        if row in self.altered:
            was = self.altered[row]
            kind = ["block"] if type(was) is not type(piece.holds) else []
            mine = item_facts(row, *kind, "holds", *gone)
            if row not in self.taken:
                plain = not kind and shape.in_plain(was, self.work.clean) is not was
                code = "panel.characters" if plain else "panel.markup"
                self.work.loss(code, "altered", mine, row=row, before=blocks.said(was))
                return
            sure = any(word[0] == "<" or "=" in word for word in self.taken[row])
            self.work.loss(
                "panel.cleaned",
                "altered",
                mine,
                severity="high" if sure else "medium",
                row=row,
                before=blocks.said(was),
                labels=self.taken[row],
            )

    def _captioned(self, row: int, picture: Picture, target: Target | None) -> Picture:
        """A picture with the caption that its page gives it, where it is an item without one."""
        page = (target.kind, target.content) if target is not None and target.content else None
        if picture.caption or page is None or target is None or not self.captions_follow:
            return picture
        if not self.work.kinds.titles(target):
            return picture
        caption = self.labels.titles.get(page) or target.address or target.kind
        self.work.loss("label.empty", "altered", item_facts(row, "holds"), row=row, after=caption)
        return replace(picture, caption=caption)

    def _keep_picture(self, row: int, piece: Piece, picture: Picture) -> None:
        """A picture with what it leads to; a loss for what the destination cannot say of it."""
        was = self.work.rows.things[row]
        assert isinstance(was, Piece) and isinstance(was.holds, Picture)
        now = links = 0
        gone: list[str] = []
        made: dict[str, Target] = {}
        for name in ("target", "second_target"):
            target = getattr(was.holds, name)
            if target is None:
                continue
            fact = f"link:{links}"
            links += 1
            if getattr(picture, name) is None:
                gone += [fact] if target.kind != "none" else []
                self.work.went.append(Went(row, fact, 0, row, ""))
                continue
            made[name] = self.targets.apply(row, target, fact)
            if fact != f"link:{now}":
                self.work.went.append(Went(row, fact, 0, row, f"link:{now}"))
            now += 1
        picture = self._captioned(row, picture, made.get("target"))
        piece.holds = replace(picture, **made)
        lost = says_beside(was.holds) - says_beside(picture)
        held = ["holds"] if shape.in_plain(was.holds, self.work.clean) is not was.holds else []
        before = blocks.said(was.holds)
        if lost:
            self.work.loss(
                "panel.picture",
                "altered",
                item_facts(row, *(["holds"] if lost - set(LEADS) else held), *gone),
                severity="high" if gone else None,
                row=row,
                before=before,
                after=enumerated(sorted(OF_PICTURES[name] for name in lost)),
            )
        elif held:
            mine = item_facts(row, "holds")
            self.work.loss("panel.characters", "altered", mine, row=row, before=before)
