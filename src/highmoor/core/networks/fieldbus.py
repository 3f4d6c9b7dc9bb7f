"""The seam of a fieldbus: everything the rest of Highmoor asks of one."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Literal, Protocol

from highmoor.core.analysis.engine import Analysis, Part
from highmoor.core.analysis.findings import Check, Finding
from highmoor.core.catalogue.types import ControllerFacts, DeviceType, Medium, Parameter
from highmoor.core.datatypes import Order
from highmoor.core.networks.addressing import Scheme
from highmoor.core.plant.fields import FieldSpec
from highmoor.core.plant.rows import Connection, Exchange, Network, Station


@dataclass(frozen=True, slots=True)
class WireField:
    """One addressable piece of an exchange: a register, a coil, a named field. Offsets in bits from its start.

    `data_type` is the type the device's file gives it, "" where nothing says.
    """

    key: str
    label: str
    bit: int
    bits: int
    data_type: str = ""


@dataclass(frozen=True, slots=True)
class WireLayout:
    """What an exchange carries: its data in octets and bits, its pieces, and how it is written in the trade.

    `order` is how a value of several octets stands there unless its link says otherwise: DCBA low octet first.
    What is `started` is exchanged when its start bit rises, a bit of the controller's out area. `back` are the pieces
    that go the other way in the same transaction, where there are any.
    """

    octets: int
    bits: int
    pieces: tuple[WireField, ...]
    what: str
    reference: str = ""
    order: Order = "ABCD"
    started: bool = False
    back: tuple[WireField, ...] = ()
    back_octets: int = 0


Area = Literal["in", "out"]


@dataclass(frozen=True, slots=True)
class Carried:
    """The stretch of a modular station's data that an exchange carries, in octets of what its modules give or take."""

    area: Area
    first: int
    octets: int

    @property
    def end(self) -> int:
        """The first octet behind it."""
        return self.first + self.octets


@dataclass(frozen=True, slots=True)
class RailRule:
    """How the modules of a station's own rail reach the wire.

    Each module begins at a multiple of `unit_octets`, and within a unit the high octet travels first if
    `high_octet_first`. `carried` is what an exchange brings of it, None for one that has nothing to do with the
    modules; `words` names a stretch as the trade writes it.
    """

    unit_octets: int
    high_octet_first: bool
    carried: Callable[[Exchange], Carried | None]
    words: Callable[[Carried], str]


@dataclass(frozen=True, slots=True)
class Block:
    """A stretch of time on a lane, ms: a request, a wait, a response, a silent time-out."""

    start_ms: float
    end_ms: float
    kind: Literal["request", "wait", "response", "time-out", "gap"]
    label: str
    exchange: str


@dataclass(frozen=True, slots=True)
class Due:
    """When an exchange was due and when it began, ms."""

    due_ms: float
    start_ms: float
    exchange: str


@dataclass(frozen=True, slots=True)
class Lane:
    """One strand of time: a line, or the connection to one station; packets a second where it sends unasked."""

    id: str
    label: str
    blocks: tuple[Block, ...]
    dues: tuple[Due, ...]
    utilisation: float
    packets_per_s: float | None = None


@dataclass(frozen=True, slots=True)
class Traffic:
    """A station's part of an Ethernet link, Mbit/s on the wire; packets of multicast a second, and all of its own."""

    station: str
    in_mbit_s: float
    out_mbit_s: float
    multicast_mbit_s: float = 0
    multicast_packets_s: float = 0
    packets_s: float = 0


@dataclass(frozen=True, slots=True)
class ExchangeTiming:
    """How long one transaction takes and how late it gets, ms; `octets` on the wire both ways.

    `wait_ms` runs from the end of the request to the end of the answer, as a time-out does. `late_one_silent_ms` is
    the worst lateness while the station whose silence costs most is silent.
    """

    exchange: str
    period_ms: float
    transaction_ms: float
    request_octets: int
    response_octets: int
    worst_late_ms: float
    silent_cost_ms: float
    wait_ms: float
    late_one_silent_ms: float


