"""What a simulated engine shows: tables as CSV, in its own words, and a small page."""

from __future__ import annotations

import csv
import io
from collections import Counter
from collections.abc import Sequence
from typing import Any

from jinja2 import Environment

from jovial_atlas.standin.engine import SimulatedEngine

#: Tables that are exported → the columns as this engine calls them, and where they come from.
EXPORTS: dict[str, tuple[tuple[str, str], ...]] = {
    "sitemaps": (("Sitemap address", "loc"), ("Result", "state"), ("Read on", "last_read"),
                 ("Pages found", "found"), ("Pages indexed", "indexed")),
    "pages": (("Page address", "loc"), ("In the index", "indexed"), ("Reason", "reason"),
              ("Fetched on", "last_crawl")),
    "reasons": (("Reason", "reason"), ("Number of pages", "pages")),
}  # fmt: skip

_PAGE = """<!doctype html>
<html lang="en"><head><meta charset="utf-8"><meta name="robots" content="noindex">
<title>{{ name }} (simulated)</title><style>
body { font: 16px/1.45 system-ui, "DejaVu Sans", sans-serif; max-width: 64rem; margin: 2rem auto;
       padding: 0 1.5rem; color: #26323a; background: #f4f6f8; }
.sim { background: #d9a441; padding: .4rem .8rem; display: inline-block; }
table { border-collapse: collapse; width: 100%; margin: .6rem 0 2rem; background: #fff; }
th, td { text-align: left; padding: .35rem .8rem; border-bottom: 1px solid #d7dde2; }
th { color: #5c6b76; font-weight: 400; } .n { text-align: right; }
</style></head><body>
<h1>{{ name }}</h1>
<p class="sim">A simulated search engine for trying Jovial Atlas. It indexes nothing.</p>
<p>Here it is {{ now }}.</p>
{% for site in sites %}
<h2>{{ site.origin }}</h2>
<p>{{ site.indexed }} of {{ site.known }} known pages indexed; ownership
{{ "shown" if site.verified else "not shown" }}.</p>
<table><tr><th>Sitemap</th><th>Result</th><th>Read on</th><th class="n">Found</th>
<th class="n">Indexed</th></tr>
{% for one in site.sitemaps %}
<tr><td>{{ one.loc }}</td><td>{{ one.state }}</td><td>{{ (one.last_read or "not yet")[:16] }}</td>
<td class="n">{{ one.found if one.found is not none else "" }}</td>
<td class="n">{{ one.indexed if one.indexed is not none else "" }}</td></tr>
{% endfor %}</table>
<table><tr><th>Not indexed, and why</th><th class="n">Pages</th></tr>
{% for reason, count in site.reasons %}
<tr><td>{{ reason }}</td><td class="n">{{ count }}</td></tr>
{% endfor %}</table>
{% else %}<p>No site is known yet.</p>
{% endfor %}</body></html>
"""


def reasons(engine: SimulatedEngine, site: str) -> list[tuple[str, int]]:
    """Why pages of a site are not indexed, the most frequent reason first."""
    counted = Counter(one["reason"] for one in engine.pages(site) if not one["indexed"])
    return sorted(counted.items(), key=lambda item: (-item[1], item[0]))


def as_csv(engine: SimulatedEngine, site: str, kind: str) -> str:
    """One of the tables in `EXPORTS`."""
    rows: Sequence[dict[str, Any]]
    if kind == "reasons":
        rows = [{"reason": name, "pages": count} for name, count in reasons(engine, site)]
    else:
        rows = engine.reports(site) if kind == "sitemaps" else engine.pages(site)
    buffer = io.StringIO()
    writer = csv.writer(buffer)
    writer.writerow([theirs for theirs, _ in EXPORTS[kind]])
    for row in rows:
        writer.writerow([_cell(row[ours]) for _, ours in EXPORTS[kind]])
    return buffer.getvalue()


def as_page(engine: SimulatedEngine) -> str:
    """All that the engine knows, for a person."""
    sites = []
    for origin in engine.sites():
        pages = engine.pages(origin)
        sites.append(
            {
                "origin": origin,
                "known": len(pages),
                "indexed": sum(one["indexed"] for one in pages),
                "verified": engine.is_verified(origin),
                "sitemaps": engine.reports(origin),
                "reasons": reasons(engine, origin),
            }
        )
    now = engine.clock.present().strftime("%Y-%m-%d %H:%M")
    environment = Environment(autoescape=True)
    return environment.from_string(_PAGE).render(name=engine.name, now=now, sites=sites)


def _cell(value: object) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    return "" if value is None else str(value)
