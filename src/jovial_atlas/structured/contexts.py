"""Contexts of JSON-LD 1.1 (https://www.w3.org/TR/json-ld11/, §3.1, §4.1): what the keys of a
document mean, as far as that can be told without fetching anything.

Understood are the vocabulary's own context, `@vocab`, terms and prefixes that a document defines
itself, aliases of keywords, containers (lists, sets, languages, indexes), and contexts in nodes.
Passed over are contexts at other addresses, which are not fetched, and scoped contexts of terms.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

import msgspec

#: Addresses of the vocabulary, as pages write them.
HOME = re.compile(r"https?://(www\.)?schema\.org/?#?", re.I)
#: The same in one spelling, before a term.
_OURS = "https://schema.org/"
_KEYWORDS = frozenset(
    {"@id", "@type", "@value", "@language", "@list", "@set", "@graph", "@context", "@reverse",
     "@index", "@included", "@nest", "@direction", "@none", "@json"}
)  # fmt: skip
#: What the vocabulary's own context calls otherwise, and the prefix of its own that it defines.
_ALIASES = {"id": "@id", "type": "@type", "schema": _OURS}
#: Containers in which keys are no properties but languages, indexes, addresses or types.
KEYED = frozenset({"@language", "@index", "@id", "@type", "@graph"})
_CONTEXT_FILE = re.compile(r"docs/jsonldcontext\.json(ld)?\Z")
_MOST = 2_000


class Term(msgspec.Struct, frozen=True):
    """What a key means: an address, a keyword, or None for nothing; and in which containers its
    values stand."""

    means: str | None
    containers: frozenset[str] = frozenset()


class Context(msgspec.Struct, frozen=True):
    """What keys mean. `vocab` is what stands before keys that nothing defines, None where these
    mean nothing; `foreign` names contexts that were not followed."""

    vocab: str | None = None
    terms: Mapping[str, Term] = msgspec.field(default_factory=dict)
    foreign: tuple[str, ...] = ()

    @property
    def speaks_it(self) -> bool:
        """Whether any key can mean a term of the vocabulary."""
        said = (self.vocab, *(term.means for term in self.terms.values()))
        return any(one is not None and HOME.match(one) for one in said)

    def within(self, given: Any) -> Context:
        """The context inside something that says `@context`."""
        context = self
        for part in given if isinstance(given, list) else [given]:
            if part is None:
                context = Context()
            elif isinstance(part, str):
                context = context._named(part)
            elif isinstance(part, Mapping):
                context = context._defined(part)
        return context

    def _named(self, address: str) -> Context:
        if HOME.fullmatch(_CONTEXT_FILE.sub("", address.strip())):
            aliases = {name: Term(keyword) for name, keyword in _ALIASES.items()}
            return Context(_OURS, {**self.terms, **aliases}, self.foreign)
        return Context(self.vocab, self.terms, (*self.foreign, address))

    def _defined(self, given: Mapping[str, Any]) -> Context:
        vocab = self.vocab
        if "@vocab" in given:
            said = given["@vocab"]
            vocab = self.expanded(said) or said if isinstance(said, str) and said else None
        now = Context(vocab, dict(self.terms), self.foreign)
        raw = {str(n): v for n, v in list(given.items())[:_MOST] if not str(n).startswith("@")}
        terms = dict(self.terms)
        for name, value in raw.items():
            terms[name] = now._term(name, value, raw)
        return Context(vocab, terms, self.foreign)

    def _term(self, name: str, value: Any, raw: Mapping[str, Any]) -> Term:
        containers: frozenset[str] = frozenset()
        if isinstance(value, Mapping):
            said = value.get("@container")
            listed = said if isinstance(said, list) else [said]
            containers = frozenset(one for one in listed if isinstance(one, str))
            value = value.get("@id", name if "@reverse" not in value else None)
        if not isinstance(value, str):
            return Term(None)
        return Term(self._address(value, raw, 0), containers)

    def _address(self, text: str, raw: Mapping[str, Any], depth: int) -> str | None:
        """What a definition leads to; terms may be made of others, in any order."""
        if text in _KEYWORDS:
            return text
        prefix, colon, rest = text.partition(":")
        if colon and not rest.startswith("//") and prefix in raw and depth < 5:
            before = raw[prefix]
            before = before.get("@id") if isinstance(before, Mapping) else before
            if isinstance(before, str) and prefix != text:
                above = self._address(before, raw, depth + 1)
                return above + rest if above else None
        if not colon and text in raw and depth < 5 and raw[text] != text:
            inner = raw[text]
            if isinstance(inner, str):
                return self._address(inner, raw, depth + 1)
        return self.expanded(text)

    def expanded(self, key: str) -> str | None:
        """The address that a key or a type means, a keyword, or None for nothing."""
        if key in _KEYWORDS:
            return key
        if key in self.terms:
            return self.terms[key].means
        prefix, colon, rest = key.partition(":")
        if colon:
            known = self.terms.get(prefix)
            if known is not None and known.means and not rest.startswith("//"):
                return known.means + rest
            return key
        return None if self.vocab is None else self.vocab + key

    def containers(self, key: str) -> frozenset[str]:
        """The containers of a key's values."""
        term = self.terms.get(key)
        return term.containers if term else frozenset()


def bare(address: str | None) -> str | None:
    """A term of the vocabulary without what is before it; None for anything else."""
    match = HOME.match(address or "")
    return None if match is None or address is None else address[match.end() :] or None
