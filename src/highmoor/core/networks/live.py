"""What a fieldbus does on the bench: its master in the controller, its devices, a serving controller, models behind.

What a built device is, is JSON (`facts`) that the fieldbus's folder reads; what the plant as built does not say is as
configured.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from random import Random
from typing import Any, ClassVar, Literal, Protocol

from pydantic import TypeAdapter, ValidationError

from highmoor.core.catalogue.types import DeviceType
from highmoor.core.networks.alive import Clock, Memory, ParameterAccess, ParameterTold
from highmoor.core.networks.diagnosis import Diagnosis
from highmoor.core.networks.io_link.parameters import PortAnswer, PortAsk, Served
from highmoor.core.networks.line import BenchLine, Line
from highmoor.core.networks.scanning import Scans
from highmoor.core.plant.fields import FieldSpec
from highmoor.core.plant.rows import Exchange, Json, Network, Station

Facts = Mapping[str, Any]
Direction = Literal["in", "out"]


class Octets(Protocol):
    """Octets within a device, one by one."""

    def __len__(self) -> int: ...

    def __getitem__(self, octet: int, /) -> int: ...

    def __setitem__(self, octet: int, value: int, /) -> None: ...


class Process(Protocol):
    """A piece of the plant that goes on in time, in steps of its own."""

    # How often it is stepped: as often as what it stands for has something new to tell.
    period_ms: ClassVar[int]

    def step(self, seconds: float) -> None: ...


@dataclass(frozen=True, slots=True)
class NodeTold:
    """Whoever answers for himself, as his controller sees him: a station, or a module on its rail.

    `state` is its own word for how far it is, "" where it does not answer; `text` says why it does not go on, `code` is
    what it told of that as its manual spells it, `lamps` what its indicators show. `told` is what it says of itself
    that is wrong, as its controller has heard it.
    """

    row: str
    address: str
    state: str
    good: bool
    text: str
    code: str
    lamps: str
    told: tuple[Diagnosis, ...] = ()


@dataclass(frozen=True, slots=True)
class NetworkFact:
    """Something counted of a whole network: what, and how it stands."""

    label: str
    text: str
    good: bool = True


@dataclass(frozen=True, slots=True)
class NetworkTold:
    """A network as its controller sees it."""

    nodes: tuple[NodeTold, ...]
    facts: tuple[NetworkFact, ...]


@dataclass(frozen=True, slots=True)
class RailChannel:
    """A channel of a module whose type has none: its key, whether it goes into the controller, its place in the
    module's octets, whether its number has a sign. `ends` are what is at its terminals at which counts (low, high, raw
    low, raw high), none where that is the count itself. Of several octets the lowest stands first unless
    `high_first`; what is no whole octets then has its lowest bit in the last of them. A `real` is no whole number.
    """

    key: str
    inward: bool
    bit: int
    bits: int
    signed: bool = False
    ends: tuple[float, float, int, int] | None = None
    high_first: bool = False
    real: bool = False


@dataclass(frozen=True, slots=True)
class ModuleData:
    """What a module gives and takes as it is set, in octets, and its channels where its type has none."""

    in_octets: int
    out_octets: int
    channels: tuple[RailChannel, ...] = ()


@dataclass(frozen=True, slots=True)
class RailModule:
    """A module behind a device: its type, what is set on it, where its octets begin among all; its slot, 0 where that
    follows from the order. `within` is the slot of the module it is plugged into, 0 for the device's own rail."""

    type: DeviceType
    settings: Mapping[str, Any]
    into: int
    out: int
    data: ModuleData
    slot: int = 0
    within: int = 0


class DeviceRail(Protocol):
    """The modules behind a device: the octets they give and take."""

    image_in: bytearray
    image_out: bytearray
    # In order; without what hangs on them, unless that answers beside them.
    modules: Sequence[RailModule]

    @property
    def idents(self) -> Sequence[int]:
        """Each module's product code, in order."""

    def let_go(self) -> None:
        """The controller is lost: outputs do what their modules are set to."""


