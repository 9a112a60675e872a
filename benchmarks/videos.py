"""A thousand films looked into, against PyAV alone; and the same again, when all is known."""

from __future__ import annotations

import io
import shutil
import tempfile
from collections.abc import Callable
from datetime import UTC, datetime
from importlib.resources import files
from pathlib import Path

import av
import polars as pl

from jovial_atlas.media.fields import video
from jovial_atlas.pages import schema
from jovial_atlas.rounds.reading.video_files import look_at_videos
from jovial_atlas.sitefile.read import parse_site_file
from jovial_atlas.web import new_client

_FILMS = 1_000
_NOW = datetime(2026, 11, 23, tzinfo=UTC)
_SITE = "https://www.marrowfen.example"


def run(pair: Callable[..., float]) -> None:
    """Copies of the four films of the sample site, each made different by its last bytes."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        places = _films(folder / "public")
        text = f'[site]\nurl = "{_SITE}"\n[[source]]\nkind = "html"\npath = "public"\n'
        site = parse_site_file(text, folder / "atlas.toml")
        pages = schema.table(
            [
                {"loc": f"{_SITE}/{n}/", "videos": [video(content=f"{_SITE}/{n}.mp4")]}
                for n in range(_FILMS)
            ]
        ).lazy()
        client = new_client()

        def first() -> object:
            shutil.rmtree(site.state, ignore_errors=True)
            return look_at_videos(pages, site, client, _NOW)

        def alone() -> None:
            for place in places:
                with av.open(str(place)) as container:
                    stream = container.streams.video[0]
                    _ = stream.duration, stream.codec_context.width, stream.codec_context.name
                    picture = next(container.decode(stream)).to_image()
                    picture.save(io.BytesIO(), "JPEG", quality=82)

        pair(f"{_FILMS:,} films, PyAV alone", first, alone, wanted="about 1", runs=3)
        pair(
            f"{_FILMS:,} films again, against one second",
            lambda: look_at_videos(pages, site, client, _NOW),
            lambda: __import__("time").sleep(1),
            wanted="instant",
            runs=3,
        )
        looked = look_at_videos(pages, site, client, _NOW)
        stills = looked.media.select(pl.col("media").list.first().struct["still"])
        assert not stills.to_series().null_count()


def _films(folder: Path) -> list[Path]:
    folder.mkdir()
    media = files("jovial_atlas.demo") / "media"
    films = [one.read_bytes() for one in media.iterdir() if one.name.endswith(".mp4")]
    places = []
    for number in range(_FILMS):
        # A box of the kind `free` may stand at the end of any file (ISO/IEC 14496-12 §8.1.2).
        free = (12).to_bytes(4, "big") + b"free" + number.to_bytes(4, "big")
        place = folder / f"{number}.mp4"
        place.write_bytes(films[number % len(films)] + free)
        places.append(place)
    return places
