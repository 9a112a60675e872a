"""The sample site while it is laid out: its pages are written one by one."""

from __future__ import annotations

import tomllib
from dataclasses import dataclass, field
from datetime import UTC, datetime, time, timedelta
from html import escape
from importlib.resources import files
from pathlib import Path
from typing import Any

from jinja2 import Environment

URL = "https://www.marrowfen.example"


#: The host where the site stood while it was being built.
OLD_HOST = "https://marrowfen.hosting.example"


@dataclass
class SiteBuilder:
    """The site while it is laid out."""

    folder: Path
    today: datetime
    content: dict[str, Any]
    template: Any
    pages: int = 0
    tags: dict[str, list[dict[str, Any]]] = field(default_factory=dict)

    def page(
        self,
        path: str,
        title: str,
        body: str,
        *,
        description: str = "",
        heading: str = "",
        head: tuple[str, ...] = (),
        language: str = "",
        canonical: str | None = "",
    ) -> None:
        """Write the page at `path`; `canonical` "" names itself, None names nothing."""
        named = f"{URL}{path}" if canonical == "" else canonical
        lines = ([f'<link rel="canonical" href="{named}">'] if named else []) + list(head)
        text = self.template.render(
            title=title, heading=heading, description=description, head=lines, body=body,
            language=language,
        )  # fmt: skip
        name = f"{path}index.html" if path.endswith("/") else path
        file = self.folder / name.lstrip("/")
        file.parent.mkdir(parents=True, exist_ok=True)
        file.write_text(text + "\n", "utf-8")
        self.pages += 1

    def moment(self, days: int, hour: int = 9) -> str:
        """A moment so many days from today, with its zone."""
        day = (self.today + timedelta(days=days)).date()
        return datetime.combine(day, time(hour), UTC).isoformat()


def builder_of(folder: Path, today: datetime) -> SiteBuilder:
    here = files("jovial_atlas.demo")
    environment = Environment(autoescape=True)
    return SiteBuilder(
        folder,
        today,
        tomllib.loads((here / "content.toml").read_text("utf-8")),
        environment.from_string((here / "templates/page.html").read_text("utf-8")),
    )


def paragraphs(page: dict[str, Any]) -> str:
    return "\n".join(f"<p>{escape(text, quote=False)}</p>" for text in page["text"])


def figure(name: str, alt: str = "") -> str:
    return f'<p><img src="/pictures/{name}.jpg" alt="{escape(alt)}" width="960" height="540"></p>'


def link_list(folder: str, pages: list[dict[str, Any]]) -> str:
    links = "\n".join(
        f'<li><a href="/{folder}/{page["slug"]}/">{escape(page["title"] or "Seed mix")}</a></li>'
        for page in pages
    )
    return f"<ul>\n{links}\n</ul>"
