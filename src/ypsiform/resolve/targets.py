"""Targets: what each one becomes at the destination, by kind and by the table of matches."""

from __future__ import annotations

import re
from typing import NamedTuple, Protocol
from urllib.parse import urlsplit

from msgspec.structs import replace

from ..addresses import Hosts, is_relative, root_relative
from ..decisions import Decisions
from ..errors import RefusedError
from ..findings import Cover, Finding, Outcome, notice
from ..model import CONTENT_KINDS, NOWHERE, Content, Item, Rows, Site, Target, path_to, targets_of
from ..profiles.items import pointable
from ..profiles.schema import Profile
from . import links
from .suggestions import Suggestions

WORDS = {
    "home": "home page",
    "page": "page",
    "article": "article",
    "articles": "list of all articles",
    "term": "topic",
    "product": "product",
    "product-group": "product group",
    "all-products": "list of all products",
    "all-groups": "list of all product groups",
    "search": "search page",
    "search-field": "search field",
    "account": "account page",
    "file": "file",
    "fragment": "place on the same page",
    "mail": "mail address",
    "phone": "phone number",
    "external": "address of another site",
    "none": "item that leads nowhere",
}
"""Kinds of target in plain words."""


_BY_ADDRESS = ("address", "internal", "divider")
_PLAIN = ("home", "file", "mail", "phone", "external", "fragment")


class Asked(Protocol):
    """What of the options of a conversion links are resolved by."""

    @property
    def unmatched(self) -> str:
        """What becomes of an internal link that nothing matches."""

    @property
    def strict_links(self) -> bool:
        """Whether such a link is refused."""

    @property
    def listed(self) -> tuple[Content, ...]:
        """Pages of the destination that are known by their address only."""

    @property
    def decisions(self) -> Decisions:
        """What somebody decided, links among it."""


class Notices(Protocol):
    """Where findings that are no losses are kept."""

    notices: list[Finding]


class Context(Protocol):
    """What must be known of a conversion for its links to be resolved: fitting says it."""

    profile: Profile
    source_profile: Profile
    source: Site
    base: Site | None
    rows: Rows
    hosts: Hosts

    @property
    def ledger(self) -> Notices:
        """Where notices are kept."""

    @property
    def options(self) -> Asked:
        """What was asked for."""

    @property
    def inventory(self) -> list[Content]:
        """The contents that the destination has."""

    @property
    def theme_name(self) -> str | None:
        """The theme that is written for."""

    @property
    def same_file(self) -> bool:
        """Whether the file itself is written again."""

    @property
    def same_platform(self) -> bool:
        """Whether source and destination are of one platform."""

    @property
    def as_it_stands(self) -> bool:
        """Whether all is written as it was read."""

    def clean(self, text: str) -> str:
        """A text without the characters that the destination cannot write."""

    def label(self, row: int) -> str:
        """What to call a row."""

    def origin(self, row: int) -> str:
        """Where a row stands in its file."""

    def loss(
        self,
        code: str,
        outcome: Outcome,
        covers: list[Cover],
        *,
        row: int | None = None,
        before: str | None = None,
        after: str | None = None,
        labels: tuple[str, ...] = (),
    ) -> Finding:
        """Report a loss, and the facts that it covers."""


class Fate(NamedTuple):
    """What a target becomes: the new target, and the code and words of the loss if there is one."""

    target: Target
    code: str | None = None
    before: str | None = None
    after: str | None = None


def _script(address: str) -> Fate:
    """No address that would run a script is passed on."""
    return Fate(NOWHERE, "link.script", address if len(address) < 60 else address[:59] + "…")


