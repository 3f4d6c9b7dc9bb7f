"""A line of RS-485 in segments that repeaters join: what one sends reaches all whose way is whole.

How much is damaged follows from how it is laid. An end without a terminator (or with one whose device is off) sends
back what reaches it, a segment longer than its rate bears is heard badly: the more, the higher the rate. Behind a
repeater without power nobody hears anything.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from highmoor.core.bench.serial_line import SerialEnd, SerialLine
from highmoor.core.catalogue.media import Medium
from highmoor.core.networks.media import Answering, Coding, Heard
from highmoor.core.plant.rows import Port

# Chance that an octet is damaged at 1.5 Mbit/s: by one open end, and by a segment twice as long as it may be.
_OPEN_END, _TWICE_AS_LONG = 0.02, 0.05
_OF_BAUD = 1_500_000
# So slow that what comes back has died down long before a bit is read.
_HARMLESS_UP_TO = 93_750


@dataclass(slots=True, eq=False)
class SegmentedEnd(SerialEnd):
    """One participant; see `networks.media.SegmentEnd`. `powered` feeds its terminator."""

    powered: bool = True
    length_m: float = 0.0
    stub_m: float = 0.0
    repeats: bool = False
    terminated_behind: bool = False
    asked_ns: int = -1
    who: Answering | None = None
    number: int = -1
    # Those whom it reaches and who have their numbers alone, None until it is asked for.
    _alone: dict[int, SegmentedEnd] | None = None

    @property
    def _on(self) -> SegmentedLine:
        line = self.line
        assert isinstance(line, SegmentedLine)
        return line

    @property
    def straight(self) -> bool:
        """Whether nothing can be damaged, and nobody looks on."""
        return self._on.straight

    @property
    def busy_until_ns(self) -> int:
        """When what is on the line now is over."""
        return self._on.busy_until_ns

    def be(self, number: int, who: Answering) -> None:
        """Answer to a number from now on."""
        self.number, self.who = number, who
        self._on.forget()

    def ask(self, number: int, octets: bytes) -> tuple[bytes, int] | None:
        """The answer to a telegram, None for silence."""
        return self._on.ask(self, number, octets)

    def again(self, number: int) -> bool:
        """Whether the last question was answered as before."""
        alone = self._alone if self._alone is not None else self._on.alone(self)
        end = alone.get(number)
        if end is None or not end.who.answer_again():  # type: ignore[union-attr]
            return False
        end.asked_ns = self.line.clock.now_ns
        return True

    def tell(self, octets: bytes) -> None:
        """A telegram to everybody."""
        for end in self._on.within_reach(self):
            end.hears(Heard(octets, None))


@dataclass(slots=True, eq=False)
class _Laid:
    """What follows from how the line is laid now: each end's segment (None: beyond a dead repeater of the first)."""

    segment: dict[SegmentedEnd, int]
    chances: dict[int, list[float]] = field(default_factory=dict)


