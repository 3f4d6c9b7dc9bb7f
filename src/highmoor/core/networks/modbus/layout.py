"""What a Modbus exchange carries: registers of two octets, high octet first, or packed coils."""

from __future__ import annotations

from highmoor.core.figures.modbus_functions import MASK
from highmoor.core.figures.modbus_reference import Reference
from highmoor.core.networks.fieldbus import Line, WireField, WireLayout
from highmoor.core.networks.modbus.settings import ExchangeSettings
from highmoor.core.plant.rows import Exchange

# A count can be entered far over the limit and is then a finding; drawing it would help nobody.
_DRAWN_AT_MOST = 2000


def layout(exchange: Exchange, _: Line) -> WireLayout:
    """The octets of one exchange, each register or coil with its own reference."""
    settings = ExchangeSettings.of(exchange)
    function, count = settings.function, max(settings.count, 0)
    if function.code == MASK:
        at = Reference(function.area, settings.address + 1).text
        masks = (WireField("r0", f"{at} AND", 0, 16), WireField("r1", f"{at} OR", 16, 16))
        return WireLayout(4, 32, masks, "mask 1 register", at, started=settings.trigger == "edge")
    prefix = "r" if function.bits == 16 else "b"
    pieces = tuple(
        WireField(
            f"{prefix}{n}",
            Reference(function.area, settings.address + n + 1).text,
            n * function.bits,
            function.bits,
        )
        for n in range(min(count, _DRAWN_AT_MOST))
    )
    what = f"{function.name.partition(' ')[0]} {count} {'register' if function.bits == 16 else 'coil'}"
    return WireLayout(
        function.data_octets(count),
        count * function.bits,
        pieces,
        what + ("" if count == 1 else "s"),
        Reference(function.area, settings.address + 1).text,
        started=settings.trigger == "edge",
    )
