"""What was changed in settings, by whom and why, with the texts before and after: the record, and
taking a change out of a text that was changed since."""

from jovial_atlas.history.entry import FileTexts, KeptChange
from jovial_atlas.history.merging import Clash, taken_out
from jovial_atlas.history.record import History

__all__ = ["Clash", "FileTexts", "History", "KeptChange", "taken_out"]
