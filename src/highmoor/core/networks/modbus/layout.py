"""What a Modbus exchange carries: registers of two octets, high octet first, or packed coils."""

from __future__ import annotations

from highmoor.core.figures.modbus_functions import MASK
from highmoor.core.figures.modbus_reference import Reference
from highmoor.core.networks.counting import COILS, REGISTERS
from highmoor.core.networks.line import Line
from highmoor.core.networks.modbus.settings import ExchangeSettings
from highmoor.core.networks.wire import WireField, WireLayout
from highmoor.core.plant.rows import Exchange

# A count can be entered far over the limit and is then a finding; drawing it would help nobody.
_DRAWN_AT_MOST = 2000


def layout(exchange: Exchange, _: Line) -> WireLayout:
    """The octets of one exchange, each register or coil with its own reference."""
    settings = ExchangeSettings.of(exchange)
    function, count = settings.function, max(settings.count, 0)
    if function.code == MASK:
        at = Reference(function.area, settings.address + 1).text
        masks = (WireField(REGISTERS.key(0), f"{at} AND", 0, 16), WireField(REGISTERS.key(1), f"{at} OR", 16, 16))
        return WireLayout(
            4,
            32,
            masks,
            "mask 1 register",
            at,
            counting=REGISTERS,
            address=str(settings.address),
            started=settings.trigger == "edge",
            asked=True,
        )
    counting = REGISTERS if function.bits == 16 else COILS
    pieces = tuple(
        WireField(
            counting.key(n),
            Reference(function.area, settings.address + n + 1).text,
            n * function.bits,
            function.bits,
        )
        for n in range(min(count, _DRAWN_AT_MOST))
    )
    # "write and read" is said as what it reads; what it writes stands beside.
    verb = "read" if function.writes_at_most else function.name.partition(" ")[0]
    what = f"{verb} {count} {'register' if function.bits == 16 else 'coil'}"
    return WireLayout(
        function.data_octets(count),
        count * function.bits,
        pieces,
        what + ("" if count == 1 else "s") + (f", write {settings.write_count}" if function.writes_at_most else ""),
        Reference(function.area, settings.address + 1).text,
        counting=counting,
        address=str(settings.address),
        started=settings.trigger == "edge",
        asked=True,
        back=tuple(
            WireField(REGISTERS.key(n), Reference(function.area, settings.write_address + n + 1).text, 16 * n, 16)
            for n in range(min(max(settings.write_count, 0), _DRAWN_AT_MOST))
        ),
        back_octets=2 * max(settings.write_count, 0),
    )
