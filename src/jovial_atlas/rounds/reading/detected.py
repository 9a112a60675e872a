"""The language that pages are written in, where they name none or plainly another one.

Told by the small words that every text of a language is full of: whole columns at a time, and with
nothing to load. Where they do not tell, the page keeps what it says.
"""

from __future__ import annotations

import polars as pl

from jovial_atlas.rounds.reading.read_pages import any_read, was_read
from jovial_atlas.sitefile import SiteFile

#: Language → small words that are frequent in it and, together, in no other.
_WORDS = {
    "en": "the of and to is in that for with on this are was you it be as at from by an or can has "
    "which when not will each a",
    "de": "der die das und ist nicht ein eine mit auf für den dem des von zu sich auch aus bis wer",
    "fr": "le la les des et est une dans pour que qui sur pas avec du au ce plus par il "
    "de un",
    "es": "el la los las es una en para que con por del no se como más su al lo de un y",
    "it": "il la gli una per che con non di della nel sono più come alla dei questo si un e",
    "pt": "os as é uma em para que com não do da na no se por mais como dos de um e ao",
    "nl": "de het een en is van niet met voor op dat te zijn ook die aan er wordt naar bij",
    "sv": "och att det som är en på för med av den inte till har om ett de kan från vid",
    "da": "og at det som er en på for med af den ikke til har om et de kan fra ved",
    "nb": "og å det som er en på for med av den ikke til har om et de kan fra ved",
    "fi": "ja on ei se että oli hän mutta kun niin tai myös joka ovat sen kuin mitä voi",
    "pl": "nie na się do to jest że jak po co za od przez dla oraz są",
    "cs": "je se na to že do jako za pro nebo by který od jsou při také",
    "ru": "и в не на что с по это как из для от или он его к при так также был",
    "uk": "і в не на що з та до це як із для від або він його при так також був",
    "tr": "ve bir bu için ile da de olarak daha çok en gibi olan ne kadar her sonra",
    "ro": "și în de la cu pe un este care nu din pentru sau mai ce sunt prin",
    "hu": "az és hogy nem egy is van volt meg de ez csak már ki lehet vagy mint",
}
#: Language → its letters, and the languages that are written in them too.
_SCRIPTS = {
    "ja": (r"[\p{Hiragana}\p{Katakana}]", {"ja"}),
    "zh": (r"\p{Han}", {"zh", "ja", "ko", "yue"}),
    "ko": (r"\p{Hangul}", {"ko"}),
    "el": (r"\p{Greek}", {"el", "grc"}),
    "he": (r"\p{Hebrew}", {"he", "yi"}),
    "ar": (r"\p{Arabic}", {"ar", "fa", "ur", "ps", "ckb", "ug"}),
    "th": (r"\p{Thai}", {"th"}),
    "hi": (r"\p{Devanagari}", {"hi", "mr", "ne", "sa"}),
    "ka": (r"\p{Georgian}", {"ka"}),
    "hy": (r"\p{Armenian}", {"hy"}),
}
#: So many letters speak for the language.
_LETTERS = 12
#: Languages that share too many words to be told apart.
_ALIKE = (
    {"sv", "da", "nb", "nn", "no"}, {"cs", "sk"}, {"es", "gl", "ca", "pt"}, {"ru", "uk", "bg"},
)  # fmt: skip
#: So many small words have to speak for the main language of the site, or one that this share of
#: its pages is plainly in, and for any other one; for another than the page names, so many words
#: have to be there at all.
_SPOKEN = 0.1
_LEAST, _LEAST_OTHER, _LEAST_WORDS = 3, 5, 12
#: How much more often the words of the other language have to stand than those of the page's own.
_TIMES = 5


def with_detected(table: pl.LazyFrame, site: SiteFile) -> pl.LazyFrame:
    """The table with the languages of pages that were read from HTML: that of their text, where it
    names none, or one that it is plainly not in."""
    known = table.collect_schema()
    if not any_read(known) or not {"language", "excerpt", "read_from"} <= set(known):
        return table
    pages = table.filter(was_read())
    found = _detected(pages, site.model.site.language.partition("-")[0].lower())
    if not found.height:
        return table
    new = pl.col("_language").is_not_null()
    place = pl.col("read_from").str.replace(r" ?language=\S+", "")
    told = pl.concat_str(place, pl.lit("language=text"), separator=" ", ignore_nulls=True)
    joined = table.join(found.lazy(), on="loc", how="left", maintain_order="left")
    return joined.with_columns(
        language=pl.coalesce("_language", "language"),
        read_from=pl.when(new).then(told.str.strip_chars()).otherwise("read_from"),
    ).select(*known)


def _detected(pages: pl.LazyFrame, main: str) -> pl.DataFrame:
    """The pages whose text tells another language than they say, as `loc, _language`; where two fit
    a text, it is more likely in the `main` one."""
    text = pl.col("text")
    own = pl.col("language").str.extract("^[A-Za-z]+", 0).str.to_lowercase()
    counted = pages.select("loc", own=own, text=pl.col("excerpt").str.to_lowercase())
    counted = counted.filter(text.is_not_null()).select(
        "loc",
        "own",
        long=text.str.count_matches(r"\S+") >= _LEAST_WORDS,
        script=_script(text),
        **{f"_{name}": text.str.count_matches(_pattern(words)) for name, words in _WORDS.items()},
    )
    counts = {name: pl.col(f"_{name}") for name in sorted(_WORDS, key=lambda one: one != main)}
    told = counted.with_columns(most=pl.max_horizontal(counts.values())).select(
        "loc",
        "own",
        "long",
        "most",
        "script",
        best=pl.coalesce(
            pl.when(count == pl.col("most")).then(pl.lit(name)) for name, count in counts.items()
        ),
        mine=pl.coalesce(
            pl.when(pl.col("own") == name).then(count) for name, count in counts.items()
        ),
    )
    alike = pl.any_horizontal(
        pl.col("own").is_in(sorted(group)) & pl.col("best").is_in(sorted(group)) for group in _ALIKE
    )
    told = told.collect(engine="streaming").lazy()
    plain = told.filter(pl.col("most") >= _LEAST_OTHER)
    spoken = (
        plain.group_by("best").agg(pl.len()).filter(pl.col("len") >= _SPOKEN * pl.col("len").sum())
    )
    common = [main, *spoken.collect()["best"]]
    least = pl.when(pl.col("best").is_in(common)).then(_LEAST).otherwise(_LEAST_OTHER)
    enough = pl.col("most") >= least
    against = (pl.col("most") >= _TIMES * pl.col("mine")) & pl.col("long") & ~alike
    wrong = (pl.col("own").is_null() | against).fill_null(False)
    by_words = pl.when(enough & wrong).then("best")
    found = told.select("loc", _language=pl.coalesce(_other_script(), by_words))
    return found.filter(pl.col("_language").is_not_null()).collect(engine="streaming")


def _script(text: pl.Expr) -> pl.Expr:
    """The language of the letters that a text has enough of."""
    return pl.coalesce(
        pl.when(text.str.count_matches(letters) >= _LETTERS).then(pl.lit(name))
        for name, (letters, _) in _SCRIPTS.items()
    )


def _other_script() -> pl.Expr:
    """The language of the letters of a text, where the page names none that is written so."""
    own = pl.col("own")
    named = pl.any_horizontal(
        (pl.col("script") == name) & own.is_in(sorted(alike))
        for name, (_, alike) in _SCRIPTS.items()
    )
    return pl.when(~named.fill_null(False)).then("script")


def _pattern(words: str) -> str:
    return rf"\b(?:{'|'.join(words.split())})\b"
