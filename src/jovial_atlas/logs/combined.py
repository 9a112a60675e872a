"""Lines of the Combined Log Format, written from columns of their parts."""

from __future__ import annotations

import polars as pl

#: Signs that would end a part of a line, or the line.
_TARGET = {" ": "%20", '"': "%22", "\t": "%09", "\r": "%0D", "\n": "%0A"}
_QUOTED = {'"': "'", "\\": "'", "\n": " ", "\r": " "}


def combined_lines(day: pl.Expr, clock: pl.Expr, target: pl.Expr) -> pl.Expr:
    """Lines of a table that has the columns `address`, `method`, `status`, `referer` and `agent`,
    with the day (a date) and the time of UTC, and what was asked for; null where one of these or
    the status is missing. Of several addresses that a request was forwarded by, the first."""
    return pl.format(
        '{} - - [{}:{} +0000] "{} {} HTTP/1.1" {} - "{}" "{}"',
        pl.col("address").str.extract(r"^([^,\s]+)").fill_null("-"),
        day.dt.strftime("%d/%b/%Y"),
        clock,
        pl.col("method").fill_null("GET"),
        target.str.replace_many(_TARGET),
        pl.when(pl.col("status").str.contains(r"^\d{3}$")).then("status"),
        _unquoted("referer"),
        _unquoted("agent"),
    )


def _unquoted(name: str) -> pl.Expr:
    return pl.col(name).str.replace_many(_QUOTED).fill_null("-")
