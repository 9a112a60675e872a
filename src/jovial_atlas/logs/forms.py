"""Logs of any form as lines of the Combined Log Format, which all that counts them reads: the
Extended Log File Format (W3C WD-logfile), JSON, one object a line, and lines behind what a system
log or a container puts before them. Other lines stay as they are."""

from __future__ import annotations

import re
from collections.abc import Iterator

import polars as pl

from jovial_atlas.logs.combined import combined_lines
from jovial_atlas.logs.json_lines import from_json
from jovial_atlas.logs.lines import Hit, parse_line
from jovial_atlas.logs.tally import LogStream

_CHUNK = 4 << 20
#: The longest line that is looked at.
_LINE = 64 << 10
#: So many lines of each piece are looked at, until one tells of a request.
_LOOKED_AT = 500
#: The line that says what the fields of the lines behind it are (W3C WD-logfile, "Directives").
_FIELDS = re.compile(rb"^#Fields:[ \t]*([^\r\n]*)[^\n]*\n", re.M)
#: What system logs (RFC 3164 §4.1, RFC 5424 §6) and containers write before a line.
_BEFORE = re.compile(
    rb"^(?:<\d{1,3}>(?:1 )?)?"
    rb"(?:[A-Z][a-z]{2} [ \d]\d \d\d:\d\d:\d\d|\d{4}-\d\d-\d\d[T ]\d\d:\d\d:\d\d[^ \n]*) "
    rb"(?:std(?:out|err) [FP] |[^\[\"\n]{0,200}?[\w./-]+(?:\[\d+\])?: "
    rb"|(?:[^ \n]+ ){4}(?:-|\[.*?\]) )?"
    rb"(?=[^\[\"\n]{1,200}\[\d\d/\w{3}/\d{4}:)",
    re.M,
)
#: Fields of the Extended Log File Format → ours, the likeliest first.
_EXTENDED = {
    "address": ("c-ip", "x-forwarded-for"),
    "method": ("cs-method",),
    "path": ("cs-uri-stem", "cs-uri"),
    "query": ("cs-uri-query",),
    "status": ("sc-status",),
    "agent": ("cs(user-agent)",),
    "referer": ("cs(referer)", "cs(referrer)"),
    "date": ("date",),
    "time": ("time",),
}
#: Signs that are written as octets in names of browsers, once or twice over.
_WRITTEN = {
    f"%{twice}{code}": sign
    for code, sign in (("20", " "), ("28", "("), ("29", ")"), ("2F", "/"), ("3B", ";"), ("2C", ","),
                       ("3A", ":"), ("2B", "+"), ("22", "'"))
    for twice in ("", "25")
}  # fmt: skip


class UsualForm:
    """A log as lines of the Combined Log Format, to be read."""

    def __init__(self, log: LogStream) -> None:
        self._pieces = _translated(log)
        self._rest = b""
        #: Whether a line tells of a request, of those that were read; none may have been.
        self.is_log = self.is_empty = True

    def read(self, size: int = -1) -> bytes:
        """The next octets, as many as are asked for at most; none at the end."""
        while not self._rest or size < 0:
            piece = next(self._pieces, None)
            if piece is None:
                break
            self._rest += piece
            if self.is_empty or not self.is_log:
                self.is_empty = False
                some = piece.split(b"\n", _LOOKED_AT)[:_LOOKED_AT]
                self.is_log = any(parse_line(line) for line in some)
        size = len(self._rest) if size < 0 else size
        taken, self._rest = self._rest[:size], self._rest[size:]
        return taken


def _translated(log: LogStream) -> Iterator[bytes]:
    """The log in whole lines, of whatever form, but for the last."""
    rest, fields = b"", None
    # With what was left of the piece before, it is mostly no more than what is asked for.
    while piece := log.read(_CHUNK - _LINE):
        end = piece.rfind(b"\n") + 1
        if not end:
            rest = (rest + piece)[-_LINE:]
            continue
        whole, rest = rest + piece[:end], piece[end:]
        made, fields = _of_any_form(whole, fields)
        yield made
    if rest:
        yield _of_any_form(rest + b"\n", fields)[0]