class Targets:
    """The destination's targets for the source's. Each distinct target is worked out once."""

    def __init__(self, work: Context) -> None:
        self.work = work
        kinds = work.profile.kinds
        self.held = frozenset(kind for kind in kinds if kind not in _BY_ADDRESS)
        self.by_address = "address" in kinds or "internal" in kinds
        self.contents = {(c.kind, c.id): c for c in work.source.contents}
        self.pointable = pointable(work.profile, work.inventory, own=work.same_file)
        self.inventory = {(c.kind, c.id): c for c in self.pointable}
        self.listed = _listed(work)
        # A new file gets the source's own address.
        self.there = Hosts((work.base or work.source).addresses)
        self.by_path: dict[str, Content] = {}
        # Contents whose path another one has before them: their address is read as that one.
        self.behind: set[tuple[str, str]] = set()
        for content in work.inventory:
            if content.path is not None:
                first = self.by_path.setdefault(self.there.read(content.path).path, content)
                if first is not content:
                    self.behind.add((content.kind, content.id))
        self.titles = {pair: content.title for pair, content in self.inventory.items()}
        self.matches = self._match()
        self.table = {source: there for source, there, _ in self.matches}
        paths = work.profile.limits_of(work.theme_name).paths
        # The addresses from the root that the destination shows as they are written.
        self.shown_as_written = re.compile(paths) if paths and not work.same_file else None
        rules = work.source_profile.item_kinds(work.source.theme)
        # Where the source's platform shows what it has no contents for, by kind.
        self.own_addresses = {rule.kind: rule.own_address for rule in rules if rule.own_address}
        self._known: dict[Target, Fate] = {}
        self._quiet: dict[Target, Target] = {}
        self.unchecked: list[tuple[int, str]] = []
        self.files: list[str] = []  # the addresses of files that items lead to
        self.unmatched: list[str] = []
        # The rows and facts of links of which some finding says what became of them.
        self.reported: set[tuple[int, str]] = set()
        self.suggested: set[tuple[str, str]] = set()
        self.suggestions: Suggestions | None = None

    def _match(self) -> list[links.Match]:
        work = self.work
        self.wanted = {} if work.same_file else wanted_of(work)
        self.labels = labels_of(work, self.wanted)
        self.plain = frozenset(pair for pair in self.wanted if pair not in self.contents)
        if work.same_file:
            return []
        decided = work.options.decisions.links
        everything = (work.source.contents, self.pointable, self.held, self.listed.values())
        looked = links.Wanted(list(self.wanted.values()), self.plain, self.labels)
        foreign = _foreign(work)
        found = links.match(looked, *everything, foreign=foreign)
        agreed = {(pair, there) for pair, there, _ in found}
        by_table = [
            (pair, choice.content, "table")
            for pair, choice in decided.items()
            if pair in self.wanted
            and (choice.content in self.inventory or choice.content in self.listed)
            if choice.content is not None and (pair, choice.content) not in agreed
        ]
        # A row that says what Ypsiform would do by itself decides nothing.
        elsewhere = {pair for pair, choice in decided.items() if choice.content is None}
        elsewhere |= {pair for pair, _, _ in by_table}
        if elsewhere.isdisjoint(self.wanted):
            return found
        left = looked.without(elsewhere)
        return [*by_table, *links.match(left, *everything, foreign=foreign)]

    def of(self, target: Target) -> Fate:
        """What a target becomes."""
        found = self._known.get(target)
        if found is None:
            found = self._known[target] = self._landed(self._fit(target))
        return found

    def _landed(self, fate: Fate) -> Fate:
        """An address that is one of the destination's contents is read back as that content."""
        made = fate.target
        if made.address is None:
            return fate
        address = self.work.clean(made.address)
        if not address and made.kind == "none":
            return fate._replace(target=NOWHERE)
        if address != made.address:
            fate = Fate(made, fate.code or "link.characters", repr(made.address), address)
            if not address:
                return fate._replace(target=NOWHERE, after="nowhere")
        if self.shown_as_written is not None:
            fate, address = self._absolute(fate, address)
        parts = self.there.read(address)
        if parts.kind == "script":  # the path of a content, which strangers wrote too
            return _script(address)
        if parts.kind == "none" and made.kind != "none" and made.content is None:
            # The address of a content may be none that leads anywhere.
            return Fate(NOWHERE, "link.unresolved", self.words(made), "nowhere")
        content = self.by_path.get(parts.path) if parts.kind in ("home", "page", "file") else None
        if made.content is None and content is not None:
            made = Target(content.kind, content.id, address)
        else:
            # What an address is, is read from it again: what was another site's may be a page of
            # the destination's own, and a page its home.
            own = made.kind in ("external", "page") and made.content is None
            ours = parts.kind in ("home", "page", "file")
            # One that is said by its key as well stays, at its own platform, what it is.
            own = own and (ours and made.key is None if self.work.same_file else True)
            made = Target(parts.kind if own else made.kind, made.content, address, made.key)
        return fate._replace(target=made)

    def _absolute(self, fate: Fate, address: str) -> tuple[Fate, str]:
        """An address that the destination would change is written with the site's own before it."""
        assert self.shown_as_written is not None
        if not address.startswith("/") or self.shown_as_written.fullmatch(address):
            return fate, address
        site = (self.work.base or self.work.source).addresses
        host = urlsplit(site[0]) if site else None
        if address.startswith("//"):
            whole = "https:" + address
        elif host is None or not host.netloc:
            self.work.ledger.notices.append(
                notice(
                    "link.rewritten", before=address, after=address, origin=self.work.source.file
                )
            )
            return fate, address
        else:
            whole = f"{host.scheme or 'https'}://{host.netloc}{address}"
        if fate.target.kind in ("file", "external") and fate.code is None:
            fate = fate._replace(code="link.rewritten", before=address, after=whole)
        return fate, whole

    def as_address(self, target: Target) -> Target:
        """A target of the destination by its address alone, as it will be read back."""
        address = target.address
        if target.kind == "none" or (address is not None and target.content is None):
            return target
        if address is None and target.content is not None:
            pair = (target.kind, target.content)
            content = self.inventory.get(pair) or (
                self.contents.get(pair) if self.work.same_file else None
            )
            address = content.path if content is not None else None
        if address is None and target.kind == "home":
            return Target("home", address="/")
        if address is None:
            return NOWHERE
        return self._landed(Fate(Target("page", address=address))).target

    def _place(self, target: Target) -> str:
        """The address of a target, or its key; empty where it has none."""
        content = self.contents.get((target.kind, target.content or ""))
        return target.address or (content.path if content else None) or target.key or ""

    def words(self, target: Target) -> str:
        """A target in plain words."""
        content = self.contents.get((target.kind, target.content or ""))
        name = WORDS.get(target.kind, target.kind)
        where = self._place(target)
        title = f" “{content.title}”" if content and content.title else ""
        return f"the {name}{title}" + (f" ({where})" if where else "")

    def _fit(self, target: Target) -> Fate:
        # Scripts go first, whatever they claim to be; then what can only be an address; then
        # contents; and what has no counterpart at last goes by its address, or nowhere.
        work, kind = self.work, target.kind
        tail = ""
        if target.address is not None:
            parts = work.hosts.read(target.address)
            if parts.kind == "script":
                return _script(target.address)
            tail = parts.tail
        if kind == "none":
            return Fate(target if work.as_it_stands else NOWHERE)
        if kind in CONTENT_KINDS and target.content is None and target.address is None:
            return self._unresolved(target, None)
        if work.same_file:
            return Fate(target)
        if kind in ("mail", "phone", "external", "fragment") or (
            kind == "file" and target.content is None
        ):
            if not self.by_address:
                return self._not_held(target)
            own = kind == "file" and target.address is not None
            address = root_relative(target.address or "", work.hosts) if own else target.address
            return Fate(Target(kind, address=address))
        if kind in CONTENT_KINDS:
            return self._content(target, tail)
        if kind in self.held and not tail:
            return Fate(Target(kind))
        if kind == "search-field":
            made = self._fit(Target("search", address=target.address)).target
            return Fate(made, "kind.search-field", None, self.words(made))
        if kind == "search" and "search-field" in self.held and not tail:
            return Fate(Target("search-field"), "kind.search-field", None, WORDS["search-field"])
        if kind == "home" and self.by_address:
            address = root_relative(target.address, work.hosts) if target.address else "/"
            return Fate(Target(kind, address=address))
        if target.address is not None and self.by_address:
            address = root_relative(target.address, work.hosts)
            return Fate(Target("page", address=address), "kind.as-address", WORDS[kind], address)
        shown = self.own_addresses.get(kind)
        if shown is None or not self.by_address:
            return self._not_held(target)
        if not self._is_there(shown) and work.options.unmatched != "address":
            return self._not_held(target)
        return Fate(Target("page", address=shown), "kind.as-address", WORDS[kind], shown)

    def _content(self, target: Target, tail: str) -> Fate:
        work, kind = self.work, target.kind
        content = self.contents.get((kind, target.content or ""))
        if target.address is not None:
            address: str | None = root_relative(target.address, work.hosts)
        else:
            path = content.path if content else None  # an empty one is none
            own = path and work.hosts.read(path).kind in ("home", "page", "file")
            address = root_relative(path, work.hosts) if path and own else path or None
        decided = self._decided(target, content)
        if decided is not None:
            return decided
        there_kind = links.mapped_kind(kind, self.held)
        if content is None and target.address is not None:
            content = links.as_content("page", target.address, work.hosts)
        if content is not None and self.table.get((kind, content.id)) is not None:
            there_kind = there_kind or self.table[kind, content.id][0]
        listed = self.listed.get(self.table.get((kind, content.id), ("", ""))) if content else None
        if listed is not None and self.by_address:
            made = Target("page", address=(listed.path or "") + tail)
            if kind == "page":
                return Fate(made)
            return Fate(made, "kind.as-address", WORDS[kind], made.address)
        if not work.inventory and not self.listed:
            if address is None or not self.by_address:
                return self._unresolved(target, None)
            return Fate(Target("page", address=address), "link.unchecked", None, address)
        if there_kind is None and self.listed:
            return self._unresolved(target, address)
        if there_kind is None:
            if address is None or not self.by_address:
                return self._not_held(target)
            return Fate(Target("page", address=address), "kind.as-address", WORDS[kind], address)
        pair = self.table.get((kind, content.id)) if content else None
        if pair is None:
            return self._unresolved(target, address)
        there = self.inventory[pair]
        known = self.contents.get((kind, target.content or ""))
        same = known is not None and (known.kind, known.id, known.path) == (*pair, there.path)
        ours = pair not in self.behind
        if ours and target.address is not None and not work.same_file:
            # A destination without an address takes a whole one for another site's.
            ours = self.there.read(target.address).kind in ("page", "home", "file")
        if work.same_platform and same and (ours or target.address is None):
            return Fate(target)  # the same page of the same site: it is said as it was
        made = Target(there.kind, there.id)
        if tail:
            if not self.by_address or there.path is None or not ours:
                return Fate(made, "link.tail", tail)
            made = Target(there.kind, there.id, there.path + tail)
        if there.kind != kind and target.content is not None:
            return Fate(made, "kind.stand-in", WORDS[kind], WORDS[there.kind])
        return Fate(made)

    def _decided(self, target: Target, content: Content | None) -> Fate | None:
        """What the link table says of a target, other than which content it is matched with."""
        known = content
        if known is None and target.address is not None:
            known = links.as_content("page", target.address, self.work.hosts)
        choice = self.work.options.decisions.links.get((known.kind, known.id)) if known else None
        if choice is None or choice.content is not None:
            return None
        words = self.words(target)
        if choice.address is None or not self.by_address:
            return Fate(NOWHERE, "link.decided", words, "nowhere")
        kind = self.there.read(choice.address).kind
        made = Target(kind if kind in _PLAIN else "page", address=choice.address)
        if kind == "page" and not self._is_there(choice.address):
            return Fate(made, "link.decided-unknown", words, choice.address)
        return Fate(made, "link.decided", words, choice.address)

    def _is_there(self, address: str) -> bool:
        """Whether an address is one of the destination's pages, as far as these are known."""
        path = self.there.read(address).path
        known = self.work.inventory or self.listed
        return not known or path in self.by_path or ("page", path) in self.listed

    def _unresolved(self, target: Target, address: str | None) -> Fate:
        words = self.words(target)
        if self.work.options.unmatched == "address" and address is not None and self.by_address:
            made = Target("page", address=address)
            return Fate(made, "link.unresolved", words, f"to the old address {address}")
        return Fate(NOWHERE, "link.unresolved", words, "nowhere")

    def _not_held(self, target: Target) -> Fate:
        return Fate(NOWHERE, "kind.not-held", f"link to {self.words(target)}", "nowhere")

    def apply(
        self, row: int, target: Target, fact: str = "target", words: str | None = None
    ) -> Target:
        """The destination's target for a row, its loss reported under the fact named.

        `words` are those of a link inside a block: findings name it by them.
        """
        quiet = self._quiet.get(target)
        if quiet is not None:
            return quiet
        fate = self.of(target)
        if target.address is not None and is_relative(target.address):
            there = root_relative(target.address, self.work.hosts)
            self._tell("link.relative", row, target.address, there)
        if target.kind == "file":
            self.files.append(self._place(target))
        if fate.code is not None:
            self.reported.add((row, fact))
        elif target.kind != "file" and (target.address is None or not is_relative(target.address)):
            self._quiet[target] = fate.target  # nothing is to be said of it
        if fate.code == "link.unchecked":
            self.unchecked.append((row, fact))
        elif fate.code is not None:
            loss = self.work.loss(
                fate.code,
                "altered",
                [Cover(0, "item", (row,), fact)],
                row=row,
                before=fate.before,
                after=fate.after,
            )
            if words is not None:
                loss.path = (*loss.path[:-1], words)
            if fate.code in ("link.unresolved", "link.decided-unknown"):
                self.unmatched.append(fate.before or "")
                self._suggest(row, target)
        return fate.target

    def _tell(self, code: str, row: int, before: str, after: str) -> None:
        """Say something of the link of a row that is no loss."""
        work = self.work
        menu, thing = work.source.menus[work.rows.menu[row]], work.rows.things[row]
        work.ledger.notices.append(
            notice(
                code,
                menu=menu.id,
                menu_name=menu.title or menu.key,
                item=thing.id if isinstance(thing, Item) else None,
                path=path_to(work.rows, row),
                before=before,
                after=after,
                origin=work.origin(row),
            )
        )

    def _suggest(self, row: int, target: Target) -> None:
        """Say what comes near to a content that nothing matches, once for each content."""
        work = self.work
        content = self.contents.get((target.kind, target.content or ""))
        if content is None and target.address is not None:
            content = links.as_content("page", target.address, work.hosts)
        if content is None or (content.kind, content.id) in self.suggested:
            return
        self.suggested.add((content.kind, content.id))
        if self.suggestions is None:
            there = [*self.pointable, *self.listed.values()]
            self.suggestions = Suggestions(there, self.held)
        pair = (content.kind, content.id)
        plain = pair in self.plain
        if plain and pair in self.labels:
            content = replace(content, title=self.labels[pair])
        near = self.suggestions.near(content, most=3, plain=plain)
        words = (
            f"the {WORDS.get(one.content.kind, one.content.kind)} “{one.content.title}” "
            f"({one.content.path or one.content.id}), {one.likeness:.0f} % alike"
            for one in near
        )
        if near:
            self._tell("link.suggested", row, self.words(target), "; ".join(words))

    def is_of(self, target: Target, kinds: list[str]) -> bool:
        """Whether a target of the destination is written by a rule of one of these kinds."""
        if target.kind in kinds:
            return True
        by_address = target.address is not None or target.kind not in self.held
        return by_address and ("address" in kinds or "internal" in kinds)

    def finish(self) -> None:
        """Report what is said once for all items; refuse where unmatched links are not allowed."""
        work = self.work
        if work.options.strict_links and (self.unmatched or self.unchecked):
            names = list(self.unmatched)
            for row, _ in self.unchecked:
                names += [self.words(t) for t in targets_of(work.rows.things[row])]
            names = list(dict.fromkeys(names))
            some = "; ".join(names[:5]) + (f"; and {len(names) - 5} more" if len(names) > 5 else "")
            raise RefusedError(
                f"{len(names)} internal links have no counterpart at the destination, and "
                f"--strict-links was given: {some}",
                file=work.source.file,
            )
        if self.unchecked:
            by_fact: dict[str, list[int]] = {}
            for row, fact in self.unchecked:
                by_fact.setdefault(fact, []).append(row)
            work.loss(
                "link.unchecked",
                "altered",
                [Cover(0, "item", tuple(rows), fact) for fact, rows in by_fact.items()],
                labels=tuple(work.label(row) for row, _ in self.unchecked),
            )


