"""The page table: its columns, the survey that fills it, the snapshot on disk."""
