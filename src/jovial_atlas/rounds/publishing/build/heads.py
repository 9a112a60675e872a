"""Head data: what stands in the head of each page, one line a page and as fragments, and the
copies of pictures that heads name."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping, Sequence

from msgspec import to_builtins

from jovial_atlas.files import FileSet
from jovial_atlas.head.compose import PageHead, head_lines, heads_by_section
from jovial_atlas.head.settings import HeadSettings
from jovial_atlas.head.sharing import Copy
from jovial_atlas.head.tags import head_tags
from jovial_atlas.rounds.publishing.build.copied import copies_of
from jovial_atlas.rounds.publishing.build.heads_apart import (
    MadeHeads,
    heads_apart,
    worth_processes,
)
from jovial_atlas.rounds.publishing.build.versions import versions_by_page
from jovial_atlas.rounds.state.last_survey import LastSurvey
from jovial_atlas.rounds.state.picture_files import copies
from jovial_atlas.serving import fragment_path


def put_heads(survey: LastSurvey, heads: FileSet, parts: FileSet, output: FileSet) -> None:
    """Put the head data of all pages, the fragments made of it where the site file asks for
    them, and the copies of pictures that go into the output folder."""
    shared: list[Copy] = []
    if survey.site.model.head.fragments or not worth_processes(survey):
        _put_here(survey, heads, parts, shared)
    else:
        _put_apart(survey, heads, shared)
    for named in copies(shared, output.keep):
        output.put(*named)
    if not output.dry:
        survey.pictures.keep()


def _put_apart(survey: LastSurvey, heads: FileSet, shared: list[Copy]) -> None:
    """Put head data that other processes make."""

    def lines(made: Iterator[MadeHeads]) -> Iterator[bytes]:
        for one in made:
            shared.extend(one.copies)
            survey.pictures.take(one.measured)
            yield one.lines

    for section, made in heads_apart(survey):
        heads.put_pieces(f"{section}.jsonl", lines(made))


def _put_here(survey: LastSurvey, heads: FileSet, parts: FileSet, shared: list[Copy]) -> None:
    """Put head data, and fragments of it."""
    model, settings = survey.site.model, survey.heads
    versions = versions_by_page(survey) if model.head.fragments else {}
    pictures, films = survey.pictures, survey.films

    def also(page_heads: Iterator[PageHead]) -> Iterator[PageHead]:
        """The same, with what is made of each beside its line."""
        for one in page_heads:
            if model.head.fragments:
                for named in _fragment(one, settings, versions.get(one.page.loc, ())):
                    parts.put(*named)
            if model.sharing.copies:
                shared.extend(copies_of(one, settings, films, pictures.look))
            yield one

    for section, page_heads in heads_by_section(
        survey.decided, settings, films, survey.head_context
    ):
        heads.put_pieces(f"{section}.jsonl", head_lines(also(page_heads)))


def _fragment(
    one: PageHead, settings: HeadSettings, versions: Sequence[Mapping[str, str]]
) -> Iterator[tuple[str, bytes]]:
    """The head of a page as HTML and as JSON, for systems that serve pages themselves."""
    path = fragment_path(one.page.loc)
    tags = head_tags(one.head, one.page, settings, versions)
    yield f"{path}.html", ("\n".join(tag.html for tag in tags if tag.html) + "\n").encode()
    text = json.dumps(to_builtins(one.head), ensure_ascii=False, indent=1)
    yield f"{path}.json", f"{text}\n".encode()