@dataclass(frozen=True, slots=True)
class Timing:
    """A network's time, neutral of its fieldbus: lanes over a window, and figures an exchange.

    Where all stations share one line, `cycle_ms` is each request once, and `cycle_one_silent_ms` the same while
    `silent` does not answer, the station whose silence costs most. `whole` says that lateness was followed until
    it repeats, `whole_one_silent` the same while that station is silent; otherwise a lateness is at least so much.
    `packets_per_s` counts both directions where nobody asks and everybody sends; `traffic` is each station's, on
    Ethernet.
    """

    window_ms: float
    cyclic: bool
    lanes: tuple[Lane, ...]
    exchanges: tuple[ExchangeTiming, ...]
    load: float
    load_label: str
    cycle_ms: float | None = None
    cycle_one_silent_ms: float | None = None
    silent: str = ""
    whole: bool = True
    whole_one_silent: bool = True
    packets_per_s: float | None = None
    traffic: tuple[Traffic, ...] = ()


@dataclass(frozen=True, slots=True)
class RouteNode:
    """A place on the cable: the port (`station` "") or a station; m of cable to it and of its tap."""

    station: str
    length_m: float
    tap_m: float
    terminated: bool
    biased: bool


@dataclass(frozen=True, slots=True)
class RouteFacts:
    """A line as it is laid, the port first; lengths in m, loads in unit loads."""

    nodes: tuple[RouteNode, ...]
    length_m: float
    length_at_most_m: float
    loads: float
    loads_at_most: float


@dataclass(frozen=True, slots=True)
class Line:
    """One agreement on a network with all it holds: the input of layout, timing and bench.

    `device` is the station's type, None where the catalogue has none.
    """

    station: Station
    connection: Connection
    exchanges: tuple[Exchange, ...]
    device: DeviceType | None = None


@dataclass(frozen=True, slots=True)
class Fact:
    """A line that follows from a connection: what, the value as the trade writes it, what it is made of."""

    label: str
    value: str
    note: str = ""


class Clock(Protocol):
    """Virtual time of the bench in ns; what is due is called in order of time, priority and asking."""

    @property
    def now_ns(self) -> int: ...

    def at(self, time_ns: int, action: Callable[[], None], priority: int = 0) -> None: ...


class Memory(Protocol):
    """A simulated controller's image as a fieldbus master may use it."""

    image_in: bytearray
    image_out: bytearray

    def set_status(self, exchange: str, good: bool) -> None: ...

    def set_code(self, exchange: str, code: int) -> None: ...

    def started(self, exchange: str) -> bool: ...


class Device(Protocol):
    """A simulated device on the wire: octets in, octets out (None: no answer), after its reply delay."""

    @property
    def reply_ms(self) -> float: ...

    def answer(self, octets: bytes) -> bytes | None: ...


@dataclass(frozen=True, slots=True)
class Heard:
    """Octets that came back over a line; `told` says what is seen of them on the wire, "" where all is well."""

    octets: bytes
    told: str = ""


class SerialMedium(Protocol):
    """A line that all its stations share, each with its own settings."""

    def transmit(self, octets: bytes, on: Any, heard: Callable[[Heard], None]) -> int:
        """Send octets with these settings now; `heard` is called with what comes back. Returns the end, ns."""
        ...


class Wire(Protocol):
    """Who is reached at an address now; None where nobody is, or a cable is out."""

    def reached(self, address: str) -> Device | None: ...


@dataclass(slots=True)
class ExchangeLive:
    """An exchange as it goes on the bench: the last octets both ways and what came of them. Times in ns.

    `data` is what it last carried well, without what its fieldbus wraps around it.
    """

    exchange: str
    name: str
    state: Literal["waiting", "good", "bad"] = "waiting"
    text: str = "not asked yet"
    request: bytes = b""
    response: bytes = b""
    data: bytes = b""
    last_good_ns: int | None = None
    transactions: int = 0
    failures: int = 0


