"""Pages as others meet them, drawn: results on wide and narrow screens, cards with a large and a
small picture. As one picture, or as a page that needs nothing else."""

from __future__ import annotations

import base64
import io
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from importlib.resources import files
from importlib.util import find_spec
from pathlib import Path

from jinja2 import Environment
from PIL import Image, ImageDraw, ImageFont, ImageOps

from jovial_atlas.media.pictures import on_white

_PAPER, _SHEET, _INK, _TEAL = "#f1efe8", "#ffffff", "#22302b", "#1f5c57"
_PALE, _LINE, _HOLE, _WARN = "#6d7a74", "#d5d7cf", "#dcded7", "#a3431f"
_WIDTH, _GAP, _PAD = 1240, 24, 16
_WIDE, _NARROW, _CARD, _SMALL = 640, 360, 500, 132
_FONTS = "mpl-data/fonts/ttf"
#: The font that is drawn is wider than the one that results are set in.
_SCALE = 0.88


@dataclass(frozen=True, slots=True)
class Note:
    """A line below a view; `warn` where something is cut or missing."""

    text: str
    warn: bool = False


@dataclass(frozen=True, slots=True)
class Card:
    """One page: its address, what keeps it from being found, and its views. `picture` holds the
    octets of its picture; `hole` is said where there is none."""

    loc: str
    hidden: str
    trail: str
    title: str
    wide: str
    narrow: str
    host: str
    card_title: str
    card_text: str
    picture: bytes | None
    hole: str
    result_notes: Sequence[Note]
    card_notes: Sequence[Note]

    def data(self, width: int, height: int) -> str:
        """The picture as it is seen at a size, as a data address."""
        return as_data(self.picture, width, height)


def as_data(picture: bytes | None, width: int, height: int, quality: int = 82) -> str:
    """The middle of a picture at a size, as a data address; "" where it is none."""
    shown = _cropped(picture, width, height)
    if shown is None:
        return ""
    buffer = io.BytesIO()
    shown.save(buffer, "JPEG", quality=quality)
    return f"data:image/jpeg;base64,{base64.b64encode(buffer.getvalue()).decode()}"


def page(cards: Sequence[Card], title: str, language: str) -> bytes:
    """The previews as one HTML page."""
    template = files("jovial_atlas.media").joinpath("cards.html").read_text("utf-8")
    environment = Environment(autoescape=True, trim_blocks=True, lstrip_blocks=True)
    text = environment.from_string(template).render(cards=cards, title=title, language=language)
    return (text + "\n").encode()


def draw(cards: Sequence[Card]) -> bytes:
    """The previews as PNG, one page below the other."""
    strips = [_strip(card) for card in cards]
    height = sum(one.height for one in strips) + _GAP * (len(strips) + 1)
    whole = Image.new("RGB", (_WIDTH, height), _PAPER)
    y = _GAP
    for strip in strips:
        whole.paste(strip, (0, y))
        y += strip.height + _GAP
    buffer = io.BytesIO()
    whole.save(buffer, "PNG", optimize=True)
    return buffer.getvalue()


@lru_cache(maxsize=64)
def _font(size: float, bold: bool = False) -> ImageFont.FreeTypeFont | ImageFont.ImageFont:
    spec = find_spec("matplotlib")
    name = "DejaVuSans-Bold.ttf" if bold else "DejaVuSans.ttf"
    for place in (spec.submodule_search_locations or []) if spec else []:
        file = Path(place) / _FONTS / name
        if file.is_file():
            return ImageFont.truetype(file, size)
    return ImageFont.load_default(size)


def _wrapped(text: str, size: float, width: int, most: int, *, bold: bool = False) -> list[str]:
    """A text in at most so many lines of a width in pixels."""
    font = _font(size, bold)
    lines = [""]
    for word in text.split():
        longer = f"{lines[-1]} {word}".strip()
        if font.getlength(longer) <= width or not lines[-1]:
            lines[-1] = longer
        elif len(lines) == most:
            lines[-1] = f"{lines[-1].rstrip('…')}…"
            break
        else:
            lines.append(word)
    return [one for one in lines if one]


def _strip(card: Card) -> Image.Image:
    """The views of one page beside each other; as high as they need."""
    image = Image.new("RGB", (_WIDTH, 900), _PAPER)
    pen = ImageDraw.Draw(image)
    pen.text((_GAP, 0), card.loc, _INK, font=_font(17, bold=True))
    y = 28
    if card.hidden:
        pen.text((_GAP, y), f"It may not be found: {card.hidden}.", _WARN, font=_font(13))
        y += 22
    left = _result(pen, card, card.wide, "As a result, wide screen", (_GAP, y), _WIDE)
    left = _notes(pen, card.result_notes, (_GAP, left + 10), _WIDE)
    narrow = "As a result, narrow screen"
    left = _result(pen, card, card.narrow, narrow, (_GAP, left + 18), _NARROW)
    right_x = _GAP * 2 + _WIDE
    right = _large(image, pen, card, (right_x, y))
    right = _notes(pen, card.card_notes, (right_x, right + 10), _CARD)
    right = _small(image, pen, card, (right_x, right + 18))
    return image.crop((0, 0, _WIDTH, max(left, right) + 8))


