"""Draws docs/reference/rooms.svg from the imports: the rooms by their layers, lowest at the bottom,
with an arrow for each room that imports another; thicker where more modules do."""

from __future__ import annotations

import ast
import tomllib
from collections import Counter
from html import escape
from pathlib import Path

ROOT = Path(__file__).parent.parent
SOURCE = ROOT / "src/jovial_atlas"
PLACE = ROOT / "docs/reference/rooms.svg"
WIDTH, ROW, HEIGHT, GAP = 1240, 62, 30, 12
_LETTER, _ASIDE = 7.4, 170


def layers() -> list[list[str]]:
    """The rooms of each layer, highest first, as the import contract has them."""
    contracts = tomllib.loads((ROOT / "pyproject.toml").read_text("utf-8"))["tool"]["importlinter"]
    rows = next(one for one in contracts["contracts"] if one["type"] == "layers")["layers"]
    return [[room.strip() for room in row.split("|")] for row in rows]


def imports() -> Counter[tuple[str, str]]:
    """(room, room it imports) → in how many modules."""
    found: Counter[tuple[str, str]] = Counter()
    for place in sorted(SOURCE.rglob("*.py")):
        room = place.relative_to(SOURCE).parts[0].removesuffix(".py")
        rooms = set()
        for node in ast.walk(ast.parse(place.read_text("utf-8"))):
            if isinstance(node, ast.ImportFrom) and (node.module or "").startswith("jovial_atlas"):
                names = (node.module or "").split(".")[1:] or [one.name for one in node.names]
                rooms.add(names[0])
        found.update((room, other) for other in rooms if other != room)
    return found


def drawing() -> str:
    """The picture, as SVG."""
    rows, boxes = layers(), {}
    for number, rooms in enumerate(rows):
        widths = [len(room) * _LETTER + 24 for room in rooms]
        left = (WIDTH - sum(widths) - GAP * (len(rooms) - 1)) / 2
        if len(rooms) == 1:
            # One above the other, arrows would run through the rooms between.
            left += _ASIDE * ((number % 4) - 1.5)
        for room, width in zip(rooms, widths, strict=True):
            boxes[room] = (left, number * ROW + 20, width)
            left += width + GAP
    whole = len(rows) * ROW + 20
    out = [
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {WIDTH} {whole}" '
        'font-family="DejaVu Sans, sans-serif" font-size="13">',
        f'<rect width="{WIDTH}" height="{whole}" fill="#fff"/>',
    ]
    for (room, other), count in sorted(imports().items()):
        if room in boxes and other in boxes:
            x, y, width = boxes[room]
            to, down, wide = boxes[other]
            start, end = x + width / 2, to + wide / 2
            thick = 0.5 + min(count, 20) / 10
            out.append(
                f'<path d="M{start:.0f} {y + HEIGHT} C{start:.0f} {y + ROW} {end:.0f} '
                f'{down - ROW / 2:.0f} {end:.0f} {down}" fill="none" stroke="#2f6f62" '
                f'stroke-opacity="0.28" stroke-width="{thick:.1f}"/>'
            )
    for room, (x, y, width) in boxes.items():
        out.append(
            f'<rect x="{x:.0f}" y="{y}" width="{width:.0f}" height="{HEIGHT}" rx="5" '
            'fill="#f4efe2" stroke="#2f6f62"/>'
        )
        out.append(
            f'<text x="{x + width / 2:.0f}" y="{y + 20}" text-anchor="middle">{escape(room)}</text>'
        )
    return "\n".join([*out, "</svg>", ""])


if __name__ == "__main__":
    PLACE.write_text(drawing(), "utf-8")
