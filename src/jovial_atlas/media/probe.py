"""Probing media files with PyAV: length, size, codecs, whether browsers play them, a still.

Files come from outside: whatever is wrong with one is told in words, never raised.
"""

from __future__ import annotations

import io
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import av
import av.error
from PIL import Image, ImageStat

#: Container → codecs that today's browsers play in it.
_PLAYED = {
    "mp4": {"h264", "hevc", "av1", "vp9", "mpeg4part10", "aac", "mp3", "opus", "flac"},
    "webm": {"vp8", "vp9", "av1", "opus", "vorbis"},
    "ogg": {"theora", "vorbis", "opus"},
}
#: Width of a still, at most.
_STILL_WIDTH = 1280
_QUALITY = 82
#: Of luminance from 0 to 255: a frame below the first is black, one that varies less than the
#: second is flat.
_BLACK, _FLAT = 24.0, 12.0
#: Frames that are looked at for a still, at most.
_LOOKED_AT = 60


@dataclass(frozen=True, slots=True)
class Probe:
    """A media file: whole seconds, pixels, codecs as `h264 + aac`, whether browsers play it, a
    still as JPEG, and what is wrong with it, in words."""

    duration: int | None = None
    width: int | None = None
    height: int | None = None
    codecs: str = ""
    plays: bool = False
    still: bytes | None = None
    problem: str | None = None


def probe(path: Path, *, still: bool = True, second: float | None = None) -> Probe:
    """What is in a media file. The still is the frame at `second`, or else the first one that is
    neither black nor flat."""
    try:
        with av.open(str(path)) as container:
            return _probed(container, path, still, second)
    except (av.error.FFmpegError, ValueError, OSError) as error:
        said = getattr(error, "strerror", None) or str(error)
        return Probe(problem=f"it cannot be read ({said})")


def _probed(container: Any, path: Path, still: bool, second: float | None) -> Probe:
    streams = container.streams.video
    # A cover picture inside a sound file is no film.
    streams = [one for one in streams if not one.disposition & 0x400] if streams else []
    if not streams:
        return Probe(problem="it holds no video")
    stream = streams[0]
    # One frame is wanted: to start threads for it costs more than they bring.
    stream.codec_context.thread_count = 1
    length = _length(container, stream)
    codecs = [
        stream.codec_context.name,
        *(one.codec_context.name for one in container.streams.audio),
    ]
    names = [_CODEC_NAMES.get(name, name) for name in codecs]
    probed = Probe(
        duration=round(length) if length else None,
        width=stream.codec_context.width,
        height=stream.codec_context.height,
        codecs=" + ".join(dict.fromkeys(names)),
        plays=_plays(container.format.name, path, names, stream),
    )
    picture = None
    problem = None
    try:
        if still:
            seen = _still(container, stream, second)
            picture = _jpeg(seen) if seen is not None else None
        problem = _broken_off(container, stream, length)
    except av.error.FFmpegError as error:
        problem = f"it cannot be decoded ({error.strerror})"
    if still and picture is None and problem is None:
        problem = "no frame of it can be decoded"
    return Probe(probed.duration, probed.width, probed.height, probed.codecs, probed.plays, picture,
                 problem)  # fmt: skip


#: Names of decoders where they differ from the codec's.
_CODEC_NAMES = {"libdav1d": "av1", "libvpx": "vp8", "libvpx-vp9": "vp9", "libopus": "opus",
                "libvorbis": "vorbis", "mp3float": "mp3"}  # fmt: skip


def _length(container: Any, stream: Any) -> float | None:
    if stream.duration and stream.time_base:
        return float(stream.duration * stream.time_base)
    return container.duration / av.time_base if container.duration else None


def _plays(kind: str, path: Path, codecs: list[str], stream: Any) -> bool:
    """Whether browsers of today play it: container, codecs, and colours in the usual form."""
    ending = path.suffix.lower()
    families = {"mp4": "mp4" in kind and ending in (".mp4", ".m4v"), "webm": ending == ".webm",
                "ogg": kind == "ogg"}  # fmt: skip
    family = next((name for name, fits in families.items() if fits), None)
    if family is None or not set(codecs) <= _PLAYED[family]:
        return False
    pixels = stream.codec_context.pix_fmt or ""
    return stream.codec_context.name != "h264" or pixels in ("yuv420p", "yuvj420p")


def _frames(container: Any, stream: Any) -> Iterator[Any]:
    yield from container.decode(stream)


def _still(container: Any, stream: Any, second: float | None) -> Image.Image | None:
    """The picture for a still, the most lively of those looked at where none is good."""
    if second is not None:
        container.seek(int(second * av.time_base))
        for frame in _frames(container, stream):
            if frame.time is None or frame.time >= second:
                return _picture(frame)
        container.seek(0)
    best, most = None, -1.0
    for number, frame in enumerate(_frames(container, stream)):
        picture = _picture(frame)
        light, lively = _look_of(picture)
        if light > _BLACK and lively > _FLAT:
            return picture
        if lively > most:
            best, most = picture, lively
        if number >= _LOOKED_AT:
            break
    return best


def _picture(frame: Any) -> Image.Image:
    """A frame as a picture, no wider than a still."""
    if frame.width <= _STILL_WIDTH:
        return frame.to_image()  # type: ignore[no-any-return]
    height = round(frame.height * _STILL_WIDTH / frame.width)
    return frame.to_image(width=_STILL_WIDTH, height=height)  # type: ignore[no-any-return]


def _look_of(picture: Image.Image) -> tuple[float, float]:
    """Mean and deviation of a picture's luminance, seen small."""
    stat = ImageStat.Stat(picture.resize((32, 18), Image.Resampling.NEAREST).convert("L"))
    return stat.mean[0], stat.stddev[0]


def _jpeg(picture: Image.Image) -> bytes:
    buffer = io.BytesIO()
    picture.save(buffer, "JPEG", quality=_QUALITY)
    return buffer.getvalue()


def _broken_off(container: Any, stream: Any, length: float | None) -> str | None:
    """Whether the file ends long before its declared end, as one does whose upload was cut."""
    if not length or length < 1:
        return None
    try:
        container.seek(int(max(0.0, length - 1) * av.time_base))
        ends = [p.pts + (p.duration or 0) for p in container.demux(stream) if p.pts is not None]
        last = float(max(ends, default=0) * stream.time_base)
    except av.error.FFmpegError:
        return "it ends before its declared end"
    if last < 0.9 * length - 0.5:
        return f"it ends after {last:.0f} of its {length:.0f} seconds"
    return None
