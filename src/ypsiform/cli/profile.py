"""`ypsiform profile`: for those who describe a platform."""

from __future__ import annotations

import inspect
from collections.abc import Iterator
from typing import TYPE_CHECKING

import click

from ..files import STANDARD, check_apart, check_output, read_bytes, write_all
from .common import force_option, progress, put, say, show, style, width

if TYPE_CHECKING:
    from ..reading import Surveyed

MOST = 40


@click.group("profile", short_help="Draft a profile, check one, or print the language's schema.")
def command() -> None:
    """For those who describe a platform."""


@command.command("schema")
@click.option("--document", is_flag=True, help="That of Ypsiform's own document instead.")
def schema(document: bool) -> None:
    """Print the JSON Schema of the profile language, for editors."""
    import msgspec

    from ..document_form import Document
    from ..profiles.schema import Profile

    found = msgspec.json.schema(Document if document else Profile)
    for part in found["$defs"].values():
        if "description" in part:  # Python 3.13 takes the indentation away by itself
            part["description"] = inspect.cleandoc(part["description"])
    made = msgspec.json.encode(found)
    put(msgspec.json.format(made, indent=2) + b"\n")


@command.command("check")
@click.argument("profile")
@click.argument("sample", required=False)
def check(profile: str, sample: str | None) -> int:
    """Check PROFILE (a file, or an id); with SAMPLE, read it, write it back, and compare."""
    from ..profiles.load import find

    found, _ = find(profile)
    from ..report.terminal import headline, number

    fields = len(found.items.fields) + len(found.menus.fields)
    name = f"{found.name} ({found.id})"
    words = (
        f" is a sound profile: {number(fields, 'field')} of menus and items, "
        f"{number(len(found.items.kinds), 'kind')}, {number(len(found.themes), 'theme')}."
    )
    show(headline(name, words, width(), style))
    if sample is None:
        return 0
    data = read_bytes(sample)
    if found.read_only:
        show(_only_read(data, sample, profile))
        return 0
    lines, sound = _against(data, sample, profile)
    show(lines)
    return 0 if sound else 3


@command.command("new")
@click.argument("sample")
@click.option("-o", "--output", metavar="FILE", help="The profile to write.")
@click.option(
    "--show",
    "most",
    type=click.IntRange(1, 20),
    metavar="N",
    help="Show the N likeliest readings instead, each with what its score is made of.",
)
@click.option(
    "--pick",
    type=click.IntRange(1, 20),
    default=1,
    metavar="K",
    help="Write the profile of the Kth of these readings.",
)
@force_option
def new(sample: str, output: str | None, most: int | None, pick: int, force: bool) -> None:
    """Write a first profile of an export that nobody has described, and show what it reads.

    Each guess has its evidence as a comment; what is uncertain is marked.
    """
    from ..column_words import column_words
    from ..first_profile import first_profile
    from ..guess.text import hinted
    from ..report.terminal import survey_lines

    if most is not None:
        _readings(sample, most)
        return
    if output is None:
        raise click.UsageError("Say where the profile is to be written: -o FILE (or --show N).")
    check_output(output, force)
    check_apart((output,), (sample,))
    data = read_bytes(sample)
    with progress(len(data)) as tell:
        tell("looking for menus")
        made = first_profile(data, sample, pick)
    surveyed = made.surveyed
    text = made.text + hinted(column_words(surveyed.site, surveyed.rows))
    write_all({output: text.encode()})
    if output == STANDARD:
        return
    show(survey_lines(surveyed, width(), style, False))
    marked = made.uncertain or "none"
    say(f"Written: {output}; guesses marked UNCERTAIN: {marked}.")
    say(f"Look at it, then: ypsiform profile check {output} {sample}")


