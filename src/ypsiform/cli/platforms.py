"""`ypsiform platforms`: the platforms known, and what one of them can hold."""

from __future__ import annotations

import click

from ..profiles.load import every, find
from ..profiles.schema import Profile
from .common import show, style


@click.command("platforms", short_help="List the platforms, or show one.")
@click.argument("platform", required=False)
def command(platform: str | None) -> None:
    """List the platforms, or show what PLATFORM can hold."""
    if platform is None:
        lines = []
        for profile in every():
            themes = ", ".join(profile.themes) or "none"
            lines.append(f"{style(profile.id.ljust(12), 'title')} {profile.about}")
            lines.append(f"{'':12} {profile.container.upper()} file; themes: {themes}")
        show(lines)
        return
    show(_describe(*find(platform)))


def _describe(profile: Profile, theme: str | None) -> list[str]:
    limits = profile.limits
    lines = [style(f"{profile.name} ({profile.id})", "title"), profile.about, ""]
    kinds = ", ".join(
        "any address" if kind == "address" else kind for kind in dict.fromkeys(profile.kinds)
    )
    lines.append(f"Points to:     {kinds}")
    facts = ", ".join(name for name in profile.items.fields if name != "label")
    lines.append(f"Items hold:    label{', ' + facts if facts else ' only'}")
    lines.append(f"Stored levels: {limits.depth or 'any number'}")
    for value, words in (
        (limits.items, "items in a menu"),
        (limits.label, "characters in a label"),
        (limits.title, "characters in a menu's title"),
        (limits.menus, "menus"),
    ):
        if value is not None:
            lines.append(f"At most:       {value} {words}")
    if limits.menu_key:
        key = limits.menu_key
        lines.append(f"Menu keys:     {key.pattern}, up to {key.longest} characters")
    for name, entry in profile.themes.items():
        if theme not in (None, name):
            continue
        lines += ["", style(f"Theme {name}", "title") + f"  {entry.about}"]
        for place in entry.locations:
            shows = "every level" if place.shows is None else f"{place.shows} level"
            shows += "s" if place.shows and place.shows > 1 else ""
            extra = "" if "everyone" in place.audience else f", for {', '.join(place.audience)}"
            extra += ", on handsets only" if place.devices == ("handset",) else ""
            extra += ", panels" if place.panels else ""
            lines.append(f"  {place.name.ljust(10)} {place.caption}: shows {shows}{extra}")
        if entry.panels and entry.panels.encoding == "bound":
            lines.append(
                f"  panels: up to {entry.panels.most}, kept where they stand; not yet written"
            )
    return lines
