"""Values from outside are checked at one door: numbers, texts, times, encodings, JSON; and packed files."""

import gzip
import io

import pytest

from jovial_atlas import foreign
from jovial_atlas.files.packed import Unpacking


@pytest.mark.parametrize(
    ("value", "count"),
    [(5, 5), ("5", 5), (5.0, 5), (0, 0), (-5, None), ("²", None), ("٣", None), ("5.5", None), (1e400, None),
     (True, None), (None, None), ([1], None), ("9" * 5_000, None), (10**30, None), (float("nan"), None)],
)  # fmt: skip
def test_a_count_is_a_count_or_nothing(value, count):
    assert foreign.whole(value) == count


@pytest.mark.parametrize(
    ("header", "seconds"),
    [("5", 5), (" 12 ", 12), ("²", None), ("-1", None), ("1e3", None), ("", None), (None, None)],
)
def test_seconds_of_a_header(header, seconds):
    assert foreign.seconds(header) == seconds


@pytest.mark.parametrize(
    "text",
    ["[" * 100_000, '{"a":' * 50_000, "1e999", "NaN", "Infinity", "9" * 10_000, "{", "", "\x00"],
)
def test_json_that_nobody_can_use_is_refused_as_a_value_error(text):
    with pytest.raises(ValueError):
        foreign.read_json(text)


def test_half_a_surrogate_becomes_a_replacement():
    assert foreign.read_json('{"a": ["\\ud83d", {"b": "\\ud83d\\ude00"}]}') == {"a": ["\ufffd", {"b": "😀"}]}
    assert foreign.text("a\n \ud83d " + "x" * 5_000, 10) == "a \ufffd xxxxxx"


@pytest.mark.parametrize(
    ("label", "codec"),
    [("utf-8", "utf-8"), ("UTF8", "utf-8"), ("latin1", "cp1252"), ("punycode", None), ("zlib", None),
     ("rot13", None), ("idna", None), ("unicode_escape", None), ("base64", None), ("../x", None), ("", None)],
)  # fmt: skip
def test_only_encodings_of_text_reach_the_codecs(label, codec):
    found = foreign.codec_of(label)
    assert (found or "").replace("windows-", "cp") == (codec or "")


CYRILLIC = "<meta charset=utf-8><p>Выдра"


@pytest.mark.parametrize(
    ("page", "said", "text"),
    [
        (CYRILLIC.encode("cp1251"), "text/html; charset=windows-1251", CYRILLIC),
        (CYRILLIC.encode("koi8-r"), 'text/html;Charset = "KOI8-R"', CYRILLIC),
        (CYRILLIC.encode(), "text/html; charset=windows-1251", CYRILLIC),
        (CYRILLIC.encode("utf-16"), "text/html; charset=windows-1251", None),
        ("<p>Otter".encode("utf-16-le"), "text/html; charset=utf-16le", "<p>Otter"),
        (CYRILLIC.encode("cp1251"), "text/html; charset=klingon", None),
        (CYRILLIC.encode("cp1251"), "text/html", None),
        (CYRILLIC.encode("cp1251"), "text/html; charset=utf-8", None),
    ],
)
def test_what_a_server_says_of_an_encoding_counts(page, said, text):
    found = foreign.in_utf8(page, said)
    assert found == page if text is None else found.decode("utf-8-sig") == text


def packed_as(data: bytes) -> bytes:
    return gzip.compress(data, mtime=0)


DATA = b"line\n" * 500_000


@pytest.mark.parametrize(
    ("packed", "contents", "junk"),
    [
        (packed_as(DATA), DATA, False),
        (packed_as(DATA) + packed_as(b"more"), DATA + b"more", False),
        (packed_as(b"") + packed_as(b"x") + b"\0" * 9, b"x", False),
        (packed_as(DATA) + b"junk", DATA, True),
    ],
)
def test_a_gzip_file_is_read_with_all_members(packed, contents, junk):
    stream = Unpacking(io.BytesIO(packed))
    assert io.BufferedReader(stream, 1 << 20).read() == contents
    assert stream.junk == junk


@pytest.mark.parametrize(
    "packed",
    [packed_as(DATA)[:-9], packed_as(b"x")[:5], b"\x1f\x8b\x08\xe0" + b"\0" * 30,
     packed_as(b"x" * 99)[:-8] + b"\1" * 8],
    ids=["cut", "cut-head", "reserved-flags", "wrong-sum"],
)  # fmt: skip
def test_a_damaged_gzip_file_is_an_oserror(packed):
    with pytest.raises(OSError):
        io.BufferedReader(Unpacking(io.BytesIO(packed))).read()
