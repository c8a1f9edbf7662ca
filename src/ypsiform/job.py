"""What a conversion is asked to do: as one value, and as the words and files that it comes from."""

from __future__ import annotations

import os
from collections.abc import Mapping
from datetime import date
from pathlib import Path

from msgspec import Struct

from .decisions import LinkChoice, Pair
from .effort import USUAL
from .errors import AskedError, FileError
from .files import STANDARD, is_folder, read_bytes
from .fit.options import Options
from .model import Content
from .plan.file import VERSION, MigrationPlan, PlanFile
from .profiles.load import find, profile_file
from .profiles.schema import Profile
from .record import ENDING, Record, read_record, sha256


class Job(Struct, frozen=True, kw_only=True):
    """All that a conversion is asked to do; nothing but `data`, `file` and `to` must be said.

    `to` and `from_` are platforms by name, or profiles that are in no file yet. `into` is an
    export of the destination, with its name. `settings` are those of the destination's profile,
    `nav` the CSS selector of what is read of a page, `site` an address of the old site's own,
    `plan` the decisions of a specialist, `links` a table of where links lead, or `decided` what
    one says, `redirects` a table of old addresses and new ones, `record` that of an earlier run
    into the destination.
    """

    data: bytes
    file: str
    to: str | Profile
    from_: str | Profile | None = None
    into: tuple[bytes, str] | None = None
    options: Options = Options()
    settings: Mapping[str, str] = {}
    nav: str | None = None
    site: str | None = None
    plan: MigrationPlan | None = None
    links: tuple[bytes, str] | None = None
    decided: Mapping[Pair, LinkChoice] = {}
    redirects: tuple[bytes, str] | None = None
    record: Record | None = None


class Request(Struct):
    """What is asked for, in words and names of files: by options, and where these say nothing by a
    plan. The command line and the library both ask so.
    """

    from_: str | None = None
    nav: str | None = None
    site: str | None = None
    to: str | None = None
    into: str | None = None
    inventory: str | None = None
    redirects: str | None = None
    unmatched: str | None = None
    depth: str | None = None
    visits: str | None = None
    clash: str | None = None
    languages: str | None = None
    font: str | None = None
    settings: tuple[str, ...] = ()
    as_of: str | None = None
    record: str | None = None
    made_up: bool = False
    strict_links: bool = False

    def under(self, plan: MigrationPlan) -> None:
        """Take from a plan what the command line leaves open."""
        says = plan.says
        for name in ("nav", "site", *DECIDED):
            setattr(self, name, getattr(self, name) or getattr(says, name))
        for name in ("from_", "to"):
            named = getattr(says, name)
            file = profile_file(named)
            if file is not None and named is not None:
                # The path of a profile is relative to the plan, as every other one in it.
                named = (plan.path(file) or file) + named[len(file) :]
            setattr(self, name, getattr(self, name) or named)
        for name in FILES:
            setattr(self, name, getattr(self, name) or plan.path(getattr(says, name)))
        self.made_up = self.made_up or bool(says.made_up)
        given = (f"{name}={value}" for name, value in says.settings.items())
        self.settings = (*given, *self.settings)

    def options(self, plan: MigrationPlan | None) -> Options:
        """The options to fit by."""
        return Options(
            made_up=self.made_up,
            unmatched=self.unmatched or "none",
            strict_links=self.strict_links,
            clash=self.clash or "first",
            depth=self.depth or "lift",
            languages=self.languages or "keep",
            visits=_visits(self.visits),
            listed=_listed(self.inventory),
            font=file_of(self.font),
            as_of=day_of(self.as_of),
            measure=plan.says.effort if plan is not None and plan.says.effort else USUAL,
        )

    def chosen_settings(self, to: str, output: str) -> dict[str, str]:
        """The settings by name; the form of a document follows the name of the output."""
        found: dict[str, str] = {}
        for words in self.settings:
            name, sign, value = words.partition("=")
            if not sign or not name:
                raise AskedError(f"--set takes NAME=VALUE, not {words!r}.")
            found[name] = value
        profile = find(to)[0]
        if profile.also and "form" in profile.settings and "form" not in found:
            from .profiles.documents import ENDINGS, FOLDER

            ending = ENDINGS.get(output.rpartition(".")[2].lower())
            if is_folder(output):
                found["form"] = FOLDER
            elif ending in (profile.container, *profile.also):
                found["form"] = ending
        return found

    def job(
        self,
        data: bytes,
        export: str,
        output: str | None,
        plan: MigrationPlan | None = None,
        decided: Mapping[Pair, LinkChoice] | None = None,
    ) -> Job:
        """The conversion of an export, with all files that it needs read.

        Raises `AskedError` for what cannot be meant, and `FileError` for a file that cannot be
        read.
        """
        if self.to is None:
            raise AskedError("name the destination platform")
        links = plan.path(plan.says.links) if plan is not None else None
        return Job(
            data=data,
            file=export,
            to=self.to,
            from_=self.from_,
            into=file_of(self.into),
            options=self.options(plan),
            settings=self.chosen_settings(self.to, output or ""),
            nav=self.nav,
            site=self.site,
            plan=plan if decided is None else None,
            links=file_of(links) if decided is None else None,
            decided=decided or {},
            redirects=file_of(self.redirects),
            record=record_of(self, output),
        )

    def hashes(self, job: Job, plan: str | None) -> dict[str, str | None]:
        """Those of all that a job is made of, by what it is; `plan` is the name of its file."""
        file = profile_file(self.from_)
        return {
            "source": sha256(job.data),
            "plan": sha256(read_bytes(plan)) if plan is not None else None,
            "links": sha256(job.links[0]) if job.links is not None else None,
            "into": sha256(job.into[0]) if job.into is not None else None,
            "profile": sha256(read_bytes(file)) if file is not None else None,
        }

    def told(self, folder: Path) -> PlanFile:
        """What is asked for as a plan in this folder says it."""
        says = PlanFile(VERSION, made_up=self.made_up or None)
        for name in ("nav", "site", *DECIDED):
            setattr(says, name, getattr(self, name))
        for name in ("from_", "to"):
            setattr(says, name, from_folder(getattr(self, name), folder))
        for name in FILES:
            file = getattr(self, name)
            setattr(says, name, relative(file, folder) if file else None)
        says.settings = dict(words.split("=", 1) for words in self.settings if "=" in words)
        return says


