"""A simulated hosting service of videos, for trying and testing: oEmbed, pages, players, stills.

| request                     | answer                                                       |
|-----------------------------|--------------------------------------------------------------|
| `GET /`                     | what this is, and that it is simulated                       |
| `GET /oembed?url=ADDRESS`   | oEmbed 1.0 of the video whose number ends the address; 404   |
| `GET /watch/ID`             | a page about the video, with the link that oEmbed discovers  |
| `GET /embed/ID`             | a player                                                     |
"""

from __future__ import annotations

from dataclasses import dataclass
from html import escape

from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import HTMLResponse, JSONResponse, Response
from starlette.routing import Route


@dataclass(frozen=True, slots=True)
class HostedFilm:
    """A video that the service hosts."""

    title: str
    author: str
    seconds: int
    still: str
    width: int = 1280
    height: int = 720


#: What the service that ships has: all made up, for the sample site.
FILMS = {
    "fen-dawn-1": HostedFilm(
        "Dawn over the reedbed", "Wren Aldergate", 84,
        "https://stills.reelstead.example/fen-dawn-1/large.jpg",
    )
}  # fmt: skip


def films_app(name: str, films: dict[str, HostedFilm], public: str) -> Starlette:
    """The service's interface; `public` is the origin by which pages know its players."""

    async def about(_request: Request) -> Response:
        note = "This is a simulated video service for trying Jovial Atlas. It hosts nothing."
        return JSONResponse({"name": name, "note": note})

    async def oembed(request: Request) -> Response:
        number = request.query_params.get("url", "").rstrip("/").rpartition("/")[2]
        film = films.get(number)
        if film is None:
            return JSONResponse({"error": "There is no such video."}, 404)
        player = f'<iframe src="{escape(public)}/embed/{escape(number)}"></iframe>'
        return JSONResponse(
            {
                "version": "1.0", "type": "video", "provider_name": name, "title": film.title,
                "author_name": film.author, "width": film.width, "height": film.height,
                "duration": film.seconds, "thumbnail_url": film.still, "html": player,
            }
        )  # fmt: skip

    async def watch(request: Request) -> Response:
        number = request.path_params["number"]
        if number not in films:
            return HTMLResponse("<title>Not found</title>", 404)
        here = f"/oembed?url={escape(str(request.url))}"
        link = f'<link rel="alternate" type="application/json+oembed" href="{here}">'
        return HTMLResponse(f"<title>{escape(films[number].title)}</title>{link}")

    async def player(request: Request) -> Response:
        known = request.path_params["number"] in films
        return HTMLResponse("<title>A simulated player</title>", 200 if known else 404)

    return Starlette(
        routes=[
            Route("/", about),
            Route("/oembed", oembed),
            Route("/watch/{number}", watch),
            Route("/embed/{number}", player),
        ]
    )
