"""The octets a station gets at its start, taken apart: what each is of, and which setting made it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from highmoor.core.analysis.engine import Part, Reader
from highmoor.core.catalogue.choices import ParameterPlace
from highmoor.core.catalogue.meaning import meaning
from highmoor.core.catalogue.types import Parameter
from highmoor.core.networks.lines import kind_of, station_lines
from highmoor.core.networks.octet_groups import OctetGroup, PlacedParameter
from highmoor.core.networks.on_demand import is_request
from highmoor.core.networks.profibus_dp.bus import bus_of
from highmoor.core.networks.profibus_dp.settings import (
    KIND,
    PRM_HEAD_OCTETS,
    DpStation,
    dp_station,
    is_described,
    station_parameters,
)
from highmoor.core.networks.profibus_dp.startup import prm_of
from highmoor.core.plant.rows import Network, Station


@dataclass(frozen=True, slots=True)
class StationOctets:
    """All a station gets: parameters (Set_Prm) and configuration (Chk_Cfg), and what its watchdog really is, ms.

    `records` says whether it takes acyclic requests, as far as its file tells.
    """

    parameters: tuple[OctetGroup, ...]
    configuration: tuple[OctetGroup, ...]
    watchdog_ms: float
    records: bool


def _station(reader: Reader, root: str) -> StationOctets | None:
    station = reader.row(root, Station)
    if kind_of(reader, station) != KIND:
        return None
    line = next((one for one in station_lines(reader, station) if not is_request(one.connection)), None)
    if line is None:
        return None
    own = dp_station(line)
    bus = bus_of(reader.row(station.network, Network), ())
    head = prm_of(own, bus.min_tsdr)[:PRM_HEAD_OCTETS]
    groups = [OctetGroup(root, "every station's", _spelled(head), tuple(_head(own, head)))]
    modules = [module for module in own.modules if module.prm]
    beside = len(own.user_prm) - sum(len(module.prm) for module in modules)
    if beside:
        groups.append(OctetGroup(root, "its own", _spelled(own.user_prm[:beside]), tuple(_of_station(own))))
    for module in modules:
        kind = module.type
        placed = (
            tuple(_placed(module.id, "settings.", kind.parameters, kind.parameter_places, module.prm)) if kind else ()
        )
        name = kind.called if kind else ""
        groups.append(OctetGroup(module.id, f"slot {module.slot}, {name}", _spelled(module.prm), placed))
    configuration = tuple(
        OctetGroup(
            module.id or root,
            f"slot {module.slot}, {module.type.called}" if module.type else "as typed",
            _spelled(b"".join(bytes.fromhex(one.octets) for one in module.identifiers)),
        )
        for module in own.modules
    )
    records = not is_described(own.device) or own.fact("c1_read_write_supp") == 1
    return StationOctets(tuple(groups), configuration, own.watchdog_ms, records)


def _spelled(octets: bytes) -> tuple[str, ...]:
    return tuple(f"{octet:02X}" for octet in octets)


def _head(own: DpStation, head: bytes) -> Iterator[PlacedParameter]:
    """Of every station: what of its settings lies where (IEC 61158-6-3, Set_Prm)."""
    one, other = own.watchdog

    def at(field: str, label: str, first: int, octets: int, shown: str) -> PlacedParameter:
        return PlacedParameter(own.id, field, label, first, octets, 0, 8 * octets, shown)

    modes = [word for word, bit in (("watchdog", 8), ("freeze", 16), ("sync", 32), ("lock", 128)) if head[0] & bit]
    yield at("settings.sync", "Asked for", 0, 1, ", ".join(modes))
    factors = f"{own.watchdog_base_ms} ms × {one} × {other}" if one else "off"
    yield at("settings.watchdog_ms", "Watchdog", 1, 2, factors)
    yield at("", "Answers not before", 3, 1, f"{head[3]} bit")
    yield at("" if is_described(own.device) else "settings.ident", "Ident number", 4, 2, f"16#{own.ident:04X}")
    yield at("settings.group", "Group", 6, 1, str(own.own.group or "none"))


def _of_station(own: DpStation) -> Iterator[PlacedParameter]:
    if own.device is None:
        return
    for key, place, parameter in station_parameters(own.device):
        yield _one(own.id, f"settings.prm.{key}", parameter, place, own.user_prm)


def _placed(
    row: str, path: str, parameters: Sequence[Parameter], places: Sequence[ParameterPlace], octets: bytes
) -> Iterator[PlacedParameter]:
    by_key: Mapping[str, Parameter] = {parameter.key: parameter for parameter in parameters}
    for place in places:
        if place.parameter in by_key:
            yield _one(row, f"{path}{place.parameter}", by_key[place.parameter], place, octets)


def _one(row: str, field: str, parameter: Parameter, place: ParameterPlace, octets: bytes) -> PlacedParameter:
    bits = parameter.bits or 8
    size = (parameter.bit + bits + 7) // 8
    whole = int.from_bytes(octets[place.octet : place.octet + size], "big")
    value: Any = whole >> parameter.bit & (1 << bits) - 1
    if parameter.data_type in ("SINT", "INT", "DINT") and value >= 1 << bits - 1:
        value -= 1 << bits
    shown = meaning(parameter, value) or str(value)
    return PlacedParameter(row, field, parameter.label, place.octet, size, parameter.bit, bits, shown)


PARTS: tuple[Part, ...] = (Part("profibus.octets", "stations", _station, asked=True, shown=StationOctets),)
