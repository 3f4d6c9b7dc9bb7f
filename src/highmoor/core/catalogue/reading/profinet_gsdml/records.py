"""Records that are written at the start: what is constant in them, and values over that."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from highmoor.core.catalogue.profinet import Record, RecordValue
from highmoor.core.catalogue.reading.numerals import whole
from highmoor.core.catalogue.reading.profinet_gsdml.elements import TYPES, Reading, flag, number, spans
from highmoor.core.catalogue.reading.xml import Element, line_of

_OCTETS_AT_MOST = 65_535
Values = Mapping[str, "ValueTexts"]


class ValueTexts:
    """What the values of a list mean, and what is said of all of them."""

    __slots__ = ("choices", "help")

    def __init__(self, choices: tuple[tuple[int, str], ...], told: str) -> None:
        self.choices, self.help = choices, told


def value_texts(items: Element | None, reading: Reading) -> dict[str, ValueTexts]:
    """The lists of values of a file by their ids."""
    found: dict[str, ValueTexts] = {}
    for item in items.iterfind("ValueItem") if items is not None else ():
        choices = []
        for assign in item.iterfind("Assignments/Assign"):
            content = whole(assign.get("Content") or "")
            if content is not None:
                choices.append((content, reading.text(assign) or str(content)))
        found[item.get("ID") or ""] = ValueTexts(tuple(choices), reading.text(item.find("Help")))
    return found


def records_of(listed: Element, reading: Reading, values: Values) -> tuple[Record, ...]:
    """A submodule's records in the order in which they are to be written."""
    found = [_record(item, reading, values) for item in listed.iterfind("ParameterRecordDataItem")]
    return tuple(sorted((record for record in found if record), key=lambda record: record.order))


def _record(item: Element, reading: Reading, values: Values) -> Record | None:
    index = reading.whole(item, "Index", -1, 0x7FFF)
    length = reading.whole(item, "Length", 0, _OCTETS_AT_MOST)
    if index < 0 or not length:
        reading.problems.error(line_of(item), "A record without index or length is left out.")
        return None
    octets = bytearray(length)
    for constant in item.iterfind("Const"):
        at = reading.whole(constant, "ByteOffset", 0, _OCTETS_AT_MOST)
        data = _octets(constant, reading)
        if at + len(data) > length:
            reading.problems.error(line_of(constant), f"A constant of {len(data)} octets at {at} leaves its record.")
            continue
        octets[at : at + len(data)] = data
    order = reading.whole(item, "TransferSequence", 0, 0xFFFF)
    told = tuple(_values(item, reading, values, length))
    label = reading.text(item.find("Name")) or f"record {index}"
    return Record(index, label, octets.hex().upper(), order, told)


def _octets(constant: Element, reading: Reading) -> bytes:
    parts = (constant.get("Data") or "").replace(",", " ").split()
    told = [whole(part) for part in parts]
    if any(octet is None or not 0 <= octet <= 255 for octet in told):
        reading.problems.error(line_of(constant), "A constant has what is no octet; it is left out.")
        return b""
    return bytes(octet or 0 for octet in told)


def _values(item: Element, reading: Reading, values: Values, length: int) -> Iterator[RecordValue]:
    for ref in item.iterfind("Ref"):
        value = _value(ref, reading, values)
        if value is None:
            continue
        if value.octet + (value.bit + value.bits + 7) // 8 > length:
            reading.problems.error(line_of(ref), f"“{value.label}” leaves its record of {length} octets.")
            continue
        yield value


def _value(ref: Element, reading: Reading, values: Values) -> RecordValue | None:
    kind = (ref.get("DataType") or "").strip()
    at = reading.whole(ref, "ByteOffset", 0, _OCTETS_AT_MOST)
    bit = bits = 0
    data_type = ""
    if kind in ("Bit", "BitArea"):
        bit = reading.whole(ref, "BitOffset", 0, 7)
        bits = 1 if kind == "Bit" else reading.whole(ref, "BitLength", 1, 16)
    else:
        octets, data_type = TYPES.get(kind, (None, ""))
        octets = reading.whole(ref, "Length", 0, _OCTETS_AT_MOST) if octets is None else octets
        bits = 8 * octets
        if kind in ("VisibleString", "UnicodeString8"):
            data_type = "STRING"
    if not bits:
        reading.problems.error(line_of(ref), f"A value of the type “{kind[:30]}” has no size; it is left out.")
        return None
    label = reading.text(ref) or f"octet {at}"
    texts = values.get(ref.get("ValueItemTarget") or "")
    allowed = spans(ref.get("AllowedValues") or "")
    if allowed is None:
        reading.problems.warning(line_of(ref), f"{label}: its allowed values are no list; any is taken.")
        allowed = ()
    return RecordValue(
        label, at, bit, bits, data_type, _default(ref, reading, label, data_type, numeric=_is_number(kind, data_type)),
        allowed, _choices(texts, allowed), flag(ref, "Changeable", usual=True), flag(ref, "Visible", usual=True),
        texts.help if texts else "",
    )  # fmt: skip


def _is_number(kind: str, data_type: str) -> bool:
    return kind in ("Bit", "BitArea") or data_type not in ("", "STRING")


def _default(ref: Element, reading: Reading, label: str, data_type: str, *, numeric: bool) -> int | float | str:
    text = (ref.get("DefaultValue") or "").strip()
    if not numeric:
        return text if data_type == "STRING" else ""
    value = number(text) if text else 0
    if value is None:
        reading.problems.error(line_of(ref), f"{label}: its default “{text[:30]}” is not a number; 0 is taken.")
        return 0
    return value


def _choices(texts: ValueTexts | None, allowed: tuple[tuple[float, float], ...]) -> tuple[tuple[int, str], ...]:
    """Texts of the values that are allowed; of values without texts there are none to choose from."""
    if texts is None or not texts.choices:
        return ()
    if not allowed:
        return texts.choices
    fitting = tuple((n, text) for n, text in texts.choices if any(low <= n <= high for low, high in allowed))
    # A list that names some of the allowed values alone would hide the others.
    return fitting if sum(high - low + 1 for low, high in allowed) <= len(fitting) else ()
