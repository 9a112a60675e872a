"""One build: verdicts become the set of files that engines and visitors read, all or nothing.

`listing` says which addresses stand in which file, `files` renders them, `beside` makes
the other files of the set, `public` remembers what is public from then on.
"""
