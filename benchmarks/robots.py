"""A hundred thousand addresses against a thousand rules, and the same by regular expressions."""

from __future__ import annotations

import random
import re
from collections.abc import Callable

from jovial_atlas.robots import Matcher, parse_robots
from jovial_atlas.robots.match import pattern_regex

_ADDRESSES, _RULES = 100_000, 1_000


def run(pair: Callable[..., float]) -> None:
    """One in ten rules has a wildcard or an anchor."""
    chance = random.Random(1)
    words = [f"{word}-{number}" for word in ("notes", "shop", "walks") for number in range(60)]

    def path(most: int) -> str:
        return "/".join(chance.choice(words) for _ in range(chance.randint(1, most)))

    lines = ["User-agent: *"]
    for number in range(_RULES):
        sign = ("*", f"*/{path(1)}", "*.pdf$", "$")[number // 10 % 4] if number % 10 == 0 else ""
        lines.append(f"{chance.choice(['Allow', 'Disallow'])}: /{path(3)}{sign}")
    matcher = Matcher(parse_robots("\n".join(lines).encode()), "*")
    addresses = [f"/{path(4)}/?page={number}" for number in range(_ADDRESSES)]
    few = addresses[: _ADDRESSES // 100]
    compiled = [(re.compile(pattern_regex(rule.pattern)), rule.allow) for rule in matcher.rules]

    def plain() -> list[bool]:
        return [
            next((allow for one, allow in compiled if one.match(address)), True)
            for address in few
        ]  # fmt: skip

    assert [matcher.ask(address).allowed for address in few] == plain()
    pair(
        f"{_ADDRESSES:,} addresses, {_RULES:,} rules; a hundredth",
        lambda: [matcher.ask(address) for address in addresses],
        plain,
        wanted="below 1 second",
        runs=3,
    )
