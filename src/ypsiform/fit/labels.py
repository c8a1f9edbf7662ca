"""Labels: those that follow their target, those that are too long, those in further languages."""

from __future__ import annotations

import re

from ..decisions import ChoiceError, ItemChoice
from ..findings import Cover
from ..model import Item, Piece, Target
from .work import Fate, Work, item_facts

_LANGUAGE = re.compile(r"[\w-]+")
"""What can name a language in a file: a path through records is made of it."""


def cut(label: str, longest: int) -> str:
    """A label within a limit in code points: whole words and an ellipsis where words allow."""
    if len(label) <= longest:
        return label
    head = label[: longest - 1]
    at = head.rfind(" ")
    if label[longest - 1] != " " and at >= longest // 2:
        head = head[:at]
    return head.rstrip(" ,;:-–&") + "…"


def unlike(label: str, seen: set[str], longest: int | None) -> str:
    """A label that is not among those seen, with a number behind it if need be; it is seen now."""
    made, count = label, 1
    while made in seen:
        count += 1
        end = f" {count}"
        made = (cut(label, longest - len(end)) if longest else label) + end
    seen.add(made)
    return made


def said(thing: Item | Piece, language: str) -> str:
    """The label of an item, and what it is in a language."""
    assert isinstance(thing, Item)
    return f"{thing.label}: {dict(thing.translations)[language]}"


