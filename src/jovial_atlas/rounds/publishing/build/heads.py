"""Head data: what stands in the head of each page, one line a page and as fragments, and the
copies of pictures that heads name."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping, Sequence

from msgspec import to_builtins

from jovial_atlas.files import FileSet
from jovial_atlas.head.compose import PageHead, head_lines, heads_by_section
from jovial_atlas.head.settings import HeadSettings
from jovial_atlas.head.sharing import Copy, Look, shared_picture
from jovial_atlas.head.tags import head_tags
from jovial_atlas.head.videos import Film
from jovial_atlas.rounds.publishing.build.versions import versions_by_page
from jovial_atlas.rounds.state.last_survey import LastSurvey
from jovial_atlas.rounds.state.picture_files import copies
from jovial_atlas.serving import fragment_path


def put_heads(survey: LastSurvey, heads: FileSet, parts: FileSet, output: FileSet) -> None:
    """Put the head data of all pages, the fragments made of it where the site file asks for
    them, and the copies of pictures that go into the output folder."""
    model = survey.site.model
    versions = versions_by_page(survey) if model.head.fragments else {}
    shared: list[Copy] = []
    pictures, films = survey.pictures, survey.films
    for section, page_heads in heads_by_section(
        survey.decided, survey.heads, films, survey.head_context
    ):
        heads.put(f"{section}.jsonl", head_lines(page_heads))
        if model.head.fragments:
            for named in _fragments(page_heads, survey.heads, versions):
                parts.put(*named)
        if model.sharing.copies:
            shared += _copies_of(page_heads, survey.heads, films, pictures.look)
    for named in copies(shared, output.keep):
        output.put(*named)
    if not output.dry:
        pictures.keep()


def _fragments(
    heads: Sequence[PageHead],
    settings: HeadSettings,
    versions: Mapping[str, Sequence[Mapping[str, str]]],
) -> Iterator[tuple[str, bytes]]:
    """The head of each page as HTML and as JSON, for systems that serve pages themselves."""
    for head in heads:
        path = fragment_path(head.page.loc)
        tags = head_tags(head.head, head.page, settings, versions.get(head.page.loc, ()))
        yield f"{path}.html", ("\n".join(tag.html for tag in tags if tag.html) + "\n").encode()
        text = json.dumps(to_builtins(head.head), ensure_ascii=False, indent=1)
        yield f"{path}.json", f"{text}\n".encode()


def _copies_of(
    heads: Sequence[PageHead],
    settings: HeadSettings,
    films: Mapping[str, Sequence[Film]],
    look: Look,
) -> Iterator[Copy]:
    """The copies of pictures that these heads name."""
    for one in heads:
        if (picture := one.head.picture) and picture.original:
            section, of_page = settings.section_of(one.page), films.get(one.page.loc, ())
            shared = shared_picture(one.page, settings, section, of_page, look)
            if shared and shared.copy:
                yield shared.copy
