"""Where data stands in the protocol data units of Modbus, request and answer, whatever carries them.

Source: Modbus Application Protocol 1.1b3, clause 6; see `pdu.py` for the units octet by octet.
"""

from __future__ import annotations

from dataclasses import dataclass

from highmoor.core.figures.modbus_functions import MASK
from highmoor.core.networks.frames import FramePiece
from highmoor.core.networks.modbus.settings import ExchangeSettings
from highmoor.core.plant.rows import Exchange

# A single coil travels as FF00 or 0000, not as it stands in the image.
_ONE_COIL, _ONE_REGISTER = 5, 6


@dataclass(frozen=True, slots=True)
class UnitAt:
    """Where a unit begins in a frame, and how many characters each of its octets takes."""

    at: int
    characters: int = 1

    def piece(self, exchange: str, behind: int, octets: int, *, back: bool = False) -> tuple[FramePiece, ...]:
        """Data that stands so many octets behind the unit's first."""
        return (FramePiece(exchange, self.at + self.characters * behind, octets, back=back),) if octets > 0 else ()


def in_request(exchange: Exchange, settings: ExchangeSettings, unit: UnitAt) -> tuple[FramePiece, ...]:
    """The data that a request carries."""
    function = settings.function
    if function.writes_at_most:
        return unit.piece(exchange.id, 10, 2 * settings.write_count, back=True)
    if function.direction == "in" or function.code == _ONE_COIL:
        return ()
    behind = 3 if function.code in (_ONE_REGISTER, MASK) else 6
    return unit.piece(exchange.id, behind, function.data_octets(settings.count))


def in_answer(exchange: Exchange, settings: ExchangeSettings, unit: UnitAt) -> tuple[FramePiece, ...]:
    """The data that a good answer brings."""
    function = settings.function
    return unit.piece(exchange.id, 2, function.data_octets(settings.count)) if function.direction == "in" else ()
