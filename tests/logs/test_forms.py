"""Logs of every form come to the same lines, in pieces of any size, packed in any way."""

import bz2
import gzip
import io
import json
import lzma

import pytest

from jovial_atlas.errors import AtlasError
from jovial_atlas.logs.forms import UsualForm
from jovial_atlas.logs.lines import Hit, parse_line
from jovial_atlas.rounds.telling.logs import opened_log

AGENT = "Mozilla/5.0 (compatible; Lanternbot/2.1)"
HIT = Hit("2026-11-30T10:00:01Z", "192.0.2.7", "GET", "/otters/?a=1", 200, AGENT, "https://x.example/")
PLAIN = f'192.0.2.7 - - [30/Nov/2026:10:00:01 +0000] "GET /otters/?a=1 HTTP/1.1" 200 5 "https://x.example/" "{AGENT}"'
EXTENDED = (
    "#Software: Server 10.0\r\n#Version: 1.0\r\n#Fields: date time s-ip cs-method cs-uri-stem cs-uri-query c-ip"
    " cs(User-Agent) cs(Referer) sc-status time-taken\r\n2026-11-30 10:00:01 192.0.2.1 GET /otters/ a=1 192.0.2.7"
    " Mozilla/5.0+(compatible;+Lanternbot/2.1) https://x.example/ 200 15\r\n"
)
TABBED = (
    "#Version: 1.0\n#Fields: date\ttime\tc-ip\tcs-method\tcs-uri-stem\tsc-status\tcs(Referer)\tcs(User-Agent)\tcs-uri-query\n"
    "2026-11-30\t10:00:01\t192.0.2.7\tGET\t/otters/\t200\thttps://x.example/\tMozilla/5.0%20(compatible;%2520Lanternbot/2.1)\ta=1\n"
)
FORMS = {
    "combined": PLAIN,
    "by a proxy": PLAIN.replace("GET /", "GET https://www.marrowfen.example/"),
    "extended": EXTENDED,
    "extended, tabs": TABBED,
    "extended, quotes": EXTENDED.replace("Mozilla/5.0+(compatible;+Lanternbot/2.1)", f'"{AGENT}"'),
    "system log": f"Nov 30 11:00:02 web1 nginx: {PLAIN}",
    "system log, new": f"<190>1 2026-11-30T10:00:01.003Z web1 nginx 123 - - {PLAIN}",
    "container": f"2026-11-30T10:00:01.123456789Z stdout F {PLAIN}",
    "wrapped": json.dumps({"log": f"{PLAIN}\n", "stream": "stdout", "time": "2026-11-30T12:00:00Z"}),
    "objects": json.dumps(
        {"ts": 1796032801.5, "status": 200,
         "request": {"remote_ip": "192.0.2.7", "method": "GET", "uri": "/otters/?a=1",
                     "headers": {"User-Agent": [AGENT], "Referer": ["https://x.example/"]}}}),
    "thousand-millionths": json.dumps(
        {"ClientIP": "192.0.2.7", "ClientRequestMethod": "GET", "ClientRequestURI": "/otters/?a=1", "EdgeResponseStatus": 200,
         "ClientRequestUserAgent": AGENT, "ClientRequestReferer": "https://x.example/", "EdgeStartTimestamp": 1796032801123456789}),
    "whole address": json.dumps(
        {"httpRequest": {"requestMethod": "GET", "requestUrl": "https://www.marrowfen.example/otters/?a=1", "status": 200,
                         "userAgent": AGENT, "remoteIp": "192.0.2.7", "referer": "https://x.example/"},
         "timestamp": "2026-11-30T10:00:01.5Z"}),
    "common names": json.dumps(
        {"@timestamp": "2026-11-30T10:00:01Z", "http": {"request": {"method": "GET", "referrer": "https://x.example/"},
         "response": {"status_code": 200}}, "url": {"original": "/otters/?a=1"}, "source": {"ip": "192.0.2.7"},
         "user_agent": {"original": AGENT}, "agent": {"name": "a program"}, "message": "?"}),
}  # fmt: skip


class Pieces:
    """A log of which only some octets can be read at once."""

    def __init__(self, data, size):
        self.data, self.size = io.BytesIO(data), size

    def read(self, _size=-1):
        return self.data.read(self.size)


@pytest.mark.parametrize("size", [7, 1 << 20])
@pytest.mark.parametrize("name", FORMS)
def test_a_log_of_any_form_says_the_same(name, size):
    text = FORMS[name].rstrip("\r\n")
    last = text.splitlines()[-1]
    odd = '{"request": "GET / HTTP/1.1", "url": {"a": 1}}\n{broken\n\n'
    ways = {1: text, 2: f"{text}\n{last}\n", 150: f"{text}\n" + f"{last}\n" * 149, 151: f"{text}\n{odd}" + f"{last}\n" * 150}
    for count, data in ways.items():
        lines = UsualForm(Pieces(data.encode(), size)).read().splitlines()
        hits = [hit for line in lines if (hit := parse_line(line))]
        assert {Hit(one.at[:19] + "Z", *(getattr(one, key) for key in Hit.__slots__[1:])) for one in hits} == {HIT}
        assert len(hits) == count


def test_fields_may_change_within_a_log_and_what_lacks_them_stays_as_it_is():
    later = "#Fields: date time c-ip cs-uri-stem sc-status\n2026-12-01 11:00:00 192.0.2.9 /a\"b 404\nbroken\n"
    lines = UsualForm(io.BytesIO((EXTENDED + later).encode())).read().splitlines()
    hits = [hit for line in lines if (hit := parse_line(line))]
    assert hits == [HIT, Hit("2026-12-01T11:00:00Z", "192.0.2.9", "GET", "/a%22b", 404, "-")]
    few = b"#Fields: date time\n2026-12-01 11:00:00\n"
    assert UsualForm(io.BytesIO(few)).read() == b"2026-12-01 11:00:00\n"


@pytest.mark.parametrize("pack", [gzip.compress, bz2.compress, lzma.compress, bytes])
def test_a_log_may_be_packed_in_any_usual_way(tmp_path, pack):
    path = tmp_path / "access.log"
    path.write_bytes(pack(f"{PLAIN}\n".encode() * 50_000))
    with opened_log(path) as log:
        assert log.read().count(b"Lanternbot") == 50_000
    if pack is not bytes:
        path.write_bytes(path.read_bytes()[:-9])
        with pytest.raises(AtlasError, match=r"access\.log cannot be read"), opened_log(path) as log:
            log.read()


@pytest.mark.parametrize(
    ("text", "told"), [("hello\n" * 900, True), ("", False), ("hello\n" * 900_000, True), ("hello\n" * 100 + PLAIN, False)]
)  # fmt: skip
def test_a_file_that_is_no_log_is_told(tmp_path, text, told):
    (tmp_path / "a.log").write_text(text)
    odd = []
    with opened_log(tmp_path / "a.log", odd) as log:
        while log.read(1 << 16):
            pass
    assert ["is it an access log?" in one for one in odd] == [True] * told


def test_what_cannot_be_unpacked_is_told(tmp_path):
    (tmp_path / "a.log.zst").write_bytes(b"\x28\xb5\x2f\xfd\x00\x00")
    with pytest.raises(AtlasError, match="packed with Zstandard: unpack it"), opened_log(tmp_path / "a.log.zst"):
        pass
