"""The report: figures and one HTML page, for people who would rather look than read.

`values` is what it takes, `sheets` what it knows of single pages, `fitting` what of that fits, and
`page` puts it together with what stands in `web`. Takes plain values and gives bytes; knows nothing
of site files, surveys or engines.
"""

from jovial_atlas.report.page import render
from jovial_atlas.report.trends import Trend
from jovial_atlas.report.values import Bars, Report, Table

__all__ = ["Bars", "Report", "Table", "Trend", "render"]
