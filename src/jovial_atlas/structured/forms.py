"""Forms of values by property: each gives what is wrong with a value, as a sentence."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from jovial_atlas import languages
from jovial_atlas.structured import values


def _price(value: Any) -> str:
    if isinstance(value, str) and not values.is_number(value.strip()):
        return f"{value!r} is no price: digits with a dot, without currency or thousands."
    return ""


def _currency(value: Any) -> str:
    wrong = isinstance(value, str) and not values.is_currency(value)
    said = f"{value!r} is no currency of ISO 4217, as in EUR, nor another that is known by a name."
    return said if wrong else ""


def _country(value: Any) -> str:
    wrong = isinstance(value, str) and value not in languages.REGIONS
    return f"{value!r} is no country of ISO 3166-1 alpha-2, as in GB." if wrong else ""


def _language(value: Any) -> str:
    fault = languages.fault_of(value) if isinstance(value, str) else None
    return f"{value!r} {fault}." if fault else ""


def _telephone(value: Any) -> str:
    wrong = isinstance(value, str) and not values.is_telephone(value)
    return f"{value!r} is not in international form: +44 1632 960018." if wrong else ""


def _moment(value: Any) -> str:
    wrong = isinstance(value, str) and not values.has_zone(value)
    return f"{value!r} says no time zone: 2026-11-23T10:00:00+00:00." if wrong else ""


def _latitude(value: Any) -> str:
    return _within(value, 90)


def _longitude(value: Any) -> str:
    return _within(value, 180)


def _within(value: Any, most: float) -> str:
    try:
        good = -most <= float(value) <= most
    except (TypeError, ValueError):
        good = False
    return "" if good else f"{value!r} is no number from -{most} to {most}."


def _headline(value: Any) -> str:
    wrong = isinstance(value, str) and len(value) > 110
    return f"The headline has {len(value)} characters; 110 are shown." if wrong else ""


def _absolute(value: Any) -> str:
    wrong = isinstance(value, str) and not values.is_url(value)
    return f"{value!r} is no absolute address." if wrong else ""


FORMS: dict[str, Callable[[Any], str]] = {
    "price": _price, "lowPrice": _price, "highPrice": _price, "priceCurrency": _currency,
    "currency": _currency, "addressCountry": _country, "inLanguage": _language,
    "telephone": _telephone, "faxNumber": _telephone, "startDate": _moment, "endDate": _moment,
    "uploadDate": _moment, "datePublished": _moment, "dateModified": _moment,
    "latitude": _latitude, "longitude": _longitude, "headline": _headline, "sameAs": _absolute,
    "logo": _absolute, "image": _absolute,
}  # fmt: skip


#: Forms without which a value cannot be used at all, and those that are only advised.
CODES: dict[Callable[[Any], str], str] = {
    **dict.fromkeys((_price, _latitude, _longitude, _absolute), "data-value"),
    _currency: "data-currency",
}
