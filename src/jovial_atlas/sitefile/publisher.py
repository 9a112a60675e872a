"""`[publisher]`, `[[place]]` and `[structured]`: who stands behind the site, where, and what of it
is said as structured data."""

from typing import Annotated, Any, Literal

from msgspec import Meta, field

from jovial_atlas import languages
from jovial_atlas.sitefile.deciding import check_type
from jovial_atlas.sitefile.parts import Part, check, check_whole, says


def country_of(value: str) -> str:
    """A country by its code, or nothing. Raises ValueError."""
    if value and value not in languages.REGIONS:
        raise ValueError(f"{value!r} is no country of ISO 3166-1 alpha-2; write it as GB")
    return value


class Address(Part, frozen=True, kw_only=True):
    """A postal address."""

    street: Annotated[str, says("street and number")] = ""
    locality: Annotated[str, says("town")] = ""
    region: Annotated[str, says("county, state or canton")] = ""
    postal_code: Annotated[str, says("postal code")] = ""
    country: Annotated[str, says("country, ISO 3166-1 alpha-2, as in GB")] = ""

    @check("country")
    @classmethod
    def _country(cls, value: str) -> str:
        return country_of(value)


class Contact(Part, frozen=True, kw_only=True):
    """A way to reach the publisher for one matter."""

    kind: Annotated[str, says("what for, as in customer service, sales, emergency")]
    telephone: Annotated[str, says("in international form")] = ""
    email: Annotated[str, says("address for letters")] = ""
    languages: Annotated[tuple[str, ...], says("languages spoken, BCP 47")] = ()

    @check_whole
    def _reachable(self) -> None:
        if not (self.telephone or self.email):
            raise ValueError("it gives neither telephone nor email")


class Place(Part, frozen=True, kw_only=True):
    """`[[place]]`: a place that people visit, on a page of its own or on the home page."""

    name: Annotated[str, says("what it is called")]
    kind: Annotated[str, says("type of the vocabulary, as in CafeOrCoffeeShop")] = "LocalBusiness"
    page: Annotated[str, says("path or address of the page that is about it")] = "/"
    address: Annotated[Address, says("its postal address")] = field(default_factory=Address)
    latitude: Annotated[Annotated[float, Meta(ge=-90, le=90)] | None, says("degrees north")] = None
    longitude: Annotated[Annotated[float, Meta(ge=-180, le=180)] | None, says("degrees east")] = (
        None
    )
    telephone: Annotated[str, says("in international form")] = ""
    email: Annotated[str, says("address for letters")] = ""
    hours: Annotated[
        tuple[str, ...],
        says(
            'opening hours, as in "Mo-Fr 09:00-17:00; Sa 10:00-16:00"; a season as '
            '"2026-11-01..2027-03-31: Mo-Su 10:00-16:00"'
        ),
    ] = ()
    image: Annotated[str, says("address or path of a picture")] = ""
    price_range: Annotated[str, says("as in ££")] = ""
    department_of: Annotated[str, says("name of the place that it belongs to")] = ""
    data: Annotated[dict[str, Any], says("further properties")] = field(default_factory=dict)

    @check("hours")
    @classmethod
    def _hours(cls, value: tuple[str, ...]) -> tuple[str, ...]:
        from jovial_atlas.structured.hours import parse_hours

        parse_hours(value)
        return value

    @check_whole
    def _type_is_there(self) -> None:
        check_type(self.kind, self.data)


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


class Structured(Part, frozen=True, kw_only=True):
    """`[structured]`: what is published as structured data."""

    breadcrumbs: Annotated[bool, says("whether pages say which pages are above them")] = True
    publish: Annotated[
        Literal["valid", "all"], says('"valid" leaves nodes with errors out; "all" insists on them')
    ] = "valid"
    currency: Annotated[str, says("currency of prices that say none, ISO 4217, as in EUR")] = ""
    features: Annotated[
        dict[str, Any],
        says("type → { required = [...], recommended = [...] }, in place of the tool's own"),
    ] = field(default_factory=dict)

    @check("features")
    @classmethod
    def _rows(cls, value: dict[str, Any]) -> dict[str, Any]:
        for kind, row in value.items():
            _check_row(kind, row)
        return value

    @check("currency")
    @classmethod
    def _currency(cls, value: str) -> str:
        from jovial_atlas.structured.values import CURRENCIES

        if value and value not in CURRENCIES:
            raise ValueError(f"{value!r} is no currency of ISO 4217; write it as EUR")
        return value


class Publisher(Part, frozen=True, kw_only=True):
    """`[publisher]`: who stands behind the site."""

    kind: Annotated[Literal["organization", "person"], says("what they are")] = "organization"
    name: Annotated[str, says("their name; the site's name where it is left out")] = ""
    logo: Annotated[str, says("address or path of the logo or portrait")] = ""
    telephone: Annotated[str, says("in international form")] = ""
    email: Annotated[str, says("address for letters from the public")] = ""
    profiles: Annotated[tuple[str, ...], says("addresses of profiles elsewhere")] = ()
    kind_of: Annotated[str, says("narrower type of the vocabulary, as in NGO")] = ""
    legal_name: Annotated[str, says("name in the register")] = ""
    alternate_name: Annotated[str, says("other name in use")] = ""
    description: Annotated[str, says("what they do, in a sentence")] = ""
    address: Annotated[Address, says("postal address")] = field(default_factory=Address)
    contacts: Annotated[tuple[Contact, ...], says("ways to reach them, by matter")] = ()
