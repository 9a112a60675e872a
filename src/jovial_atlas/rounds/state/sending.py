"""How engines are reached, as handed down from the command line."""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping

import msgspec

from jovial_atlas.engines.asking import Asking
from jovial_atlas.sitefile import Engine, SiteFile
from jovial_atlas.web import Client


class Sending(msgspec.Struct, frozen=True):
    """How engines are reached: the client, and the environment that holds their tokens."""

    client: Client
    environment: Mapping[str, str]
    pause: Callable[[float], None] = time.sleep

    def asking(self, engine: Engine, site: SiteFile) -> Asking:
        """How one engine is asked about a site."""
        url = site.model.site.url
        return Asking(engine, url, self.client, lambda name: self.environment.get(name, ""))
