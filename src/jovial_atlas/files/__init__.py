"""Files on disk: written whole or not at all, in sets with a manifest of what is ours, one process
at a time. No OSError of a write leaves this room: it is an OutputError that says what to do.
"""

from jovial_atlas.files.lock import Lock, Locks
from jovial_atlas.files.sets import FileChange, FileSet
from jovial_atlas.files.whole import (
    add_line,
    cannot_write,
    digest,
    digest_of_file,
    forget,
    is_file,
    is_temporary,
    make_folder,
    move_into_place,
    name_again,
    remove,
    sweep,
    temporary_name,
    write_lines,
    write_over,
    write_pieces,
    write_whole,
    writing,
)

__all__ = [
    "FileChange",
    "FileSet",
    "Lock",
    "Locks",
    "add_line",
    "cannot_write",
    "digest",
    "digest_of_file",
    "forget",
    "is_file",
    "is_temporary",
    "make_folder",
    "move_into_place",
    "name_again",
    "remove",
    "sweep",
    "temporary_name",
    "write_lines",
    "write_over",
    "write_pieces",
    "write_whole",
    "writing",
]
