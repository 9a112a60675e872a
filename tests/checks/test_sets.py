"""Sets of sitemap files against the pages of their site: what is found is the same whether their entries are
held or were put aside, as those of large sets are."""

import gc

import polars as pl
import pytest

from jovial_atlas.checks import against_pages, sets
from jovial_atlas.robots import parse_robots

URL = "https://www.marrowfen.example"
NOW = "2026-11-30T00:00:00Z"


def urlset(*entries):
    rows = "".join(
        f"<url><loc>{URL}{path}</loc>" + (f"<lastmod>{date}</lastmod>" if date else "") + "</url>\n"
        for path, date in entries
    )
    head = '<?xml version="1.0" encoding="UTF-8"?>\n<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">\n'
    return f"{head}{rows}</urlset>\n".encode()


FILES = {
    "a.xml": urlset(("/a/", "2026-01-01"), ("/b/", "2026-01-01"), ("/a/", "2026-01-01"), ("/gone/", None)),
    "b.xml": urlset(("/c/", "2026-01-01"), ("/hidden/", None), ("/b/", "2026-01-01"), ("/moved/", None)),
    "b.txt": f"{URL}/a/\n{URL}/barred/\n".encode(),
}
PAGES = pl.LazyFrame(
    [
        ("/a/", True, True, None, None, "", "2026-01-01"),
        ("/b/", True, True, None, None, "", "2026-02-05"),
        ("/c/", True, True, None, None, "", None),
        ("/hidden/", False, False, None, None, "kept out", None),
        ("/moved/", False, True, f"{URL}/a/", None, "moved", None),
        ("/barred/", True, True, None, None, "", None),
        ("/missing/", True, True, None, None, "", None),
        ("/missing-too/", True, True, None, None, "", None),
    ],
    schema={"loc": pl.String, "listed": pl.Boolean, "index": pl.Boolean, "redirect": pl.String,
            "canonical": pl.String, "reason": pl.String, "lastmod": pl.String},
    orient="row",
).with_columns(loc=pl.lit(URL) + pl.col("loc"))  # fmt: skip
ROBOTS = parse_robots(b"User-agent: *\nDisallow: /barred/\nDisallow: /hidden/\n")


def read(beside):
    starts = [sets.Fetched(name, f"{URL}/{name}", data) for name, data in FILES.items()]
    return sets.read_set(starts, lambda *_: pytest.fail("nothing is to be fetched"), beside)


def faults(found):
    return [
        *sets.check_set(found, NOW, ROBOTS),
        *sets.check_against_robots(found, ROBOTS),
        *against_pages.check_against_pages(found, PAGES),
    ]


def test_what_is_put_aside_is_found_all_the_same(tmp_path, monkeypatch):
    held = read(tmp_path)
    expected = faults(held)
    assert {one.code for one in expected} == {
        "sitemap-loc-twice", "listed-disallowed", "listed-unknown", "listed-noindexed", "listed-redirected",
        "lastmod-differs", "listed-missing",
    }  # fmt: skip
    assert list(tmp_path.iterdir()) == []
    monkeypatch.setattr(sets, "_HELD", 5)
    monkeypatch.setattr(against_pages, "_AT_ONCE", 2)
    aside = read(tmp_path)
    (folder,) = tmp_path.iterdir()
    assert sorted(one.name for one in folder.iterdir()) == ["0.arrow", "1.arrow"], "text is not plain XML"
    assert faults(aside) == expected
    assert aside.rows.equals(held.rows)
    del aside
    gc.collect()
    assert list(tmp_path.iterdir()) == []


def test_faults_name_the_place_and_the_worst(tmp_path):
    told = {one.code: (one.where, one.message) for one in faults(read(tmp_path))}
    assert told["listed-unknown"] == ("a.xml:6", f"{URL}/gone/ is no page of the last survey.")
    assert told["listed-noindexed"] == ("b.xml:4", f"{URL}/hidden/ is listed, but kept out.")
    assert told["listed-redirected"][1] == f"{URL}/moved/ is listed, but it sends visitors on to {URL}/a/."
    assert told["listed-missing"][1] == "2 listed pages stand in no sitemap: /missing/, /missing-too/."
    assert told["sitemap-loc-twice"] == ("b.xml:5", f"{URL}/b/ is already listed at a.xml:4.")
    where, message = told["lastmod-differs"]
    assert where == "b.xml"
    assert message.startswith("2 addresses have another date than the page: ")
    assert message.endswith(f"{URL}/b/ says 2026-01-01, the page 2026-02-05; the file is 35 days behind.")


def test_without_room_entries_are_held(tmp_path, monkeypatch):
    monkeypatch.setattr(sets, "_HELD", 0)
    (tmp_path / "file").write_text("")
    expected = faults(read(None))
    monkeypatch.setattr("jovial_atlas.sitemaps.read.SitemapFile.put_aside", full)
    assert faults(read(tmp_path / "nowhere")) == expected


def full(_file, _path):
    raise OSError(28, "No space left on device")
