"""Videos found in pages, fields and feeds: each once, with all that anything says of it."""

from pathlib import Path

import pytest

from jovial_atlas.errors import AtlasError, NetworkError
from jovial_atlas.media.fields import of_fields, relation, seconds, truth
from jovial_atlas.media.oembed import NoSuchVideoError, ask, read_answer
from jovial_atlas.media.services import page_of, read_services, recognise, services
from jovial_atlas.sources.html_page.page import PageFile, Reading, read_page
from jovial_atlas.web import Answer
from tests.conftest import NOW, URL, page

READING = Reading("s", NOW, services=services())
PLAYER = "https://play.reelstead.example/embed/x1"
STILL = "https://stills.reelstead.example/x1/large.jpg"
LD = '<script type="application/ld+json">{}</script>'
NODE = (
    '{"@type": "Article", "video": [{"@type": ["VideoObject"], "name": "Named", "description": "D",'
    '"thumbnailUrl": ["/t.jpg"], "contentUrl": "/v.mp4", "duration": "PT1M5S", "uploadDate":'
    '"2026-01-02", "expires": "2027-01-01", "genre": ["G"], "keywords": "a, b", "width": "640px",'
    '"aggregateRating": {"ratingValue": 8, "bestRating": 10}, "interactionStatistic":'
    '{"userInteractionCount": "12"}, "regionsAllowed": "GB,IE", "isFamilyFriendly": "false",'
    '"publication": {"isLiveBroadcast": true}, "author": {"name": "W", "url": "/w/"}}]}'
)


def found(body="", head=""):
    data = page("T", body, head).encode()
    row, faults = read_page(data, PageFile(Path(), "p.html", f"{URL}/p"), READING)
    videos = [{k: v for k, v in one.items() if v is not None} for one in row["videos"]]
    for one in videos:
        one.pop("words_before", None)
    return videos, [fault.code for fault in faults]


def local(**fields):
    return {"content": f"{URL}/v.mp4", **fields}


@pytest.mark.parametrize(
    ("body", "head", "videos"),
    [
        ('<video src="/v.mp4" poster=p.jpg width=320 title=Otters></video>', "",
         [local(thumbnail=f"{URL}/p.jpg", width=320, title="Otters", found="video")]),
        ("<figure><video><source src=/v.mp4><source src=/v.webm></video>"
         "<figcaption>At dawn</figcaption></figure>", "",
         [local(description="At dawn", found="video")]),
        (f'<iframe src="{PLAYER}?start=3" title="Film"></iframe>', "",
         [{"player": PLAYER, "thumbnail": STILL, "title": "Film", "found": "player",
           "service": "Reelstead"}]),
        (f'<iframe data-src="{PLAYER}"></iframe><embed src="{PLAYER}">', "",
         [{"player": PLAYER, "thumbnail": STILL, "found": "player", "service": "Reelstead"}]),
        ('<object data="/v.mp4"></object><iframe src="https://maps.example/x"></iframe>', "",
         [local(found="player")]),
        ('<p>Watch <a href="/v.mp4">the film</a>, <a href="/a.pdf">read</a></p>', "",
         [local(title="the film", found="link")]),
        ("", '<meta property="og:video" content="/v.mp4"><meta property="og:video:width" '
         'content="640"><meta property="og:image" content="/p.jpg">',
         [local(width=640, thumbnail=f"{URL}/p.jpg", found="og")]),
        ("", '<meta property="og:video:url" content="https://x.example/e/1">'
         '<meta property="og:video:type" content="text/html">',
         [{"player": "https://x.example/e/1", "found": "og"}]),
        ('<video src="/v.mp4" title="Element"></video>', LD.format(NODE),
         [local(title="Named", description="D", thumbnail=f"{URL}/t.jpg", duration=65,
                published="2026-01-02", expires="2027-01-01", category="G", tags=["a", "b"],
                width=640, rating=4.0, views=12, countries="allow GB IE", family_friendly=False,
                live=True, uploader="W", uploader_page=f"{URL}/w/", found="video")]),
        ("", LD.format('{"@type": "VideoObject", "name": "No address"}'), []),
        ('<video src="/v.mp4"></video><a href="/v.mp4">again</a>',
         '<meta property="og:video" content="/v.mp4">', [local(title="again", found="video")]),
    ],
)  # fmt: skip
def test_each_video_stands_once_with_what_everything_says_of_it(body, head, videos):
    assert found(body, head)[0] == videos


def test_players_without_an_address_are_told_and_other_frames_are_not():
    codes = found("<iframe class=video-box></iframe><iframe></iframe><video></video>")[1]
    assert codes == ["video-no-source", "video-embed-unusable"]


@pytest.mark.parametrize(
    ("frame", "plays"),
    [
        ('<iframe src="https://tube.example/e/1" allow="autoplay; encrypted-media"></iframe>', True),
        ('<iframe src="https://tube.example/embed/1" allowfullscreen></iframe>', True),
        ('<iframe src="https://tube.example/x" title="Video of otters" allow="fullscreen"></iframe>', True),
        ('<iframe src="https://maps.example/map?z=3" allowfullscreen></iframe>', False),
        ('<iframe src="/own/embed/" allowfullscreen></iframe>', False),
        ('<iframe src="https://forms.example/1"></iframe>', False),
    ],
)
def test_a_player_of_an_unknown_service_is_a_video_with_what_is_missing(frame, plays):
    videos, codes = found(frame)
    assert codes == ["video-service-unknown"] * plays
    assert [(one["found"], "tube.example" in one["player"]) for one in videos] == [("player", True)] * plays


