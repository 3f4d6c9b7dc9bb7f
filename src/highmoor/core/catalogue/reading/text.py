"""From octets to lines: encodings, line ends, and what is no text at all."""

from __future__ import annotations

import codecs
import re
from bisect import bisect_right

from highmoor.core.catalogue.reading.description import Problem, Unreadable

OCTETS_AT_MOST = 32 * 2**20
_BOMS = (
    (codecs.BOM_UTF8, "utf-8-sig"),
    (codecs.BOM_UTF32_LE, "utf-32"),
    (codecs.BOM_UTF32_BE, "utf-32"),
    (codecs.BOM_UTF16_LE, "utf-16"),
    (codecs.BOM_UTF16_BE, "utf-16"),
)
_DECLARED = re.compile(rb"^\s*<\?xml[^>]{0,200}?encoding\s*=\s*[\"']([A-Za-z0-9._-]{1,40})[\"']")
# What a decoder puts where an octet means nothing.
_DAMAGE = "\ufffd"
_LINE_END = re.compile(r"\r\n|\r|\n")


def decoded(octets: bytes) -> tuple[str, str]:
    """The text and the name of its encoding. Raises Unreadable for what is no text.

    A byte-order mark rules, then an XML declaration; without either, octets that are valid UTF-8 beyond ASCII
    are taken as such and everything else as cp1252, with Latin-1 for the five octets cp1252 leaves open.
    """
    if len(octets) > OCTETS_AT_MOST:
        raise Unreadable(f"The file has {len(octets) // 2**20} MB; at most {OCTETS_AT_MOST // 2**20} MB are read.")
    for bom, name in _BOMS:
        if octets.startswith(bom):
            return _decoded_as(octets, name), name
    declared = _DECLARED.match(octets[:400])
    if declared:
        name = declared[1].decode("ascii").lower()
        return _decoded_as(octets, name), name
    if b"\0" in octets:
        raise Unreadable("The file is not text: it contains zero octets.")
    for name in ("ascii", "utf-8", "cp1252"):
        try:
            return octets.decode(name), name
        except UnicodeDecodeError:
            continue
    return octets.decode("latin-1"), "latin-1"


def _decoded_as(octets: bytes, name: str) -> str:
    try:
        # Only encodings of text: a codec such as `zip` or `hex` would be asked to unpack.
        if not codecs.lookup(name)._is_text_encoding or name in ("idna", "punycode", "unicode_escape"):
            raise LookupError
        text = octets.decode(name, errors="replace")
    except (LookupError, UnicodeError):
        raise Unreadable(f"The file says it is written in “{name}”, an encoding that is not known here.") from None
    return text.removeprefix("\ufeff")


def damaged_lines(text: str, encoding: str) -> tuple[Problem, ...]:
    """A problem for each line with an octet that its declared encoding does not know; the first ones of many."""
    if _DAMAGE not in text or encoding in ("ascii", "cp1252", "latin-1"):
        return ()
    lines = [n for n, line in enumerate(_LINE_END.split(text), start=1) if _DAMAGE in line]
    return tuple(
        Problem(n, "error", f"An octet here is not valid {encoding}; “{_DAMAGE}” stands for it.") for n in lines[:20]
    )


class LineNumbers:
    """Line numbers, from 1, by position in a text; CR LF, LF and CR all end a line."""

    def __init__(self, text: str) -> None:
        self._starts = [0, *(match.end() for match in _LINE_END.finditer(text))]

    def at(self, position: int) -> int:
        """The line in which a position lies."""
        return bisect_right(self._starts, position)

    def start_of(self, line: int) -> int:
        """The position at which a line begins."""
        return self._starts[line - 1]
