"""Rows of the plant as built: what really stands there, tied to what is configured."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Annotated, Literal

from highmoor.core.plant.refs import Json, Ref, Tie


@dataclass(frozen=True, slots=True)
class BuiltLine:
    """A network's medium as it lies there. `settings`: `noise` (chance that an octet is damaged), `terminated`."""

    id: str
    network: Annotated[str, Tie(("networks",))]
    rank: str
    settings: Json = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class BuiltDevice:
    """A device as it really stands on a network: what it stands for (`station`), or one that the plant does not know.

    What is empty is as configured: type, address, each of the `facts` that its fieldbus knows of a device. `rail` own:
    its modules are those it has here. `model` is the process behind it, with its `settings`.
    """

    id: str
    network: Annotated[str, Tie(("networks",))]
    rank: str
    station: Annotated[str, Tie(("stations",))] = ""
    name: str = ""
    type: str = ""
    address: str = ""
    there: bool = True
    powered: bool = True
    cable: bool = True
    rail: Literal["configured", "own"] = "configured"
    facts: Json = field(default_factory=dict)
    model: str = ""
    settings: Json = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class BuiltModule:
    """A module as it really is plugged behind a device, in order, with the settings it runs by.

    `module` is the one of the plant that it was meant to be.
    """

    id: str
    device: Annotated[str, Ref(("built_devices",), owner=True)]
    rank: str
    type: str
    module: Annotated[str, Tie(("modules",))] = ""
    there: bool = True
    settings: Json = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class BuiltScanner:
    """What an area scanner has in itself: `copy` as it was sent there, by whom and when; nothing after a reset."""

    id: str
    scanner: Annotated[str, Tie(("scanners",))]
    rank: str
    at: str = ""
    by: str = ""
    copy: Json = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class BuiltProcess:
    """A piece of the process behind the plant: what it is, and with what it begins."""

    id: str
    model: str
    rank: str
    name: str = ""
    settings: Json = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class BuiltWire:
    """A wire from an end of a process to a channel of a module: of the plant, or of one only built."""

    id: str
    process: Annotated[str, Ref(("built_processes",), owner=True)]
    end: str
    module: Annotated[str, Tie(("modules", "built_modules"))]
    channel: str
    rank: str
