"""By check of IO-Link ports: a master without the finding and one with it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from highmoor.core.catalogue.types import Catalogue
from highmoor.core.plant.plant import Plant

from .masters import DI, DISTANCE, GENERIC, LEVEL, LIBRARY, on_port, put, rail, words

Pair = tuple[Plant, Plant, Catalogue]


def _ports(plant: Plant, **values: Any) -> Pair:
    return plant, put(plant, rail(plant).id, **values), LIBRARY


def _device(plant: Plant, port: int = 1, **values: Any) -> Pair:
    return plant, put(plant, on_port(plant, port).id, **values), LIBRARY


def known(octets: int = 4) -> Plant:
    """A device without a file on port 1, whose data and identity are known."""
    plant = words({1: GENERIC})
    told = {"in_octets": octets, "vendor_id": 64017, "device_id": 5}
    return put(plant, on_port(plant, 1).id, **{f"settings__{key}": value for key, value in told.items()})


def drawing() -> Plant:
    """One that draws 200 mA."""
    return put(known(), on_port(known(), 1).id, settings__draws_ma=200)


WRONG: dict[str, Callable[[], Pair]] = {
    "IOL-101": lambda: _ports(known(), settings__in_first=None),
    "IOL-102": lambda: _device(known(), settings__in_octets=17),
    "IOL-103": lambda: _device(known(), settings__in_at=153),
    "IOL-104": lambda: _device(words({1: DISTANCE, 2: LEVEL}), 2, settings__in_at=31),
    "IOL-105": lambda: _device(known(), settings__cycle_ms=1.6),
    "IOL-106": lambda: _device(known(), settings__device_id=None),
    "IOL-107": lambda: _ports(words({1: DI}), settings__pin4_in=None),
    "IOL-108": lambda: _device(known(), settings__in_octets=None),
    "IOL-109": lambda: _ports(known(), settings__valid="28.0"),
    "IOL-110": lambda: (
        put(drawing(), rail(drawing()).id, settings__port_ma=200),
        put(drawing(), rail(drawing()).id, settings__port_ma=199),
        LIBRARY,
    ),
    "IOL-111": lambda: _ports(put(known(), on_port(known(), 1).id, settings__pin2="in"), settings__class="B"),
}
BY_HAND = {"IOL-101", "IOL-107", "IOL-108", "IOL-110"}
