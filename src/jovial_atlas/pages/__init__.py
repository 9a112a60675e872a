"""The page table: its columns, the survey that fills it, the snapshot on disk."""

from typing import Final

#: The one column whose fields differ from site to site: what sources deliver beyond the schema.
#: (Named here, since workers that read pages load nothing of tables.)
EXTRA: Final = "extra"
