"""`[publisher]`, `[[place]]` and `[structured]`: who stands behind the site, where, and what of it
is said as structured data."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field, field_validator, model_validator

from jovial_atlas import languages
from jovial_atlas.sitefile.deciding import check_type
from jovial_atlas.sitefile.sources import Part


class Address(Part):
    """A postal address."""

    street: str = Field("", description="street and number")
    locality: str = Field("", description="town")
    region: str = Field("", description="county, state or canton")
    postal_code: str = Field("", description="postal code")
    country: str = Field("", description="country, ISO 3166-1 alpha-2, as in GB")

    @field_validator("country")
    @classmethod
    def _country(cls, value: str) -> str:
        if value and value not in languages.REGIONS:
            raise ValueError(f"{value!r} is no country of ISO 3166-1 alpha-2; write it as GB")
        return value


class Contact(Part):
    """A way to reach the publisher for one matter."""

    kind: str = Field(description="what for, as in customer service, sales, emergency")
    telephone: str = Field("", description="in international form")
    email: str = Field("", description="address for letters")
    languages: tuple[str, ...] = Field((), description="languages spoken, BCP 47")

    @model_validator(mode="after")
    def _reachable(self) -> Contact:
        if not (self.telephone or self.email):
            raise ValueError("it gives neither telephone nor email")
        return self


class Place(Part):
    """`[[place]]`: a place that people visit, on a page of its own or on the home page."""

    name: str = Field(description="what it is called")
    kind: str = Field("LocalBusiness", description="type of the vocabulary, as in CafeOrCoffeeShop")
    page: str = Field("/", description="path or address of the page that is about it")
    address: Address = Field(default_factory=Address, description="its postal address")
    latitude: float | None = Field(None, ge=-90, le=90, description="degrees north")
    longitude: float | None = Field(None, ge=-180, le=180, description="degrees east")
    telephone: str = Field("", description="in international form")
    email: str = Field("", description="address for letters")
    hours: tuple[str, ...] = Field(
        (), description='opening hours, as in "Mo-Fr 09:00-17:00; Sa 10:00-16:00"; a season as '
        '"2026-11-01..2027-03-31: Mo-Su 10:00-16:00"',
    )  # fmt: skip
    image: str = Field("", description="address or path of a picture")
    price_range: str = Field("", description="as in ££")
    department_of: str = Field("", description="name of the place that it belongs to")
    data: dict[str, Any] = Field(default_factory=dict, description="further properties")

    @field_validator("hours")
    @classmethod
    def _hours(cls, value: tuple[str, ...]) -> tuple[str, ...]:
        from jovial_atlas.structured.hours import parse_hours

        parse_hours(value)
        return value

    @model_validator(mode="after")
    def _type_is_there(self) -> Place:
        check_type(self.kind, self.data)
        return self


def _check_row(kind: str, row: Any) -> None:
    """Raise ValueError where a row of the table of features is none."""
    if not isinstance(row, dict) or set(row) - {"required", "recommended", "inside"}:
        raise ValueError(f"{kind}: a row has required, recommended and inside")
    for name in ("required", "recommended"):
        given = row.get(name, [])
        if not isinstance(given, list) or not all(isinstance(one, str) for one in given):
            raise ValueError(f'{kind}: {name} is a list of properties, as in ["name"]')
    inner = row.get("inside", {})
    if not isinstance(inner, dict):
        raise ValueError(f"{kind}: inside is a table of properties")
    for key, one in inner.items():
        _check_row(f"{kind}.{key}", one)


class Structured(Part):
    """`[structured]`: what is published as structured data."""

    breadcrumbs: bool = Field(True, description="whether pages say which pages are above them")
    publish: Literal["valid", "all"] = Field(
        "valid", description='"valid" leaves nodes with errors out; "all" insists on them'
    )
    currency: str = Field("", description="currency of prices that say none, ISO 4217, as in EUR")
    features: dict[str, Any] = Field(
        default_factory=dict,
        description="type → { required = [...], recommended = [...] }, in place of the tool's own",
    )

    @field_validator("features")
    @classmethod
    def _rows(cls, value: dict[str, Any]) -> dict[str, Any]:
        for kind, row in value.items():
            _check_row(kind, row)
        return value

    @field_validator("currency")
    @classmethod
    def _currency(cls, value: str) -> str:
        from jovial_atlas.structured.values import CURRENCIES

        if value and value not in CURRENCIES:
            raise ValueError(f"{value!r} is no currency of ISO 4217; write it as EUR")
        return value


class Publisher(Part):
    """`[publisher]`: who stands behind the site."""

    kind: Literal["organization", "person"] = Field("organization", description="what they are")
    name: str = Field("", description="their name; the site's name where it is left out")
    logo: str = Field("", description="address or path of the logo or portrait")
    telephone: str = Field("", description="in international form")
    email: str = Field("", description="address for letters from the public")
    profiles: tuple[str, ...] = Field((), description="addresses of profiles elsewhere")
    kind_of: str = Field("", description="narrower type of the vocabulary, as in NGO")
    legal_name: str = Field("", description="name in the register")
    alternate_name: str = Field("", description="other name in use")
    description: str = Field("", description="what they do, in a sentence")
    address: Address = Field(default_factory=Address, description="postal address")
    contacts: tuple[Contact, ...] = Field((), description="ways to reach them, by matter")
