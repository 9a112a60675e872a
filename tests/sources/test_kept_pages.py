"""Pages that records carry: read once, and again only where they, or the way of reading, changed."""

import json

import polars as pl
import pytest

from tests.conftest import run_command, write_site

URL = "https://www.marrowfen.example"
SOURCE = '[[source]]\nkind = "table"\npath = "notes.jsonl"\nurl = "/{slug}/"\n'
LD = "<script type='application/ld+json'>{,}</script>"


@pytest.fixture
def notes(tmp_path):
    """Writes records, surveys them, and gives what pages are called with the findings."""
    write_site(tmp_path, {})
    file = tmp_path / "atlas.toml"
    file.write_text(f'[site]\nurl = "{URL}"\n\n{SOURCE}')

    def survey(records, *arguments):
        lines = [json.dumps({"slug": slug, **({"content": text} if text else {})}) for slug, text in records.items()]
        (tmp_path / "notes.jsonl").write_text("\n".join(lines))
        told = run_command("survey", "--accept", "--format", "json", *arguments, cwd=tmp_path)
        assert told.code == 0, told.err
        rows = run_command("pages", "--where", "true", "--export", "all.json", cwd=tmp_path)
        assert rows.code == 0
        pages = {row["loc"].removeprefix(URL): row.get("heading") for row in json.loads((tmp_path / "all.json").read_text())}
        return pages, sorted((one["code"], one["where"]) for one in told.json["findings"])

    return survey


def test_pages_of_records_are_read_again_only_where_something_changed(notes, tmp_path):
    records = {"a": "<h1>Otters</h1><p>x", "b": f"<html><head>{LD}</head><h1>Herons</h1>", "c": None, "d": " "}
    first = notes(records)
    assert first == ({"/a/": "Otters", "/b/": "Herons", "/c/": None, "/d/": None},
                     [("json-ld-broken", f"{URL}/b/")])  # fmt: skip
    (part,) = (tmp_path / ".jovial-atlas/record-pages").glob("*/*.parquet")
    kept = pl.read_parquet(part)
    kept.with_columns(heading=pl.lit("As it was")).write_parquet(part)
    again = {"/a/": "As it was", "/b/": "As it was", "/c/": None, "/d/": None}
    assert notes(records) == (again, first[1]), "taken from what was kept, with its findings"
    changed = {**records, "a": "<h1>Voles</h1>", "e": "<h1>Newts</h1>"}
    assert notes(changed)[0] == {**again, "/a/": "Voles", "/e/": "Newts"}
    assert notes(records, "--full") == first
    for part in (tmp_path / ".jovial-atlas/record-pages").glob("*/*.parquet"):
        part.write_bytes(part.read_bytes()[:100])
    assert notes(records) == first, "what cannot be read is read anew"
    file = tmp_path / "atlas.toml"
    file.write_text(file.read_text().replace("notes.jsonl", "./notes.jsonl"))
    assert notes(records) == first
    assert len([*(tmp_path / ".jovial-atlas/record-pages").glob("*")]) == 1, "of a source that went nothing stays"


def test_many_pages_of_records_are_read_by_workers_as_by_one(notes):
    records = {f"n{n}": f"<h1>Note {n}</h1><p>{'Reeds. ' * n}" for n in range(450)}
    alone = notes(records, "--workers", "1")
    assert notes(records, "--full", "--workers", "2") == alone
    assert alone[0]["/n7/"] == "Note 7"


def test_files_of_markdown_are_read_again_where_they_or_the_heads_of_files_that_they_link_to_changed(tmp_path):
    write_site(tmp_path, {})
    (tmp_path / "atlas.toml").write_text(f'[site]\nurl = "{URL}"\n\n[[source]]\nkind = "markdown"\npath = "notes"\n')
    notes = tmp_path / "notes"
    notes.mkdir()
    texts = {
        "a.md": "# A\n[b](b.md) and [c](c.md)\n", "b.md": "---\npermalink: /bee/\n---\n# B\n",
        "c.md": "# C\n", "to-come.md": "---\ndate: 2999-01-01\n---\n# D\n", "late.md": "---\nlastmod: soon\nseen: 3\n---\n# E\n",
    }  # fmt: skip
    for name, text in texts.items():
        (notes / name).write_text(text)

    def survey(*arguments):
        assert run_command("survey", "--accept", *arguments, cwd=tmp_path).code == 0
        assert run_command("pages", "--where", "true", "--export", "all.json", cwd=tmp_path).code == 0
        return {row["loc"].removeprefix(URL): row for row in json.loads((tmp_path / "all.json").read_text())}

    first = survey()
    assert survey() == first and first["/a/"]["links"] == [f"{URL}/bee/", f"{URL}/c/"]
    (part,) = (tmp_path / ".jovial-atlas/record-pages").glob("*/*.parquet")
    kept = pl.read_parquet(part)
    assert kept.height == 3, "what the time or a mistake may change is read each time"
    kept.with_columns(pl.col("_row").str.replace('"heading": "', '"heading": "Kept ')).write_parquet(part)
    headings = {path: row["heading"] for path, row in survey().items()}
    assert headings == {"/a/": "Kept A", "/bee/": "Kept B", "/c/": "Kept C", "/to-come/": "D", "/late/": "E"}
    (notes / "c.md").write_text("# C\nMore of it.\n")
    (notes / "b.md").write_text("---\npermalink: /bees/\n---\n# B\n")
    again = survey()
    assert {path: row["heading"] for path, row in again.items()} == {
        "/a/": "A", "/bees/": "B", "/c/": "C", "/to-come/": "D", "/late/": "E",
    }  # fmt: skip
    assert again["/a/"]["links"] == [f"{URL}/bees/", f"{URL}/c/"]
    assert survey("--full") == again
    (notes / "z.md").write_text("---\npermalink: /c/\n---\n# Another C\n")
    assert survey()["/c/"]["heading"] == "C"
    (notes / "c.md").write_text("# C\nThe first file still counts.\n")
    assert survey()["/c/"]["heading"] == "C"
