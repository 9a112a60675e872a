"""The source `package`: records that another installed package reads."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from itertools import islice
from pathlib import Path
from typing import Any

import msgspec

from jovial_atlas.errors import ContentError
from jovial_atlas.installed import SOURCES, Addition, load
from jovial_atlas.pages.gather import Batch
from jovial_atlas.sitefile import PackageSource
from jovial_atlas.sitefile.added import settings_of
from jovial_atlas.sources.records.columns import FieldMap, deliver, split_wrong
from jovial_atlas.sources.records.records import table_of
from jovial_atlas.web import Client

#: Records that become one batch.
_AT_ONCE = 10_000


@dataclass(frozen=True, slots=True)
class ReaderContext:
    """What a reader of records may use: the folder of the site file, to which paths are relative;
    the environment, for secrets; and the client through which it asks other machines."""

    folder: Path
    environment: Mapping[str, str]
    client: Client


class RecordReader(Addition):
    """A source of another package: gives records, which become pages by `url` and `columns` of
    their `[[source]]`, as the rows of a table do."""

    @abstractmethod
    def records(
        self, settings: msgspec.Struct, context: ReaderContext
    ) -> Iterator[Mapping[str, Any]]:
        """The records, each a field → value: text, numbers, dates, lists of texts. Raises
        ContentError with a sentence where they cannot be read."""


def read_package(source: PackageSource, how: FieldMap, context: ReaderContext) -> Iterator[Batch]:
    """The batches of a source of another package. Raises ContentError, for whatever it raises."""
    reader = load(SOURCES, source.package, RecordReader)
    records = _told(reader, source, context)
    done = 0
    while some := list(islice(records, _AT_ONCE)):
        delivered = deliver(table_of(some).lazy(), how).collect()
        yield split_wrong(delivered, how, f"{how.source}, record ", done)
        done += len(some)


def _told(
    reader: RecordReader, source: PackageSource, context: ReaderContext
) -> Iterator[Mapping[str, Any]]:
    try:
        yield from reader.records(settings_of(reader, source.settings), context)
    except ContentError:
        raise
    except Exception as error:
        message = f"{source.package}: its package failed ({error!r}); tell those who made it."
        raise ContentError(message) from error
