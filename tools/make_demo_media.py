"""Draws the pictures and films of the sample site; run once, its results are kept.

Needs the `dev` extra (Pillow, PyAV). Everything is drawn here, from numbers: no photograph,
no person. Each film stays under 150 KB.
"""

from __future__ import annotations

import math
import random
from pathlib import Path

import av
from PIL import Image, ImageDraw, ImageFilter

MEDIA = Path(__file__).parent.parent / "src/jovial_atlas/demo/media"
PICTURES = {
    "reedbed-dawn": ((250, 205, 160), (120, 140, 150), (70, 95, 60)),
    "heron-pool": ((200, 220, 235), (90, 130, 150), (60, 80, 55)),
    "otter-bank": ((190, 205, 200), (80, 110, 105), (80, 70, 45)),
    "marsh-harrier": ((225, 230, 235), (150, 165, 160), (110, 115, 60)),
    "boardwalk": ((215, 225, 240), (120, 150, 140), (125, 105, 75)),
    "frogspawn": ((180, 200, 190), (60, 90, 80), (40, 60, 40)),
    "willow-snow": ((235, 238, 242), (190, 200, 210), (150, 155, 160)),
    "dragonfly": ((210, 235, 215), (110, 160, 130), (70, 110, 50)),
    "cafe-table": ((245, 230, 205), (180, 140, 100), (120, 85, 55)),
    "visitor-barn": ((225, 220, 215), (160, 110, 80), (95, 110, 60)),
    "bittern-hide": ((230, 215, 190), (135, 120, 90), (100, 90, 50)),
    "starlings": ((245, 190, 140), (130, 90, 110), (40, 40, 55)),
}
FILMS = {
    "otters-at-the-sluice": ("otter-bank", 6),
    "harrier-food-pass": ("marsh-harrier", 8),
    "heron-fishing": ("heron-pool", 5),
    "night-at-bittern-hide": ("bittern-hide", 7),
}


def landscape(name: str, width: int, height: int, phase: float = 0.0) -> Image.Image:
    """A fen in three colours: sky, water, reeds that sway with `phase`."""
    sky, water, reeds = PICTURES[name]
    chance = random.Random(name)
    picture = Image.new("RGB", (width, height), sky)
    draw = ImageDraw.Draw(picture)
    horizon = int(height * 0.45)
    for y in range(height):
        share = y / horizon if y < horizon else (y - horizon) / (height - horizon)
        base = sky if y < horizon else water
        colour = tuple(int(c * (1 - 0.25 * share)) for c in base)
        draw.line([(0, y), (width, y)], fill=colour)
    sun_x = int(width * chance.uniform(0.2, 0.8))
    radius = height // 14
    draw.ellipse(
        [sun_x - radius, horizon // 2 - radius, sun_x + radius, horizon // 2 + radius],
        fill=tuple(min(255, c + 40) for c in sky),
    )
    picture = picture.filter(ImageFilter.GaussianBlur(height / 180))
    draw = ImageDraw.Draw(picture)
    for _ in range(width // 4):
        x = chance.uniform(0, width)
        tall = chance.uniform(0.15, 0.5) * height
        lean = (chance.uniform(-0.1, 0.1) + 0.06 * math.sin(phase + x / 40)) * tall
        shade = chance.uniform(0.6, 1.1)
        colour = tuple(min(255, int(c * shade)) for c in reeds)
        draw.line(
            [(x, height), (x + lean, height - tall)], fill=colour, width=max(1, height // 240)
        )
    bird_x = (0.1 + 0.12 * phase) * width
    bird_y = horizon * (0.5 + 0.15 * math.sin(phase))
    wing = height / 24
    flap = math.sin(phase * 6) * wing
    dark = (40, 40, 40)
    draw.line(
        [(bird_x - wing, bird_y - flap), (bird_x, bird_y)], fill=dark, width=max(1, height // 160)
    )
    draw.line(
        [(bird_x, bird_y), (bird_x + wing, bird_y - flap)], fill=dark, width=max(1, height // 160)
    )
    return picture


def film(path: Path, name: str, seconds: int) -> None:
    """A short H.264 film of the landscape, reeds swaying, a bird crossing."""
    rate = 12
    with av.open(str(path), "w", options={"movflags": "+faststart"}) as container:
        stream = container.add_stream("libx264", rate=rate)
        stream.width, stream.height, stream.pix_fmt = 320, 180, "yuv420p"
        stream.options = {"crf": "32", "preset": "veryslow"}
        for number in range(seconds * rate):
            picture = landscape(name, 320, 180, phase=number / rate)
            for packet in stream.encode(av.VideoFrame.from_image(picture)):
                container.mux(packet)
        for packet in stream.encode():
            container.mux(packet)
    if path.stat().st_size > 150_000:
        raise SystemExit(f"{path} has {path.stat().st_size} bytes; 150,000 are allowed")


def main() -> None:
    """Draw everything."""
    MEDIA.mkdir(parents=True, exist_ok=True)
    for name in PICTURES:
        landscape(name, 960, 540, phase=1.3).save(MEDIA / f"{name}.jpg", quality=72, optimize=True)
    mark = Image.new("RGB", (256, 256), (32, 78, 84))
    draw = ImageDraw.Draw(mark)
    draw.line([(150, 40), (110, 90), (140, 140), (120, 220)], fill=(240, 236, 220), width=16)
    draw.polygon([(150, 28), (222, 52), (150, 56)], fill=(226, 163, 62))
    mark.save(MEDIA / "heron-mark.png", optimize=True)
    for name, (scene, seconds) in FILMS.items():
        film(MEDIA / f"{name}.mp4", scene, seconds)
    for path in sorted(MEDIA.iterdir()):
        print(f"{path.stat().st_size:>8,}  {path.name}")


if __name__ == "__main__":
    main()
