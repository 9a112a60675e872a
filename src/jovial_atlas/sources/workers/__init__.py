"""Folders of files, read on all cores: what changed, who reads, and what is read again."""
