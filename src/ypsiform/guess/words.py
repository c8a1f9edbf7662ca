"""Names that fields of exports usually have, in several languages.

They are evidence, never proof: what a field holds counts as well. Names are compared in small
letters, without accents, and without what separates their words.
"""

from __future__ import annotations

import re
import unicodedata
from itertools import pairwise

FIELDS: dict[str, str] = {
    "label": "label title name text caption words linktext menutext anchor headline heading "
    "titel bezeichnung beschriftung anzeigename titre libelle nom intitule texte titulo etiqueta "
    "nombre texto rotulo nome titolo etichetta testo tittel navn tekst etikett merkelapp namn "
    "titelen naam tytul etykieta nazwa otsikko nimi nimike teksti",
    "address": "url href link address path target to goto uri slug leads destination location "
    "adresse ziel pfad verweis lien chemin cible enlace direccion ruta destino endereco caminho "
    "indirizzo percorso collegamento lenke sti lank adress sokvag koppeling adres pad odnosnik "
    "sciezka osoite polku linkki",
    "slug": "slug urlsegment segment urlname alias permalink handle urlkey urlpart urltitle "
    "pathsegment urlslug pageslug urlpath",
    "id": "id key uid uuid nr no number identifier guid ref kennung schluessel nummer identifiant "
    "cle numero clave identificador chave identificativo chiave nokkel sleutel klucz tunnus avain",
    "parent": "parent parentid under above up pid parentref belongsto eltern elternteil "
    "uebergeordnet oberpunkt vater parentkey superior padre pai mae genitore overordnet forelder "
    "foralder ouder bovenliggend rodzic nadrzedny ylempi vanhempi pere",
    "children": "children items entries links nodes subitems submenu sub below kids elements "
    "kinder eintraege unterpunkte enfants elementsdemenu sousmenu hijos elementos filhos itens "
    "figli voci elementi barn undermenu under oppforinger poster onderdelen kinderen dzieci "
    "pozycje lapset alakohdat kohdat",
    "order": "order position sort rank weight seq sequence index sorting sortorder place ordinal "
    "reihenfolge sortierung rang ordre orden posicion ordem posicao ordine posizione rekkefolge "
    "rekkefoelge plass ordning volgorde kolejnosc pozycja jarjestys sija",
    "menu": "menu menuid menukey bar nav navigation location region list menue leiste navigationid "
    "barre barra menyen meny valikko zone bereich section menuname menutitle locations",
    "kind": "kind type sort linktype itemtype category typ art sorte genre tipo soort rodzaj "
    "tyyppi laji slag",
    "level": "level depth indent ebene tiefe niveau profondeur nivel profundidad livello "
    "profondita niva dybde djup diepte poziom taso syvyys",
    "tooltip": "tooltip hint titleattr hover titelattribut infobulle",
    "description": "description blurb summary intro beschreibung descripcion descricao descrizione "
    "beskrivelse beskrivning omschrijving opis kuvaus desc",
    "window": "window newwindow newtab blank fenster neuesfenster fenetre ventana vindu fonster",
    "classes": "class classes css cssclass style klasse classe clase",
    "icon": "icon glyph symbol ikon icone icono",
    "rel": "rel relation",
    "hidden": "hidden hide off disabled inactive invisible versteckt verborgen ausgeblendet cache "
    "masque oculto escondido nascosto skjult dold ukryty piilotettu",
    "shown": "visible shown show active enabled published live display sichtbar aktiv eingeblendet "
    "affiche actif publie activo publicado visivel ativo visibile attivo synlig publisert "
    "zichtbaar actief widoczny aktywny nakyva nav navigation inmenu innav menu",
    "title": "title name label titel titre titulo titolo tittel titelen tytul otsikko nimi navn",
    "path": "path url slug address href pfad chemin ruta percorso sti sokvag pad sciezka polku",
}
"""For each fact the names of fields that hold it; the likelier ones first."""

_KNOWN = {fact: {word: at for at, word in enumerate(said.split())} for fact, said in FIELDS.items()}

