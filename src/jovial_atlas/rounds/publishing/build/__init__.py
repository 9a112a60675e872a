"""One build: verdicts become the set of files that engines and visitors read, all or nothing.

`listing` says which addresses are listed, `placing` in which file each stands, `rendering` writes
the bytes of the files, `companions` makes the others of the set, `remembering` keeps what is public
from then on, `resuming` goes on from the build before, and `run` does it all in order.
"""
