"""Digests of pages with videos: another one where anything that a sitemap says is another."""

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from jovial_atlas.rounds.publishing.build.video_digests import video_digests
from jovial_atlas.sitemaps.extensions.videos import VIDEO_TYPE, VideoExtension

_TEXT = st.sampled_from([None, "", "a", "b", "c"])
_KINDS = {field.name: field.dtype for field in VIDEO_TYPE.fields}
_FILMS = st.fixed_dictionaries(
    {"title": _TEXT, "content_loc": _TEXT, "duration": _TEXT, "uploader@info": _TEXT},
    optional={
        "tag": st.lists(st.sampled_from(["x", "y"]), max_size=2),
        "price": st.lists(st.fixed_dictionaries({"text": st.just("5"), "currency": _TEXT}), max_size=2),
    },
)
_PAGES = st.lists(st.tuples(_TEXT, _TEXT, st.lists(_FILMS, min_size=1, max_size=3)), max_size=6)


def table(pages):
    rows = [(loc, lastmod, [dict.fromkeys(_KINDS) | film for film in films]) for loc, lastmod, films in pages]
    kinds = {"loc": pl.String, "lastmod": pl.String, "videos": pl.List(VIDEO_TYPE)}
    return pl.DataFrame(rows, schema=kinds, orient="row")


@given(_PAGES)
def test_digests_are_the_same_where_all_else_is(pages):
    whole = video_digests(table(pages))
    assert whole.dtype == pl.UInt64
    rows = table(pages).rows()
    for at, digest in enumerate(whole.to_list()):
        # Neither its neighbours nor what others fill count.
        assert video_digests(table(pages[at : at + 1])).to_list() == [digest]
        assert [rows[at] == row for row in rows] == [digest == other for other in whole]


def test_videos_that_change_places_or_fields_are_seen():
    a, b = {"title": "a", "content_loc": "1"}, {"title": "b", "content_loc": "2"}
    mixed = {"title": "a", "content_loc": "2"}, {"title": "b", "content_loc": "1"}
    ways = [[a, b], [b, a], [*mixed], [a], [a, a], [{"title": "1", "content_loc": "a"}]]
    digests = video_digests(table([("/", None, films) for films in ways]))
    assert digests.n_unique() == len(ways)


@given(_PAGES)
def test_what_no_video_has_is_not_written(pages):
    written = VideoExtension()
    whole = table(pages)
    lines = pl.col("videos").list.eval(written.rendered(pl.element())).list.join("")
    assert written.texts(whole).to_list() == whole.select(lines).to_series().to_list()
