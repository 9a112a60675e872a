"""The picture a page is shared with: which one, what its copy keeps, what is told of it."""

import io

import pytest
from msgspec.structs import asdict
from PIL import Image, ImageDraw

from jovial_atlas.head.compose import head_data
from jovial_atlas.head.context import HeadContext
from jovial_atlas.head.settings import head_settings
from jovial_atlas.media.pictures import Copying, copy_size, look_at_picture, shared_copy
from jovial_atlas.pages import schema
from jovial_atlas.pages.page import page_of
from jovial_atlas.rounds.state.picture_files import PictureFiles
from jovial_atlas.rules import decide
from jovial_atlas.sitefile import read_site_file
from tests.conftest import NOW, URL, page, write_site

MORE = """
[head]
image = "/site.jpg"
image_alt = "The fen"
[sharing]
%s
[[section]]
name = "notes"
match = "/notes/**"
image = "/section.jpg"
[[section]]
name = "own"
match = "/own/**"
share_image = "{{ page.extra.photo }}"
"""


WORDS = f"<p>{'Reed and water. ' * 8}</p>"


def draw(place, width, height, at=None, mode="RGB", **how):
    """A picture of noise, or a flat one with a bright square at a point."""
    if at is None:
        picture = Image.effect_noise((width, height), 90).convert(mode)
    else:
        picture = Image.new(mode, (width, height), "navy")
        left, top = at[0] * width, at[1] * height
        ImageDraw.Draw(picture).rectangle((left - 40, top - 40, left + 40, top + 40), "white")
    place.parent.mkdir(parents=True, exist_ok=True)
    picture.save(place, **how)
    return place


def shared(folder, path="/a/", copies="", **columns):
    site = read_site_file(write_site(folder, {}, MORE % copies))
    row = {"loc": f"{URL}{path}", "kind": "page", "status": 200, "words": 99, "videos": [],
           "images": [], **columns}  # fmt: skip
    table = schema.conform(schema.table([{k: v for k, v in row.items() if k != "extra"}]))
    if "extra" in columns:
        table = schema.with_extra(table, {"photo": schema.pl.String()}).with_columns(
            extra=schema.pl.struct(photo=schema.pl.lit(columns["extra"]))
        )
    decided = page_of(decide(schema.complete(table), site, NOW).to_dicts()[0])
    picture = head_data(decided, head_settings(site), (), HeadContext(PictureFiles(site).look)).picture
    return asdict(picture) if picture else None


def image(name, alt=None):
    return {"loc": f"{URL}/{name}.jpg", "alt": alt}


@pytest.mark.parametrize(
    ("path", "columns", "name", "source"),
    [
        ("/own/", {"extra": "/photo.jpg", "share_image": f"{URL}/og.jpg"}, "photo", "pattern"),
        ("/a/", {"share_image": f"{URL}/og.jpg", "images": [image("large")]}, "og", "page"),
        ("/a/", {"images": [image("small"), image("large", "Fen")]}, "large", "first large picture"),
        ("/a/", {"images": [image("small"), image("unknown")]}, "unknown", "first picture"),
        ("/notes/", {"images": [image("small")]}, "section", "section"),
        ("/a/", {"images": [image("small")]}, "site", "site"),
    ],
)  # fmt: skip
def test_the_page_s_own_then_the_first_large_one_then_section_and_site(
    tmp_path, path, columns, name, source
):
    draw(tmp_path / "public/small.jpg", 120, 80)
    draw(tmp_path / "public/large.jpg", 700, 400)
    found = shared(tmp_path, path, **columns)
    assert (found["loc"], found["source"]) == (f"{URL}/{name}.jpg", source)
    assert name != "site" or found["alt"] == "The fen"
    if name == "large":
        assert (found["alt"], found["width"], found["type"]) == ("Fen", 700, "image/jpeg")
    assert shared(tmp_path, path, directives="noindex") is None


def test_a_copy_has_the_shape_the_weight_and_the_mark_of_a_card(tmp_path):
    large = draw(tmp_path / "large.png", 2000, 2000, mode="RGB")
    mark = draw(tmp_path / "mark.png", 400, 400, at=(0.5, 0.5), mode="RGBA")
    data = shared_copy(large, Copying(most_bytes=300_000))
    assert Image.open(io.BytesIO(data)).size == (1200, 630)
    assert len(data) <= 300_000 < len(shared_copy(large, Copying(most_bytes=9_000_000)))
    plain, marked = (
        Image.open(io.BytesIO(shared_copy(large, Copying(mark=one, corner="top-left"))))
        for one in (None, mark)
    )
    assert marked.getpixel((125, 125)) != plain.getpixel((125, 125))
    assert marked.getpixel((40, 40))[2] > 90 > marked.getpixel((40, 40))[0], "navy, in its corner"
    assert copy_size(700, 700) == (700, 368), "nothing is blown up"
    with pytest.raises(ValueError, match="cannot identify"):
        shared_copy(
            (tmp_path / "none.jpg", (tmp_path / "none.jpg").write_bytes(b"x"))[0], Copying()
        )


