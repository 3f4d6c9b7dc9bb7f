"""A fieldbus that is not there: flags on a rope. Run as a module it is the demo server with this one fieldbus more.

Nothing of it stands anywhere else, so that whatever is seen of it came through the seam of fieldbuses alone.
"""

from __future__ import annotations

import sys
from collections.abc import Mapping, Sequence
from types import SimpleNamespace
from typing import Any, Literal

from highmoor.core import networks
from highmoor.core.analysis.engine import Reader
from highmoor.core.analysis.findings import Check, finding
from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.catalogue.media import RS485
from highmoor.core.catalogue.types import DeviceType
from highmoor.core.networks.addressing import Numbers
from highmoor.core.networks.fieldbus import Fieldbus, Line, Mend, WireField, WireLayout
from highmoor.core.networks.line_time import Block, Due, ExchangeTiming, Lane, Timing
from highmoor.core.networks.live import Live
from highmoor.core.plant.fields import FieldSpec
from highmoor.core.plant.rows import Exchange, Network

HOIST_MS = 40.0
FLAGS = FieldSpec("settings.flags", "Flags", "integer", default=3, minimum=1, maximum=90, unit="flags")


def _flags(exchange: Exchange) -> int:
    flags: int = exchange.settings.get("flags", 3)
    return flags


def _layout(exchange: Exchange, _: Line) -> WireLayout:
    pieces = tuple(WireField(f"b{n}", f"flag {n + 1}", n, 1) for n in range(_flags(exchange)))
    return WireLayout(-(-len(pieces) // 8), len(pieces), pieces, f"{len(pieces)} flags", "rope 1")


def _timing(network: Network, lines: Sequence[Line], silent: str = "") -> Timing:
    lanes, told = [], []
    for line in lines:
        blocks, dues = [], []
        for exchange in line.exchanges:
            end = HOIST_MS * _flags(exchange)
            blocks.append(Block(0, end, "request", "hoist", exchange.id))
            dues.append(Due(0, 0, exchange.id))
            told.append(ExchangeTiming(exchange.id, 5000, end, 1, 0, 0, end, 0, 0))
        lanes.append(Lane(line.connection.id, line.station.name, tuple(blocks), tuple(dues), 0.1))
    return Timing(5000, True, tuple(lanes), tuple(told), 0.1, "of the signaller's time")


def _new_exchange(wanted: Mapping[str, Any], _: Line) -> tuple[Literal["in", "out"], dict[str, Any]]:
    return "out", {"flags": FLAGS.parse(wanted.get("flags", 3))}


def _too_many(_: Any, reader: Reader, root: str) -> Any:
    exchange = reader.row(root, Exchange)
    if "flags" in exchange.settings and _flags(exchange) > 8:
        yield finding("TOY-101", (root, "settings.flags"), name=exchange.name)


FIELDBUS = Fieldbus(
    key="flags",
    name="Flag rope",
    standard="none",
    medium=RS485,
    addresses=Numbers(1, 9, "Mast"),
    generic_type="generic.flags",
    fields={
        "networks": lambda *_: (),
        "stations": lambda *_: (),
        "connections": lambda *_: (),
        "exchanges": lambda *_: (FLAGS,),
    },
    new_exchange_fields=(FLAGS,),
    new_exchange=_new_exchange,
    layout=_layout,
    timing=_timing,
    parts=(),
    checks=(
        Check(
            "TOY-101", "exchange.wire", "networks", "warning", "Rope too short",
            "{name} has more flags than the rope is long.", "Eight flags fit on a rope.", _too_many,
        ),
    ),
    mends={"TOY-101": lambda _, found: Mend("Hoist eight", found.places[0].id, {"settings.flags": 8})},
    live=Live(
        master=lambda *_: None, as_configured=lambda *_: {}, device=lambda _: SimpleNamespace(told=""),
    ),
    explain=lambda code: f"flag {code}",
)  # fmt: skip

BUILTIN.types["generic.flags"] = DeviceType(
    "generic.flags", "device", "Signal mast", "", "generic", 0, "Any mast", ("1.0",), fieldbus="flags"
)
networks.FIELDBUSES = (*networks.FIELDBUSES, FIELDBUS)

if __name__ == "__main__":
    from highmoor.server.__main__ import main

    sys.exit(main(sys.argv[1:]))
