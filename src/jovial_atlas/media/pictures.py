"""Picture files: their size."""

from __future__ import annotations

from pathlib import Path


def look_at_picture(place: Path) -> tuple[int, int] | None:
    """Width and height of a picture file, None where it is none."""
    from PIL import Image

    try:
        with Image.open(place) as picture:
            return picture.size
    except (OSError, ValueError, Image.DecompressionBombError):
        return None
