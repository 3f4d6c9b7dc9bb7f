"""What a scan of a medium is: asked with a fieldbus's own frames, told before how long it takes, and to be stopped.

What is found carries no more than such an answer can carry; that something is not told is None, not a guess.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Protocol

from highmoor.core.catalogue.types import DeviceType
from highmoor.core.networks.alive import Clock
from highmoor.core.networks.line import Line
from highmoor.core.plant.fields import FieldSpec
from highmoor.core.plant.rows import Network, Port


@dataclass(frozen=True, slots=True)
class FoundModule:
    """A module behind a device, in order: the number it tells of itself, the types that bear it, its slot where slots
    are addressed (0 where not)."""

    ident: str
    types: tuple[str, ...] = ()
    slot: int = 0


@dataclass(frozen=True, slots=True)
class FoundNumber:
    """A number by which devices are told apart, and what it is called."""

    label: str
    value: str


@dataclass(frozen=True, slots=True)
class Found:
    """A device that answered: where, by what, and what the answer carries.

    `numbers` are those by which its fieldbus tells devices apart; `set_to` what it was reached with
    where that is not what the network has. `modules` is None where the answer tells of none, `trouble` what was wrong
    with it. `node` is where it stands, as whoever goes there sees.
    """

    address: str
    how: str
    maker: str = ""
    name: str = ""
    revision: str = ""
    serial: str = ""
    numbers: tuple[FoundNumber, ...] = ()
    modules: tuple[FoundModule, ...] | None = None
    set_to: Mapping[str, Any] = field(default_factory=dict)
    trouble: str = ""
    node: str = ""
    # Its hardware address as it is written, where it told that.
    mac: str = ""
    # The name by which its fieldbus finds it, where it does that by a name: "" for one without.
    called: str | None = None


@dataclass(frozen=True, slots=True)
class ScanSeat:
    """What a scan is made with: the controller's side of the medium and its master, what is configured, what is wanted.

    `find` takes each device as it answers, `over` is called at the end. `types` are those of the catalogue.
    """

    clock: Clock
    medium: Any
    master: Any
    network: Network
    lines: Sequence[Line]
    wanted: Mapping[str, Any]
    types: Callable[[], Sequence[DeviceType]]
    find: Callable[[Found], None]
    over: Callable[[], None]


class Scanning(Protocol):
    """A scan under way."""

    @property
    def done(self) -> int:
        """How many of its questions are answered or given up."""

    @property
    def asked(self) -> int:
        """How many there are in all, as known now."""

    def begin(self) -> None:
        """Ask the first."""

    def stop(self) -> None:
        """Ask nothing more; `over` is not called."""


@dataclass(frozen=True, slots=True)
class Scans:
    """How a fieldbus scans. `fields` are what can be wanted, `wanted.…`, with what is usual on a network.

    `takes_s` tells how long it takes at most, s; `alike` whether what was found can be what a type, or a configured
    line, is: None where the answer does not tell.
    """

    fields: Callable[[Network, Port | None], tuple[FieldSpec, ...]]
    takes_s: Callable[[Network, Sequence[Line], Mapping[str, Any]], float]
    make: Callable[[ScanSeat], Scanning]
    alike: Callable[[Found, DeviceType], bool | None]
    # Whether a scan for what is wanted asks an address at all.
    covers: Callable[[Mapping[str, Any], str], bool] = lambda *_: True
    # Why a device found at its place is not as it is configured, in words; "" where nothing speaks against it.
    differs: Callable[[Found, Line], str] = lambda *_: ""
    # What set on the station makes the plant agree with what was found there, by dotted path; nothing where it cannot.
    taken: Callable[[Found, Line], Mapping[str, Any]] = lambda *_: {}
    # What set at the device as built makes it agree with the plant, by dotted path, and how it is told to a hand.
    put_right: Callable[[Found, Line], tuple[str, Mapping[str, Any]] | None] = lambda *_: None
    # Which modules of a type's file stand behind a device, where what it told of them is read by that alone.
    modules_of: Callable[[Found, DeviceType], Sequence[str]] = lambda found, _: [
        module.types[0] for module in found.modules or () if module.types
    ]