def test_words_above_a_video_are_counted():
    body = "<p>" + "word " * 30 + "</p><video src=/v.mp4></video>"
    row, _ = read_page(page("T", body).encode(), PageFile(Path(), "p", f"{URL}/p"), READING)
    assert row["videos"][0]["words_before"] == 31


@pytest.mark.parametrize(
    ("reader", "text", "value"),
    [
        (seconds, "PT1H2M3.6S", 3724), (seconds, "1:02:03", 3723), (seconds, "12:30", 750),
        (seconds, 61, 61), (seconds, "soon", None), (seconds, "P", None), (seconds, "0", None),
        (truth, "Yes", True), (truth, 0, False), (truth, "maybe", None),
    ],
)  # fmt: skip
def test_lengths_and_truth_are_read_as_they_are_written(reader, text, value):
    assert reader(text) == value


@pytest.mark.parametrize(
    ("value", "said"),
    [
        ("GB IE", "allow GB IE"), ({"deny": ["US"]}, "deny US"), ("deny US, CA", "deny US CA"),
        ([{"name": "GB"}], "allow GB"), ("", None), ([], None),
    ],
)  # fmt: skip
def test_countries_are_allowed_unless_denied(value, said):
    assert relation("allow", value) == said


def test_a_field_names_videos_in_any_form():
    def resolve(said):
        return f"{URL}/{said.lstrip('/')}" if "://" not in said else said

    one = of_fields('{"file": "v.mp4", "poster": "p.jpg", "duration": "0:09"}', resolve, ())
    assert (one[0]["content"], one[0]["thumbnail"], one[0]["duration"]) == (
        f"{URL}/v.mp4", f"{URL}/p.jpg", 9,
    )  # fmt: skip
    several = of_fields(f"a.mp4; {PLAYER}", resolve, services())
    assert [video["content"] or video["player"] for video in several] == [f"{URL}/a.mp4", PLAYER]
    assert several[1]["content"] is None
    for nothing in (None, "", "{broken", [], {"title": "T"}):
        assert of_fields(nothing, resolve, ()) == []


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("x", "is not TOML"),
        ('[[service]]\nname = "A"', "needs a name, and match"),
        ('[[service]]\nname = "A"\nmatch = ["("]\nplayer = "p"', "no regular expression"),
        ('[[service]]\nname = "A"\nmatch = ["a"]\nplayer = "p"', "names no part"),
        ('[[service]]\nname = "A"\nmatch = ["(?P<id>a)"]', "neither player nor media"),
        ('[[service]]\nname = "A"\nmatch = ["(?P<id>a)"]\nplayr = "p"', "'playr' is no key"),
    ],
)
def test_a_wrong_file_of_services_is_told(text, said):
    with pytest.raises(AtlasError, match=said.replace("(", r"\(")):
        read_services(text, "services.toml")


def test_own_services_come_before_those_that_ship():
    own = read_services(
        "[[service]]\nname = 'Own'\nmatch = ['https://play.reelstead.example/embed/(?P<id>x.)']\n"
        "media = 'https://m.example/{id}.mp4'\npage = 'https://m.example/{id}'\n",
        "own",
    )
    at = recognise(PLAYER, own + services())
    assert (at.service, at.content, at.player) == ("Own", "https://m.example/x1.mp4", None)
    assert page_of(PLAYER, own) == ("https://m.example/x1", "")
    assert recognise("https://maps.example/embed/x1", services()) is None


def answer(body, status=200):
    return Answer(status, body.encode(), None)


def test_oembed_is_asked_at_its_endpoint_or_found_through_the_page():
    said = '{"title": " A  film ", "width": "640", "height": -1, "duration": 9.5, "author_url": "javascript:x"}'
    asked = []

    def get(address):
        asked.append(address)
        link = '<link rel=alternate type="application/json+oembed" href="/oembed?url=x">'
        return answer(link if "/watch/" in address else said)

    embed = ask("https://r.example/watch/1", "", get)
    assert (embed.title, embed.width, embed.height, embed.duration, embed.author_page) == (
        "A film", 640, None, 9, None,
    )  # fmt: skip
    assert asked == ["https://r.example/watch/1", "https://r.example/oembed?url=x"]
    ask("https://r.example/watch/1", "https://r.example/o?a=b", get)
    assert asked[-1] == (
        "https://r.example/o?a=b&url=https%3A%2F%2Fr.example%2Fwatch%2F1&format=json"
    )
    with pytest.raises(NoSuchVideoError):
        ask("https://r.example/watch/1", "https://r.example/o", lambda _: answer("", 404))
    for broken in ("", "[]", "nothing", '"text"'):
        with pytest.raises(NetworkError):
            read_answer(broken.encode(), "x")
    with pytest.raises(NetworkError, match="names no oEmbed"):
        ask("https://r.example/watch/1", "", lambda _: answer("<title>x</title>"))
