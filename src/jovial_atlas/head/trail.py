"""The trail of a page: the pages above it by address, and itself."""

from __future__ import annotations

from collections.abc import Callable, Sequence

#: A step of a trail: address and name.
TrailStep = tuple[str, str]


class Trails:
    """The trails of pages of one site. `url` is its origin, `home` what its start page is called,
    `name` what any other. What stands above a folder is the same for all that lies in it."""

    def __init__(self, url: str, home: str, name: Callable[[str], str | None]) -> None:
        self._url, self._name = url, name
        self._above: dict[str, Sequence[TrailStep]] = {"": [(f"{url}/", home)]}

    def of(self, loc: str, own: str | None) -> list[TrailStep]:
        """The steps to a page that is called `own`, as far as there are pages above it, the page
        itself last; none for the start page, and for a page that is called nothing."""
        path = loc.removeprefix(self._url).partition("?")[0].strip("/")
        if not path or not own:
            return []
        return [*self._to(path.rpartition("/")[0]), (loc, own)]

    def _to(self, folder: str) -> Sequence[TrailStep]:
        """The steps to what lies in a folder, which has no slash around it."""
        inner, due = folder, []
        while inner not in self._above:
            due.append(inner)
            inner = inner.rpartition("/")[0]
        for one in reversed(due):
            at = f"{self._url}/{one}"
            named = [(loc, said) for loc in (f"{at}/", at) if (said := self._name(loc))]
            self._above[one] = [*self._above[one.rpartition("/")[0]], *named[:1]]
        return self._above[folder]
