"""Addresses of pages: RFC 3986 normalisation, joining and comparing.

Pure functions over strings. An address in the page table is always in the form
that `normalise` gives: scheme and host in lower case, host in IDNA, no default
port, dot segments removed, percent-encoding minimal and in upper case, no fragment.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from string import ascii_letters, digits
from urllib.parse import SplitResult, quote, urljoin, urlsplit

_DEFAULT_PORTS = {"http": 80, "https": 443}
_UNRESERVED = frozenset(b"ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789-._~")
_ESCAPE = re.compile(r"%([0-9A-Fa-f]{2})")
_PLAIN = re.compile(r"[A-Za-z0-9\-._~/]*\Z")
# RFC 3986 §3.3 and §3.4: what may stand unescaped in a path or a query.
_PATH_SAFE = "/:@!$&'()*+,;=-._~%"
_QUERY_SAFE = _PATH_SAFE + "?"
_SPACE = " \t\r\n\f"
_NAME = r"[A-Za-z0-9_~-][A-Za-z0-9._~-]*"
# Addresses that most links are, in the one spelling already.
_ASKED = r"\?[A-Za-z0-9!$&'()*+,;=:@/?._~-]+"
NORMAL = rf"^https?://[a-z0-9-]+(?:\.[a-z0-9-]+)*/(?:{_NAME}/)*(?:{_NAME})?(?:{_ASKED})?$"
_NORMAL = re.compile(NORMAL[:-1] + r"\Z")
_PLAIN_ORIGIN = re.compile(r"https?://[a-z0-9-]+(?:\.[a-z0-9-]+)*/")
_PLAIN_SIGNS = (ascii_letters + digits + "._~-/:\n").encode()
#: Names of parameters that only say where a visitor comes from.
TRACKING = r"utm_\w+|[a-z]{0,3}clid|mc_[ce]id|_ga|ref"
# RFC 3986 §3.1.
_SCHEME = re.compile(r"([A-Za-z][A-Za-z0-9+.-]*):")
_PLAIN_REFERENCE = re.compile(rf"(/?)((?:\.\./)*)((?:{_NAME}/)*(?:{_NAME})?)\Z")


def all_normal(given: Sequence[str]) -> bool:
    """Whether these are all addresses of one host that `normalise` leaves as they are, and none has
    a query: much faster than to ask for each, where there are very many."""
    whole, count = "\n".join(given), len(given)
    origin = _PLAIN_ORIGIN.match(whole)
    return bool(
        origin
        and whole.count(f"\n{origin[0]}") == whole.count("\n") == count - 1
        # Each has these in its origin, and only names without a dot before them behind a slash.
        and whole.count("//") == whole.count(":") == count
        and "/." not in whole
        and not whole.encode("utf-8", "replace").translate(None, _PLAIN_SIGNS)
    )


def normalise(address: str) -> str:
    """The one spelling of an absolute http(s) address (RFC 3986 §6.2.2 and §6.2.3).

    Raises ValueError with one sentence where it is no absolute http(s) address.
    """
    if _NORMAL.match(address):
        return address
    parts = split(address)
    path = _dots(escape(parts.path, _PATH_SAFE)) or "/"
    # RFC 3986 §6.2.3: an empty query is not the same as none.
    asked = parts.query or "?" in address.partition("#")[0]
    query = f"?{escape(parts.query, _QUERY_SAFE)}" if asked else ""
    return f"{parts.scheme}://{_authority(parts)}{path}{query}"


def split(address: str) -> SplitResult:
    """Parts of an absolute http(s) address. Raises ValueError with one sentence."""
    try:
        parts = urlsplit(_slashed(address.strip(_SPACE)))
        port = parts.port
    except ValueError as error:
        raise ValueError(f"{address!r} is not an address: {error}") from None
    if parts.scheme not in _DEFAULT_PORTS:
        raise ValueError(f"{address!r} is not an absolute http or https address")
    if not parts.hostname:
        raise ValueError(f"{address!r} names no host")
    if _NO_HOST.search(parts.hostname):
        raise ValueError(f"{address!r} is not an address: {parts.hostname!r} is no host name")
    if port == 0:
        raise ValueError(f"{address!r} names port 0")
    return parts


#: What stands in no host (URL Standard, "forbidden domain code points"); in brackets, and taken out
#: of them, colons stand.
_NO_HOST = re.compile(r"[\x00-\x20#/<>?@\[\\\]^|%\x7f]")


def _slashed(address: str) -> str:
    """An http(s) address, or a reference, as browsers take it: backslashes are slashes up to where
    the query begins (URL Standard, "basic URL parser")."""
    if "\\" not in address:
        return address
    end = re.search(r"[?#]", address)
    before = end.start() if end else len(address)
    return address[:before].replace("\\", "/") + address[before:]


def escape(text: str, safe: str = _PATH_SAFE) -> str:
    """Percent-encode what must be, decode escaped unreserved octets, upper-case the rest."""
    if _PLAIN.match(text):
        return text
    try:
        # Names of files that are not UTF-8 come as surrogates for their octets.
        text = quote(text, safe=safe, encoding="utf-8", errors="surrogateescape")
    except UnicodeEncodeError:
        text = quote(text, safe=safe, encoding="utf-8", errors="replace")
    text = re.sub(r"%(?![0-9A-Fa-f]{2})", "%25", text)
    return _ESCAPE.sub(_canonical_octet, text)


def _canonical_octet(match: re.Match[str]) -> str:
    octet = int(match[1], 16)
    return chr(octet) if octet in _UNRESERVED else f"%{octet:02X}"


def _authority(parts: SplitResult) -> str:
    host = (parts.hostname or "").rstrip(".")
    if ":" in host:
        host = f"[{host}]"
    elif not host.isascii():
        # Few hosts need it, and its tables are slow to load.
        import idna

        try:
            host = idna.encode(host, uts46=True).decode("ascii")
        except idna.IDNAError as error:
            raise ValueError(f"{host!r} is not a host name: {error}") from None
    port = "" if parts.port in (None, _DEFAULT_PORTS[parts.scheme]) else f":{parts.port}"
    return f"{host}{port}"


def _dots(path: str) -> str:
    """RFC 3986 §5.2.4: remove dot segments."""
    if "/." not in path:
        return path
    kept: list[str] = []
    segments = path.split("/")
    for segment in segments:
        if segment == "..":
            if len(kept) > 1:
                kept.pop()
        elif segment != ".":
            kept.append(segment)
    if segments[-1] in (".", ".."):
        kept.append("")
    return "/".join(kept)


def resolve(base: str, reference: str) -> str | None:
    """The normalised address a reference in a page leads to, or None where it is no page
    address (`mailto:`, `javascript:`, a bare fragment, or nothing at all)."""
    reference = reference.strip(_SPACE)
    if not reference or reference.startswith("#"):
        return None
    if _NORMAL.match(reference):
        return reference
    named = _SCHEME.match(reference)
    if named and named[1].lower() not in _DEFAULT_PORTS:
        return None
    try:
        return normalise(urljoin(base, _slashed(reference)))
    except ValueError:
        return None


def whole(base: str, reference: str) -> str | None:
    """The absolute address that a reference in a page leads to, with its fragment: also one that
    is no page (`mailto:`, `tel:`); None for nothing at all."""
    stripped = reference.strip(_SPACE)
    if not stripped:
        return None
    try:
        named = _SCHEME.match(stripped)
        if not named or named[1].lower() in _DEFAULT_PORTS:
            stripped = _slashed(stripped)
        joined = urljoin(base, stripped)
        if urlsplit(joined).scheme not in _DEFAULT_PORTS:
            return joined
        bare, mark, fragment = joined.partition("#")
        return normalise(bare) + mark + fragment
    except ValueError:
        return None


def is_plain(path: str) -> bool:
    """Whether a path without its first slash stands in an address as it is."""
    match = _PLAIN_REFERENCE.match(path)
    return match is not None and not match[1] and not match[2]


def join_plain(base_folder: str, reference: str) -> str | None:
    """As `resolve` for the plain references that most links are, without taking them apart:
    names of safe characters below the page's folder, above it, or from the root on.

    None for everything else. `base_folder` is a normalised address up to its last slash.
    """
    match = _PLAIN_REFERENCE.match(reference)
    if match is None:
        return None
    root, ups, inner = match.groups()
    if not root and not ups:
        return base_folder + str(inner)
    if root and ups:
        return None
    start = base_folder.index("/", 8)
    if root:
        return base_folder[: start + 1] + inner
    end = len(base_folder) - 1
    for _ in range(len(ups) // 3):
        end = max(base_folder.rfind("/", start, end), start)
    return base_folder[: end + 1] + inner


def origin(address: str) -> str:
    """Scheme, host and port of a normalised address: `https://www.marrowfen.example`."""
    end = address.find("/", address.index("://") + 3)
    return address if end < 0 else address[:end]


#: Names that never lead anywhere public (RFC 6761, RFC 6762, RFC 8375 and the like).
_LOCAL = ("localhost", "local", "internal", "test", "invalid", "home.arpa", "lan")


def with_other_scheme(origin: str) -> str:
    """The origin of the same host with the other scheme of the web."""
    scheme, _, host = origin.partition("://")
    return f"{'http' if scheme == 'https' else 'https'}://{host}"


def is_local(address: str) -> bool:
    """Whether the host of an address is no public name: a number, a single word, or a name that is
    reserved for private use."""
    host = (urlsplit(address).hostname or "").rstrip(".")
    if ":" in host or _NUMBER.match(host.rpartition(".")[2]) or "." not in host:
        return True
    return any(host.endswith(f".{one}") for one in _LOCAL)


# WHATWG URL, §3.5: a host whose last label is a number is an IPv4 address.
_NUMBER = re.compile(r"(?:\d+|0x[0-9a-f]*)\Z", re.IGNORECASE)


def why_local(origin: str) -> str:
    """Why an origin (scheme, host, port) is none for the public, as a sentence without its dot;
    "" where it is one."""
    parts = urlsplit(origin)
    if is_local(origin):
        return f"only this machine or network knows {parts.hostname}"
    if parts.port is not None and parts.port != _DEFAULT_PORTS.get(parts.scheme):
        return f"it has a port ({parts.port}), as servers have that are being tried"
    return ""


def path_and_query(address: str) -> str:
    """What follows the origin of a normalised address, from its first slash on."""
    return address[len(origin(address)) :] or "/"


def folder(address: str) -> str:
    """A normalised address without query, up to and with its last slash."""
    return address.split("?", 1)[0].rpartition("/")[0] + "/"


def identify(
    address: str, trailing_slash: str = "keep", query: str | tuple[str, ...] = "keep"
) -> str:
    """The one spelling by the site's own choice: `trailing_slash` keep, add or remove (not
    for names with an ending), `query` keep, drop, or the parameters that mean something."""
    path, mark, asked = address.partition("?")
    if mark and query != "keep":
        kept = [] if query == "drop" else [p for p in asked.split("&") if p.split("=")[0] in query]
        asked = "&".join(kept)
    last = path.rpartition("/")[2]
    if trailing_slash == "add" and last and "." not in last:
        path += "/"
    elif trailing_slash == "remove" and not last and path.count("/") > 3:
        path = path.rstrip("/")
    return f"{path}?{asked}" if asked else path


_INDEX = re.compile(r"(?:^|(?<=/))index\.x?html?$")
_ENDING = re.compile(r"\.x?html?$")


def ending_free(path: str) -> str:
    """A path without index file name, file ending and last slash, to tell whether two
    addresses are spellings of one page: `/a/`, `/a`, `/a.html`, `/a/index.html`."""
    return _ENDING.sub("", _INDEX.sub("", path)).rstrip("/")
