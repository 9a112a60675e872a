"""What the answer to an announcement means: an outcome, and what to say of it."""

from __future__ import annotations

from jovial_atlas import foreign
from jovial_atlas.engines import indexnow, websub
from jovial_atlas.ledger.values import FAILED, PENDING, REFUSED, TAKEN
from jovial_atlas.sitefile import CallChannel, IndexNowChannel, WebSubChannel
from jovial_atlas.sitefile.engines import Channel
from jovial_atlas.web import Answer

_KNOWN = {
    401: "refused: the token is missing or not valid",
    403: "refused: the token does not give access to this site",
    404: "the engine does not know this site or address. Check the channel's url",
    422: "refused: the engine cannot take this",
    429: "refused: too many requests. Wait, then run `jovial-atlas submit` again",
}


def meaning(channel: Channel, answer: Answer) -> tuple[str, str]:
    """Outcome and detail of an answer."""
    wait = f" It asks to wait {answer.retry_after:.0f} s." if answer.retry_after else ""
    if isinstance(channel, IndexNowChannel):
        said = indexnow.ANSWERS.get(answer.status, "an answer that IndexNow does not define")
        status = {200: TAKEN, 202: PENDING}.get(answer.status, REFUSED)
        detail = f"status {answer.status}: {said}.{wait}"
    elif isinstance(channel, WebSubChannel):
        status = TAKEN if 200 <= answer.status < 300 else REFUSED
        detail = f"status {answer.status}: {websub.meaning(answer.status)}.{wait}"
    else:
        assert isinstance(channel, CallChannel)
        taken = answer.status in channel.success
        status = TAKEN if taken else REFUSED
        detail = f"status {answer.status}: {'taken' if taken else refusal(answer)}.{wait}"
    return (FAILED if answer.status >= 500 and status == REFUSED else status), detail


def refusal(answer: Answer) -> str:
    """Why a described call was not taken, in words."""
    text = foreign.text(answer.body[:800].decode("utf-8", "replace"), 200)
    said = _KNOWN.get(answer.status, "refused" if answer.status < 500 else "the engine failed")
    return f"{said} ({text})" if text else said
