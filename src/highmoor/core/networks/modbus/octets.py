"""The registers an exchange reads or writes in a server as octets, as they travel: of each the high one first."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol

from highmoor.core.networks.line import Line
from highmoor.core.networks.modbus.server import RegisterServer, Words
from highmoor.core.networks.modbus.settings import ExchangeSettings
from highmoor.core.plant.rows import Exchange


class Serving(Protocol):
    """A device with a server."""

    @property
    def server(self) -> RegisterServer: ...


@dataclass(slots=True)
class RegisterOctets:
    """So many registers of an area from an address on."""

    area: Words
    first: int
    count: int

    def __len__(self) -> int:
        return 2 * self.count

    def __getitem__(self, octet: int, /) -> int:
        word = self.area.get(self.first + octet // 2, 0)
        return word & 0xFF if octet % 2 else word >> 8 & 0xFF

    def __setitem__(self, octet: int, value: int, /) -> None:
        at = self.first + octet // 2
        word = self.area.get(at, 0)
        self.area[at] = word & 0xFF00 | value if octet % 2 else word & 0x00FF | value << 8


def exchange_octets(device: Serving, _: Line, exchange: Exchange) -> RegisterOctets | None:
    """Those of an exchange; None for coils, which are counted bit by bit."""
    told = ExchangeSettings.of(exchange)
    if told.function.area < 2:
        return None
    return RegisterOctets(device.server.areas[told.function.area], told.address, told.count)
