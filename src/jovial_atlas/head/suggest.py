"""Proposals for titles and descriptions, from what a page says itself. Nothing applies them.

A description is made of the page's own sentences, ranked as TextRank does (Mihalcea and Tarau,
2004): sentences are alike as far as they share words, weighted by how rare these are on the page,
and a sentence counts as much as the sentences it is like.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Sequence
from typing import Any

import numpy as np
from scipy import sparse

from jovial_atlas.head.lengths import DESCRIPTION_LENGTH, cut_at_word, width
from jovial_atlas.head.texts import Text
from jovial_atlas.pages.page import Page
from jovial_atlas.sitefile import Site
from jovial_atlas.sitefile.heads import Lengths

_END = re.compile(r"(?<=[.!?…])[\"'”’)]*\s+(?=[\"'“‘(]*[A-ZÀ-ÖØ-ÞА-Я\d])")
_WORD = re.compile(r"[^\W\d_]{3,}")
_DAMPING, _ROUNDS, _CLOSE = 0.85, 60, 1e-6
#: Sentences of a page that are looked at, from its beginning; characters a proposal needs.
_MOST, _LEAST = 200, 50
#: Characters of a sentence that says anything; how much more the first one counts.
_SENTENCE, _LEAD = 25, 2.0


def sentences(text: str) -> list[str]:
    """The sentences of a text, in their order; a line is a paragraph."""
    lines = (" ".join(line.split()) for line in text.splitlines())
    return [one for line in lines for part in _END.split(line) if (one := part.strip())]


def rank(texts: Sequence[str]) -> np.ndarray[Any, np.dtype[np.float64]]:
    """How much each of some sentences counts among them: positive, adding up to 1."""
    words = [Counter(word.casefold() for word in _WORD.findall(text)) for text in texts]
    number = len(texts)
    common = Counter(word for counts in words for word in counts)
    columns = {word: place for place, word in enumerate(common)}
    rows, cols, values = [], [], []
    for row, counts in enumerate(words):
        for word, count in counts.items():
            rows.append(row)
            cols.append(columns[word])
            values.append((1 + np.log(count)) * np.log((1 + number) / common[word]))
    shape = (number, max(len(columns), 1))
    said = sparse.csr_matrix((values, (rows, cols)), shape=shape)
    lengths = np.sqrt(said.multiply(said).sum(axis=1)).A1
    said = sparse.diags_array(1 / np.where(lengths > 0, lengths, 1)) @ said
    alike = sparse.csr_matrix(said @ said.T)
    alike.setdiag(0)
    out = np.asarray(alike.sum(axis=1)).ravel()
    step = alike.multiply(1 / np.where(out > 0, out, 1)[:, None]).T.tocsr()
    weight = np.full(number, 1 / number)
    for _ in range(_ROUNDS):
        lost = weight[out == 0].sum() / number
        new = (1 - _DAMPING) / number + _DAMPING * (step @ weight + lost)
        done = np.abs(new - weight).sum() < _CLOSE
        weight = new
        if done:
            break
    return weight


def propose_description(text: str) -> Text:
    """A description from a page's main text; no value where it says too little."""
    found = sentences(text)[:_MOST]
    whole = [one for one in dict.fromkeys(found) if one[-1] in ".!?…" and len(one) >= _SENTENCE]
    if not whole:
        return Text(None, "")
    weights = rank(whole)
    # What stands first was written to introduce the page.
    weights = weights * (1 + _LEAD / (1 + np.arange(len(whole)) / 2))
    order = [int(place) for place in np.argsort(-weights, kind="stable")]
    fitting = [place for place in order if len(whole[place]) <= DESCRIPTION_LENGTH]
    if not fitting:
        return Text(cut_at_word(whole[order[0]]), "sentence")
    chosen = [fitting[0]]
    for place in fitting[1:]:
        length = sum(len(whole[one]) + 1 for one in chosen) + len(whole[place])
        if length <= DESCRIPTION_LENGTH and weights[place] >= weights[chosen[0]] / 2:
            chosen.append(place)
    proposed = " ".join(whole[place] for place in sorted(chosen))
    if len(proposed) < _LEAST:
        return Text(None, "")
    return Text(proposed, "sentence" if len(chosen) == 1 else "sentences")


def propose_title(page: Page, headings: Sequence[str], site: Site, lengths: Lengths) -> Text:
    """A title from a page's headings, with the short name of the site where results have room;
    no value where there is no heading."""
    heading = next((one for one in (page.heading, *headings) if one), None)
    if not heading:
        return Text(None, "")
    name = site.short_name
    longer = f"{heading} – {name}"
    fits = width(longer, lengths.title_size) <= lengths.title_px
    return Text(
        longer if fits and name.casefold() not in heading.casefold() else heading, "heading"
    )