def _readings(sample: str, most: int) -> None:
    """Show the likeliest readings of a sample, as short trees with the terms of their scores."""
    from ..errors import YpsiformError
    from ..guess import drafts
    from ..profiles.load import parsed
    from ..reading import read
    from ..report.terminal import short_tree
    from ..text import safe

    data = read_bytes(sample)
    for number, made in enumerate(drafts(data, sample, most), 1):
        terms = ", ".join(f"{name} {held:.2f}" for name, held in made.terms.items())
        show([style(f"{number}. Score {made.weight:.2f}", "title"), f"  {terms}"])
        try:
            surveyed, _ = read(data, sample, parsed(made.text, f"reading {number}"))
            show(short_tree(surveyed, width(), style))
        except YpsiformError as error:
            show([f"  It cannot be read so: {safe(str(error))}", ""])
    say(f"To write the profile of one of them: ypsiform profile new {sample} --pick K -o my.toml")


def _against(data: bytes, sample: str, platform: str) -> tuple[list[str], bool]:
    from ..fit import Options
    from ..migrate import convert
    from ..model import Item
    from ..profiles.check import differences, idle, missing
    from ..report.terminal import finding_lines, number
    from ..text import safe

    done = convert(data, sample, platform, from_=platform, options=Options(made_up=True))
    source = done.source
    site = source.site
    contents = number(len(site.contents), "content record")
    items = sum(isinstance(thing, Item) for thing in source.rows.things)
    facts = done.audited.facts
    lines = [
        f"Read: {number(len(site.menus), 'menu')}, {number(items, 'item')}, {contents}, "
        f"{number(sum(bool(place.menus) for place in site.locations), 'location')} in use.",
        f"Written back: {facts['kept']:,} of {facts['total']:,} facts are the same.",
        "",
    ]
    lacks = missing(site, source.rows)
    nothing = [*lacks, *idle(source.rows, source.profile)]
    if nothing:
        lines.append(style("Found nowhere in the sample", "title"))
        lines += [*(f"  {one}" for one in nothing), ""]
    lines += _unread(source)
    if done.fitted.losses:
        lines += [style("Lost on the way", "title"), *finding_lines(done.fitted.losses, width())]
    changes = differences(data, done.data, source.profile, sample)
    if changes:
        lines.append(style("Written in another way", "title"))
        for place, before, after in changes[:MOST]:
            quoted = type(before) is not type(after) and None not in (before, after)
            was, now = _said(before, quoted=quoted), _said(after, quoted=quoted)
            lines.append(f"  {safe(place)}: {was} → {now}")
        lines += _more(len(changes))
    else:
        lines.append("The file written back says the same, value for value.")
    return lines, not (done.fitted.losses or lacks)


def _only_read(data: bytes, sample: str, platform: str) -> Iterator[str]:
    """What a profile that cannot write reads of a sample."""
    from ..model import Item
    from ..reading import read
    from ..report.terminal import number

    source, _ = read(data, sample, platform)
    items = sum(isinstance(thing, Item) for thing in source.rows.things)
    yield (
        f"Read: {number(len(source.site.menus), 'menu')}, {number(items, 'item')}, "
        f"{number(len(source.site.contents), 'content record')}."
    )
    yield f"Such files are only read: {source.profile.read_only}"
    yield from _unread(source)


def _unread(source: Surveyed) -> Iterator[str]:
    """What no rule of the profile reads of a sample."""
    from ..notices import unread
    from ..text import safe

    found = unread(source.site, source.rows, source.profile)
    left = [finding for finding in found if finding.code != "read.ignored"]
    if left:
        yield style("Not read by any rule", "title")
        yield from (f"  {safe(f.before or '')}  ({safe(f.origin or '')})" for f in left[:MOST])
        yield from _more(len(left))
    aside = [finding for finding in found if finding.code == "read.ignored"]
    if aside:
        yield style("Not read on purpose", "title")
        yield from (f"  {safe(f.before or '')}: {safe(f.after or '')}" for f in aside[:MOST])
        yield from _more(len(aside))


def _more(count: int) -> Iterator[str]:
    if count > MOST:
        yield f"  … and {count - MOST:,} more"
    yield ""


def _said(value: object, *, quoted: bool) -> str:
    from ..text import safe

    if value is None:
        return "nothing"
    text = value if isinstance(value, str) and not quoted else repr(value)
    return safe(text if len(text) <= 60 else text[:59] + "…")