@dataclass(frozen=True, slots=True)
class ParameterTold:
    """What came of reading or writing a parameter in a device: its raw value (None: not known), its octets."""

    good: bool
    text: str
    value: float | int | None = None
    octets: bytes = b""


class ParameterAccess(Protocol):
    """Reads a parameter in a device (`value` None) or writes it; `done` is told what came of it, later."""

    def __call__(
        self, clock: Clock, wire: Any, address: str, parameter: Parameter, value: float | None,
        done: Callable[[ParameterTold], None],
    ) -> None: ...  # fmt: skip


@dataclass(frozen=True, slots=True)
class BenchLine:
    """One line to bring to life: offsets are octets of the controller's image by exchange, `back` of what goes back."""

    line: Line
    offsets: Mapping[str, int]
    live: Mapping[str, ExchangeLive]
    back: Mapping[str, int] = field(default_factory=dict)


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
    """A network in time, with all stations alive or as if one were silent (its id; "" for none)."""

    def __call__(self, network: Network, lines: Sequence[Line], silent: str = "") -> Timing: ...


@dataclass(frozen=True, slots=True)
class Transfers:
    """How one controller is told or asked by another: what its `place` is called, and what carries a transfer."""

    place: str
    new: Callable[[TransferWanted], NewTransfer]


# The fields of a row on a network.
FieldsOf = Callable[[Any, Around], tuple[FieldSpec, ...]]


@dataclass(frozen=True, slots=True)
class NewExchange:
    """An exchange that a new connection begins with."""

    name: str
    direction: Literal["in", "out"]
    settings: Mapping[str, Any] = field(default_factory=dict)


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


# One connection a station, to which exchanges are added as they are wanted.
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
    new_exchange: Callable[[Mapping[str, Any]], tuple[Literal["in", "out"], dict[str, Any]]]
    layout: Callable[[Exchange, Line], WireLayout]
    timing: TimingOf
    parts: tuple[Part, ...]
    checks: tuple[Check, ...]
    mends: Mapping[str, Callable[[Analysis, Finding], Mend | None]]
    bench: Callable[[Clock, Memory, Any, Network, list[BenchLine]], None]
    explain: Callable[[int], str]
    rail: RailRule | None = None
    # Where an exchange's interval is set.
    interval_field: str = "settings.period_ms"

    # What a station's connections are where they are more than a bag of exchanges: which there are, and a new one.
    connection_kinds: Callable[[DeviceType | None], tuple[ConnectionKind, ...]] = lambda _: ()
    new_connection: Callable[[DeviceType | None, str], NewConnection] = lambda *_: PLAIN_CONNECTION
    facts: Callable[[Line], tuple[Fact, ...]] = lambda _: ()
    # How a parameter in a device is read and written over the network; None where it cannot be.
    parameters: ParameterAccess | None = None
    # Whether a connection is one of those a controller can hold only so many of.
    counted: Callable[[Connection], bool] = lambda _: True
    # Ready-made pairs of exchanges that watch whether the far end is alive, by key.
    watches: Mapping[str, str] = field(default_factory=dict)
    # How a controller, as a station that serves its image, is told or asked; None where none can be a station.
    transfers: Transfers | None = None
    connections_at_most: Callable[[ControllerFacts], int | None] = lambda _: None
    route: Callable[[Network, list[Station]], RouteFacts] | None = None
    # What of the device's data a connection uses.
    claims: Callable[[Line], tuple[Claim, ...]] = lambda _: ()

    @property
    def partners(self) -> bool:
        """Whether a controller can be a station."""
        return self.transfers is not None

    def takes(self, device: DeviceType | None) -> bool:
        """Whether a device, or a switch, can be a station of this fieldbus."""
        if device is None:
            return False
        return (device.fieldbus == self.key and device.kind == "device") or (
            device.kind == "switch" and self.medium == "ethernet"
        )
