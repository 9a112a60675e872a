"""Whatever comes, a parser reads it or refuses it in the way it says. Bounded here; `make fuzz` goes
on until it is stopped, and what it finds is kept in the folder `corpus`, smallest first."""

import os
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.fuzz.targets import TARGETS

CORPUS = Path(__file__).parent / "corpus"
EXAMPLES = int(os.environ.get("ATLAS_FUZZ", "60"))
ODD = [b"\0", b"\xff", b"\xed\xa0\xbd", b"\\ud83d", "²٣".encode(), b"-1", b"9" * 400, b"1e999", b"\r", b"\n",
       b"<", b">", b'"', b"'", b"{", b"[", b"]", b"}", b"(", b"*" * 40, b"%", b"%2", b"&#x110000;", b"]]>", b"-->",
       b"<!--", b"<!DOCTYPE a [<!ENTITY b 'c'>]>", b"../", b"//", b"://", b"@", b"#", b"?", b"null", b"true", b"NaN",
       b"=1+1", b"0001-01-01", b"9999-12-31T23:59:59-14:00", b"45/Nov/2026", b"<b>" * 200, b"a " * 300]  # fmt: skip


def seeds(target):
    kept = sorted((CORPUS / target.__name__).glob("*"))
    return [*TARGETS[target], *(path.read_bytes() for path in kept)]


@st.composite
def changed(draw, given_seeds):
    data = draw(st.sampled_from(given_seeds))
    for _ in range(draw(st.integers(0, 4))):
        start = draw(st.integers(0, len(data)))
        end = draw(st.integers(start, min(len(data), start + draw(st.sampled_from([1, 8, 200])))))
        new = draw(st.sampled_from(ODD) | st.binary(max_size=4) | st.just(data[start:end] * 2))
        data = data[:start] + new + data[end:]
    return data[: draw(st.sampled_from([len(data), len(data), len(data) // 2]))]


@pytest.mark.parametrize("target", TARGETS, ids=lambda one: one.__name__)
def test_a_parser_takes_whatever_comes(target):
    for data in seeds(target):
        target(data)

    @settings(max_examples=EXAMPLES, deadline=None, database=None,
              suppress_health_check=list(HealthCheck))  # fmt: skip
    @given(changed(seeds(target)))
    def run(data):
        try:
            target(data)
        except BaseException as error:
            keep(target.__name__, type(error).__name__, data)
            raise

    run()


def keep(target: str, error: str, data: bytes) -> None:
    """Keep the smallest input that shows a fault, for good: the next run begins with it."""
    place = CORPUS / target / f"found-{error}"
    if "ATLAS_FUZZ" in os.environ and (not place.exists() or len(data) < place.stat().st_size):
        place.parent.mkdir(parents=True, exist_ok=True)
        place.write_bytes(data)
