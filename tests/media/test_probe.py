"""Media files as they are: lengths, sizes, codecs, stills, and what is wrong with broken ones."""

import io

import pytest
from PIL import Image, ImageStat

from jovial_atlas.media.probe import probe
from tests.media.films import film


def look(data):
    return ImageStat.Stat(Image.open(io.BytesIO(data)).convert("L"))


@pytest.mark.parametrize(
    ("name", "codec", "audio", "codecs", "plays"),
    [
        ("a.mp4", "libx264", "aac", "h264 + aac", True),
        ("a.mp4", "mpeg4", "", "mpeg4", False),
        ("a.webm", "libvpx", "libopus", "vp8 + opus", True),
        ("a.webm", "libvpx-vp9", "", "vp9", True),
        ("a.mkv", "libx264", "", "h264", False),
        ("a.mov", "libx264", "", "h264", False),
        ("a.avi", "mpeg4", "mp3", "mpeg4 + mp3", False),
    ],
)
def test_containers_and_codecs_are_told_apart(tmp_path, name, codec, audio, codecs, plays):
    found = probe(film(tmp_path / name, codec, seconds=3, audio=audio))
    assert (found.duration, found.width, found.height) == (3, 320, 180)
    assert (found.codecs, found.plays, found.problem) == (codecs, plays, None)
    assert Image.open(io.BytesIO(found.still)).size == (320, 180)


def test_the_still_is_the_first_lively_frame_or_the_one_at_a_second(tmp_path):
    place = film(tmp_path / "a.mp4", seconds=4, dark=2)
    assert look(probe(place).still).mean[0] > 60
    assert look(probe(place, second=1).still).mean[0] < 20
    flat = probe(film(tmp_path / "b.mp4", kind="flat"))
    assert (flat.still is not None, flat.problem) == (True, None)
    large = probe(film(tmp_path / "c.mp4", seconds=1, size=(1920, 1080)))
    assert Image.open(io.BytesIO(large.still)).size == (1280, 720)


def test_what_is_not_whole_is_told_in_words(tmp_path):
    whole = film(tmp_path / "a.mp4", seconds=6, options={"movflags": "faststart"}).read_bytes()
    (tmp_path / "cut.mp4").write_bytes(whole[: len(whole) // 2])
    (tmp_path / "text.mp4").write_text("not a film " * 100)
    (tmp_path / "none.mp4").write_bytes(b"")
    assert "it ends after" in probe(tmp_path / "cut.mp4").problem
    assert probe(tmp_path / "cut.mp4").duration == 6
    for name in ("text.mp4", "none.mp4", "missing.mp4"):
        assert "cannot be read" in probe(tmp_path / name).problem
    Image.new("RGB", (64, 64)).save(tmp_path / "picture.jpg")
    assert probe(tmp_path / "picture.jpg").duration is None
