"""Gzip (RFC 1952) for sitemap files: equal contents give equal bytes, and no bomb is unpacked."""

from __future__ import annotations

from jovial_atlas.sitemaps import protocol


def compressed(data: bytes | memoryview) -> bytes:
    """Gzip without a time in it."""
    from isal import igzip_lib

    return bytes(igzip_lib.compress(data, 2, flag=igzip_lib.COMP_GZIP))


def decompressed(data: bytes, most: int = protocol.MAX_BYTES) -> bytes:
    """The contents of a gzip file, never more than `most` + 1 bytes of them.

    One byte over the limit is enough to know that the limit is broken. Raises
    ValueError where the data are no whole gzip file.
    """
    from isal import isal_zlib

    worker = isal_zlib.decompressobj(wbits=31)
    try:
        plain = bytes(worker.decompress(data, most + 1))
    except isal_zlib.error as error:  # type: ignore[misc]
        raise ValueError(f"not a readable gzip file ({error})") from None
    if not worker.eof and len(plain) <= most:
        raise ValueError("a gzip file that breaks off before its end")
    return plain
