"""Language files of IODDs: put into the file that they belong to, which then stands for itself."""

from __future__ import annotations

import re
from collections.abc import Sequence
from xml.sax.saxutils import quoteattr

from highmoor.core.catalogue.reading.description import Problems, Unreadable
from highmoor.core.catalogue.reading.iolink_iodd.elements import language_texts
from highmoor.core.catalogue.reading.text import decoded
from highmoor.core.catalogue.reading.xml import tree

LANGUAGE_FAMILY = "iolink-iodd-text"
_ROOT = re.compile(r"<(?:[A-Za-z_][\w.-]*:)?ExternalTextDocument[\s>/]")
_END = re.compile(r"</(?:[A-Za-z_][\w.-]*:)?ExternalTextCollection\s*>")
_HEAD = 4000
# A file is called alike in each language, with the language behind it: `pellmar-pd20-iodd1.1-en.xml`.
_TAIL = re.compile(r"-[a-z]{2}\.xml$", re.IGNORECASE)


def is_language_file(text: str) -> bool:
    """Whether a text is a language file, told by its root."""
    return _ROOT.search(text[:_HEAD]) is not None


def with_languages(files: Sequence[tuple[str, bytes]]) -> list[tuple[str, bytes]]:
    """The files of an archive, with the English texts of language files within the files they belong to.

    A language file belongs to the one that is called like it, or to the only one there is; one of another language, or
    without such a file, is left as it is.
    """
    texts = {label: decoded(octets)[0] for label, octets in files if _looks_like_xml(octets)}
    languages = {label: text for label, text in texts.items() if is_language_file(text)}
    hosts = [label for label, text in texts.items() if label not in languages and _END.search(text)]
    added: dict[str, str] = {}
    used = set()
    for label, text in languages.items():
        stem = _TAIL.sub("", label).lower()
        host = next((one for one in hosts if one.lower().removesuffix(".xml") == stem), None)
        host = host or (hosts[0] if len(hosts) == 1 else None)
        if host is None:
            continue
        used.add(label)
        added[host] = added.get(host, "") + _english(text)
    return [
        (label, _within(texts[label], added[label]) if added.get(label) else octets)
        for label, octets in files
        if label not in used
    ]


def _looks_like_xml(octets: bytes) -> bool:
    return b"<" in octets[:_HEAD] or b"<\x00" in octets[:_HEAD]


def _english(text: str) -> str:
    """Its English texts as a piece of a file; nothing of a damaged file, or of another language."""
    try:
        found = list(language_texts(tree(text, Problems())))
    except Unreadable:
        return ""
    lines = "".join(f"<Text id={quoteattr(key)} value={quoteattr(value)}/>" for key, value in found)
    return f'<Language xml:lang="en">{lines}</Language>' if found else ""


def _within(text: str, piece: str) -> bytes:
    end = list(_END.finditer(text))[-1].start()
    # Whatever its declaration says: the mark tells how it is encoded now.
    return (text[:end] + piece + text[end:]).encode("utf-8-sig", "replace")