CONTENT_KINDS: dict[str, str] = {
    "page": "page pages seite seiten pagina paginas pagine side sider sida sidor strona strony "
    "sivu sivut cms content contents inhalt inhalte contenu contenus post document node",
    "article": "article articles news artikel beitrag beitraege nyheter nyhet articulo articulos "
    "articolo articoli artigo artigos artykul artikkeli artikkelit blog journal story stories",
    "product": "product products produkt produkte produit produits producto productos prodotto "
    "prodotti produto produtos produkter tuote tuotteet goods",
    "product-group": "group groups aisle aisles collection collections productgroup warengruppe "
    "warengruppen collezione collezioni",
    "term": "category categories term terms topic topics tag tags kategorie kategorien categorie "
    "categoria categorias kategori kategorier thema themen emne emner tema temas luokka",
}
"""For each kind of content the words that name it, in the singular and the plural."""

TARGETS: dict[str, str] = {
    "home": "home front frontpage start startseite startside hjem accueil inicio homepage etusivu",
    "search": "search finder suche recherche buscar sok sok ricerca haku",
    "account": "account konto compte cuenta minside profile",
    "divider": "divider separator rule line trenner separateur separador skillelinje delare",
    "none": "none nowhere heading header group text label gruppe groupe grupo rubrik overskrift "
    "ueberschrift nothing empty placeholder titel",
    "address": "address url link custom external externe extern externo adresse outside http "
    "lenke lien enlace adres collegamento internal file download anchor fragment mail email phone",
}
"""For each kind of target without content the words that name it."""

YES = frozenset({"true", "True", "yes", "1", "ja", "oui", "si", "sim", "on", "y", "tak", "kylla"})
NO = frozenset({"false", "False", "no", "0", "nein", "non", "nei", "nej", "off", "n", "nie", "ei"})
MARKS = YES | NO | {"Y", "N", "J", "Yes", "No"}
"""What says yes or no, and is no label."""
NEW = frozenset({"_blank", "new", "blank", "neu", "nouveau", "nueva", "ny", "nytt", "nieuw"})


def plain(name: str) -> str:
    """A name as it is compared: the last part of a path, in small letters without accents."""
    last = [part for part in name.split("/") if part != "#text"][-1:] or [name]
    text = last[0].lstrip("@#").replace("ß", "ss").replace("ø", "o").replace("Ø", "o")
    text = text.replace("æ", "ae").replace("å", "a").replace("ł", "l").replace("Ł", "l")
    text = unicodedata.normalize("NFKD", text)
    return re.sub(
        r"[^a-z0-9]", "", "".join(c for c in text if not unicodedata.combining(c)).lower()
    )


def says(name: str, fact: str) -> float:
    """How well a field's name goes with a fact: 1 for its best names, 0 for none of them."""
    known = _KNOWN.get(fact, {})
    word = plain(name)
    if word in known:
        return 1.0 if known[word] < 6 else 0.9
    parts = _parts(name)
    if any(one + other in known for one, other in pairwise(parts)):
        return 0.9  # as "opens in new tab"
    return 0.5 if any(part in known for part in parts) else 0.0


def says_of_menus(name: str) -> bool:
    """Whether a field is called a label in menus: `nav_title`, `menuLabel`, `Name im Menü`."""
    parts = _parts(name)
    return any(p in _MENUS for p in parts) and any(p in _KNOWN["label"] for p in parts)


_MENUS = frozenset({"menu", "nav", "navigation", "menue", "meny", "valikko"})


def _parts(name: str) -> list[str]:
    """The words of a name: `menu_item_title`, `linkText`, `nav-label`."""
    last = name.rpartition("/")[2].lstrip("@#")
    split = re.sub(r"([a-z0-9])([A-Z])", r"\1 \2", last)
    return [plain(part) for part in re.split(r"[^A-Za-zÀ-ÿ0-9]+", split) if part]


def says_target(name: str, kind: str) -> bool:
    """Whether the name of a field has a word in it that names a kind of target."""
    return any(target_kind(part) == kind for part in _parts(name))


def content_kind(word: str) -> str | None:
    """The kind of content that a word names, None where it names none."""
    return _named(word, CONTENT_KINDS)


def target_kind(word: str) -> str | None:
    """The kind of target without content that a word names, None where it names none."""
    return _named(word, TARGETS)


def _named(word: str, table: dict[str, str]) -> str | None:
    asked = [plain(word), *_parts(word)]
    for kind, words in table.items():
        known = {plain(w) for w in words.split()}
        if any(part in known for part in asked):
            return kind
    return None