@dataclass(slots=True, eq=False)
class SegmentedLine(SerialLine):
    """A line in segments; `medium` tells how long they may be. Ends stand in cable order."""

    medium: Medium | None = None
    _laid: _Laid | None = None
    _reach: dict[SegmentedEnd, dict[int, list[SegmentedEnd]]] = field(default_factory=dict)
    _baud: int = 0
    _straight: bool | None = None

    def attach(self, *, terminated: bool = False) -> SegmentedEnd:
        """One more participant, behind the others."""
        end = SegmentedEnd(self, terminated)
        self.ends.append(end)
        self.forget()
        return end

    def detach(self, end: SerialEnd) -> None:
        """A participant is no more."""
        SerialLine.detach(self, end)
        self.forget()

    def forget(self) -> None:
        """Something of the line has changed."""
        self._laid = None
        self._straight = None
        self._reach.clear()
        for end in self._all():
            end._alone = None

    def arrange(self, ends: Sequence[SerialEnd]) -> None:
        """The order along the cable; who is not named stands before the last, and changes nothing of the ends."""
        named = [end for end in ends if end in self.ends]
        others = [end for end in self.ends if end not in named]
        self.ends = [*others[:1], *named[:-1], *others[1:], *named[-1:]]
        self.forget()

    # ── how it is laid

    @property
    def straight(self) -> bool:
        """Whether nothing can be damaged, and nobody looks on."""
        if self.taps or self.noise:
            return False
        if self._straight is None:
            baud = self._baud or _OF_BAUD
            self._straight = not any(self._chances(baud))
        return self._straight

    def _all(self) -> Iterable[SegmentedEnd]:
        return [end for end in self.ends if isinstance(end, SegmentedEnd)]

    def _segments(self) -> list[list[SegmentedEnd]]:
        """A repeater stands in both of its segments."""
        found: list[list[SegmentedEnd]] = [[]]
        for end in self._all():
            found[-1].append(end)
            if end.repeats:
                found.append([end])
        return found

    def _chances(self, baud: int) -> list[float]:
        """Of each segment, that an octet is damaged in it."""
        laid = self._known()
        if baud not in laid.chances:
            laid.chances[baud] = [self._chance(nodes, baud) for nodes in self._segments()]
        return laid.chances[baud]

    def _chance(self, nodes: Sequence[SegmentedEnd], baud: int) -> float:
        if len(nodes) < 2 or baud <= _HARMLESS_UP_TO:
            return 0.0
        first, last = nodes[0], nodes[-1]
        begins = first.terminated_behind if first.repeats else first.terminated
        open_ends = (not (begins and _feeds(first))) + (not (last.terminated and _feeds(last)))
        length = sum(node.length_m for node in nodes[1:])
        most = self.medium.segment_at_most_m(baud) if self.medium else float("inf")
        beyond = max(length / most - 1, 0.0) if most else 0.0
        return min((open_ends * _OPEN_END + beyond * _TWICE_AS_LONG) * baud / _OF_BAUD, 0.5)

    def _known(self) -> _Laid:
        if self._laid is None:
            self._laid = _Laid({end: n for n, nodes in enumerate(self._segments()) for end in nodes if not end.repeats})
        return self._laid

    def _between(self, one: SegmentedEnd, other: SegmentedEnd, baud: int) -> float | None:
        """The chance that an octet is damaged on its way; None where the way is not whole."""
        laid = self._known()
        first, last = sorted((laid.segment.get(one, 0), laid.segment.get(other, 0)))
        repeaters = [end for end in self._all() if end.repeats]
        if not all(end.plugged for end in repeaters[first:last]):
            return None
        return sum(self._chances(baud)[first : last + 1])

    def within_reach(self, sender: SegmentedEnd) -> list[SegmentedEnd]:
        """All who hear somebody."""
        by_number = self._heard_by(sender)
        return [end for ends in by_number.values() for end in ends]

    def _heard_by(self, sender: SegmentedEnd) -> dict[int, list[SegmentedEnd]]:
        if sender not in self._reach:
            found: dict[int, list[SegmentedEnd]] = {}
            for end in self._all():
                whole = end.plugged and sender.plugged and end is not sender and not end.repeats
                if whole and self._between(sender, end, self._baud or _OF_BAUD) is not None:
                    found.setdefault(end.number, []).append(end)
            self._reach[sender] = found
        return self._reach[sender]

    # ── who is asked

    def ask(self, sender: SegmentedEnd, number: int, octets: bytes) -> tuple[bytes, int] | None:
        """The answer of whoever has the number; two of one number speak at once, and nobody understands either."""
        answers = []
        for end in self._heard_by(sender).get(number, ()):
            end.asked_ns = self.clock.now_ns
            answer = end.who.answer(octets) if end.who else None
            if answer:
                answers.append(answer)
        return answers[0] if len(answers) == 1 else None

    def alone(self, sender: SegmentedEnd) -> dict[int, SegmentedEnd]:
        """By number, whoever is reached and has it alone."""
        heard = self._heard_by(sender)
        found = {number: ends[0] for number, ends in heard.items() if len(ends) == 1 and ends[0].who}
        sender._alone = found
        return found

    def send(self, sender: SerialEnd, octets: bytes, on: Coding) -> int:
        """Octets onto the line now. Returns when the last one is out, ns."""
        if on.baud != self._baud:
            self._baud = on.baud
            self.forget()
        return SerialLine.send(self, sender, octets, on)

    def deliver(self, sent: bytes, on: Coding, told: str, senders: Sequence[SerialEnd]) -> None:
        """To everybody whose way is whole, each with what is damaged on that."""
        sender = next((end for end in senders if isinstance(end, SegmentedEnd)), None)
        whole = Heard(sent, on, told)
        for end in self._all():
            if not end.plugged or end in senders or end.repeats or sender is None:
                continue
            chance = self._between(sender, end, on.baud)
            if chance is not None:
                chance += self.noise
                end.hears(Heard(self.damaged(sent, chance), on, told) if chance else whole)


def _feeds(end: SegmentedEnd) -> bool:
    """Whether a device feeds its terminator: it has power, and its plug is in."""
    return end.powered and end.plugged


@dataclass(slots=True)
class SegmentedMedium:
    """A network on a line in segments; the controller's end is the first."""

    line: SegmentedLine
    port: Port | None
    end: SegmentedEnd = field(init=False)
    seats: dict[str, SegmentedEnd] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self.end = self.line.attach()

    def master(self) -> SegmentedEnd | None:
        """The end at the port."""
        return self.end if self.port else None

    def seat(self, node: str, address: str, *, said: bool) -> SegmentedEnd | None:
        """An end of its own."""
        if self.port is None:
            return None
        self.seats[node] = self.line.attach()
        return self.seats[node]

    def leave(self, node: str) -> None:
        """Its end goes."""
        self.line.detach(self.seats.pop(node))

    def put(self, node: str, *, plugged: bool, powered: bool) -> None:
        """A device without power is not heard; its plug passes on all the same, and feeds no terminator."""
        if node in self.seats:
            end = self.seats[node]
            end.plugged, end.powered = plugged and powered, powered
            self.line.forget()

    def disturb(self, settings: Mapping[str, Any]) -> None:
        """What the plant as built says of the line: noise, and whether the terminator at the port is in."""
        self.line.noise = float(settings.get("noise", 0.0))
        if "terminated" in settings:
            self.end.terminated = bool(settings["terminated"])
        self.line.forget()

    def arrange(self, nodes: Iterable[str]) -> None:
        """The stations in the order of the cable."""
        self.line.arrange([self.seats[node] for node in nodes if node in self.seats])
