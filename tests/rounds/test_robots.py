"""robots.txt as a crawler fetches it, and full texts for feeds."""

import httpx
import pytest

from jovial_atlas.errors import AtlasError, NetworkError
from jovial_atlas.rounds.proving.robots import lint_robots, read_robots
from jovial_atlas.sources.html_page.fulltext import main_html

HOME = "https://www.marrowfen.example"


def client(answers: dict[str, tuple[int, dict[str, str], str]]) -> httpx.Client:
    def answer(request: httpx.Request) -> httpx.Response:
        status, headers, body = answers[request.url.path]
        return httpx.Response(status, headers=headers, text=body)

    return httpx.Client(transport=httpx.MockTransport(answer))


PLAIN = {"Content-Type": "text/plain; charset=utf-8"}
BODY = "User-agent: *\nDisallow: /a\n"


@pytest.mark.parametrize(
    ("answers", "data", "codes"),
    [
        ({"/robots.txt": (200, PLAIN, BODY)}, BODY, []),
        ({"/robots.txt": (200, {"Content-Type": "text/html"}, BODY)}, BODY, ["robots-type"]),
        ({"/robots.txt": (404, PLAIN, "gone")}, "", ["robots-status"]),
        ({"/robots.txt": (501, PLAIN, "")}, "User-agent: *\nDisallow: /\n", ["robots-status"]),
        ({"/robots.txt": (301, {"Location": "/r"}, ""), "/r": (200, PLAIN, BODY)}, BODY, []),
        ({"/robots.txt": (301, {"Location": "/robots.txt"}, "")}, "", ["robots-status"]),
        ({"/robots.txt": (302, {"Location": "https://other.example/r"}, ""), "/r": (200, PLAIN, BODY)}, BODY, []),
    ],
)
def test_a_robots_txt_is_fetched_as_rfc_9309_says(answers, data, codes):
    read, faults = read_robots(f"{HOME}/", client(answers))
    assert (read.decode(), [fault.code for fault in faults]) == (data, codes)


@pytest.mark.parametrize("target", ["http://127.0.0.1/r", "http://[::1]/", "file:///etc/passwd"])
def test_a_robots_txt_that_leads_into_a_private_network_is_not_followed(target):
    answers = {"/robots.txt": (302, {"Location": target}, "")}
    with pytest.raises(NetworkError, match="redirects"):
        read_robots(f"{HOME}/", client(answers))


def test_linting_names_the_address_and_needs_no_site_file(tmp_path):
    served = client({"/robots.txt": (200, PLAIN, "Disallow: /x\n")})
    name, findings = lint_robots(f"{HOME}/robots.txt", None, served)
    assert [one.where for one in findings] == [f"{name}:1"]
    for wrong in (str(tmp_path / "none.txt"), "https://"):
        with pytest.raises(AtlasError):
            lint_robots(wrong, None, served)


@pytest.mark.parametrize(
    ("name", "text", "html"),
    [
        ("a.html", "<body><nav>x</nav><main><p onclick=x()>A <a href=../b>b</a></p><script>y</script></main>",
         f'<p>A <a href="{HOME}/b">b</a></p>'),
        ("a.html", "<body><p style='color:red'>A<img src=/p.jpg></p>", f'<p>A<img src="{HOME}/p.jpg"></p>'),
        ("a.md", "---\ntitle: T\n---\n# One\n\n[two](/c)", f'<h1>One</h1> <p><a href="{HOME}/c">two</a></p>'),
        ("a.html", "", ""),
    ],
)  # fmt: skip
def test_the_full_text_of_a_page_has_no_frame_and_no_script(tmp_path, name, text, html):
    place = tmp_path / name
    place.write_text(text)
    assert main_html(place, f"{HOME}/n/a") == html
    assert main_html(tmp_path / "none.html", f"{HOME}/n/a") == ""
