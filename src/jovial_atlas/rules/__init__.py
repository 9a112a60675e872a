"""The decision engine: sections, rules and what pages say become one verdict each, with reasons.

Every other room only reads verdicts; nothing else decides whether a page may be found.
"""

from jovial_atlas.rules.crawling import barred, deciding_crawlers, robots_of
from jovial_atlas.rules.decide import VERDICT_COLUMNS, decide, explain_layers, not_listed
from jovial_atlas.rules.fields import DIRECTIVES, FIELDS, Layer, LayerSays
from jovial_atlas.rules.layers import layers_of, rests_on_time

__all__ = [
    "DIRECTIVES",
    "FIELDS",
    "VERDICT_COLUMNS",
    "Layer",
    "LayerSays",
    "barred",
    "decide",
    "deciding_crawlers",
    "explain_layers",
    "layers_of",
    "not_listed",
    "rests_on_time",
    "robots_of",
]
