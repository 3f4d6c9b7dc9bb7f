"""The seam of a fieldbus: everything the rest of Highmoor asks of one."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Literal, Protocol

from pydantic import TypeAdapter

from highmoor.core.analysis.engine import Analysis, Part
from highmoor.core.analysis.findings import Check, Finding
from highmoor.core.catalogue.choices import RegisterField
from highmoor.core.catalogue.media import Medium
from highmoor.core.catalogue.types import Catalogue, ControllerFacts, DeviceType
from highmoor.core.networks.addressing import Scheme
from highmoor.core.networks.blocks import Block, SeatedModule
from highmoor.core.networks.carried import Area
from highmoor.core.networks.frames import FramesOf
from highmoor.core.networks.line import Line
from highmoor.core.networks.line_time import EVERY, LATE, TAKES, RouteFacts, TimeColumn, Timing
from highmoor.core.networks.live import Live
from highmoor.core.networks.wire import WireLayout
from highmoor.core.plant.fields import FieldSpec
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Connection, Exchange, Network, Station


@dataclass(frozen=True, slots=True)
class Fact:
    """A line that follows from a connection: what, the value as the trade writes it, what it is made of."""

    label: str
    value: str
    note: str = ""


@dataclass(frozen=True, slots=True)
class StartupWrite:
    """Octets that are written in a device before its data counts: when, and where, as the trade writes both.

    `source` is where they come from: the device's file alone, what is set on the plant's rows, octets typed by hand.
    `node` is the row of whoever they are written into, "" for the station.
    """

    when: str
    reference: str
    octets: bytes
    source: Literal["file", "setting", "own"]
    reason: str = ""
    node: str = ""


@dataclass(frozen=True, slots=True)
class Mend:
    """What mends a finding of a fieldbus: values to set, by dotted path, on one object. None clears a setting.

    With a `new_exchange` it is an exchange of that name to be made on the connection `id`, with the values as settings.
    `more` are further objects' values. What may not be enough is `tried` before it is offered.
    """

    label: str
    id: str
    values: Mapping[str, Any]
    new_exchange: str = ""
    more: tuple[tuple[str, Mapping[str, Any]], ...] = ()
    tried: bool = False


@dataclass(frozen=True, slots=True)
class Around:
    """What a row of a network hangs on; None where it hangs on none, or has none of its own."""

    network: Network | None = None
    device: DeviceType | None = None
    line: Line | None = None


@dataclass(frozen=True, slots=True)
class Claim:
    """Data of a device that an exchange uses: `first` up to `end`, counted as its `space` counts.

    `field` is the setting that says where. Those who write `together` know of one another.
    """

    space: str
    first: int
    end: int
    exchange: str
    field: str
    writes: bool
    together: bool = False


@dataclass(frozen=True, slots=True)
class TransferWanted:
    """Data from one controller to another: whether the asker reads or writes it, octets, where it lies, how often.

    `place` is as the fieldbus writes it, "" for the next free one beside what is `taken` of the partner already;
    `interval_ms` None for the usual one.
    """

    reads: bool
    octets: int
    place: str
    interval_ms: float | None
    taken: tuple[Claim, ...]


@dataclass(frozen=True, slots=True)
class NewTransfer:
    """What carries a transfer: settings by direction, on a new connection of a kind, or on the station's (None)."""

    connection: str | None
    settings: Mapping[Literal["in", "out"], Mapping[str, Any]]


class TimingOf(Protocol):
    """A network in time, with all stations alive or as if one were silent (its id; "" for none).

    Blocks and dues cost more than all figures together: they are left out unless they are to be `drawn`.
    """

    def __call__(self, network: Network, lines: Sequence[Line], silent: str = "", *, drawn: bool = True) -> Timing: ...


@dataclass(frozen=True, slots=True)
class Transfers:
    """How one controller is told or asked by another: what its `place` is called, and what carries a transfer."""

    place: str
    new: Callable[[TransferWanted], NewTransfer]


@dataclass(frozen=True, slots=True)
class Watch:
    """A ready-made pair of exchanges that watches whether the far end is alive, and what a signal of it is called.

    `exchanges` gives what is asked for, out and in, with the settings that tie both: of a reference to write, one to
    read (as typed, None for the next that is free on the line) and a period in ms.
    """

    label: str
    signal: str
    exchanges: Callable[[Line, str | int | None, str | int | None, float], tuple[Mapping[str, Any], Mapping[str, Any]]]
    tied: Mapping[str, Any]


@dataclass(frozen=True, slots=True)
class MapEntry:
    """An entry of a device's map, and which way it is exchanged."""

    way: Area
    entry: RegisterField


@dataclass(frozen=True, slots=True)
class DeviceMap:
    """How a device's map is taken over: its entries, the exchanges for what none carries yet, an entry's place."""

    entries: Callable[[DeviceType], Sequence[MapEntry]]
    exchanges: Callable[[Line, float], Sequence[ExchangeOffer]]
    place: Callable[[Exchange, MapEntry], str | None]


class Drafting(Protocol):
    """A plant in the making, as an edit of a fieldbus writes it."""

    plant: Plant
    catalogue: Catalogue

    def new_id(self, table: str) -> str:
        """The next id of a table."""

    def resolve(self, ref: str) -> str:
        """An id, or that of a placeholder. Raises Refusal."""

    def put(self, *rows: Any) -> None:
        """Write rows, new or changed."""

    def remove(self, ids: Iterable[str]) -> None:
        """Remove rows with all they own."""

    def last_rank(self, kind: type[Any], owner: str | None, count: int = 1) -> list[str]:
        """Ranks behind the last sibling."""


