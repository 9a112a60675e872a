"""What in a round needs a person: known again by a key, so that it is told once."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Sequence

from jovial_atlas.errors import LossError
from jovial_atlas.faults import Fault
from jovial_atlas.findings import Finding
from jovial_atlas.findings.finding import SEVERITIES
from jovial_atlas.findings.registry import check_of
from jovial_atlas.records import OpenNotice

#: Least severity of a finding that needs a person.
_LEAST = SEVERITIES.index(next(one for one in SEVERITIES if one == "error"))


def of_loss(key: str, error: LossError) -> OpenNotice:
    """A refusal, since much of what was listed would be lost."""
    sections = tuple(one.name for one in error.losses if one.part == "section")
    said = [f"{lost_in_short(error)}, so nothing was changed."]
    if len(error.losses) > 1:
        said.append(f"In parts: {'; '.join(map(str, error.losses[:8]))}.")
    said += [f"Why it might be: {cause}" for cause in error.causes]
    if error.examples:
        said.append(f"Among them: {', '.join(error.examples)}.")
    if error.stake:
        said.append(f"At stake: {error.stake}")
    said.append(str(error).splitlines()[-1])
    return OpenNotice(key, "error", sections, " ".join(said))


def lost_in_short(error: LossError) -> str:
    """A refusal as the beginning of a sentence."""
    worst = max(error.losses, key=lambda one: one.lost)
    return f"{worst.lost:,} of {worst.had:,} listed pages would be lost"


def of_error(key: str, error: Exception, severity: str = "error") -> OpenNotice:
    """Something that failed."""
    return OpenNotice(key, severity, (), str(error))


def of_findings(findings: Sequence[Finding], hold_at: str) -> Iterator[OpenNotice]:
    """Findings that need a person, one notice a kind: errors and worse, and those that hold a round
    back, which are told as errors."""
    counts = Counter(one.code for one in findings)
    holding = SEVERITIES.index(next(one for one in SEVERITIES if one == hold_at))
    for code, count in counts.items():
        check = check_of(code)
        grave = SEVERITIES.index(check.severity)
        if grave > max(_LEAST, holding):
            continue
        first = next(one for one in findings if one.code == code)
        more = f" (and {count - 1:,} more)" if count > 1 else ""
        message = f"{check.what}: {first.where}: {first.message}{more} {check.fix}"
        severity = SEVERITIES[min(grave, _LEAST)]
        yield OpenNotice(f"finding {code}", str(severity), (), message)


def of_sources(faults: Iterable[Fault]) -> Iterator[OpenNotice]:
    """Sources that could not be read, whose pages of before were kept."""
    for fault in faults:
        if fault.code == "source-broken":
            message = f"{fault.where} could not be read; its pages of before were kept. "
            yield OpenNotice(f"source {fault.where}", "warning", (), message + fault.message)
