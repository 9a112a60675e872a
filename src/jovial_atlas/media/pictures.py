"""Picture files: what they are, and copies of them for sharing."""

from __future__ import annotations

import io
from pathlib import Path
from typing import TYPE_CHECKING, Literal

import msgspec

if TYPE_CHECKING:
    from PIL.Image import Image

Focus = Literal["centre", "top", "detail"]
Corner = Literal["top-left", "top-right", "bottom-left", "bottom-right"]

#: What shared cards show best: width and height in pixels, and the least that they show large.
SHARED, SHARED_LEAST = (1200, 630), (600, 315)
#: Sides in pixels: where the longer one is no more than the first, a picture is an icon; where the
#: shorter one is no more than the second, too.
_ICON, _STRIP = 64, 31
#: JPEG qualities that a copy is tried at, best first.
_QUALITIES = (90, 85, 80, 74, 68, 60, 50, 40, 30, 20)
#: A mark is at most this part of the width, and stands off the edge by this part.
_MARK_SHARE, _MARK_MARGIN = 0.16, 0.025
#: Larger than any photograph; what claims more is made to fill the memory.
_MOST_PIXELS = 120_000_000


class Picture(msgspec.Struct, frozen=True):
    """A picture file: width and height in pixels, octets, MIME type."""

    width: int
    height: int
    bytes: int
    type: str


def is_icon(width: int, height: int) -> bool:
    """Whether a picture of so many pixels only marks something: an arrow, a button, a line."""
    return max(width, height) <= _ICON or min(width, height) <= _STRIP


def look_at_picture(path: Path) -> Picture | None:
    """What a picture file is by its content, None where it is no picture."""
    from PIL import Image

    try:
        size = path.stat().st_size
        with Image.open(path) as picture:
            width, height = picture.size[::-1] if _is_turned(picture) else picture.size
            return Picture(width, height, size, Image.MIME.get(picture.format or "", ""))
    except (OSError, ValueError, SyntaxError, Image.DecompressionBombError):
        return None


def _is_turned(picture: Image) -> bool:
    """Whether a picture is shown with its sides exchanged (Exif 2.3, Orientation)."""
    # To look for it behind the pixels of a PNG means decoding all of them.
    if picture.format == "PNG" and "exif" not in picture.info:
        return False
    return picture.getexif().get(0x0112, 1) in (5, 6, 7, 8)


class Copying(msgspec.Struct, frozen=True):
    """How copies for sharing are made. `point` is where the matter is, as parts of width and
    height; without one `focus` says: the centre, the upper edge, or where the detail is."""

    focus: Focus = "centre"
    point: tuple[float, float] | None = None
    most_bytes: int = 600_000
    mark: Path | None = None
    corner: Corner = "bottom-right"


def copy_size(width: int, height: int) -> tuple[int, int]:
    """The size of a copy for sharing: never larger than the picture gives."""
    scale = min(1.0, width / SHARED[0], height / SHARED[1])
    return round(SHARED[0] * scale), round(SHARED[1] * scale)


def shared_copy(path: Path, how: Copying) -> bytes:
    """A copy of a picture in the shape of shared cards, as JPEG of the best quality with at most
    `how.most_bytes` octets, else of the lowest. Raises ValueError where it is no whole picture."""
    from PIL import Image, ImageOps

    try:
        with Image.open(path) as opened:
            if opened.width * opened.height > _MOST_PIXELS:
                raise ValueError("it has too many pixels")
            opened.draft("RGB", (SHARED[0] * 2, SHARED[1] * 2))
            picture = on_white(ImageOps.exif_transpose(opened))
        size = copy_size(*picture.size)
        copy = picture.resize(size, Image.Resampling.LANCZOS, box=_frame(picture, how))
        if how.mark:
            with Image.open(how.mark) as mark:
                _put_mark(copy, mark.convert("RGBA"), how.corner)
    except (OSError, SyntaxError, Image.DecompressionBombError) as error:
        raise ValueError(str(error)) from error
    data = b""
    for quality in _QUALITIES:
        buffer = io.BytesIO()
        copy.save(buffer, "JPEG", quality=quality, optimize=True, progressive=True)
        data = buffer.getvalue()
        if len(data) <= how.most_bytes:
            break
    return data


def on_white(picture: Image) -> Image:
    """Without transparency, which JPEG does not have: on white."""
    from PIL import Image

    if picture.mode in ("RGBA", "LA", "PA") or "transparency" in picture.info:
        above = picture.convert("RGBA")
        ground = Image.new("RGBA", above.size, "white")
        return Image.alpha_composite(ground, above).convert("RGB")
    return picture.convert("RGB")


def _frame(picture: Image, how: Copying) -> tuple[float, float, float, float]:
    """What of a picture its copy shows: the largest part in the shape of a card, around the
    focus as far as the edges allow."""
    scale = min(picture.width / SHARED[0], picture.height / SHARED[1])
    width, height = SHARED[0] * scale, SHARED[1] * scale
    across, down = how.point or _focus(picture, how.focus)
    left = min(max(across * picture.width - width / 2, 0), picture.width - width)
    top = min(max(down * picture.height - height / 2, 0), picture.height - height)
    return left, top, left + width, top + height


def _focus(picture: Image, focus: Focus) -> tuple[float, float]:
    if focus == "top":
        return 0.5, 0.0
    if focus == "centre":
        return 0.5, 0.5
    # The centre of gravity of all edges: what is sharp is what was meant.
    import numpy as np
    from PIL import ImageFilter

    small = picture.convert("L")
    small.thumbnail((160, 160))
    edges = np.asarray(small.filter(ImageFilter.FIND_EDGES), float)[2:-2, 2:-2]
    weight = edges**2
    total = weight.sum()
    if not total:
        return 0.5, 0.5
    down, across = (np.arange(size) + 0.5 for size in edges.shape)
    return (
        float((weight.sum(axis=0) * across).sum() / total / edges.shape[1]),
        float((weight.sum(axis=1) * down).sum() / total / edges.shape[0]),
    )


def _put_mark(copy: Image, mark: Image, corner: Corner) -> None:
    from PIL import Image

    most, margin = round(copy.width * _MARK_SHARE), round(copy.width * _MARK_MARGIN)
    mark.thumbnail((most, most), Image.Resampling.LANCZOS)
    left = margin if corner.endswith("left") else copy.width - margin - mark.width
    top = margin if corner.startswith("top") else copy.height - margin - mark.height
    copy.paste(mark, (left, top), mark)