@pytest.mark.parametrize(
    ("at", "how", "row"),
    [
        ((0.5, 0.1), Copying("top"), 120),
        ((0.5, 0.5), Copying("centre"), 315),
        ((0.5, 0.9), Copying("detail"), None),
        ((0.2, 0.7), Copying("centre", point=(0.2, 0.7)), 315),
    ],
)
def test_what_matters_stays_in_the_copy(tmp_path, at, how, row):
    place = draw(tmp_path / "p.jpg", 1200, 1200, at=at)
    copy = Image.open(io.BytesIO(shared_copy(place, how))).convert("L")
    bright = [y for y in range(0, 630, 5) if max(copy.crop((0, y, 1200, y + 1)).tobytes()) > 180]
    assert bright, "the bright square is in it"
    if row is not None:
        assert abs(sum(bright) / len(bright) - row) < 12


def test_a_picture_is_what_its_content_says_turned_as_its_camera_was(tmp_path):
    exif = Image.Exif()
    exif[0x0112] = 6
    place = draw(tmp_path / "p.png", 700, 400, format="JPEG", exif=exif)
    found = look_at_picture(place)
    assert (found.width, found.height, found.type) == (400, 700, "image/jpeg")
    for kind in ("PNG", "WEBP"):
        sizes = [look_at_picture(draw(tmp_path / "q", 70, 40, format=kind, **given)) for given in ({}, {"exif": exif})]
        assert [(one.width, one.height) for one in sizes] == [(70, 40), (40, 70)]
    assert look_at_picture(tmp_path / "none.jpg") is None
    (tmp_path / "text.jpg").write_text("no picture")
    assert look_at_picture(tmp_path / "text.jpg") is None


def test_copies_are_made_once_named_by_content_and_removed_when_no_page_needs_them(tmp_path, atlas):
    public = tmp_path / "public"
    draw(public / "tall.jpg", 900, 1400)
    draw(public / "fits.jpg", 1200, 630, quality=40)
    draw(public / "small.gif", 90, 60)
    more = '[head]\nimage = "/none.jpg"\n[sharing]\ncopies = true\n'
    pages = {"a.html": page("A", f'<img src="/tall.jpg" alt="Tower">{WORDS}'),
             "b.html": page("B", '<img src="/fits.jpg">'),
             "c.html": page("C", f'<img src="/small.gif">{WORDS}'), "d.html": page("D")}  # fmt: skip
    write_site(tmp_path, pages, more)
    atlas("survey")
    (made,) = [f for f in atlas("build", "--format", "json").json["files"] if "share/" in f["path"]]
    head = atlas("explain", "/a.html", "--format", "json").json["head"]["picture"]
    assert head["loc"] == f"{URL}/{made['path']}"
    assert (head["width"], head["height"], head["alt"]) == (900, 472, "Tower")
    size = Image.open(public / made["path"]).size
    assert size == (900, 472)
    findings = atlas("check", "--format", "json").json["findings"]
    told = {(f["code"], f["where"].removeprefix(URL)) for f in findings if "share-" in f["code"]}
    assert told == {("share-picture-unusable", "/none.jpg")}
    files = atlas("build", "--format", "json").json["files"]
    assert {f["state"] for f in files} == {"same"}
    draw(public / "tall.jpg", 1000, 1400)
    files = atlas("build", "--format", "json").json["files"]
    assert sorted(f["state"] for f in files if "share/" in f["path"]) == ["new", "removed"]
    (tmp_path / "atlas.toml").write_text(
        (tmp_path / "atlas.toml").read_text().replace("copies = true", "").replace("none", "small")
        .replace('image = "/small.jpg"', "")
    )  # fmt: skip
    findings = atlas("check", "--format", "json").json["findings"]
    told = {(f["code"], f["where"].removeprefix(URL)) for f in findings if "share-" in f["code"]}
    assert told == {
        ("share-picture-shape", "/tall.jpg"), ("share-picture-small", "/small.gif"),
        ("share-picture-missing", "/d.html"),
    }  # fmt: skip
