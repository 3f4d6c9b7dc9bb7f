"""By check of PROFINET: a network without the finding and one with it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from highmoor.core.catalogue.choices import SlotChoice
from highmoor.core.catalogue.types import Catalogue
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Connection, Exchange, Module, Network, Port, Station, table_of
from highmoor.core.project import edits
from highmoor.core.project.fields import fields_of

from .bagging import AI, DI, DO, LIBRARY, TYPES, bagging, do, modules, named, network, put

Pair = tuple[Plant, Plant, Catalogue]
REMOTE = ("TR-40", [DI, DO])


def two() -> Plant:
    """Two remote I/Os in line."""
    return bagging(REMOTE, REMOTE)


def _station(plant: Plant, name: str, **values: Any) -> Pair:
    return plant, put(plant, named(plant, name).id, **values), LIBRARY


def _network(plant: Plant, **values: Any) -> Pair:
    return plant, put(plant, network(plant).id, **values), LIBRARY


def learnt(name: str, change: Callable[[Any], Any]) -> Catalogue:
    """The catalogue with one device told otherwise."""
    known = LIBRARY.find(TYPES[name])
    assert known is not None
    catalogue = Catalogue(LIBRARY.types, LIBRARY.find)
    catalogue.learn(known.key, change(known))
    return catalogue


def generic(submodules: str = "1.1 16#10:16#1 i2 o4", **values: Any) -> Plant:
    """A station without a file."""
    plant = bagging("generic")
    given = {"vendor": 0xFAD9, "device": 1, "submodules": submodules, **values}
    return put(plant, named(plant, "S1").id, **{f"settings__{key}": value for key, value in given.items()})


def _octets(count: int) -> Plant:
    return generic(f"1.1 16#10:16#1 i{count}")


def ringed(count: int, **values: Any) -> Plant:
    """Switches in a ring, the first its manager, and a remote I/O on the last."""
    plant = bagging(*["switch"] * count, REMOTE, tree=[*range(count), count])
    close = edits.AddClosingCable(
        network=network(plant).id, one=named(plant, "S1").id, other=named(plant, f"S{count}").id
    )
    plant = put(do(plant, close), named(plant, "S1").id, settings__ring="manager")
    return put(plant, named(plant, f"S{count + 1}").id, **values) if values else plant


def _classes(known: Any) -> Any:
    interface = replace(known.profinet.interface, classes=("RT_CLASS_3",))
    return replace(known, profinet=replace(known.profinet, interface=interface))


def _other_clock() -> Pair:
    """Every station has 1 ms; one of another kind of clock would have 2 as well."""
    return _network(two(), settings__clock=8)


def _full(count: int, update: float) -> Plant:
    """Stations in a star on one switch: the cable to it carries all."""
    plant = bagging("switch", *[REMOTE] * count, tree=[0, *[1] * count])
    for n in range(count):
        plant = put(plant, named(plant, f"S{n + 2}").id, settings__update_ms=update)
    return plant


def _fixed() -> Pair:
    """A module that its file fixes in slot 1, taken out."""

    def fix(known: Any) -> Any:
        return replace(known, slots=(SlotChoice(1, "", DI, (DI,), fixed=True),))

    plant = bagging(REMOTE)
    gone = do(plant, edits.Remove(ids=[modules(plant, "S1")[0].id]))
    return plant, gone, learnt("TR-40", fix)


def _no_controller() -> Pair:
    known = LIBRARY.types["tarnfell.tf-42"]
    assert known.controller is not None
    none = replace(known, controller=replace(known.controller, profinet_stations=0))
    catalogue = Catalogue({**LIBRARY.types, known.key: none}, LIBRARY.find)
    return bagging(), two(), catalogue


WRONG: dict[str, Callable[[], Pair]] = {
    "HW-120": _fixed,
    "NET-124": lambda: (ringed(5), ringed(51), LIBRARY),
    "NET-601": lambda: _station(two(), "S1", settings__device_name="Remote_1"),
    "NET-602": lambda: _station(two(), "S2", settings__device_name="s1"),
    "NET-603": lambda: _station(two(), "S1", settings__update_ms=3),
    "NET-604": _other_clock,
    "NET-605": lambda: _station(two(), "S1", settings__watchdog=241),
    "NET-606": lambda: _station(two(), "S1", settings__watchdog=2),
    "NET-607": lambda: (_octets(1438), _octets(1439), LIBRARY),
    "NET-608": lambda: _station(bagging(*[REMOTE] * 9), "S9", settings__update_ms=1),
    "NET-609": lambda: (_full(2, 1), _full(75, 1), LIBRARY),
    "NET-610": lambda: (_full(2, 1), _full(30, 1), LIBRARY),
    "NET-611": lambda: (ringed(3, settings__watchdog=26), ringed(3, settings__watchdog=25), LIBRARY),
    "NET-612": lambda: _network(two(), settings__first="10.2.0.3"),
    "NET-613": lambda: _network(put(two(), network(two()).id, settings__first="10.2.0.2"), settings__last="10.2.0.1"),
    "NET-614": lambda: (bagging("PW-6"), two(), learnt("TR-40", _classes)),
    "NET-615": lambda: (generic(), generic(vendor=None), LIBRARY),
    "NET-616": _no_controller,
}
BY_HAND = {"NET-124", "NET-607", "NET-609", "NET-610", "NET-614", "NET-615", "NET-616"}


def forms() -> set[str]:
    """Every setting that some row of a network has, by table and path."""
    plant = bagging(("TR-40", [DI, AI]), "generic", "switch")
    found: set[str] = set()
    for kind in (Network, Station, Module, Connection, Exchange, Port):
        for row in plant.all(kind):
            found |= {f"{table_of(row).name}.{spec.path}" for spec in fields_of(plant, LIBRARY, row)}
    return found