@dataclass(frozen=True, slots=True)
class NetworkEdit:
    """An edit that a fieldbus brings along: `values` reads what it is given, `apply` writes it, or raises Refusal."""

    values: TypeAdapter[Any]
    apply: Callable[[Drafting, Network, Any], None]


# A station's modules and its connections, in order. What hangs on a module lies within it unless it is laid too.
Lay = Callable[[Sequence[SeatedModule], Sequence[Line]], Iterable[Block]]
# The fields of a row on a network.
FieldsOf = Callable[[Any, Around], tuple[FieldSpec, ...]]


@dataclass(frozen=True, slots=True)
class NewExchange:
    """An exchange that a new connection begins with."""

    name: str
    direction: Literal["in", "out"]
    settings: Mapping[str, Any] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class ExchangeOffer:
    """An exchange that a connection can still be given as it is: what is said of it, its name, what is wanted of it."""

    label: str
    name: str
    settings: Mapping[str, Any]


@dataclass(frozen=True, slots=True)
class NewConnection:
    """What a new connection is made of."""

    settings: Mapping[str, Any] = field(default_factory=dict)
    exchanges: tuple[NewExchange, ...] = ()


@dataclass(frozen=True, slots=True)
class ConnectionKind:
    """A kind of connection a device can be given: `key` for the edit, a label, what it is for."""

    key: str
    label: str
    help: str


# One connection a station, to which exchanges are added as they are needed.
PLAIN_CONNECTION = NewConnection()


@dataclass(frozen=True, slots=True)
class Fieldbus:
    """One fieldbus. Tables of settings are described by fields, so that a new one needs no migration."""

    key: str
    name: str
    standard: str
    medium: Medium
    addresses: Scheme
    generic_type: str
    fields: Mapping[str, FieldsOf]
    new_exchange_fields: tuple[FieldSpec, ...]
    new_exchange: Callable[[Mapping[str, Any], Line], tuple[Literal["in", "out"], dict[str, Any]]]
    layout: Callable[[Exchange, Line], WireLayout]
    timing: TimingOf
    frames: FramesOf
    parts: tuple[Part, ...]
    checks: tuple[Check, ...]
    mends: Mapping[str, Callable[[Analysis, Finding], Mend | None]]
    live: Live
    # What an exchange's error code means, in words.
    explain: Callable[[int], str]
    # How the modules of a station's own rail travel; None where it carries none. Each begins at a multiple of so many
    # octets of the station's data.
    lay: Lay | None = None
    unit_octets: int = 1
    # Whether a line holds the modules behind its station: they answer for themselves, or what it carries follows from
    # them; and which of them are counted as stations are.
    with_modules: bool = False
    counts: Callable[[DeviceType], bool] = lambda _: False
    # What the table of exchanges tells: what heads their references, and the columns of times.
    reference_title: str = "At"
    columns: tuple[TimeColumn, ...] = (EVERY, TAKES, LATE)
    # Where an exchange's interval is set: on itself, on its station, or on its network where all have one.
    interval_field: str = "settings.period_ms"
    interval_on: Literal["exchange", "station", "network"] = "exchange"

    # What a station's connections are where they are more than a bag of exchanges: which there are, and a new one.
    connection_kinds: Callable[[DeviceType | None], tuple[ConnectionKind, ...]] = lambda _: ()
    new_connection: Callable[[DeviceType | None, str], NewConnection] = lambda *_: PLAIN_CONNECTION
    facts: Callable[[Line], tuple[Fact, ...]] = lambda _: ()
    # What is written in the device at the start, in order; the bench sends these octets and no others.
    startup: Callable[[Network, Line], tuple[StartupWrite, ...]] = lambda *_: ()
    # Exchanges a connection lacks, and whether those it has can go one by one.
    offers: Callable[[Line], tuple[ExchangeOffer, ...]] = lambda _: ()
    apart: Callable[[Line], bool] = lambda _: True
    # Whether a connection comes with its station and goes with it alone.
    comes_with: Callable[[Connection], bool] = lambda _: False
    # Whether a connection is one of those a controller can hold only so many of.
    counted: Callable[[Connection], bool] = lambda _: True
    watches: Mapping[str, Watch] = field(default_factory=dict)
    # How the map of a device's data is taken over; None where devices have none.
    map: DeviceMap | None = None
    # How a controller, as a station that serves its image, is told or asked; None where none can be a station.
    transfers: Transfers | None = None
    connections_at_most: Callable[[ControllerFacts], int | None] = lambda _: None
    route: Callable[[Network, list[Station]], RouteFacts] | None = None
    # Edits of its networks that are its own, by the name under which they are asked for.
    edits: Mapping[str, NetworkEdit] = field(default_factory=dict)
    # The controller's own address among its stations', "" where it has none there.
    own_address: Callable[[Network], str] = lambda _: ""
    # From which address to which its stations' are handed out; "" for the first there is, and for the last.
    handed_out: Callable[[Network], tuple[str, str]] = lambda _: ("", "")
    # Whether what is plugged into a module of its own rail lies behind that one's octets, and not within them.
    beside: bool = False
    # Which command profile a drive on it most likely follows: one that is positioned, and one that only turns.
    drive_profiles: tuple[str, str] = ("words", "words")
    # What of the device's data a connection uses.
    claims: Callable[[Line], tuple[Claim, ...]] = lambda _: ()

    @property
    def partners(self) -> bool:
        """Whether a controller can be a station."""
        return self.transfers is not None

    def takes(self, device: DeviceType | None) -> bool:
        """Whether a device, a switch or a repeater can be a station of this fieldbus."""
        if device is None:
            return False
        if device.passes_on:
            return self.medium.switches if device.switch else self.medium.repeats
        return device.fieldbus == self.key and device.kind == "device"
