"""Files at addresses, and what counts as lost: only where the whole site lies in a folder, and not where hardly any of
it is there."""

import polars as pl
import pytest

from jovial_atlas.rounds.state.site_files import file_of, files_at, lost_files
from jovial_atlas.sitefile.read import parse_site_file
from tests.conftest import URL

HEAD = f'[site]\nurl = "{URL}"\n'
FOLDER = '[[source]]\nkind = "html"\npath = "pages"\nat = "/docs/"\n'
TABLE = '[[source]]\nkind = "table"\npath = "t.csv"\n'
THERE = ["/docs/a.jpg", "/docs/deep/ä b.jpg", "/docs/deep/c%2Fd.jpg", "/out.jpg"]
FILES = ["pages/a.jpg", "pages/deep/ä b.jpg", "pages/deep/c/d.jpg", "public/out.jpg"]


@pytest.fixture
def site(tmp_path):
    for name in FILES:
        place = tmp_path / name
        place.parent.mkdir(parents=True, exist_ok=True)
        place.write_text("x")
    return lambda sources: parse_site_file(HEAD + sources, tmp_path / "atlas.toml")


def addresses(*paths):
    return pl.Series([path if path.startswith("http") else URL + path for path in paths], dtype=pl.String)


def test_files_of_many_addresses_are_those_of_each(site):
    paths = [*THERE, "/docs/a.jpg?v=2", "/docs/none.jpg", "/docs/../out.jpg", "/docs/deep/", "/no/such/x.jpg",
             "https://o.example/docs/a.jpg", "/docs/\x00.jpg", "/"]  # fmt: skip
    find, found = file_of(site(FOLDER)), files_at(site(FOLDER), addresses(*paths, *paths))
    assert found == {one: path for one in addresses(*paths).to_list() if (path := find(one))}
    assert set(found) >= set(addresses("/docs/a.jpg", "/docs/deep/c%2Fd.jpg", "/out.jpg", "/docs/a.jpg?v=2").to_list())


@pytest.mark.parametrize(
    ("sources", "paths", "lost"),
    [
        (FOLDER, ["/docs/a.jpg", "/docs/none.jpg"], ["/docs/none.jpg"]),
        (FOLDER, ["/elsewhere/none.jpg", "https://o.example/x.jpg"], []),
        (TABLE, ["/docs/a.jpg", "/docs/none.jpg"], []),
        (FOLDER, [f"/docs/{n}.jpg" for n in range(9)], [f"/docs/{n}.jpg" for n in range(9)]),
        # Ten and more of which none is there lie on another server.
        (FOLDER, [f"/docs/{n}.jpg" for n in range(10)], []),
        (FOLDER, [*THERE[:2], *(f"/docs/{n}.jpg" for n in range(9))], [f"/docs/{n}.jpg" for n in range(9)]),
    ],
)
def test_lost_is_what_is_nowhere_in_a_whole_folder(site, sources, paths, lost):
    assert lost_files(site(sources), addresses(*paths)) == [URL + path for path in lost]
