"""A picture of the structured data of one page."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

from jovial_atlas.errors import AtlasError
from jovial_atlas.files import write_whole
from jovial_atlas.head.page_graph import Graph
from jovial_atlas.report.graph import Box, draw_graph
from jovial_atlas.rounds.proving.structured_data import ShownData
from jovial_atlas.structured.validate import types_of


def draw(shown: ShownData, path: Path) -> None:
    """Draw the graph of a page, .png or .svg. Raises AtlasError."""
    if path.suffix.lower() not in (".png", ".svg"):
        raise AtlasError(f"{path}: a picture of a graph ends in .png or .svg.")
    write_whole(path, draw_graph(_boxes(shown.graph), shown.loc, path.suffix.lower()[1:]))


def _boxes(graph: Graph) -> list[Box]:
    boxes: list[Box] = []
    known = {node["@id"] for node in graph.nodes if "@id" in node}
    for number, node in enumerate(graph.nodes):
        name = str(node.get("@id", f"node {number}"))
        boxes.append(_box(name, node, known, boxes))
    return boxes


def _box(name: str, node: Mapping[str, Any], known: set[str], boxes: list[Box]) -> Box:
    links: list[tuple[str, str]] = []
    lines: list[str] = []
    for key, value in node.items():
        if key.startswith("@"):
            continue
        for number, item in enumerate(value if isinstance(value, list) else [value]):
            if isinstance(item, Mapping) and "@type" in item:
                inner = f"{name}/{key}{number}"
                if number < 3:
                    boxes.append(_box(inner, item, known, boxes))
                    links.append((key, inner))
            elif isinstance(item, Mapping):
                if item.get("@id") in known:
                    links.append((key, item["@id"]))
            elif number == 0:
                whole = value if isinstance(value, list) else [value]
                lines.append(f"{key}: {', '.join(map(str, whole))}")
    return Box(name, " and ".join(types_of(node)) or "node", tuple(lines), tuple(links))
