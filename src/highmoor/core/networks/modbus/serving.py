"""A controller as a Modbus server: registers and coils that are octets of its image."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from highmoor.core.networks.line import Line
from highmoor.core.networks.live import Serving
from highmoor.core.networks.modbus.health import kind_of
from highmoor.core.networks.modbus.server import RegisterServer
from highmoor.core.networks.modbus.settings import ExchangeSettings, reply_ms

# How long a controller takes to answer another one, ms.
_REPLY_MS = 2.0


@dataclass(slots=True)
class ImageWords:
    """Registers or coils that are octets of an image: address → (octets, bit), registers high octet first."""

    bits: int
    places: dict[int, tuple[memoryview, int]] = field(default_factory=dict)

    def get(self, address: int, default: int, /) -> int:
        """What stands at an address; the default where nothing does."""
        place = self.places.get(address)
        if place is None:
            return default
        octets, bit = place
        return int.from_bytes(octets, "big") if self.bits == 16 else octets[0] >> bit & 1

    def __setitem__(self, address: int, value: int, /) -> None:
        place = self.places.get(address)
        if place is None:
            return
        octets, bit = place
        if self.bits == 16:
            octets[:] = (value & 0xFFFF).to_bytes(2, "big")
        else:
            octets[0] = octets[0] | 1 << bit if value else octets[0] & ~(1 << bit)


def image_server(serving: Serving) -> RegisterServer:
    """The server of all lines that lead to a controller; no slower than those who ask count with."""
    server = RegisterServer(min(_REPLY_MS, *(reply_ms(line.station) for line in serving.lines)))
    words = {area: ImageWords(1 if area < 2 else 16) for area in server.areas}
    for exchange in (x for line in serving.lines for x in line.exchanges):
        settings = ExchangeSettings.of(exchange)
        own = words[settings.function.area]
        for first, back in ((settings.address, False), (settings.write_address, True)):
            far = serving.far(exchange, back)
            if far is None:
                continue
            there = 8 * len(far) // own.bits
            for n in range(there if back else min(settings.count, there)):
                octet, bit = divmod(n * own.bits, 8)
                own.places[first + n] = (far[octet : octet + max(own.bits // 8, 1)], bit)
    for line in serving.lines:
        _mirror(line, words)
    server.areas = dict(words)
    server.present = {area: own.places for area, own in words.items()}
    return server


def _mirror(line: Line, words: Mapping[int, ImageWords]) -> None:
    """A watch is ready-made at both ends: what is written for it is what is read back, without anybody's program."""
    for back in (x for x in line.exchanges if x.direction == "in" and kind_of(x)):
        given = next((x for x in line.exchanges if x.direction == "out" and kind_of(x) == kind_of(back)), None)
        if given is None:
            continue
        written, read = ExchangeSettings.of(given), ExchangeSettings.of(back)
        held = words[written.function.area].places.get(written.address)
        if held:
            words[read.function.area].places[read.address] = held
