"""`X-Robots-Tag` for files that cannot carry a meta element, as configuration of real servers.

nginx: https://nginx.org/en/docs/http/ngx_http_map_module.html, ngx_http_headers_module;
Apache httpd: mod_setenvif and mod_headers. Both match paths as they are after decoding, by
regular expressions in which every octet but letters, digits, `/`, `-` and `_` is written as
`\\xHH`: a path from content is never anything but a path.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from urllib.parse import unquote_to_bytes

_PLAIN = frozenset(b"ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789/_-")
_VALUE = re.compile(r"[A-Za-z0-9_:, .+/-]+\Z")
_NOTE = "Written by Jovial Atlas; changes are lost at the next build."


def path_expression(path: str) -> str:
    """A regular expression (PCRE) that is exactly one path, given percent-encoded."""
    octets = unquote_to_bytes(path)
    return "^" + "".join(chr(o) if o in _PLAIN else f"\\x{o:02X}" for o in octets) + "$"


def _checked(headers: Mapping[str, str]) -> list[tuple[str, str]]:
    for path, value in headers.items():
        if not _VALUE.match(value):
            raise ValueError(f"{value!r} cannot be a header of {path}")
    return sorted(headers.items())


def nginx_map(headers: Mapping[str, str]) -> bytes:
    """To be included in `http { }`: the value for each path (percent-encoded), else nothing."""
    lines = [
        f"# {_NOTE}",
        "# Include this file inside http { }, and nginx-server.conf inside server { }.",
        "map $uri $jovial_atlas_robots {",
        '    default "";',
        *(f'    "~{path_expression(path)}" "{value}";' for path, value in _checked(headers)),
        "}",
    ]
    return ("\n".join(lines) + "\n").encode()


def nginx_server() -> bytes:
    """To be included in `server { }`. An empty value adds no header."""
    lines = [
        f"# {_NOTE}",
        "# Include this file inside server { }. A location with an add_header of its own drops all",
        "# that it would inherit: include the file there once more.",
        "add_header X-Robots-Tag $jovial_atlas_robots always;",
    ]
    return ("\n".join(lines) + "\n").encode()


def apache_server(headers: Mapping[str, str]) -> bytes:
    """To be included in a virtual host. Needs mod_headers."""
    lines = [f"# {_NOTE}", "# Include this file inside a virtual host. Needs mod_headers."]
    for path, value in _checked(headers):
        lines += [
            f'<LocationMatch "{path_expression(path)}">',
            f'    Header always set X-Robots-Tag "{value}"',
            "</LocationMatch>",
        ]
    return ("\n".join(lines) + "\n").encode()


def apache_folder(headers: Mapping[str, str]) -> bytes:
    """For the .htaccess of the site's folder, where AllowOverride has FileInfo. Needs
    mod_setenvif and mod_headers. (In a virtual host paths are not decoded yet where mod_setenvif
    looks at them, so that has a form of its own.)"""
    lines = [f"# {_NOTE}", "# For .htaccess. Needs mod_setenvif and mod_headers."]
    lines += [
        f'SetEnvIf Request_URI "{path_expression(path)}" "jovial_atlas_robots={value}"'
        for path, value in _checked(headers)
    ]
    lines.append('Header always set X-Robots-Tag "%{jovial_atlas_robots}e" env=jovial_atlas_robots')
    return ("\n".join(lines) + "\n").encode()