def _of_any_form(whole: bytes, fields: bytes | None) -> tuple[bytes, bytes | None]:
    """Whole lines in the usual form; and what is known of the fields of those that follow."""
    if fields is None and not whole.lstrip().startswith((b"#", b"{", b"<")):
        first = whole[: whole.find(b"\n") + 1]
        if b"\n{" not in whole and b"\n#Fields:" not in whole:
            return (_BEFORE.sub(b"", whole) if _BEFORE.match(first) else whole), None
    parts = []
    for number, part in enumerate(_FIELDS.split(whole)):
        if number % 2:
            fields = part
        elif part:
            parts.append(_extended(part, fields) if fields else _lines(part))
    return b"".join(parts), fields


def _lines(whole: bytes) -> bytes:
    """Lines of JSON in the usual form, others as they are without what stands before them."""
    lines = whole.decode("utf-8", "replace").removesuffix("\n").split("\n")
    made = from_json(lines)
    return b"".join(
        one.encode() + b"\n" if one else _usual(line.encode() + b"\n")
        for line, one in zip(lines, made, strict=True)
    )


def _usual(line: bytes) -> bytes:
    hit = parse_line(line) if line[:1] == b"{" else None
    return _combined(hit) if hit else _BEFORE.sub(b"", line)


def _combined(hit: Hit) -> bytes:
    day = f"{hit.at[8:10]}/{_MONTHS[int(hit.at[5:7])]}/{hit.at[:4]}"
    agent, referer = (one.translate(_UNQUOTED) for one in (hit.agent, hit.referer))
    target = hit.target.translate(_ESCAPED)
    request = f"{hit.method} {target} HTTP/1.1"
    address = re.split(r"[,\s]", hit.address, maxsplit=1)[0] or "-"
    line = (
        f"{address} - - [{day}:{hit.at[11:19]} +0000] "
        f'"{request}" {hit.status} - "{referer or "-"}" "{agent or "-"}"\n'
    )
    return line.encode()


_UNQUOTED = str.maketrans('"\\\n\r', "''  ")
_ESCAPED = {ord(sign): f"%{ord(sign):02X}" for sign in ' "\t\n\r'}
_MONTHS = ("", "Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")


def _extended(whole: bytes, fields: bytes) -> bytes:
    """Lines of the Extended Log File Format, whose times are of UTC ("time")."""
    tabs = b"\t" in whole.split(b"\n", 1)[0] or b"\t" in whole[:_LINE]
    names = [one.decode("latin-1").lower() for one in fields.split()]
    places = {
        ours: next((names.index(one) for one in theirs if one in names), None)
        for ours, theirs in _EXTENDED.items()
    }
    if None in (places["date"], places["time"], places["path"], places["status"]):
        return whole
    lines = pl.Series("line", whole.decode("utf-8", "replace").split("\n"))
    lines = lines.str.strip_chars_end("\r")
    lines = lines.filter(~lines.str.starts_with("#"))
    if tabs or b'"' not in whole:
        cells = lines.str.split("\t" if tabs else " ")
    else:  # values with spaces stand between quotes ("Format")
        cells = lines.str.extract_all(r'"[^"]*"|[^ ]+').list.eval(pl.element().str.strip_chars('"'))
    table = pl.DataFrame(
        {
            name: pl.repeat(None, len(cells), dtype=pl.String, eager=True)
            if place is None
            else cells.list.get(place, null_on_oob=True)
            for name, place in places.items()
        }
    ).with_columns(pl.when(pl.all() != "-").then(pl.all()).name.keep())
    agent = pl.col("agent").str.replace_many(_WRITTEN)
    agent = agent if tabs else agent.str.replace_all("+", " ", literal=True)
    query = pl.when(pl.col("query").is_not_null()).then("?" + pl.col("query"))
    day = pl.col("date").str.to_date("%Y-%m-%d", strict=False)
    made = table.with_columns(agent).select(
        combined_lines(day, pl.col("time").str.slice(0, 8), pl.col("path") + query.fill_null(""))
    )
    return "".join(f"{one}\n" for one in made.to_series().drop_nulls().to_list()).encode()
