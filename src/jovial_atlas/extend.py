"""What other packages build on that add a source, a channel or a check: see docs/extending.md.

| group of entry points   | a class from   | is named in the site file by                      |
|-------------------------|----------------|---------------------------------------------------|
| `jovial_atlas.sources`  | `RecordReader` | `[[source]]` with `kind = "package"`, `package`   |
| `jovial_atlas.channels` | `PackagedKind` | `[[engine]]`, a channel of `kind = "package"`     |
| `jovial_atlas.checks`   | `AddedCheck`   | nothing: it is part of every `check` of the site  |
"""

from jovial_atlas.engines.channels import PackagedKind
from jovial_atlas.engines.published import Due, Published
from jovial_atlas.errors import ContentError
from jovial_atlas.faults import Fault
from jovial_atlas.findings.entry import Check
from jovial_atlas.records import Status
from jovial_atlas.rounds.proving.site_checks import AddedCheck, CheckedHost
from jovial_atlas.sitefile import PackageChannel
from jovial_atlas.sources.records.package import ReaderContext, RecordReader
from jovial_atlas.web import Answer, Request

__all__ = [
    "AddedCheck",
    "Answer",
    "Check",
    "CheckedHost",
    "ContentError",
    "Due",
    "Fault",
    "PackageChannel",
    "PackagedKind",
    "Published",
    "ReaderContext",
    "RecordReader",
    "Request",
    "Status",
]
