"""The trail of a page: the pages above it by address, and itself."""

from __future__ import annotations

from collections.abc import Callable


def trail_of(
    loc: str, own: str | None, url: str, home: str, name: Callable[[str], str | None]
) -> list[tuple[str, str]]:
    """The steps to a page as address and name, as far as there are pages above it, the page itself
    last; none for the start page, and for a page that is called nothing. `url` is the site's
    origin, `home` what its start page is called, `name` what any other."""
    parts = loc.removeprefix(url).partition("?")[0].strip("/").split("/")
    if parts == [""] or not own:
        return []
    steps = [(f"{url}/", home)]
    for number in range(1, len(parts)):
        inner = f"{url}/{'/'.join(parts[:number])}"
        steps += [(one, said) for one in (f"{inner}/", inner) if (said := name(one))][:1]
    return [*steps, (loc, own)]
