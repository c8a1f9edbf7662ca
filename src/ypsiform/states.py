"""Words by which systems say whether visitors see a page or an item: live, draft, private, gone."""

from __future__ import annotations

from collections.abc import Iterable

_SAID = {
    "live": """live published public active visible shown online released enabled veröffentlicht
        aktiv sichtbar öffentlich publié publiée actif publicado publicada activo pubblicato attivo
        publisert publicerad gepubliceerd opublikowany julkaistu""",
    "draft": """draft unpublished pending unfinished inactive disabled hidden offline entwurf
        unveröffentlicht inaktiv versteckt brouillon inactif masqué borrador rascunho bozza inattivo
        kladd utkast skjult szkic luonnos""",
    "private": "private privat privé privado",
    "gone": """deleted removed trash trashed archived withdrawn gelöscht archiviert supprimé archivé
        eliminado archivado slettet verwijderd""",
}
STATES: dict[str, frozenset[str]] = {
    state: frozenset(words.split()) for state, words in _SAID.items()
}
"""By the state of a content the words that say it, in small letters."""


def states_of(words: Iterable[object]) -> dict[str, str] | None:
    """What each of several words says, where one says live, and another one something else.

    None where they do not, or where a word says no state.
    """
    found: dict[str, str] = {}
    for word in words:
        asked = word.strip().casefold() if isinstance(word, str) else ""
        state = next((state for state, known in STATES.items() if asked in known), None)
        if state is None:
            return None
        found[str(word)] = state
    return found if "live" in found.values() and {*found.values()} != {"live"} else None
