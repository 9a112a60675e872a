"""Formats of plain values: each a function that tells whether a text has it."""

from __future__ import annotations

import re
from collections.abc import Callable
from datetime import date, time
from urllib.parse import urlsplit

_DURATION = re.compile(
    r"P(?=.)(\d+(\.\d+)?Y)?(\d+(\.\d+)?M)?(\d+(\.\d+)?W)?(\d+(\.\d+)?D)?"
    r"(T(?=.)(\d+(\.\d+)?H)?(\d+(\.\d+)?M)?(\d+(\.\d+)?S)?)?\Z"
)
_DATE = re.compile(r"\d{4}(-\d\d(-\d\d)?)?\Z")
_MOMENT = re.compile(r"(\d{4}-\d\d-\d\d)[T ](\d\d:\d\d(:\d\d(\.\d+)?)?)(Z|[+-]\d\d:?\d\d)?\Z")
_NUMBER = re.compile(r"[+-]?\d+(\.\d+)?([eE][+-]?\d+)?\Z")
_PLAIN_URL = re.compile(r"https?://[A-Za-z0-9.-]+(/[A-Za-z0-9._~/%#-]*)?\Z")
_TELEPHONE = re.compile(r"\+\d[\d \-().]{5,24}\Z")


def is_date(text: str) -> bool:
    """ISO 8601, a year, a month or a day."""
    if not _DATE.match(text):
        return False
    try:
        date.fromisoformat(f"{text}-01-01"[:10] if len(text) < 10 else text)
    except ValueError:
        return False
    return True


def is_moment(text: str) -> bool:
    """ISO 8601, a day with its time; or a date."""
    match = _MOMENT.match(text)
    if match is None:
        return is_date(text)
    try:
        time.fromisoformat(match[2])
    except ValueError:
        return False
    return is_date(match[1])


def has_zone(text: str) -> bool:
    """Whether a moment with a time says its zone."""
    match = _MOMENT.match(text)
    return match is None or bool(match[5])


def is_time(text: str) -> bool:
    """ISO 8601, a time of day in 24 hours."""
    try:
        time.fromisoformat(text)
    except ValueError:
        return False
    return ":" in text


def is_duration(text: str) -> bool:
    """ISO 8601: `PT12M30S`, `P3D`."""
    return bool(_DURATION.match(text))


def is_number(text: str) -> bool:
    """Digits with a dot, no thousands, no currency."""
    return bool(_NUMBER.match(text))


def is_url(text: str) -> bool:
    """An absolute address."""
    if _PLAIN_URL.match(text):
        return True
    try:
        parts = urlsplit(text)
    except ValueError:
        return False
    scheme = parts.scheme.lower()
    if scheme in ("http", "https"):
        return bool(parts.netloc) and not re.search(r"\s", text)
    return bool(scheme) and scheme not in ("file", "javascript", "data") and ":" in text


def is_boolean(text: str) -> bool:
    """True or False, as text or as the vocabulary's terms."""
    return text.removeprefix("https://schema.org/").removeprefix("http://schema.org/").lower() in (
        "true",
        "false",
    )


def is_telephone(text: str) -> bool:
    """International form: a plus, the country's code, digits."""
    return bool(_TELEPHONE.match(text))


#: Type of plain values → whether a text is one, and how it is written.
VALUE_FORMATS: dict[str, tuple[Callable[[str], bool], str]] = {
    "Date": (is_date, "2026-11-23"),
    "DateTime": (is_moment, "2026-11-23T10:00:00+00:00"),
    "Time": (is_time, "09:30"),
    "Duration": (is_duration, "PT1H30M"),
    "Number": (is_number, "12.50"),
    "Float": (is_number, "12.50"),
    "Integer": (lambda text: bool(re.fullmatch(r"[+-]?[0-9]{1,300}", text)), "12"),
    "Boolean": (is_boolean, "true"),
    "URL": (is_url, "https://www.site.example/page/"),
}


def is_currency(text: str) -> bool:
    """ISO 4217; or what the vocabulary allows beside it: tickers of currencies without a state, and
    names of local ones, of several words."""
    return text in CURRENCIES or text in _TICKERS or bool(_LOCAL_NAME.match(text))


_TICKERS = frozenset({"BTC", "XBT", "BCH", "ETH", "LTC", "XRP", "XMR", "USDC", "USDT", "DOGE"})
_LOCAL_NAME = re.compile(r"[A-Z][\w'’-]+(?: [A-Z][\w'’-]+)+\Z")

#: ISO 4217, the currencies in use; held against the locale library by a test, as languages are.
CURRENCIES = frozenset(
    """AED AFN ALL AMD ANG AOA ARS AUD AWG AZN BAM BBD BDT BGN BHD BIF BMD BND BOB BRL BSD BTN BWP
    BYN BZD CAD CDF CHF CLP CNY COP CRC CUP CVE CZK DJF DKK DOP DZD EGP ERN ETB EUR FJD FKP GBP GEL
    GHS GIP GMD GNF GTQ GYD HKD HNL HTG HUF IDR ILS INR IQD IRR ISK JMD JOD JPY KES KGS KHR KMF KPW
    KRW KWD KYD KZT LAK LBP LKR LRD LSL LYD MAD MDL MGA MKD MMK MNT MOP MRU MUR MVR MWK MXN MYR MZN
    NAD NGN NIO NOK NPR NZD OMR PAB PEN PGK PHP PKR PLN PYG QAR RON RSD RUB RWF SAR SBD SCR SDG SEK
    SGD SHP SLE SOS SRD SSP STN SVC SYP SZL THB TJS TMT TND TOP TRY TTD TWD TZS UAH UGX USD UYU UZS
    VED VES VND VUV WST XAF XCD XCG XOF XPF YER ZAR ZMW ZWG""".split()  # noqa: SIM905
)
