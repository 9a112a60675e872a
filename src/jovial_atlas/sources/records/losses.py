"""What was lost, or read otherwise than it is written, while records became pages: counted, so that
it is told once a source and not once a row."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from threading import Lock

import polars as pl

from jovial_atlas.faults import Fault, plural
from jovial_atlas.sources.records.record_dates import LostDates

#: Rows that are told one by one; the rest is counted.
_TOLD = 20
#: Hosts that are named.
_HOSTS = 3
_ORIGIN = r"^https?://[^/?#]+"


class Losses:
    """What is told of the records of one source once all were read."""

    def __init__(self) -> None:
        self.dates = LostDates()
        self._lock = Lock()
        self._told: list[Fault] = []
        self._elsewhere: Counter[str] = Counter()
        self._nowhere = 0
        self._schemes: tuple[int, str] | None = None
        self._marked: dict[str, tuple[int, str]] = {}

    def leave_out(
        self, refused: pl.DataFrame, before: str, lines: Sequence[int] | Sequence[str] | int = 0
    ) -> None:
        """Rows that cannot be used, given as `_row` (from 1) and `loc`, are left out. A row is told
        as `before` and what `lines` has for it, where it has one for each row, else its place after
        as many rows as `lines` says."""
        for row, loc in refused.head(_TOLD - len(self._told)).iter_rows():
            where = f"{before}{lines + row if isinstance(lines, int) else lines[row - 1]}"
            if loc is not None and loc.startswith("http"):
                message = f"{loc} is on another host; the row is left out."
                self._told.append(Fault("address-other-host", where, message))
            else:
                shown = f"{loc!r} is no address" if loc else "The row gives no address"
                self._told.append(Fault("row-no-address", where, f"{shown}; it is left out."))
        hosts = refused["loc"].str.extract(_ORIGIN, 0).drop_nulls().value_counts()
        self._elsewhere.update(dict(hosts.iter_rows()))
        self._nowhere += refused.height - int(hosts["count"].sum())

    def note_scheme(self, values: pl.Series) -> None:
        """Addresses of the site that are written with the other scheme."""
        with self._lock:
            self._schemes = _more(self._schemes, values)

    def note_markup(self, field: str, values: pl.Series) -> None:
        """Values of a field that is text, and that hold HTML."""
        with self._lock:
            self._marked[field] = _more(self._marked.get(field), values)

    def faults(self, source: str, site: str) -> Iterator[Fault]:
        """What is told of a source of a site, the totals before single rows."""
        others = self._elsewhere.total()
        if others + self._nowhere > len(self._told):
            if others:
                most = self._elsewhere.most_common(_HOSTS)
                shown = ", ".join(f"{host} ({count:,})" for host, count in most)
                more = len(self._elsewhere) - len(most)
                verb = "is" if others == 1 else "are"
                yield Fault(
                    "address-other-host", source,
                    f"{plural(others, 'row')} {verb} left out, whose addresses are not of {site}: "
                    f"{shown}{f' and {more:,} more' if more else ''}.",
                )  # fmt: skip
            if self._nowhere:
                verb = "is" if self._nowhere == 1 else "are"
                message = f"{plural(self._nowhere, 'row')} {verb} left out, which give no address."
                yield Fault("row-no-address", source, message)
        yield from self._told
        if self._schemes:
            count, first = self._schemes
            yield Fault(
                "address-scheme", source,
                f"{plural(count, 'address', 'addresses')} of the site, like {first}, "
                f"{'has' if count == 1 else 'have'} another scheme than {site}; "
                f"{'it is' if count == 1 else 'they are'} read with that of the site.",
            )  # fmt: skip
        for field, (count, first) in self._marked.items():
            yield Fault(
                "text-markup", source,
                f"{plural(count, 'value')} of {field} {'holds' if count == 1 else 'hold'} HTML, "
                f"like {first[:80]!r}; the text in it is used.",
            )  # fmt: skip
        yield from self.dates.faults(source)


def _more(known: tuple[int, str] | None, values: pl.Series) -> tuple[int, str]:
    """A count with the first of all values, and more of them."""
    least = str(values.min())
    return (known[0] + values.len(), min(known[1], least)) if known else (values.len(), least)