class Labels:
    """The labels of one menu at the destination."""

    def __init__(self, work: Work, fate: Fate, titles: dict[tuple[str, str], str]) -> None:
        self.work, self.fate, self.titles = work, fate, titles
        self.longest = fate.limits.label
        # Whether a page itself or a pointer to it will stand there shows only in writing.
        self.stays = work.pages_stay(fate)
        self.inherits = work.profile.inherits and (self.stays or not work.profile.items.pages)
        self.frozen: list[int] = []
        self.lost: dict[str, list[int]] = {}
        self.keeps_languages = work.holds(fate, "translations")
        tie = work.profile.items.tie
        # What stands between labels cannot stand in one.
        self.parts = tie.between.strip() or tie.between if tie.of_labels else ""

    def clean(self, label: str) -> str:
        """A label without what the destination cannot write in one."""
        if self.stays:
            return label  # its record stays as it is
        label = self.work.clean_label(label)
        return (
            " ".join(label.replace(self.parts, " ").split())
            if self.parts and self.parts in label
            else label
        )

    def like(self, label: str) -> str:
        """What a label will be, if it is not that of its content."""
        label = self.clean(label)
        return label if self.longest is None else cut(label, self.longest)

    def apply(
        self, row: int, item: Item, target: Target, *, apart: bool = False
    ) -> tuple[str, bool]:
        """The label and whether it is inherited, for an item that gets this target.

        `apart`: its label stands where none is inherited.
        """
        inherits = self.inherits and not apart and self.work.kinds.titles(target)
        choice = self.work.chosen_item(row)
        if choice is None and not inherits and not item.inherited:
            said = self.clean(item.label)
            if said == item.label and (self.longest is None or len(said) <= self.longest):
                return said, False
        label = choice.label if choice is not None else None
        # A label that says what Ypsiform would do by itself decides nothing.
        if choice is not None and label is not None and label != self.like(item.label):
            return self._decided(row, item, choice), False
        label = self.clean(item.label)
        title = self.titles.get((target.kind, target.content)) if target.content else None
        # As it stands it follows its page, of several of one id too, where it did.
        work = self.work
        stays = work.as_it_stands or (work.same_file and work.profile.items.pages is not None)
        long = self.longest is not None and len(label) > self.longest
        if inherits and stays and target == item.target and label == item.label and not long:
            return label, item.inherited
        if item.inherited and inherits and title == label and not long:
            return label, True
        if self.longest is not None and long:
            label = cut(label, self.longest)
            self.work.loss(
                "label.cut",
                "altered",
                item_facts(row, "label"),
                row=row,
                before=item.label,
                after=label,
            )
        elif label != item.label:
            self.work.loss(
                "label.characters",
                "altered",
                item_facts(row, "label"),
                row=row,
                before=repr(item.label),
                after=label,
            )
            if inherits and not label and title:
                return title, True
        elif inherits and not label and title is not None:
            if item.inherited or title:
                self.work.loss(
                    "label.empty",
                    "altered",
                    item_facts(row, "label"),
                    row=row,
                    after=title,
                )
                return title, True
            return "", True
        elif item.inherited:
            self.frozen.append(row)
        return label, False

    def _decided(self, row: int, item: Item, choice: ItemChoice) -> str:
        """The label that was decided for an item. Raises `ChoiceError` where it does not fit."""
        label = self.clean(choice.label or "")
        steps = [*choice.steps, "label"]
        if label != choice.label:
            raise ChoiceError("the destination cannot write this label as it stands", steps)
        if self.longest is not None and len(label) > self.longest:
            raise ChoiceError(
                f"the label has {len(label)} characters, and {self.longest} fit", steps
            )
        if label != item.label:
            mine = item_facts(row, "label")
            self.work.loss(
                "label.decided", "altered", mine, row=row, before=item.label, after=label
            )
        elif item.inherited:
            self.frozen.append(row)
        return label

    def translations(
        self, row: int, item: Item, *, held: bool = True
    ) -> tuple[tuple[str, str], ...]:
        """The labels in further languages that the destination holds.

        `held`: whether the record of this item holds any. What the file format cannot write is left
        out of them, and said.
        """
        kept: list[tuple[str, str]] = []
        for language, text in self._kept(row, item, held):
            plain = text if self.stays else self.work.clean(text)
            if not self.work.same_file and not _LANGUAGE.fullmatch(language):
                self.lost.setdefault(language, []).append(row)
                continue
            if plain != text:
                self.work.loss(
                    "label.characters",
                    "altered",
                    item_facts(row, f"label@{language}"),
                    row=row,
                    before=repr(text),
                    after=plain,
                )
            kept.append((language, plain))
        return tuple(kept)

    def _kept(self, row: int, item: Item, held: bool) -> tuple[tuple[str, str], ...]:
        """The labels that stay those of one item; all others are lost, or get menus."""
        keeps = self.keeps_languages and held
        main = self.work.language if self.work.profile.languages else None
        given = tuple(self.work.more_labels.get(row, item.translations))
        if not keeps and self.work.options.languages != "menus":
            for language, _ in given:
                self.lost.setdefault(language, []).append(row)
            return ()
        apart: tuple[tuple[str, str], ...] = ()
        if self.work.options.languages == "menus":  # they get menus of their own
            apart = tuple(pair for pair in given if pair[0] != self.work.language)
            given = tuple(pair for pair in given if pair not in apart)
        if keeps and not any(language == main for language, _ in given):
            return given
        if keeps and item.label == dict(given)[main or ""]:
            return given
        kept = () if not keeps else given
        kept = tuple(pair for pair in kept if pair[0] != main)
        there = {language for language, _ in kept}
        for language, _ in given:
            if language not in there:
                self.lost.setdefault(language, []).append(row)
        return kept

    def clash(self, row: int, before: str, after: str) -> None:
        """Report a label that was changed because another item has the same one."""
        mine = item_facts(row, "label")
        if row in self.frozen:
            self.frozen.remove(row)
        earlier = self.work.ledger.about(0, "item", (row,))
        self.work.ledger.withdraw(*(loss for loss in earlier if loss.covers == mine))
        self.work.loss("label.clash", "altered", mine, row=row, before=before, after=after)

    def finish(self) -> None:
        """Report what is said once for the menu."""
        work, rows = self.work, self.work.rows
        if self.frozen:
            work.loss(
                "label.frozen",
                "altered",
                [Cover(0, "item", tuple(self.frozen), "label")],
                menu=self.fate.menu.id,
                labels=tuple(work.label(row) for row in self.frozen),
            )
        for language, lost in sorted(self.lost.items()):
            work.loss(
                "label.language",
                "dropped",
                [Cover(0, "item", tuple(lost), f"label@{language}")],
                menu=self.fate.menu.id,
                before=language,
                labels=tuple(said(rows.things[row], language) for row in lost),
            )
