"""What renderings of the corpus share."""

from __future__ import annotations

import json
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
            # Noise: some generators put small files into the page itself.
            Image.effect_noise((900, 600), 40 + number).save(folder / article.picture)
        if article.film:
            (folder / article.film).write_bytes(b"A film would be here.")
    Image.new("RGB", (240, 80), (11, 97, 81)).save(folder / "logo.png")


def run(*command: str, cwd: Path) -> None:
    done = subprocess.run(command, cwd=cwd, capture_output=True, text=True, check=False)
    if done.returncode:
        raise SystemExit(f"{' '.join(command)}\n{done.stdout[-2000:]}\n{done.stderr[-2000:]}")


def quoted(text: str) -> str:
    """A text as YAML takes it, whatever signs are in it."""
    return json.dumps(text, ensure_ascii=False)


def body_of(article: Article, pictures: str) -> str:
    parts = list(article.paragraphs)
    if article.picture:
        parts.insert(1, f"![{article.title}]({pictures}{article.picture})")
    if article.film:
        parts.append(f'<video controls src="{pictures}{article.film}"></video>')
    return "\n\n".join(parts)
