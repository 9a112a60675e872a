"""What is told of a site, as one value, and its forms: a mail's text, the JSON of the others."""

from __future__ import annotations

import json
from dataclasses import dataclass, field
from typing import Any

from jovial_atlas import foreign
from jovial_atlas.values import asdict

#: What stands first in a message, by its kind.
_FIRST = {"trouble": "needs you", "well": "is well again", "digest": "this is what happened"}


@dataclass(frozen=True, slots=True)
class ToldMessage:
    """What is told: `trouble`, `well` or `digest`; of which site; in a line, and in whole; how
    grave it is; about which sections; when, and since when; and figures by name."""

    kind: str
    site: str
    title: str
    message: str
    at: str
    severity: str = ""
    sections: tuple[str, ...] = ()
    since: str = ""
    figures: dict[str, int] = field(default_factory=dict)

    def written(self) -> str:
        """It as JSON, as it is kept and sent."""
        return json.dumps(asdict(self), ensure_ascii=False)

    @property
    def subject(self) -> str:
        """It in a line."""
        return f"{self.site} {_FIRST.get(self.kind, '')}: {self.title}"

    def text(self) -> str:
        """It as people read it."""
        lines = [self.message, ""]
        lines += [f"  {name}: {count:,}" for name, count in self.figures.items()]
        about = [("Severity", self.severity), ("Sections", ", ".join(self.sections)),
                 ("Since", self.since), ("Told", self.at)]  # fmt: skip
        lines += ["", *(f"{name}: {value}" for name, value in about if value)]
        return "\n".join(lines).replace("\n\n\n", "\n\n") + "\n"


def read_message(text: str) -> ToldMessage:
    """A message as it is kept. Raises ValueError for anything else."""
    found: Any = foreign.read_json(text)
    if not isinstance(found, dict):
        raise ValueError("it is no message")
    names = {one: found[one] for one in ToldMessage.__dataclass_fields__ if one in found}
    names["sections"] = tuple(names.get("sections", ()))
    try:
        return ToldMessage(**names)
    except TypeError as error:
        raise ValueError(str(error)) from None
