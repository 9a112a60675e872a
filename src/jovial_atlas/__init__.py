"""Jovial Atlas: what of a web site may be found, written, checked, announced and remembered."""

__version__ = "0.1.0"
