"""The report: figures and one HTML page, for people who would rather look than read.

Takes plain values and gives bytes; knows nothing of site files, surveys or engines.
"""

from jovial_atlas.report.page import Bars, Report, Table, render
from jovial_atlas.report.trends import Trend

__all__ = ["Bars", "Report", "Table", "Trend", "render"]