def _listed(work: Context) -> dict[tuple[str, str], Content]:
    """The pages that are known by their address only, by kind and normalised path."""
    there = Hosts((work.base or work.source).addresses)
    made: dict[tuple[str, str], Content] = {}
    for content in work.options.listed if not work.same_file else ():
        path = there.read(content.path or "").path
        if path:
            made.setdefault(("page", path), replace(content, id=path))
    return made


def wanted_of(work: Context) -> dict[tuple[str, str], Content]:
    """The contents of the source that links lead to, those known by their address included."""
    contents = {(c.kind, c.id): c for c in work.source.contents}
    wanted: dict[tuple[str, str], Content] = {}
    for target in work.rows.targets():
        if target.content is not None:
            pair = (target.kind, target.content)
            if pair in contents:  # a document may name one that it does not hold
                wanted.setdefault(pair, contents[pair])
        elif target.kind == "page" and target.address is not None:
            content = links.as_content("page", target.address, work.hosts, work.source_profile)
            wanted.setdefault(("page", content.id), content)
    return wanted


def labels_of(work: Context, wanted: dict[tuple[str, str], Content]) -> dict[tuple[str, str], str]:
    """What items call the pages that they lead to, where the source lists no contents.

    Labels that stand for several pages are left out, and pages that have several labels.
    """
    if work.source.contents:
        return {}
    labels: dict[tuple[str, str], str] = {}
    pages: dict[str, set[tuple[str, str]]] = {}
    for thing in work.rows.things:
        if not isinstance(thing, Item) or thing.target.address is None or not thing.label:
            continue
        pair = ("page", work.hosts.read(thing.target.address).path)
        if pair in wanted:
            labels.setdefault(pair, thing.label)
            pages.setdefault(" ".join(thing.label.split()).casefold(), set()).add(pair)
    alone = {pair for found in pages.values() if len(found) == 1 for pair in found}
    several = {pair for found in pages.values() if len(found) > 1 for pair in found}
    alone -= several
    return {pair: label for pair, label in labels.items() if pair in alone}


def _foreign(work: Context) -> bool:
    """Whether source and destination are known to be in different languages."""
    there = work.base.languages if work.base is not None else ()
    known = work.source.languages and there
    return bool(known) and work.source.languages[0] != there[0]
