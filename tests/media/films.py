"""Short films made by the tests, in several containers and codecs."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import av
from PIL import Image

RATE = 10


def frame(number: int, width: int, height: int, kind: str) -> Image.Image:
    """One picture: black, one grey, or a scene with something moving."""
    if kind in ("black", "flat"):
        return Image.new("RGB", (width, height), (0, 0, 0) if kind == "black" else (128, 128, 128))
    picture = Image.linear_gradient("L").resize((width, height)).convert("RGB")
    left = number * 3 % (width - 12)
    picture.paste((250, 60, 30), (left, height // 3, left + 12, height // 2))
    return picture


def film(
    place: Path,
    codec: str = "libx264",
    seconds: float = 2,
    size: tuple[int, int] = (320, 180),
    dark: float = 0,
    kind: str = "scene",
    audio: str = "",
    options: dict[str, str] | None = None,
) -> Path:
    """Write a film whose first `dark` seconds are black."""
    place.parent.mkdir(parents=True, exist_ok=True)
    with av.open(str(place), "w", options=options or {}) as container:
        stream = container.add_stream(codec, rate=RATE)
        stream.width, stream.height = size
        stream.pix_fmt = "yuv420p"
        sound = container.add_stream(audio, rate=48_000) if audio else None
        for number in range(int(seconds * RATE)):
            what = "black" if number < dark * RATE else kind
            picture = av.VideoFrame.from_image(frame(number, *size, what))
            picture.pts = number
            container.mux(stream.encode(picture))
        container.mux(stream.encode(None))
        if sound is not None:
            for number in range(int(seconds * 10)):
                part = av.AudioFrame(format="fltp", layout="mono", samples=4_800)
                for plane in part.planes:
                    plane.update(bytes(plane.buffer_size))
                part.sample_rate, part.pts = 48_000, number * 4_800
                part.time_base = Fraction(1, 48_000)
                container.mux(sound.encode(part))
            container.mux(sound.encode(None))
    return place
