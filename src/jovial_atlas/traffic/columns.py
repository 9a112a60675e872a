"""The columns of tables of performance, and how tables of many countries call them."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence

#: What tells rows apart, in the order in which it is kept: day, address of the page, what was
#: searched, where, on what, and among which kind of results.
TABLE_PARTS = ("date", "loc", "query", "country", "device", "results")
#: What rows count: clicks, times shown, and the mean place among the results.
ROW_MEASURES = ("clicks", "impressions", "position")

#: Our name → words of headings, in small letters. A heading that holds one of them as a whole word
#: is taken for it where no other fits better.
_WORDS: Mapping[str, tuple[str, ...]] = {
    "date": ("date", "day", "datum", "tag", "jour", "fecha", "día", "data", "giorno", "dia", "dag",
             "dzień", "дата", "день", "日付", "日期"),
    "loc": ("loc", "url", "urls", "page", "pages", "address", "landing page", "seite", "seiten",
            "adresse", "adressen", "página", "páginas", "pagina", "pagine", "pagina's", "strona",
            "strony", "sida", "side", "страница", "страницы", "ページ", "网页"),
    "query": ("query", "queries", "search", "searches", "search term", "search terms", "term",
              "suchanfrage", "suchanfragen", "suchbegriff", "suchbegriffe", "requête", "requêtes",
              "recherche", "consulta", "consultas", "búsqueda", "ricerca", "ricerche",
              "zoekopdracht", "zoekopdrachten", "zoekterm", "zapytanie", "zapytania", "sökfråga",
              "запрос", "запросы", "クエリ", "查询"),
    "clicks": ("clicks", "click", "klicks", "klick", "clics", "clic", "klikken", "klik",
               "kliknięcia", "cliques", "klick", "клики", "クリック数", "点击次数"),
    "impressions": ("impressions", "impression", "shown", "impressionen", "einblendungen",
                    "affichages", "impresiones", "impressioni", "impressões", "vertoningen",
                    "wyświetlenia", "visningar", "показы", "表示回数", "展示"),
    "position": ("position", "rank", "place", "rang", "posición", "posizione", "posição", "positie",
                 "pozycja", "позиция", "掲載順位", "排名"),
    "country": ("country", "countries", "land", "länder", "pays", "país", "países", "paese",
                "paesi", "landen", "kraj", "kraje", "страна", "страны", "国"),
    "device": ("device", "devices", "gerät", "geräte", "appareil", "appareils", "dispositivo",
               "dispositivos", "dispositivi", "apparaat", "apparaten", "urządzenie", "urządzenia",
               "enhet", "устройство", "устройства", "デバイス", "设备"),
    "results": ("results", "result type", "search type", "appearance", "darstellung", "suchtyp"),
}  # fmt: skip
#: What is a share or a change of something, and so none of the measures.
_DERIVED = re.compile(r"%|\bctr\b|share|rate|change|quote|taux|tasa|tasso|difference|previous")


def guessed_columns(header: Sequence[str]) -> dict[str, str]:
    """Our name → heading, for the headings of a table that say what they are: those that are one of
    the words first, then those that hold one."""
    plain = {name: " ".join(name.casefold().split()) for name in header}
    plain = {name: text for name, text in plain.items() if not _DERIVED.search(text)}
    found: dict[str, str] = {}
    for fits in (_is, _holds):
        for ours, words in _WORDS.items():
            if ours not in found:
                free = (one for one in header if one in plain and one not in found.values())
                if (name := next((n for n in free if fits(plain[n], words)), None)) is not None:
                    found[ours] = name
    return found


def _is(text: str, words: Sequence[str]) -> bool:
    return text in words


def _holds(text: str, words: Sequence[str]) -> bool:
    return any(re.search(rf"(?<!\w){re.escape(word)}(?!\w)", text) for word in words)


def is_performance(columns: Mapping[str, str]) -> bool:
    """Whether a table with these columns tells of performance: what was clicked or shown, by
    anything that tells its rows apart."""
    counted = not {"clicks", "impressions"}.isdisjoint(columns)
    return counted and not set(TABLE_PARTS).isdisjoint(columns)
