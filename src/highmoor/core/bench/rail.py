"""The modules behind one head on the bench: terminals on one side, the head's octets on the other."""

from __future__ import annotations

import math
import struct
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field
from typing import Literal

from highmoor.core.bench.clock import VirtualClock
from highmoor.core.catalogue.types import AnalogueRange, ChannelPlace, DeviceType, channel_settings
from highmoor.core.networks.live import RailChannel, RailModule
from highmoor.core.plant.rows import Json

NS_A_MS = 1_000_000


@dataclass(frozen=True, slots=True)
class Terminal:
    """A channel compiled: its bits in the image and what lies between them and the wire."""

    key: str
    inward: bool
    octet: int
    bit: int
    bits: int
    range: AnalogueRange | None
    delay_ns: int
    period_ns: int
    # What an output does when its head has lost the controller.
    on_loss: str = "hold"
    # Of what is no whole octets, which of them has its lowest bit: the first ("little"), or the last.
    order: Literal["little", "big"] = "little"
    real: bool = False

    def span(self) -> slice:
        """The octets that have some of its bits."""
        return slice(self.octet, self.octet + (self.bit + self.bits + 7) // 8)

    def put(self, image: bytearray, counts: int) -> None:
        """Put a count's bits into an image."""
        mask = (1 << self.bits) - 1
        span = self.span()
        there = int.from_bytes(image[span], self.order) & ~(mask << self.bit)
        image[span] = (there | (counts & mask) << self.bit).to_bytes(span.stop - span.start, self.order)

    def counts(self, electrical: float) -> int:
        """What the channel makes of a current, voltage or temperature."""
        if self.range is None:
            return 1 if electrical else 0
        r = self.range
        if self.real:
            if r.high - r.low != r.raw_high - r.raw_low:
                electrical = r.raw_low + (electrical - r.low) * (r.raw_high - r.raw_low) / (r.high - r.low)
            return int.from_bytes(struct.pack(">f" if self.bits == 32 else ">d", electrical), "big")
        counts = r.raw_low + (electrical - r.low) * (r.raw_high - r.raw_low) / (r.high - r.low)
        # Halves away from zero; six places first, so that a half that was meant is one.
        whole = math.copysign(math.floor(abs(round(counts, 6)) + 0.5), counts)
        return min(max(int(whole), r.raw_min), r.raw_max)

    def electrical(self, counts: int) -> float:
        """What the channel puts on its terminals for a count."""
        if self.range is None:
            return float(counts)
        r = self.range
        return r.low + (counts - r.raw_low) * (r.high - r.low) / (r.raw_high - r.raw_low)


@dataclass(slots=True)
class SimulatedRail:
    """The terminals of all modules behind a head, going on in virtual time; `bus_ns` is the head's cycle."""

    clock: VirtualClock
    image_in: bytearray
    image_out: bytearray
    bus_ns: int
    terminals: dict[str, Terminal] = field(default_factory=dict)
    modules: Sequence[RailModule] = ()
    # What takes what comes to a terminal of a safe module, past the image.
    safe: dict[str, Callable[[bool], None]] = field(default_factory=dict)
    _given: dict[str, float] = field(default_factory=dict)
    # When each was given its value, ns.
    _since: dict[str, int] = field(default_factory=dict)

    @property
    def idents(self) -> Sequence[int]:
        """Each module's product code, in order."""
        return [module.type.product_code or 0 for module in self.modules]

    def given_as(self, before: SimulatedRail) -> None:
        """What wires brought to terminals that are still there is there at once."""
        for terminal, value in before._given.items():
            if terminal in self.terminals:
                self._given[terminal] = value
                self._settle(self.terminals[terminal], value)

    def give(self, terminal: str, value: float) -> None:
        """A wire brings a value; it is in the image after filter or conversion, at the next turn of the bus."""
        if self._given.get(terminal) == value:
            return
        if terminal in self.safe:
            self._given[terminal] = value
            self.safe[terminal](bool(value))
            return
        code = self.terminals[terminal]
        self._given[terminal] = value
        now = self._since[terminal] = self.clock.now_ns
        if code.delay_ns:
            self.clock.at(now + code.delay_ns, lambda: self._pass(code, value, now))
        else:
            self._pass(code, value, now)

    def _pass(self, code: Terminal, value: float, since: int) -> None:
        """Through the filter, if it has stood since: what bounced within that never changed. Then the bus takes it."""
        if self._since.get(code.key) != since:
            return
        due = self.clock.now_ns
        for period in (code.period_ns, self.bus_ns):
            if period:
                due = -(-due // period) * period
        self.clock.at(due, lambda: self._settle(code, value))

    def _settle(self, code: Terminal, value: float) -> None:
        code.put(self.image_in, code.counts(value))

    def let_go(self) -> None:
        """The controller is lost: outputs do what their modules are set to, off (or the low end) or as they are."""
        for code in self.terminals.values():
            if code.inward or code.on_loss != "off":
                continue
            code.put(self.image_out, code.range.raw_low if code.range and code.bits > 1 else 0)

    def take(self, terminal: str) -> float:
        """What stands on an output's terminals."""
        code = self.terminals[terminal]
        counts = int.from_bytes(self.image_out[code.span()], code.order) >> code.bit & (1 << code.bits) - 1
        if code.bits == 1:
            return float(counts)
        if code.real:
            return float(struct.unpack(">f" if code.bits == 32 else ">d", counts.to_bytes(code.bits // 8, "big"))[0])
        if (code.range is None or code.range.raw_max < 1 << code.bits - 1) and counts >> code.bits - 1:
            counts -= 1 << code.bits
        return code.electrical(counts)


def _on_loss(channel: ChannelPlace, settings: Json) -> str:
    """What is set on the channel, or what its type does unless set; a channel that says nothing holds."""
    own = channel_settings(settings, channel.key).get("on_loss")
    usual = next((p.default for p in channel.group.parameters if p.key == "on_loss"), "hold")
    return str(own or usual)


def channel_terminals(
    module: str, channels: Iterable[RailChannel], in_offset: int, out_offset: int
) -> dict[str, Terminal]:
    """The same of a module whose type has no channels."""
    made = {}
    for channel in channels:
        key = f"{module}.{channel.key}"
        low = -(1 << channel.bits - 1) if channel.signed else 0
        high = (1 << channel.bits - channel.signed) - 1
        at_low, at_high, raw_low, raw_high = channel.ends or (low, high, low, high)
        span = AnalogueRange(channel.key, "", "", at_low, at_high, raw_low, raw_high, low, high)
        octet = (in_offset if channel.inward else out_offset) + channel.bit // 8
        made[key] = Terminal(
            key, channel.inward, octet, channel.bit % 8, channel.bits, span if channel.bits > 1 else None, 0, 0, "off",
            "big" if channel.high_first else "little", channel.real,
        )  # fmt: skip
    return made


def module_terminals(
    module: str, device: DeviceType, settings: Json, in_offset: int | None, out_offset: int | None
) -> dict[str, Terminal]:
    """A module's channels by `MODULE.chN`; its octets begin at these offsets of the head's, None for none."""
    result = {}
    filter_ms = settings.get("filter_ms", device.default_of("filter_ms")) or 0
    for channel in device.each_channel():
        offset = in_offset if channel.group.inward else out_offset
        if offset is None:
            continue
        key = f"{module}.{channel.key}"
        result[key] = Terminal(
            key,
            channel.group.inward,
            offset + channel.bit // 8,
            channel.bit % 8,
            channel.group.bits,
            channel.range(settings),
            int(filter_ms * NS_A_MS),
            int(device.conversion_ms * NS_A_MS),
            _on_loss(channel, settings),
        )
    return result
