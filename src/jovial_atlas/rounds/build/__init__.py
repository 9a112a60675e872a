"""One build: verdicts become the set of files that engines and visitors read, all or nothing.

`listing` says which addresses stand in which file, `files` renders them, `beside` makes
the other files of the set, `public` remembers what is public from then on.
"""

from jovial_atlas.rounds.build.places import INDEX, MANIFEST, ROBOTS
from jovial_atlas.rounds.build.run import Build, BuiltFile, Difference, replace_foreign, run_build

__all__ = [
    "INDEX", "MANIFEST", "ROBOTS", "Build", "BuiltFile", "Difference", "replace_foreign",
    "run_build",
]  # fmt: skip