class LiveDevice(Protocol):
    """A device on the bench."""

    def told(self) -> Sequence[Diagnosis]:
        """What it tells of itself that is wrong."""


class Adaptable(Protocol):
    """A device that goes on where its modules or its facts become others, and knows when its power comes and goes."""

    def adapt(self, seat: Seat) -> bool:
        """Be what the seat says from now on; False where that takes another device."""

    def powered(self, on: bool) -> None:
        """Its power went, or is back."""


@dataclass(frozen=True, slots=True)
class Seat:
    """What a device on the bench is made with: its medium (a host, or an end of a line), address, facts, modules.

    `serial` is its own number, which no other device has; `keep` is told what is set in it for good, by fields as the
    plant as built has them; `type` is what it is, None where nobody knows.
    """

    clock: Clock
    medium: Any
    address: str
    facts: Facts
    rail: DeviceRail | None = None
    serial: int = 0
    keep: Callable[[Mapping[str, Any]], None] = lambda _: None
    type: DeviceType | None = None


@dataclass(frozen=True, slots=True)
class Serving:
    """A controller that others ask: its hosts, the lines that lead to it, its type, where an exchange's far end lies.

    `far` gives the octets of its image, None where there are none; `back` for what goes back.
    """

    clock: Clock
    hosts: Sequence[Any]
    lines: Sequence[Line]
    device: DeviceType | None
    revision: str
    far: Callable[[Exchange, bool], memoryview | None]
    serial: int


class RunAct(Protocol):
    """Does something to the device at an address, with what was typed for it; `done` is told what came of it, later."""

    def __call__(
        self, clock: Clock, medium: Any, master: Any, at: str, value: str, done: Callable[[ParameterTold], None], /
    ) -> None: ...


@dataclass(frozen=True, slots=True)
class NetworkAct:
    """Something that is done to a device over its network: how it is said, and done.

    What it `asks` for is typed, an address unless it `reads` something else. What it `keeps`, the device has
    after its power was away as well; `back` says what undoes it. One of `all` is done to the network as a whole.
    """

    key: str
    label: str
    run: RunAct
    asks: str = ""
    reads: Callable[[str], str] | None = None
    keeps: bool = False
    back: str = ""
    all: bool = False


@dataclass(frozen=True, slots=True)
class Forms:
    """A value as people write it: its octets in hex, its number in three bases, its text; "" for one that says nothing
    of it."""

    octets: str
    decimal: str
    hexadecimal: str
    binary: str
    text: str

    @classmethod
    def high_first(cls, octets: bytes, text: str) -> Forms:
        """Octets beside a text: those of a few also as a number, high octet first."""
        spelled = octets.hex(" ").upper()
        if not 0 < len(octets) <= 8:
            return cls(spelled, "", "", "", text)
        number, digits = int.from_bytes(octets, "big"), 2 * len(octets)
        return cls(spelled, str(number), f"16#{number:0{digits}X}", f"2#{number:0{4 * digits}b}", text)


@dataclass(frozen=True, slots=True)
class ObjectAsk:
    """An object to be read, or written with `octets`."""

    index: int
    subindex: int
    octets: bytes | None = None


@dataclass(frozen=True, slots=True)
class ObjectTold:
    """What came of it: its octets as they are now, or why there are none, in words."""

    good: bool
    text: str
    octets: bytes = b""


@dataclass(frozen=True, slots=True)
class ObjectAccess:
    """How objects in a device are reached by its master, of whoever answers for himself (a row).

    `readable` are all that its file describes; `octets` gives those of what was typed, and raises Refusal; `ask` asks
    one after the other and goes on as long as whoever is told says so.
    """

    readable: Callable[[Any, str], Sequence[ObjectAsk]]
    octets: Callable[[Any, str, int, int, str], bytes]
    forms: Callable[[Any, str, int, int, bytes], Forms]
    ask: Callable[[Any, str, Sequence[ObjectAsk], Callable[[ObjectAsk, ObjectTold], bool]], None]


