"""What the answer to a described call means, in words."""

from __future__ import annotations

from jovial_atlas import foreign
from jovial_atlas.web import Answer

_KNOWN = {
    401: "refused: the token is missing or not valid",
    403: "refused: the token does not give access to this site",
    404: "the engine does not know this site or address. Check the channel's url",
    422: "refused: the engine cannot take this",
    429: "refused: too many requests. Wait, then run `jovial-atlas submit` again",
}


def refusal(answer: Answer) -> str:
    """Why a described call was not taken, in words."""
    text = foreign.text(answer.body[:800].decode("utf-8", "replace"), 200)
    said = _KNOWN.get(answer.status, "refused" if answer.status < 500 else "the engine failed")
    return f"{said} ({text})" if text else said
