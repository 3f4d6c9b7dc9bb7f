"""An RS-485 line on the bench: every device hears every frame, with its own settings, and may spoil it for others.

What a device makes of a frame depends on both ends: another rate gives framing errors, another parity or number of
stop bits parity errors, and neither is answered. Two that answer at once collide. An end without its resistor
reflects, which at rates above 19 200 bit/s damages octets now and then; so does noise.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from random import Random

from highmoor.core.bench.clock import VirtualClock
from highmoor.core.bench.rail import NS_A_MS
from highmoor.core.networks.alive import Heard
from highmoor.core.networks.modbus.pdu import ModbusError
from highmoor.core.networks.modbus.server import RegisterServer
from highmoor.core.networks.modbus_rtu.frame import SerialFrame
from highmoor.core.networks.modbus_rtu.settings import LineSettings
from highmoor.core.networks.modbus_rtu.timing import silence_ms

_REFLECTS_ABOVE = 19_200
# Chance that an octet is damaged by reflection from one open end, at 115 200 bit/s.
_REFLECTION = 0.004


@dataclass(slots=True)
class SerialDevice:
    """A device on a line as it is set; counts what it hears."""

    station: int
    settings: LineSettings
    server: RegisterServer
    terminated: bool = False
    frames: int = 0
    framing_errors: int = 0
    parity_errors: int = 0
    checksum_errors: int = 0

    @property
    def told(self) -> str:
        """What its counters say, "" where all is well."""
        counts = (
            (self.framing_errors, "framing errors"),
            (self.parity_errors, "parity errors"),
            (self.checksum_errors, "check sum errors"),
        )
        return ", ".join(f"{n} {what}" for n, what in counts if n)


@dataclass(slots=True)
class SerialLine:
    """A line with its devices; `noise` is the chance that an octet is damaged on its way."""

    clock: VirtualClock
    random: Random
    noise: float = 0.0
    port_terminated: bool = True
    devices: list[SerialDevice] = field(default_factory=list)
    pulled: set[int] = field(default_factory=set)

    def transmit(self, octets: bytes, on: LineSettings, heard: Callable[[Heard], None]) -> int:
        """Send a frame now; what comes back is heard when its last octet is there. Returns the end of sending, ns."""
        end = self.clock.now_ns + self._took_ns(octets, on)
        self.clock.at(end, lambda: self._arrived(octets, on, heard))
        return end

    def _took_ns(self, octets: bytes, on: LineSettings) -> int:
        return round(len(octets) * on.character.ms * NS_A_MS)

    def _arrived(self, octets: bytes, on: LineSettings, heard: Callable[[Heard], None]) -> None:
        answers: list[tuple[SerialDevice, bytes]] = []
        for device in self.devices:
            if device.station not in self.pulled:
                answer = self._hears(device, self._damaged(octets, on), on)
                if answer is not None:
                    answers.append((device, answer))
        if not answers:
            return
        wait_ms = max(max(device.server.reply_ms for device, _ in answers), float(silence_ms(on)))
        together = _together([answer for _, answer in answers])
        told = "" if len(answers) == 1 else f"{len(answers)} devices speak at once"
        arrival = self.clock.now_ns + int(wait_ms * NS_A_MS) + self._took_ns(together, on)
        self.clock.at(arrival, lambda: self._back(answers, Heard(self._damaged(together, on), told), heard))

    def _back(self, answers: list[tuple[SerialDevice, bytes]], what: Heard, heard: Callable[[Heard], None]) -> None:
        # A cable pulled meanwhile takes the answer with it.
        if any(device.station not in self.pulled for device, _ in answers):
            heard(what)

    def _hears(self, device: SerialDevice, octets: bytes, on: LineSettings) -> bytes | None:
        device.frames += 1
        own = device.settings
        if own.baud != on.baud or own.mode != on.mode:
            device.framing_errors += 1
            return None
        if (own.parity, own.stop_bits) != (on.parity, on.stop_bits):
            device.parity_errors += 1
            return None
        try:
            frame = SerialFrame.decode(octets, on.mode)
        except ModbusError:
            device.checksum_errors += 1
            return None
        if frame.station not in (device.station, 0):
            return None
        answer = SerialFrame(device.station, device.server.answer_unit(frame.pdu)).encode(on.mode)
        return answer if frame.station else None

    def _damaged(self, octets: bytes, on: LineSettings) -> bytes:
        chance = self.noise + self._reflection(on)
        if not chance:
            return octets
        return bytes(o ^ 1 << self.random.randrange(8) if self.random.random() < chance else o for o in octets)

    def _reflection(self, on: LineSettings) -> float:
        if on.baud <= _REFLECTS_ABOVE or not self.devices:
            return 0.0
        open_ends = (not self.port_terminated) + (not self.devices[-1].terminated)
        return open_ends * _REFLECTION * on.baud / 115_200


def _together(answers: list[bytes]) -> bytes:
    """What a line carries while several drive it: where they differ, the low level wins.

    No two begin in the same moment: each further one is drawn an octet later.
    """
    longest = max(len(answer) + n for n, answer in enumerate(answers))
    padded = [(b"\xff" * n + answer).ljust(longest, b"\xff") for n, answer in enumerate(answers)]
    result = padded[0]
    for other in padded[1:]:
        result = bytes(one & two for one, two in zip(result, other, strict=True))
    return result
