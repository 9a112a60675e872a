"""`X-Robots-Tag` and redirects, as configuration of real servers.

nginx: https://nginx.org/en/docs/http/ngx_http_map_module.html, ngx_http_headers_module,
ngx_http_rewrite_module; Apache httpd: mod_headers, mod_setenvif, mod_rewrite. All match paths as
they are after decoding, by regular expressions in which every octet but letters, digits, `/`,
`-` and `_` is written as `\\xHH`: a path from content is never anything but a path.

Headers are given as crawler → path (percent-encoded) → words, with the crawler "" for all.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from urllib.parse import quote, unquote_to_bytes

Headers = Mapping[str, Mapping[str, str]]
Redirects = Mapping[str, str]

_PLAIN = frozenset(b"ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789/_-")
_VALUE = re.compile(r"[A-Za-z0-9_:, .+/-]+\Z")
_NOTE = "Written by Jovial Atlas; changes are lost at the next build."
_VARIABLE = "jovial_atlas_robots"
_TARGET = "jovial_atlas_target"


def path_expression(path: str) -> str:
    """A regular expression (PCRE) that is exactly one path, given percent-encoded."""
    octets = unquote_to_bytes(path)
    return "^" + "".join(chr(o) if o in _PLAIN else f"\\x{o:02X}" for o in octets) + "$"


def _target(address: str) -> str:
    """An address in which nothing means anything to a server's configuration."""
    return quote(address, safe="/:?=&%+,@~")


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


def nginx_http(headers: Headers, redirects: Redirects) -> bytes:
    """To be included in `http { }`: header and target for each path, else nothing."""
    lines = [
        f"# {_NOTE}",
        "# Include this file inside http { }, and nginx-server.conf inside server { }.",
    ]
    for crawler, values in _checked(headers):
        lines += [f"map $uri ${_variable(crawler)} {{", '    default "";']
        lines += [f'    "~{path_expression(path)}" "{value}";' for path, value in values]
        lines.append("}")
    lines += [f"map $uri ${_TARGET} {{", '    default "";']
    lines += [
        f'    "~{path_expression(path)}" "{_target(to)}";' for path, to in sorted(redirects.items())
    ]
    return ("\n".join([*lines, "}"]) + "\n").encode()


def nginx_server(headers: Headers) -> bytes:
    """To be included in `server { }`. An empty value adds no header and redirects nothing."""
    lines = [
        f"# {_NOTE}",
        "# Include this file inside server { }. A location with an add_header of its own drops all",
        "# that it would inherit: include the file there once more.",
        *(f"add_header X-Robots-Tag ${_variable(one)} always;" for one, _ in _checked(headers)),
        f"if (${_TARGET}) {{",
        f"    return 301 ${_TARGET};",
        "}",
    ]
    return ("\n".join(lines) + "\n").encode()


def apache_server(headers: Headers, redirects: Redirects) -> bytes:
    """To be included in a virtual host. Needs mod_headers and mod_rewrite."""
    lines = [
        f"# {_NOTE}",
        "# Include this file inside a virtual host. Needs mod_headers and mod_rewrite.",
    ]
    for crawler, values in _checked(headers):
        for path, value in values:
            lines += [
                f'<LocationMatch "{path_expression(path)}">',
                f'    Header always {"add" if crawler else "set"} X-Robots-Tag "{value}"',
                "</LocationMatch>",
            ]
    return ("\n".join([*lines, *_apache_redirects(redirects)]) + "\n").encode()


def apache_folder(headers: Headers, redirects: Redirects) -> bytes:
    """For the .htaccess of the site's folder, where AllowOverride has FileInfo. Needs
    mod_setenvif, mod_headers and mod_rewrite. (In a virtual host paths are not decoded yet where
    mod_setenvif looks at them, so that has a form of its own.)"""
    lines = [f"# {_NOTE}", "# For .htaccess. Needs mod_setenvif, mod_headers and mod_rewrite."]
    for crawler, values in _checked(headers):
        variable = _variable(crawler)
        lines += [
            f'SetEnvIf Request_URI "{path_expression(path)}" "{variable}={value}"'
            for path, value in values
        ]
        how = "add" if crawler else "set"
        lines.append(f'Header always {how} X-Robots-Tag "%{{{variable}}}e" env={variable}')
    return ("\n".join([*lines, *_apache_redirects(redirects)]) + "\n").encode()


def _apache_redirects(redirects: Redirects) -> list[str]:
    """Rewriting, since other redirects would escape what is escaped already. Where a folder is
    asked, paths come without their first slash; `%` and a digit would be a reference."""
    if not redirects:
        return []
    return ["RewriteEngine On"] + [
        f'RewriteRule "^/?{path_expression(path)[2:]}" "{_escaped(to)}" [R=301,NE,QSD,L]'
        for path, to in sorted(redirects.items())
    ]


def _escaped(to: str) -> str:
    return _target(to).replace("%", "\\%")
