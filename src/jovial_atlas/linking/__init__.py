"""Links of a site: who leads where, how far pages are from the start, how a reader who follows
links at random spends his visits; which links lead nowhere, and which are missing."""

from jovial_atlas.linking.graph import LinkGraph as LinkGraph
from jovial_atlas.linking.graph import LinksOfPages as LinksOfPages
from jovial_atlas.linking.graph import link_graph as link_graph
