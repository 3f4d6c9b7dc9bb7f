"""A scan of a serial line: every station number is asked in turn, between what the controller asks itself.

Who is configured and does not answer is asked again with the other settings that a device could be left at.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from highmoor.core.networks.line import Line
from highmoor.core.networks.media import Heard
from highmoor.core.networks.modbus.identification import REQUEST
from highmoor.core.networks.modbus.pdu import ModbusError
from highmoor.core.networks.modbus.scan import QUESTIONS, Conversation, alike, differs
from highmoor.core.networks.modbus.settings import ExchangeSettings
from highmoor.core.networks.modbus_rtu.bench import Guest, Master
from highmoor.core.networks.modbus_rtu.frame import SerialFrame
from highmoor.core.networks.modbus_rtu.settings import BAUDS, LineSettings, line_settings, turnaround_ms
from highmoor.core.networks.modbus_rtu.timing import silence_ms, transaction
from highmoor.core.networks.scanning import Found, Scans, ScanSeat
from highmoor.core.plant.fields import FieldSpec
from highmoor.core.plant.rows import Network, Port

_TIMEOUT_MS = 100
_LAST = 247
# How often in all, beside once for everybody configured, a question is put again whose answer was damaged: whoever
# answers the controller too late speaks into another's answer.
_AGAIN_AT_MOST = 8
# A usual answer: what a device says of itself, or a coupler of its modules.
_ANSWER_OCTETS = 72


@dataclass(frozen=True, slots=True)
class _Place:
    """One thing to be tried: a station's number, with settings that are the line's or others."""

    station: int
    on: LineSettings
    set_to: Mapping[str, Any]

    @property
    def waits_octets_ms(self) -> float:
        """How long a usual answer is under way."""
        return float(_ANSWER_OCTETS * self.on.octet_ms) * (2 if self.on.mode == "ascii" else 1)


def _others(on: LineSettings) -> Iterator[LineSettings]:
    """What else a device could be left at: another rate, another parity with the stop bits that go with it."""
    for baud in BAUDS:
        if baud != on.baud:
            yield replace(on, baud=baud)
    for parity, stop_bits in (("even", 1), ("odd", 1), ("none", 2), ("none", 1)):
        if (parity, stop_bits) != (on.parity, on.stop_bits):
            yield replace(on, parity=parity, stop_bits=stop_bits)  # type: ignore[arg-type]


def _set_to(on: LineSettings, line: LineSettings) -> dict[str, Any]:
    own = {"baud": on.baud, "parity": on.parity, "stop_bits": on.stop_bits}
    usual = {"baud": line.baud, "parity": line.parity, "stop_bits": line.stop_bits}
    return {key: value for key, value in own.items() if value != usual[key]}


def _span(wanted: Mapping[str, Any]) -> range:
    return range(int(wanted.get("first", 1)), int(wanted.get("last", _LAST)) + 1)


def _configured(lines: Sequence[Line]) -> list[int]:
    numbers = {int(x.station.address) for x in lines if x.station.address.isdecimal() and x.station.address != "0"}
    return sorted(numbers)


@dataclass(slots=True)
class _Scan:
    seat: ScanSeat
    done: int = 0
    asked: int = 0
    _left: list[_Place] = field(default_factory=list)
    _found: set[int] = field(default_factory=set)
    _expected: set[int] = field(default_factory=set)
    _elsewhere: bool = False
    _over: bool = False
    _again: int = 0

    @property
    def _line(self) -> LineSettings:
        return line_settings(self.seat.network)

    def begin(self) -> None:
        """The first number."""
        self._expected = set(_configured(self.seat.lines))
        self._again = _again(self._expected)
        self._left = [_Place(n, self._line, {}) for n in reversed(_span(self.seat.wanted))]
        self.asked = len(self._left)
        self._next()

    def stop(self) -> None:
        """Nothing more is asked."""
        self._over = True

    def _next(self) -> None:
        if self._over:
            return
        if not self._left and self.seat.wanted.get("others", True) and not self._elsewhere:
            self._elsewhere = True
            missing = [n for n in _configured(self.seat.lines) if n not in self._found and n in _span(self.seat.wanted)]
            self._left = [_Place(n, on, _set_to(on, self._line)) for n in missing for on in _others(self._line)][::-1]
            self.asked += len(self._left)
        if not self._left:
            self._over = True
            self.seat.over()
            return
        _Talk(self, self._left.pop()).begin()

    def expects(self, station: int) -> bool:
        """Whether somebody is configured there: then more is tried."""
        return station in self._expected

    def may_ask_again(self) -> bool:
        """Whether a damaged answer is asked for once more; so often it may be."""
        self._again -= 1
        return self._again >= 0

    def ended(self, place: _Place, found: Found | None) -> None:
        """What came of one place."""
        self.done += 1
        if found:
            self._found.add(place.station)
            self.seat.find(found)
            # Found at one setting, it is not looked for at the others.
            skipped = [p for p in self._left if p.station == place.station and self._elsewhere]
            self._left = [p for p in self._left if p not in skipped]
            self.done += len(skipped)
        self._next()


@dataclass(slots=True)
class _Talk:
    """The questions to one place, each as a guest of the master."""

    scan: _Scan
    place: _Place
    _conversation: Conversation = field(init=False)
    _answer: bytes | None = None
    _damaged: str = ""
    _unit: bytes = b""
    _was_damaged: bool = False

    def begin(self) -> None:
        """The first question."""
        address = str(self.place.station)
        self._conversation = Conversation(
            address, self.scan.seat.types, self._ask, lambda found: self.scan.ended(self.place, found),
            self.place.set_to, self.scan.expects(self.place.station),
        )  # fmt: skip
        self._conversation.begin()

    def _ask(self, unit: bytes) -> None:
        self._unit = unit
        master: Master = self.scan.seat.master
        self._answer, self._damaged = None, ""
        octets = SerialFrame(self.place.station, unit).encode(self.place.on.mode)
        waits = _timeout_ms(self.scan.seat.wanted) + self.place.waits_octets_ms
        master.ask_between(Guest(octets, self.place.on, waits, self._heard, self._over))

    def _heard(self, heard: Heard) -> bool:
        if (heard.on.baud, heard.on.parity, heard.on.stop_bits) != (
            self.place.on.baud, self.place.on.parity, self.place.on.stop_bits,
        ):  # fmt: skip
            return False
        try:
            frame = SerialFrame.decode(heard.octets, self.place.on.mode)
        except ModbusError as error:
            self._damaged = f"{error}" + (f": {heard.told}" if heard.told else "")
            return True
        if frame.station != self.place.station:
            return False
        self._answer = frame.pdu
        return True

    def _over(self) -> None:
        if self.scan._over:
            return
        if self._answer is not None:
            self._conversation.heard(self._answer)
        elif self._damaged and not self._was_damaged and self.scan.may_ask_again():
            self._was_damaged = True
            self._ask(self._unit)
        elif self._damaged:
            self._conversation.damaged(self._damaged)
        else:
            self._conversation.silent()


def _timeout_ms(wanted: Mapping[str, Any]) -> float:
    return float(wanted.get("timeout_ms", _TIMEOUT_MS))


def _takes_s(network: Network, lines: Sequence[Line], wanted: Mapping[str, Any]) -> float:
    """At most so long: nobody answers but those configured, which are asked all there is, what may be put again is, and
    between any two questions the controller asks what takes it longest."""
    on = line_settings(network)
    own_ms = max((_longest_ms(on, network, line) for line in lines), default=0.0)
    configured = [n for n in _configured(lines) if n in _span(wanted)]
    asked = [on] * (len(_span(wanted)) + QUESTIONS * len(configured))
    if wanted.get("others", True):
        asked += [other for other in _others(on) for _ in configured] * QUESTIONS
    each = [_question_ms(one, wanted) for one in asked]
    again = _again(configured)
    return (sum(each) + again * max(each, default=0) + (len(asked) + again + 1) * own_ms) / 1000


def _again(configured: Collection[int]) -> int:
    return _AGAIN_AT_MOST + len(configured)


def _question_ms(on: LineSettings, wanted: Mapping[str, Any]) -> float:
    """A question, the time waited for its answer, and the silence behind."""
    request = float(len(SerialFrame(1, REQUEST).encode(on.mode)) * on.octet_ms)
    return request + _timeout_ms(wanted) + _Place(1, on, {}).waits_octets_ms + float(silence_ms(on))


def _longest_ms(on: LineSettings, network: Network, line: Line) -> float:
    rest = max(float(silence_ms(on)), turnaround_ms(network))
    longest = 0.0
    for exchange in line.exchanges:
        settings = ExchangeSettings.of(exchange)
        broadcast = line.station.address == "0"
        one = transaction(on, settings, 0, rest, broadcast=broadcast)
        waits = 0.0 if broadcast else settings.timeout_ms
        longest = max(longest, one.request_ms + waits + max(one.tail_ms, rest))
    return longest


def _plain(_: Any) -> str:
    return ""


def _fields(_: Network, __: Port | None) -> tuple[FieldSpec, ...]:
    return (
        FieldSpec("wanted.first", "From station", "integer", default=1, minimum=1, maximum=_LAST, show=_plain),
        FieldSpec("wanted.last", "To station", "integer", default=_LAST, minimum=1, maximum=_LAST, show=_plain),
        FieldSpec(
            "wanted.timeout_ms", "Waits for each", "number", default=_TIMEOUT_MS, unit="ms", minimum=5, maximum=10_000
        ),
        FieldSpec(
            "wanted.others",
            "Other settings too",
            "boolean",
            default=True,
            hint="Whoever is configured and silent is looked for at other rates and parities as well.",
        ),
    )


def _differs(found: Found, line: Line) -> str:
    return differs(found, line) or (f"it is set to {_words(found)}" if found.set_to else "")


def _words(found: Found) -> str:
    units = {"baud": "{} bit/s", "parity": "parity {}", "stop_bits": "{} stop bits"}
    return ", ".join(units[key].format(value) for key, value in found.set_to.items())


def _put_right(found: Found, line: Line) -> tuple[str, Mapping[str, Any]] | None:
    if not found.set_to:
        return None
    return "Set it at the device to what the line has", {f"facts.{key}": None for key in found.set_to}


def _covers(wanted: Mapping[str, Any], address: str) -> bool:
    return address.isdecimal() and int(address) in _span(wanted)


SCANS = Scans(_fields, _takes_s, _Scan, alike, _covers, _differs, put_right=_put_right)
