"""A contact sheet: stills in a grid with what is told of each, as a picture or a page."""

from __future__ import annotations

import base64
import io
from collections.abc import Sequence
from dataclasses import dataclass
from importlib.resources import files
from pathlib import Path

from jinja2 import Environment
from PIL import Image, ImageDraw, ImageFont

_CELL, _STILL_HEIGHT, _TEXT, _GAP = 300, 169, 62, 16
_PAPER, _INK, _PALE, _HOLE, _WARN = "#f7f6f1", "#22302b", "#6d7a74", "#dcded7", "#a3431f"


@dataclass(frozen=True, slots=True)
class Cell:
    """One video on the sheet: its title, a line below it, whether it is listed, and its still."""

    title: str
    about: str
    listed: bool
    length: str
    still: Path | None = None
    #: What stands where there is no still.
    hole: str = "no picture"


def draw(cells: Sequence[Cell], title: str, columns: int = 4) -> bytes:
    """The sheet as PNG, `columns` videos wide."""
    columns = max(1, min(columns, len(cells)))
    rows = -(-len(cells) // columns)
    width = columns * _CELL + (columns + 1) * _GAP
    head = 58
    height = head + rows * (_STILL_HEIGHT + _TEXT) + (rows + 1) * _GAP
    sheet = Image.new("RGB", (width, height), _PAPER)
    pen = ImageDraw.Draw(sheet)
    large, small, bold = (ImageFont.load_default(size) for size in (24, 13, 16))
    pen.text((_GAP, 18), title, _INK, font=large)
    for number, cell in enumerate(cells):
        row, column = divmod(number, columns)
        x = _GAP + column * (_CELL + _GAP)
        y = head + _GAP + row * (_STILL_HEIGHT + _TEXT + _GAP)
        _still(sheet, pen, cell, x, y, small)
        pen.text((x, y + _STILL_HEIGHT + 8), _fitting(pen, cell.title, bold), _INK, font=bold)
        colour = _PALE if cell.listed else _WARN
        pen.text((x, y + _STILL_HEIGHT + 32), _fitting(pen, cell.about, small), colour, font=small)
    buffer = io.BytesIO()
    sheet.save(buffer, "PNG", optimize=True)
    return buffer.getvalue()


def _still(
    sheet: Image.Image,
    pen: ImageDraw.ImageDraw,
    cell: Cell,
    x: int,
    y: int,
    font: ImageFont.FreeTypeFont | ImageFont.ImageFont,
) -> None:
    box = (x, y, x + _CELL - 1, y + _STILL_HEIGHT - 1)
    pen.rectangle(box, fill=_HOLE)
    picture = _small(cell.still)
    if picture is None:
        pen.text((x + _CELL / 2, y + _STILL_HEIGHT / 2), cell.hole, _PALE, font=font, anchor="mm")
    else:
        at = (x + (_CELL - picture.width) // 2, y + (_STILL_HEIGHT - picture.height) // 2)
        sheet.paste(picture, at)
    if cell.length:
        wide = pen.textlength(cell.length, font=font) + 10
        pen.rectangle((box[2] - wide, box[3] - 20, box[2], box[3]), fill=_INK)
        middle = (box[2] - wide / 2, box[3] - 10)
        pen.text(middle, cell.length, _PAPER, font=font, anchor="mm")


def _small(path: Path | None) -> Image.Image | None:
    if path is None:
        return None
    try:
        with Image.open(path) as picture:
            picture.draft("RGB", (_CELL * 2, _STILL_HEIGHT * 2))
            small = picture.convert("RGB")
            small.thumbnail((_CELL, _STILL_HEIGHT), Image.Resampling.LANCZOS)
            return small
    except (OSError, ValueError, Image.DecompressionBombError):
        return None


def _fitting(
    pen: ImageDraw.ImageDraw, text: str, font: ImageFont.FreeTypeFont | ImageFont.ImageFont
) -> str:
    """As much of a text as stands on one line below a still."""
    if pen.textlength(text, font=font) <= _CELL:
        return text
    while text and pen.textlength(f"{text}…", font=font) > _CELL:
        text = text[:-1]
    return f"{text.rstrip()}…"


def page(cells: Sequence[Cell], title: str, language: str) -> bytes:
    """The sheet as one HTML page that needs nothing else."""
    template = files("jovial_atlas.media").joinpath("sheet.html").read_text("utf-8")
    environment = Environment(autoescape=True, trim_blocks=True, lstrip_blocks=True)
    shown = [(cell, _data(cell.still)) for cell in cells]
    text = environment.from_string(template).render(cells=shown, title=title, language=language)
    return (text + "\n").encode()


def _data(path: Path | None) -> str:
    picture = _small(path)
    if picture is None:
        return ""
    buffer = io.BytesIO()
    picture.save(buffer, "JPEG", quality=80)
    return f"data:image/jpeg;base64,{base64.b64encode(buffer.getvalue()).decode()}"
