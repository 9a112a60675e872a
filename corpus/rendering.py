"""What renderings of the corpus share."""

from __future__ import annotations

import subprocess
from dataclasses import dataclass
from pathlib import Path

from PIL import Image

from corpus.content import Article, articles, manual

SITE = "https://www.marrowfen.example"


@dataclass(frozen=True)
class Rendered:
    """A rendered site: its folder, and file → article of which it is the page."""

    name: str
    folder: Path
    pages: dict[str, Article]
    drafts: tuple[str, ...] = ()


def write_pictures(folder: Path) -> None:
    folder.mkdir(parents=True, exist_ok=True)
    for number, article in enumerate([*articles(), *manual()]):
        if article.picture:
            Image.new("RGB", (900, 600), (60 + number * 7 % 180, 120, 90)).save(
                folder / article.picture
            )
    Image.new("RGB", (240, 80), (11, 97, 81)).save(folder / "logo.png")


def run(*command: str, cwd: Path) -> None:
    done = subprocess.run(command, cwd=cwd, capture_output=True, text=True, check=False)
    if done.returncode:
        raise SystemExit(f"{' '.join(command)}\n{done.stdout[-2000:]}\n{done.stderr[-2000:]}")


def body_of(article: Article, pictures: str) -> str:
    parts = list(article.paragraphs)
    if article.picture:
        parts.insert(1, f"![{article.title}]({pictures}{article.picture})")
    return "\n\n".join(parts)
