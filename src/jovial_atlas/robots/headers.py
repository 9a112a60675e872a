"""`X-Robots-Tag` as configuration of real servers.

nginx: https://nginx.org/en/docs/http/ngx_http_map_module.html, ngx_http_headers_module,
ngx_http_rewrite_module; Apache httpd: mod_headers, mod_setenvif. All match paths as
they are after decoding, by regular expressions in which every octet but letters, digits, `/`,
`-` and `_` is written as `\\xHH`: a path from content is never anything but a path.

Headers are given as crawler → path (percent-encoded) → words, with the crawler "" for all.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from urllib.parse import unquote_to_bytes

Headers = Mapping[str, Mapping[str, str]]

_PLAIN = frozenset(b"ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789/_-")
_VALUE = re.compile(r"[A-Za-z0-9_:, .+/-]+\Z")
_VARIABLE = "jovial_atlas_robots"


def path_expression(path: str) -> str:
    """A regular expression (PCRE) that is exactly one path, given percent-encoded."""
    octets = unquote_to_bytes(path)
    return "^" + "".join(chr(o) if o in _PLAIN else f"\\x{o:02X}" for o in octets) + "$"


def _variable(crawler: str) -> str:
    return f"{_VARIABLE}_{crawler.replace('-', '_')}" if crawler else _VARIABLE


def _checked(headers: Headers) -> Iterator[tuple[str, list[tuple[str, str]]]]:
    """(crawler, [(path, value of the header)]), in order."""
    for crawler, paths in sorted({"": {}, **headers}.items()):
        before = f"{crawler}: " if crawler else ""
        values = [(path, before + words) for path, words in sorted(paths.items())]
        for path, value in values:
            if not _VALUE.match(value):
                raise ValueError(f"{value!r} cannot be a header of {path}")
        yield crawler, values


def nginx_http(headers: Headers) -> list[str]:
    """Lines to be included in `http { }`: the header of each path, else nothing."""
    lines = []
    for crawler, values in _checked(headers):
        lines += [f"map $uri ${_variable(crawler)} {{", '    default "";']
        lines += [f'    "~{path_expression(path)}" "{value}";' for path, value in values]
        lines.append("}")
    return lines


def nginx_server(headers: Headers) -> list[str]:
    """Lines to be included in `server { }`. An empty value adds no header."""
    return [
        f"add_header X-Robots-Tag ${_variable(one)} always;" for one, _ in _checked(headers)
    ]


def apache_server(headers: Headers) -> list[str]:
    """Lines to be included in a virtual host. Needs mod_headers."""
    lines = []
    for crawler, values in _checked(headers):
        for path, value in values:
            lines += [
                f'<LocationMatch "{path_expression(path)}">',
                f'    Header always {"add" if crawler else "set"} X-Robots-Tag "{value}"',
                "</LocationMatch>",
            ]
    return lines


def apache_folder(headers: Headers) -> list[str]:
    """Lines for the .htaccess of the site's folder, where AllowOverride has FileInfo. Needs
    mod_setenvif and mod_headers. (In a virtual host paths are not decoded yet where mod_setenvif
    looks at them, so that has a form of its own.)"""
    lines = []
    for crawler, values in _checked(headers):
        variable = _variable(crawler)
        lines += [
            f'SetEnvIf Request_URI "{path_expression(path)}" "{variable}={value}"'
            for path, value in values
        ]
        how = "add" if crawler else "set"
        lines.append(f'Header always {how} X-Robots-Tag "%{{{variable}}}e" env={variable}')
    return lines
