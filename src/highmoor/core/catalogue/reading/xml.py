"""Description files in XML: their elements, what is damaged told with its line, without document types or entities."""

from __future__ import annotations

import re
from contextlib import suppress
from typing import TypeAlias

from lxml import etree

from highmoor.core.catalogue.reading.description import Problems, Unreadable

Element: TypeAlias = etree._Element
_HEAD = 4000
# The default namespace where the root declares it: without it names need not be stripped one by one.
_DEFAULT = re.compile(r"(<[A-Za-z_][\w.-]*\b[^<>]*?)(\s)xmlns\s*=\s*(?:\"[^\"<>]*\"|'[^'<>]*')")


def tree(text: str, problems: Problems) -> Element:
    """The file's elements by their local names. What comes behind damage is read all the same. Raises Unreadable."""
    octets = text.encode("utf-8", "replace")
    head = text[:_HEAD]
    rest = octets[len(head.encode("utf-8", "replace")) :]
    head = _DEFAULT.sub(r"\1\2", head, count=1)

    def parsed(*, recover: bool) -> tuple[Element, etree.XMLParser]:
        # What the text's encoding was is no matter any more, whatever its declaration says.
        parser = etree.XMLParser(
            encoding="utf-8", recover=recover, resolve_entities=False, no_network=True, load_dtd=False,
            remove_comments=True, remove_pis=True, huge_tree=False,
        )  # fmt: skip
        parser.feed(head.encode("utf-8", "replace"))
        parser.feed(rest)
        return parser.close(), parser

    try:
        root, _ = parsed(recover=False)
    except etree.XMLSyntaxError:
        try:
            root, patient = parsed(recover=True)
        except etree.XMLSyntaxError as error:
            raise Unreadable(f"This is no XML: {error.msg}", error.lineno or 0) from None
        for entry in patient.feed_error_log:
            problems.error(entry.line, f"Damaged here: {entry.message.strip()[:120]}")
    if root is None:
        raise Unreadable("This is no XML: there is no element in it.")
    if "}" in str(root.tag) or any("}" in str(child.tag) for child in root):
        for element in root.iter(etree.Element):
            name = str(element.tag).rpartition("}")[2]
            # What damage made of a name may be none: it stays, and nobody looks for it.
            with suppress(ValueError):
                element.tag = name
    return root


def line_of(element: Element | None) -> int:
    """The line an element begins in, 0 for none."""
    return (element.sourceline or 0) if element is not None else 0
