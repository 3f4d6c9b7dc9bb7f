"""By check of PROFIBUS DP: a line without the finding and one with it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from highmoor.core.catalogue.types import Catalogue
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Connection, Exchange, Module, Network, Station, table_of
from highmoor.core.project import edits
from highmoor.core.project.fields import fields_of

from .steep import AI, DI, DO, LIBRARY, TWO_WORDS, TYPES, do, line, named, network, put

Pair = tuple[Plant, Plant, Catalogue]


def two(baud: int = 1_500_000) -> Plant:
    """Two remote I/Os."""
    return line(("TR-16", [DI, DO]), ("TR-16", [DI, DO]), baud=baud)


def _station(plant: Plant, name: str, **values: Any) -> Pair:
    return plant, put(plant, named(plant, name).id, **values), LIBRARY


def _network(plant: Plant, **values: Any) -> Pair:
    return plant, put(plant, network(plant).id, **values), LIBRARY


def _many(count: int) -> Plant:
    return line(*["DA-20"] * count)


def _limited(**limits: Any) -> Pair:
    """Remote I/O with less and with more behind it than its file allows."""
    known = LIBRARY.find(TYPES["TR-16"])
    assert known is not None
    catalogue = Catalogue(LIBRARY.types, LIBRARY.find)
    catalogue.learn(known.key, replace(known, limits=replace(known.limits, **limits)))
    return line(("TR-16", [DI])), line(("TR-16", [DI, AI])), catalogue


def generic(**values: Any) -> Plant:
    """A station without a file."""
    plant = line("generic")
    return put(plant, named(plant, "S1").id, **{f"settings__{key}": value for key, value in values.items()})


def _small_master() -> Pair:
    known = LIBRARY.types["tarnfell.pb-1"]
    small = replace(known, ports=(replace(known.ports[0], stations=1),))
    catalogue = Catalogue({**LIBRARY.types, known.key: small}, LIBRARY.find)
    return line(("TR-16", [DI])), two(), catalogue


def request(plant: Plant, station: str, kind: str = "read", octets: int | None = None, **values: Any) -> Plant:
    """An acyclic request of the program, with fields as a hand sets them."""
    plant = do(plant, edits.AddConnection(station=named(plant, station).id, connection=kind))
    made = plant.all(Connection)[-1].id
    plant = put(plant, made, **{f"settings__{key}": value for key, value in values.items()})
    exchange = plant.children(Exchange, made)[0].id
    return put(plant, exchange, settings__octets=octets) if octets is not None else plant


def _request() -> Pair:
    plant = line(("EM-310", ["m7"]))
    return request(plant, "S1", octets=32, index=2), request(plant, "S1", octets=33, index=2), LIBRARY


def _watchdog(watchdog_ms: float) -> Pair:
    return _station(two(93_750), "S1", settings__watchdog_ms=watchdog_ms)


def _repeaters(count: int) -> Plant:
    return line(*["repeater"] * count, ("TR-16", [DI]))


WRONG: dict[str, Callable[[], Pair]] = {
    "NET-501": lambda: _station(two(), "S1", settings__length_m=250),
    "NET-502": lambda: (_many(31), _many(32), LIBRARY),
    "NET-503": lambda: _station(two(), "S2", settings__terminated=False),
    "NET-504": lambda: _station(two(), "S1", settings__terminated=True),
    "NET-505": lambda: _station(two(), "S1", settings__stub_m=7),
    "NET-506": lambda: _station(two(), "S2", settings__length_m=0.5),
    "NET-507": lambda: (_repeaters(9), _repeaters(10), LIBRARY),
    "NET-508": lambda: _limited(in_octets=9),
    "NET-509": lambda: _limited(parameter_octets=10),
    "NET-510": lambda: (generic(ident=0xFA99, identifiers="11"), generic(ident=0xFA99), LIBRARY),
    "NET-511": lambda: (generic(ident=0xFA99, identifiers="11"), generic(identifiers="11"), LIBRARY),
    "NET-512": lambda: _network(line("DA-20"), settings__baud=3_000_000),
    "NET-513": lambda: _watchdog(10),
    "NET-514": lambda: _watchdog(30),
    "NET-515": lambda: _station(two(), "S1", settings__watchdog_ms=0),
    "NET-517": lambda: _network(two(), settings__bus__rotation=300),
    "NET-518": lambda: _network(two(), settings__bus__slot=100),
    "NET-519": lambda: _station(line(("CV-3", [TWO_WORDS])), "S1", settings__sync=True),
    "NET-520": _small_master,
    "NET-521": _request,
    "NET-522": lambda: _station(two(), "S1", address="126"),
    "NET-516": lambda: _network(line(("CV-3", [TWO_WORDS])), settings__cycle_ms=1),
}
BY_HAND = {"NET-502", "NET-507", "NET-508", "NET-509", "NET-510", "NET-511", "NET-520"}


def forms() -> set[str]:
    """Every setting that some row of a line has, by table and path."""
    plant = request(line(("TR-16", [DI, AI]), "generic", "repeater"), "S1", index=2)
    found: set[str] = set()
    for kind in (Network, Station, Module, Connection, Exchange):
        for row in plant.all(kind):
            found |= {f"{table_of(row).name}.{spec.path}" for spec in fields_of(plant, LIBRARY, row)}
    return found