def _result(
    pen: ImageDraw.ImageDraw, card: Card, text: str, caption: str, at: tuple[int, int], width: int
) -> int:
    """A result in its frame; gives where it ends."""
    x, y = at
    pen.text(at, caption, _PALE, font=_font(12))
    inner = width - 2 * _PAD
    title = _wrapped(card.title or "no title", 20 * _SCALE, inner, 1 if width > 500 else 2)
    lines = _wrapped(text or "no description", 14 * _SCALE, inner, 3 if width > 500 else 5)
    height = 26 + 26 * len(title) + 21 * len(lines) + 2 * _PAD - 6
    top = y + 20
    pen.rounded_rectangle((x, top, x + width, top + height), 6, _SHEET, _LINE)
    place = top + _PAD
    pen.text((x + _PAD, place), _wrapped(card.trail, 12, inner, 1)[0], _PALE, font=_font(12))
    place += 24
    for line in title:
        pen.text((x + _PAD, place), line, _TEAL, font=_font(20 * _SCALE))
        place += 26
    place += 2
    for line in lines:
        pen.text((x + _PAD, place), line, _INK, font=_font(14 * _SCALE))
        place += 21
    return top + height


def _notes(pen: ImageDraw.ImageDraw, notes: Sequence[Note], at: tuple[int, int], width: int) -> int:
    x, y = at
    for note in notes:
        for line in _wrapped(note.text, 12, width, 2):
            pen.text((x, y), line, _WARN if note.warn else _PALE, font=_font(12))
            y += 18
    return y


def _large(image: Image.Image, pen: ImageDraw.ImageDraw, card: Card, at: tuple[int, int]) -> int:
    x, y = at
    pen.text(at, "Shared, large picture", _PALE, font=_font(12))
    top, high = y + 20, 262
    title = _wrapped(card.card_title, 16, _CARD - 2 * _PAD, 2, bold=True)
    lines = _wrapped(card.card_text, 13, _CARD - 2 * _PAD, 2)
    height = high + 22 + 22 * len(title) + 19 * len(lines) + 2 * _PAD
    pen.rectangle((x, top, x + _CARD, top + height), _SHEET, _LINE)
    _picture(image, pen, card, (x + 1, top + 1), (_CARD - 1, high))
    place = top + high + _PAD
    pen.text((x + _PAD, place), card.host, _PALE, font=_font(12))
    _texts(pen, title, lines, x + _PAD, place + 20)
    return top + height


def _small(image: Image.Image, pen: ImageDraw.ImageDraw, card: Card, at: tuple[int, int]) -> int:
    x, y = at
    pen.text(at, "Shared, small picture", _PALE, font=_font(12))
    top = y + 20
    pen.rectangle((x, top, x + _CARD, top + _SMALL), _SHEET, _LINE)
    _picture(image, pen, card, (x + 1, top + 1), (_SMALL - 1, _SMALL - 1))
    inner = _CARD - _SMALL - 2 * _PAD
    title = _wrapped(card.card_title, 14, inner, 2, bold=True)
    lines = _wrapped(card.card_text, 13, inner, 2 if len(title) > 1 else 3)
    pen.text((x + _SMALL + _PAD, top + 12), card.host, _PALE, font=_font(12))
    _texts(pen, title, lines, x + _SMALL + _PAD, top + 32, 14)
    return top + _SMALL


def _texts(
    pen: ImageDraw.ImageDraw, title: list[str], lines: list[str], x: int, y: int, size: int = 16
) -> None:
    for line in title:
        pen.text((x, y), line, _INK, font=_font(size, bold=True))
        y += size + 6
    for line in lines:
        pen.text((x, y), line, _PALE, font=_font(13))
        y += 19


def _picture(
    image: Image.Image,
    pen: ImageDraw.ImageDraw,
    card: Card,
    at: tuple[int, int],
    size: tuple[int, int],
) -> None:
    shown = _cropped(card.picture, *size)
    if shown is not None:
        image.paste(shown, at)
        return
    x, y = at
    pen.rectangle((x, y, x + size[0] - 1, y + size[1] - 1), _HOLE)
    lines = _wrapped(card.hole, 12, size[0] - 12, 3)
    for number, line in enumerate(lines):
        place = (x + size[0] / 2, y + size[1] / 2 + (number - (len(lines) - 1) / 2) * 17)
        pen.text(place, line, _PALE, font=_font(12), anchor="mm")


def _cropped(data: bytes | None, width: int, height: int) -> Image.Image | None:
    """A picture as cards cut it: its middle, in their shape."""
    if data is None:
        return None
    try:
        with Image.open(io.BytesIO(data)) as picture:
            return ImageOps.fit(on_white(picture), (width, height), Image.Resampling.LANCZOS)
    except (OSError, ValueError, SyntaxError, Image.DecompressionBombError):
        return None