FILES = ("into", "inventory", "redirects", "visits", "font")
"""The files of a job beside the export, by the names that a plan gives them as well."""

DECIDED = ("unmatched", "clash", "depth", "languages", "as_of")
"""What is decided once for all menus."""


def day_of(words: str | None) -> str | None:
    """A day as it is compared. Raises `AskedError` for what is none."""
    if words is None:
        return None
    try:
        return date.fromisoformat(words).isoformat()
    except ValueError:
        raise AskedError(f"--as-of takes a day as 2026-11-30, not {words!r}.") from None


def from_folder(platform: str | None, folder: Path) -> str | None:
    """A platform as it is named from a folder: the path of a profile is relative to that."""
    file = profile_file(platform)
    if file is None or platform is None:
        return platform
    return relative(file, folder) + platform[len(file) :]


def record_of(request: Request, output: str | None) -> Record | None:
    """The record of an earlier run into the destination: named, or found beside a file."""
    beside = [record_name(name) for name in (output, request.into) if name and name != STANDARD]
    found = [name for name in beside if os.path.exists(name)]
    name = request.record or next(iter(found), None)
    if name is None or request.into is None:
        return None
    return read_record(read_bytes(name), name)


def record_name(output: str) -> str:
    """The name of the record of an import file, or of a folder of them."""
    return output.rstrip("/") + ENDING


def file_of(name: str | None) -> tuple[bytes, str] | None:
    """What a file holds, and its name; None where there is none."""
    return (read_bytes(name), name) if name else None


def relative(name: str, folder: Path) -> str:
    """A path as it is seen from a folder. Raises `FileError` for one that no plan can name."""
    path = Path(os.path.relpath(name, folder)).as_posix() if name != "-" else name
    if not path.isascii() and any("\ud800" <= c <= "\udfff" for c in path):
        raise FileError("the name is not UTF-8, and so no plan can name it; rename it", file=name)
    return path


def _listed(name: str | None) -> tuple[Content, ...]:
    """The pages that an inventory lists."""
    if name is None:
        return ()
    from .plan.inventory import read_inventory

    return tuple(read_inventory(read_bytes(name), name))


def _visits(name: str | None) -> dict[str, float]:
    """Visits by normalised path."""
    if name is None:
        return {}
    from .plan.inventory import read_visits

    return read_visits(read_bytes(name), name)
