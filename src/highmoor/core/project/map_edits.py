"""A register map taken over: the exchanges that carry it, and a signal for each entry, with its type and scaling."""

from __future__ import annotations

import dataclasses
import re
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any, Literal

from highmoor.core.catalogue.choices import RegisterField
from highmoor.core.datatypes import ORDERS
from highmoor.core.errors import Refusal
from highmoor.core.figures.modbus_functions import EXCHANGED, Function
from highmoor.core.hardware.ports import controller_of_port
from highmoor.core.networks.modbus.settings import KINDS, ExchangeSettings
from highmoor.core.numbers import exact, plain
from highmoor.core.plant.fields import identifier_problem
from highmoor.core.plant.rows import Connection, Exchange, Link, Network, Signal, Station
from highmoor.core.project import edits
from highmoor.core.project.draft import Draft
from highmoor.core.project.network_edits import add_exchange
from highmoor.core.signals.at import At

Way = Literal["in", "out"]
_READS = {0: EXCHANGED[1], 1: EXCHANGED[2], 3: EXCHANGED[4], 4: EXCHANGED[3]}
_WRITES = {0: EXCHANGED[15], 4: EXCHANGED[16]}
_NAMES = {"in": "Read", "out": "Written"}
# Registers between two entries are read along rather than asked for in two requests; none is ever written along.
_GAP_AT_MOST = 8
_RAW_SPAN = 1000


@dataclass(frozen=True, slots=True)
class _Run:
    """A stretch of one area that one exchange carries."""

    function: Function
    way: Way
    first: int
    end: int


def take_map(draft: Draft, edit: edits.TakeMap) -> None:
    """What no exchange carries yet gets one; entries that have a signal already are left alone. Raises Refusal."""
    station = draft.plant.get(draft.resolve(edit.station), Station)
    network = draft.plant.get(station.network, Network)
    device = draft.catalogue.find(station.type)
    owner = controller_of_port(draft.plant.find, draft.plant.find(network.port))
    connections = draft.plant.children(Connection, station.id)
    if network.kind not in KINDS or device is None or not device.registers:
        raise Refusal(f"{station.name} has no type with a register map.", place=station.id)
    if owner is None or not connections:
        raise Refusal(
            f"{station.name} is not on a controller's port, so nobody would own its signals.", place=station.id
        )
    before = len(draft.change)
    wanted = [(way, register) for register in device.registers for way in _ways(register)]
    for run in _runs(wanted, draft.plant.children(Exchange, connections[0].id)):
        asked = {
            "function": run.function.code, "address": run.first, "count": run.end - run.first,
            "period_ms": edit.period_ms,
        }  # fmt: skip
        add_exchange(draft, edits.AddExchange(connection=connections[0].id, name=_NAMES[run.way], settings=asked))
    for way, register in wanted:
        _signal(draft, owner.id, station, connections[0].id, way, register)
    if len(draft.change) == before:
        raise Refusal(f"Everything in the register map of {station.name} is in use already.", place=station.id)


def _ways(register: RegisterField) -> tuple[Way, ...]:
    """What can be written is written; only what can only be read is read."""
    return ("in",) if register.access == "read" or register.area not in _WRITES else ("out",)


def _covers(exchange: Exchange, way: Way, register: RegisterField) -> bool:
    settings = ExchangeSettings.of(exchange)
    last = register.address + max(register.registers, 1)
    inside = settings.address <= register.address and last <= settings.address + settings.count
    return exchange.direction == way and settings.function.area == register.area and inside


def _runs(wanted: Iterable[tuple[Way, RegisterField]], there: list[Exchange]) -> list[_Run]:
    """The fewest exchanges for what none carries yet, within the functions' limits."""
    missing = [(w, r) for w, r in wanted if not any(_covers(x, w, r) for x in there)]
    runs: list[_Run] = []
    for way, register in sorted(missing, key=lambda m: (m[0], m[1].area, m[1].address)):
        function = (_READS if way == "in" else _WRITES)[register.area]
        first, end = register.address, register.address + max(register.registers, 1)
        last = runs[-1] if runs else None
        gap = _GAP_AT_MOST if way == "in" else 0
        joins = last is not None and (last.function, last.way) == (function, way) and first <= last.end + gap
        if last is not None and joins and max(end, last.end) - last.first <= function.at_most:
            runs[-1] = dataclasses.replace(last, end=max(end, last.end))
        else:
            runs.append(_Run(function, way, first, end))
    return runs


def _signal(
    draft: Draft, controller: str, station: Station, connection: str, way: Way, register: RegisterField
) -> None:
    """A signal at the entry's place, unless there is one already."""
    exchange = next(x for x in draft.plant.children(Exchange, connection) if _covers(x, way, register))
    settings = ExchangeSettings.of(exchange)
    key = f"{'r' if settings.function.bits == 16 else 'b'}{register.address - settings.address}"
    if register.bit is not None:
        key = f"{key}.{register.bit}"
    links = [draft.plant.get(i, Link) for i in draft.plant.referring("links", "place", exchange.id)]
    if any(At.of(link) == At(key) for link in links):
        return
    name = _name(draft, controller, station, register)
    scaled = register.scale != 1 or register.offset != 0
    rank = draft.last_rank(Signal, controller)[0]
    kind = "REAL" if scaled else register.data_type
    signal = Signal(draft.new_id("signals"), controller, name, kind, rank, register.unit, register.text)
    order = register.order if register.order in ORDERS else "ABCD"
    access: Literal["reads", "writes"] = "reads" if way == "in" else "writes"
    scaling = _scaling(register) if scaled else None
    draft.put(signal, Link(draft.new_id("links"), signal.id, exchange.id, key, access, "", order, scaling))


def _scaling(register: RegisterField) -> dict[str, Any]:
    """value = raw · scale + offset, told by two points."""
    low = exact(register.offset)
    high = low + _RAW_SPAN * exact(register.scale)
    return {
        "raw_lo": 0, "raw_hi": _RAW_SPAN, "lo": plain(low), "hi": plain(high), "clamp": False,
        "raw_type": register.data_type,
    }  # fmt: skip


def _name(draft: Draft, controller: str, station: Station, register: RegisterField) -> str:
    """The station's name and the entry's label, as one identifier that nobody has."""
    words = re.findall(r"[A-Za-z0-9]+", f"{station.name} {register.label}")
    stem = "".join(word[0].upper() + word[1:] for word in words)[:56] or "Register"
    if identifier_problem(stem):
        stem = f"S{stem}"[:56]
    return draft.free_name(stem, (s.name for s in draft.plant.children(Signal, controller)))