# The acts that give a device another address, or a name; one key for all fieldbuses that can.
GIVE_ADDRESS, GIVE_NAME = "address", "name"


def problem_of(kind: TypeAdapter[Any]) -> Callable[[Facts], str]:
    """Why facts are none of a kind, in words; "" where they are."""

    def problem(facts: Facts) -> str:
        try:
            kind.validate_python(dict(facts))
        except ValidationError as error:
            first = error.errors(include_url=False)[0]
            return f"{'.'.join(str(part)[:40] for part in first['loc'])}: {first['msg']}"
        return ""

    return problem


# A device, the model's own settings, chance.
Model = Callable[[Any, Mapping[str, Any], Random], Process]


@dataclass(frozen=True, slots=True)
class Live:
    """One fieldbus on the bench.

    `as_configured` gives the facts of a device that is as its file and the configuration say; `fields` those of them
    that can be set by hand, as `facts.…`; `problem` says why others would be none.
    """

    # Gives what a scan may ask through, where the medium is the master's alone.
    master: Callable[[Clock, Memory, Any, Network, list[BenchLine]], Any]
    as_configured: Callable[[Network, Station | None, Sequence[Line], DeviceType | None], Facts]
    device: Callable[[Seat], LiveDevice]
    problem: Callable[[Facts], str] = lambda _: ""
    fields: tuple[FieldSpec, ...] = ()
    models: Mapping[str, Model] = field(default_factory=dict)
    # A controller that serves its image; None where none can be a station.
    serve: Callable[[Serving], None] | None = None
    # What a module is on the bench where its type has no channels; None where all types have.
    module_data: Callable[[DeviceType, Mapping[str, Any]], ModuleData] | None = None
    # Whether a device of these facts is one of this type; None where addresses tell who is who.
    stands_for: Callable[[Facts, DeviceType], bool] | None = None
    # What the master tells of everybody, one by one; None where exchanges tell all there is.
    told: Callable[[Any], NetworkTold] | None = None
    # How a parameter in a device is read and written over the network; None where it cannot be.
    parameters: ParameterAccess | None = None
    # How objects in whoever answers for himself are read and written; None where there are none.
    objects: ObjectAccess | None = None
    # What can be done to a device over the network; without GIVE_ADDRESS that is done at the device alone.
    acts: tuple[NetworkAct, ...] = ()
    # By which name a station is found; None where addresses tell who is who. A device found so stands there without an
    # address as well, and without a name: it gets both over the network, known by its label. Its facts hold its name.
    called: Callable[[Station], str] | None = None
    # Where in a device an exchange's octets lie, None where they do not; what hangs on its ports comes and goes there.
    octets: Callable[[Any, Line, Exchange], Octets | None] = lambda *_: None
    # Whether whoever asks it still does, as a device itself can tell; where it cannot, it is asked all the time.
    exchanging: Callable[[Any], bool] = lambda _: True
    # An IO-Link master: who answers for its ports, by what is set of these; and how it is asked for a parameter there,
    # None where that cannot be done over this fieldbus here.
    serve_ports: Callable[[Any, Json, Served], None] = lambda *_: None
    ask_port: Callable[[Clock, Any, Station, Json, PortAsk, Callable[[PortAnswer | str], None]], None] | None = None
    # How the medium is scanned; None where it cannot be.
    scans: Scans | None = None
    # Which settings a failure's code speaks of, told of an exchange of a direction: a row's table and a dotted path.
    likely: Callable[[int, Direction], tuple[str, ...]] = lambda *_: ()

    @property
    def by_name(self) -> bool:
        """Whether devices are found by name."""
        return self.called is not None

    def act(self, key: str) -> NetworkAct | None:
        """An act by its key."""
        return next((act for act in self.acts if act.key == key), None)
