"""Language tags (BCP 47, RFC 5646): language, optional script and region, as hreflang takes them.

Regions are the assigned codes of ISO 3166-1 alpha-2, languages those of ISO 639-1 and any
three letters of ISO 639-2 and 639-3.
"""

from __future__ import annotations

import re
from functools import lru_cache

_TAG = re.compile(r"([A-Za-z]{2,3})(?:-([A-Za-z]{4}))?(?:-([A-Za-z]{2}|[0-9]{3}))?\Z")

# The lists stand here, since every command asks for one code and the locale library takes a tenth
# of a second to load; a test holds them against that library.
LANGUAGES = frozenset(
    """aa ab ae af ak am an ar as av ay az ba be bg bi bm bn bo br bs ca ce ch co cr cs cu cv cy
    da de dv dz ee el en eo es et eu fa ff fi fj fo fr fy ga gd gl gn gu gv ha he hi ho hr ht hu
    hy hz ia id ie ig ii ik io is it iu ja jv ka kg ki kj kk kl km kn ko kr ks ku kv kw ky la lb
    lg li ln lo lt lu lv mg mh mi mk ml mn mr ms mt my na nb nd ne ng nl nn no nr nv ny oc oj om
    or os pa pi pl ps pt qu rm rn ro ru rw sa sc sd se sg sh si sk sl sm sn so sq sr ss st su sv
    sw ta te tg th ti tk tl tn to tr ts tt tw ty ug uk ur uz ve vi vo wa wo xh yi yo za zh
    zu""".split()  # noqa: SIM905
)
REGIONS = frozenset(
    """AD AE AF AG AI AL AM AO AQ AR AS AT AU AW AX AZ BA BB BD BE BF BG BH BI BJ BL BM BN BO BQ
    BR BS BT BV BW BY BZ CA CC CD CF CG CH CI CK CL CM CN CO CR CU CV CW CX CY CZ DE DJ DK DM DO
    DZ EC EE EG EH ER ES ET FI FJ FK FM FO FR GA GB GD GE GF GG GH GI GL GM GN GP GQ GR GS GT GU
    GW GY HK HM HN HR HT HU ID IE IL IM IN IO IQ IR IS IT JE JM JO JP KE KG KH KI KM KN KP KR KW
    KY KZ LA LB LC LI LK LR LS LT LU LV LY MA MC MD ME MF MG MH MK ML MM MN MO MP MQ MR MS MT MU
    MV MW MX MY MZ NA NC NE NF NG NI NL NO NP NR NU NZ OM PA PE PF PG PH PK PL PM PN PR PS PT PW
    PY QA RE RO RS RU RW SA SB SC SD SE SG SH SI SJ SK SL SM SN SO SR SS ST SV SX SY SZ TC TD TF
    TG TH TJ TK TL TM TN TO TR TT TV TW TZ UA UG UM US UY UZ VA VC VE VG VI VN VU WF WS YE YT ZA
    ZM ZW""".split()  # noqa: SIM905
)


def tag_of_name(name: str) -> str:
    """The tag of a language by what it is called in itself or in English, as in Deutsch or German;
    "" where no language is called so."""
    # Only a mistake needs it, and loading it takes a tenth of a second.
    from babel import Locale, UnknownLocaleError

    wanted = name.strip().casefold()
    english = Locale("en").languages
    for code in sorted(LANGUAGES):
        try:
            own = Locale(code).get_language_name(code) or ""
        except UnknownLocaleError:
            own = ""
        if wanted in (own.casefold(), str(english.get(code, "")).casefold()):
            return code
    return ""


@lru_cache(maxsize=1_000)
def fault_of(tag: str) -> str | None:
    """What is wrong with a language tag, as the rest of a sentence, or None. `x-default` is no
    language; whoever allows it asks before."""
    match = _TAG.match(tag)
    if match is None:
        return "is no language tag (language, optional script and region, as in en or pt-BR)"
    language, _script, region = match.groups()
    if len(language) == 2 and language.lower() not in LANGUAGES:
        hint = "; that is a region, not a language" if language.upper() in REGIONS else ""
        return f"names a language that ISO 639 does not know, {language!r}{hint}"
    if region and not region[0].isdecimal() and region.upper() not in REGIONS:
        hint = "; the code of the United Kingdom is GB" if region.upper() == "UK" else ""
        return f"names a region that ISO 3166-1 does not know, {region!r}{hint}"
    return None


def canonical(tag: str) -> str:
    """A tag in its usual spelling: `en-GB`, `zh-Hant-TW`. Anything else as it is."""
    match = _TAG.match(tag)
    if match is None:
        return tag
    language, script, region = match.groups()
    parts = [language.lower(), (script or "").title(), (region or "").upper()]
    return "-".join(part for part in parts if part)


def news_language(tag: str) -> str:
    """The language of an article as news sitemaps take it: ISO 639, or zh-cn and zh-tw."""
    lowered = tag.lower()
    return lowered if lowered in ("zh-cn", "zh-tw") else lowered.partition("-")[0]
