"""Names of stations, and frames of cyclic data, as PROFINET IO has them.

Source: IEC 61158-6-10, 4.3.1.4.15 (name of station), 4.7 (cyclic data unit); IEEE 802.3, 3.1; IEEE 802.1Q, 9.6.
"""

from __future__ import annotations

import re
import unicodedata
from fractions import Fraction

from highmoor.core.errors import Refusal

NAME_OCTETS_AT_MOST, LABEL_OCTETS_AT_MOST = 240, 63
# A data unit is padded to the least, and holds no more than the most.
DATA_UNIT_LEAST, DATA_UNIT_MOST = 40, 1440
# Preamble 8, Ethernet 14, VLAN tag 4, frame id 2, cycle counter 2, data and transfer status 2, check sequence 4, gap
# 12.
AROUND_OCTETS = 48
# At 100 Mbit/s.
US_AN_OCTET = Fraction(8, 100)
_LABEL = re.compile(r"[a-z0-9](?:[a-z0-9-]*[a-z0-9])?")
_PORT = re.compile(r"port-[0-9]{3}(?:-[0-9]{5})?")
_ADDRESS = re.compile(r"[0-9]{1,3}(?:\.[0-9]{1,3}){3}")
_LETTERS = {"ä": "ae", "ö": "oe", "ü": "ue", "ß": "ss", "æ": "ae", "ø": "oe", "œ": "oe", "ł": "l", "đ": "d"}


def name_problem(name: str) -> str:
    """Why a name is no name of a station, in words; "" where it is one."""
    if not name:
        return "it has no character"
    if len(name) > NAME_OCTETS_AT_MOST:
        return f"it has {len(name)} characters; {NAME_OCTETS_AT_MOST} are the most"
    labels = name.split(".")
    for label in labels:
        if not label:
            return "there is nothing before, behind or between dots"
        if len(label) > LABEL_OCTETS_AT_MOST:
            return f"“{label[:12]}…” has {len(label)} characters; {LABEL_OCTETS_AT_MOST} are the most between dots"
        other = next((c for c in label if not (c.isascii() and (c.islower() or c.isdigit() or c == "-"))), "")
        if other:
            return f"“{other}” may not be in it: only a–z, 0–9, hyphens and dots"
        if _LABEL.fullmatch(label) is None:
            return f"“{label[:20]}” begins or ends with a hyphen"
    if _PORT.fullmatch(labels[0]):
        return f"“{labels[0]}” is how a port is called"
    if _ADDRESS.fullmatch(name):
        return "it looks like an IP address"
    return ""


def mended_name(text: str) -> str:
    """The name nearest to a text, always a valid one: small letters, hyphens for what may not be in it."""
    plain = "".join(_LETTERS.get(c, c) for c in text.lower())
    plain = unicodedata.normalize("NFKD", plain)
    plain = "".join(c for c in plain if not unicodedata.combining(c))
    # The second lowering is for what only came apart above.
    plain = re.sub(r"-{2,}", "-", re.sub(r"[^a-z0-9.-]", "-", plain.lower()))
    labels = [label.strip("-")[:LABEL_OCTETS_AT_MOST].strip("-") for label in plain.split(".")]
    labels = [label for label in labels if label] or ["station"]
    if _PORT.fullmatch(labels[0]) or _ADDRESS.fullmatch(".".join(labels)):
        labels[0] = f"s-{labels[0]}"
    kept: list[str] = []
    for label in labels:
        if len(".".join((*kept, label))) <= NAME_OCTETS_AT_MOST:
            kept.append(label)
    return ".".join(kept)


def frame_octets(data_unit: int) -> int:
    """What a frame of cyclic data takes of the wire, octets. Raises Refusal for a data unit that fits none."""
    if not 0 <= data_unit <= DATA_UNIT_MOST:
        raise Refusal(f"A data unit has 0 to {DATA_UNIT_MOST} octets, not {data_unit}.", value=data_unit)
    return AROUND_OCTETS + max(DATA_UNIT_LEAST, data_unit)
