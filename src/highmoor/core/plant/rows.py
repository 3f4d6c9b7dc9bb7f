"""The tables of a plant: one frozen dataclass a table, with its references told by annotation.

Rows are values: never changed in place, compared by content, shared between revisions. `settings` and
other `Json` fields are plain JSON and are treated as frozen as well.
"""

from __future__ import annotations

import dataclasses
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Annotated, Any, Literal, TypeAlias, get_args, get_origin, get_type_hints

from highmoor.core.plant.built_rows import (
    BuiltDevice,
    BuiltLine,
    BuiltModule,
    BuiltProcess,
    BuiltScanner,
    BuiltWire,
)
from highmoor.core.plant.refs import Json, Number, Ref, Tie
from highmoor.core.plant.safety_rows import (
    PlanShape,
    Proof,
    SafetyFunction,
    SafetyPart,
    Scanner,
    Seal,
    Situation,
    Use,
    Zone,
    ZoneUse,
)

# All rows are had from here.
__all__ = [
    "BuiltDevice", "BuiltLine", "BuiltModule", "BuiltProcess", "BuiltScanner", "BuiltWire", "Json", "Number",
    "PlanShape", "Proof", "Ref", "SafetyFunction", "SafetyPart", "Scanner", "Seal", "Situation", "Tie", "Use",
    "Zone", "ZoneUse",
]  # fmt: skip


@dataclass(frozen=True, slots=True)
class Facts:
    """The plant itself: exactly one row."""

    id: str
    name: str
    note: str = ""


@dataclass(frozen=True, slots=True)
class PinnedType:
    """A device type of this plant, pinned to one reading of one file, so that it never changes by itself.

    `key` is what stations and modules name; it is made of the device's key in its file, the file's SHA-256 and the
    reader's version. The reading itself is kept by whoever keeps the plant.
    """

    id: str
    key: str
    device: str
    sha256: str
    reader: int
    file: str
    rank: str
    note: str = ""


@dataclass(frozen=True, slots=True)
class Spare:
    """How many of a type are to lie in stock."""

    id: str
    type: str
    count: int = 1
    note: str = ""


@dataclass(frozen=True, slots=True)
class Controller:
    """A controller. `settings` holds what its safe part runs by: `safe_cycle_ms`, `safe_longest_ms` and more."""

    id: str
    name: str
    type: str
    firmware: str
    rank: str
    designation: str = ""
    location: str = ""
    note: str = ""
    settings: Json = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Port:
    """A network port of a controller or a module, by the key its type gives it; IPv4 settings where it is Ethernet."""

    id: str
    device: Annotated[str, Ref(("controllers", "modules"), owner=True)]
    key: str
    rank: str
    method: str = "static"
    address: str = ""
    mask: str = "255.255.255.0"
    gateway: str = ""


@dataclass(frozen=True, slots=True)
class Task:
    """A period in which a controller runs programs and refreshes signals; times in ms."""

    id: str
    controller: Annotated[str, Ref(("controllers",), owner=True)]
    name: str
    rank: str
    period_ms: Number = 100
    execution_ms: Number = 1


@dataclass(frozen=True, slots=True)
class Rail:
    """A row of modules on one head: a controller, a remote station, or a module that carries others (its ports, its
    submodules). `places` counts the slots behind the head.

    `settings` holds what is given of its supply and its cabinet: `field_v`, `fuse_a`, `simultaneity`, `heat_limit_w`.
    """

    id: str
    head: Annotated[str, Ref(("controllers", "stations", "modules"), owner=True)]
    name: str
    rank: str
    places: int = 8
    settings: Json = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Module:
    """A module on a rail. `slot` is None where slots follow from the order; pins are octet offsets.

    `revision` is the module's firmware (None: the type's newest), `identity` the rule by which another one is taken.
    """

    id: str
    rail: Annotated[str, Ref(("rails",), owner=True)]
    type: str
    rank: str
    slot: int | None = None
    designation: str = ""
    location: str = ""
    note: str = ""
    pin_in: int | None = None
    pin_out: int | None = None
    settings: Json = field(default_factory=dict)
    revision: str | None = None
    identity: Literal["exact", "compatible", "any"] = "compatible"


@dataclass(frozen=True, slots=True)
class Network:
    id: str
    kind: str
    name: str
    rank: str
    port: Annotated[str | None, Ref(("ports",), on_removal="clear")] = None
    note: str = ""
    settings: Json = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Station:
    """A device, a switch, or another controller on a network.

    `upstream` is the station its cable comes from, None for the port itself, and `socket` which of that one's, counted
    from 1; `entry` is its own where the cable comes in. None is the first that is free. `partner` is the controller it
    stands for.
    """

    id: str
    network: Annotated[str, Ref(("networks",), owner=True)]
    name: str
    type: str
    rank: str
    address: str = ""
    upstream: Annotated[str | None, Ref(("stations",), on_removal="clear")] = None
    partner: Annotated[str | None, Ref(("controllers",), on_removal="clear")] = None
    designation: str = ""
    location: str = ""
    note: str = ""
    settings: Json = field(default_factory=dict)
    socket: int | None = None
    entry: int | None = None


@dataclass(frozen=True, slots=True)
class ClosingCable:
    """A cable beside those that lead towards the controller: it closes a ring between two stations.

    Sockets are counted from 1, None for the first that is free; without an `other` it ends at the controller's port.
    """

    id: str
    network: Annotated[str, Ref(("networks",), owner=True)]
    one: Annotated[str, Ref(("stations",))]
    rank: str
    other: Annotated[str | None, Ref(("stations",))] = None
    one_socket: int | None = None
    other_socket: int | None = None
    settings: Json = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Connection:
    """An agreement between the network's controller and a station; holds one-way exchanges."""

    id: str
    station: Annotated[str, Ref(("stations",), owner=True)]
    rank: str
    settings: Json = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Exchange:
    """A one-way transfer; `direction` is seen from the controller: "in" into it, "out" out of it."""

    id: str
    connection: Annotated[str, Ref(("connections",), owner=True)]
    name: str
    direction: Literal["in", "out"]
    rank: str
    pin_in: int | None = None
    pin_out: int | None = None
    settings: Json = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Signal:
    """A named, typed variable of a controller's program, or an element of one that is a structure or an array.

    `initial` is what it begins with, as it is written ("" for the type's own). `tag` is what the plant's lists call it,
    `area` the part of the plant it belongs to. `wiring` is what a list says of how it is wired, as texts: location,
    strip, terminal, cable, core, loop, kind, range.
    """

    id: str
    controller: Annotated[str, Ref(("controllers",), owner=True)]
    name: str
    type: str
    rank: str
    unit: str = ""
    note: str = ""
    asked_ms: Number | None = None
    task: Annotated[str | None, Ref(("tasks",), on_removal="clear")] = None
    tag: str = ""
    area: str = ""
    wiring: Json = field(default_factory=dict)
    initial: str = ""


@dataclass(frozen=True, slots=True)
class DataStructure:
    """A structure that is declared by name. `shape`: `members`, each with `name`, `type`, `unit` and `note`.

    A member's type is elementary, another structure's name, or an array of such. Which variables are of it follows
    from their signals' names and types.
    """

    id: str
    name: str
    rank: str
    shape: Json = field(default_factory=dict)
    note: str = ""


PROGRAM_LETTERS_AT_MOST = 400_000
"""What the text of a program may have."""


@dataclass(frozen=True, slots=True)
class Program:
    """A little program of a controller in Structured Text, run in a task's period; None: in its slowest task."""

    id: str
    controller: Annotated[str, Ref(("controllers",), owner=True)]
    name: str
    rank: str
    task: Annotated[str | None, Ref(("tasks",), on_removal="clear")] = None
    text: str = ""
    note: str = ""


End: TypeAlias = Literal["own", "partner"]
Way: TypeAlias = Literal["data", "back", "status", "code", "running", "length", "start", "state", "failures"]


@dataclass(frozen=True, slots=True)
class Link:
    """Ties a signal (or a member of it) to a place: a channel, a field of an exchange, a status bit.

    `key` is the stable key of the place within its holder: `ch3` a channel, `r12` a register,
    `r12.4` a bit in a register, `b7` a bit. `way` is which of an exchange's data it lies in, or what the exchange has
    beside them, which needs no key; `end` whose image that is: that of the controller that asks, or its partner's.
    """

    id: str
    signal: Annotated[str, Ref(("signals",), owner=True)]
    place: Annotated[str, Ref(("modules", "exchanges"))]
    key: str
    access: Literal["reads", "writes"]
    member: str = ""
    order: str = "ABCD"
    scaling: Json | None = None
    way: Way = "data"
    end: End = "own"


@dataclass(frozen=True, slots=True)
class IoList:
    """A list of signals that comes from design, again and again: the issue that was taken last.

    `columns`: `headings`, pairs of a heading and the key of what it holds ("" for a column that is only kept).
    `names`: the pattern by which a new line's signal is named.
    """

    id: str
    name: str
    rank: str
    controller: Annotated[str | None, Ref(("controllers",), on_removal="clear")] = None
    names: str = "{tag}"
    columns: Json = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class ListLine:
    """A line of a list as it was decided on: what the list said, by keys of its columns.

    `left`: what was not taken over from it, `line` the whole of it, `gone` that it disappeared.
    """

    id: str
    list: Annotated[str, Ref(("lists",), owner=True)]
    rank: str
    signal: Annotated[str | None, Ref(("signals",), on_removal="clear")] = None
    values: Json = field(default_factory=dict)
    left: Json = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class CommandProfile:
    """Which words of a drive's exchanges are its command and its status, of whatever drives it is used for.

    `base` is what their bits mean; `settings.words` says by role where a word stands that stands elsewhere than the
    base has it, or "" for one that is not there.
    """

    id: str
    name: str
    base: str
    rank: str
    settings: Json = field(default_factory=dict)
    note: str = ""


@dataclass(frozen=True, slots=True)
class Robot:
    """A robot of a controller: the axes that name it are its arms and its wrist.

    `type` says how it is built and what it asks of them; `settings` holds where its work is, a straight move there,
    and of a robot that is entered by its data sheet what that says.
    """

    id: str
    controller: Annotated[str, Ref(("controllers",), owner=True)]
    name: str
    rank: str
    type: str
    note: str = ""
    settings: Json = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Axis:
    """An axis of a controller: what of a machine a motor moves, counted in `unit`.

    `drive` is what turns its motor, `key` which of several outputs of that. `settings` holds its bounds, its limits and
    what its drive gives. Of a `robot` it is the `arm`: one of its arms or its wrist.
    """

    id: str
    controller: Annotated[str, Ref(("controllers",), owner=True)]
    name: str
    rank: str
    kind: str = "linear"
    unit: str = "mm"
    drive: Annotated[str | None, Ref(("stations", "modules"), on_removal="clear")] = None
    key: str = ""
    profile: Annotated[str | None, Ref(("command_profiles",), on_removal="clear")] = None
    note: str = ""
    settings: Json = field(default_factory=dict)
    robot: Annotated[str | None, Ref(("robots",), on_removal="clear")] = None
    arm: str = ""


@dataclass(frozen=True, slots=True)
class ChainLink:
    """A link of an axis's chain, in order from the motor to the load, with what is set of it."""

    id: str
    axis: Annotated[str, Ref(("axes",), owner=True)]
    kind: str
    rank: str
    settings: Json = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Move:
    """A move of an axis kept by name; all of them in their order are its cycle."""

    id: str
    axis: Annotated[str, Ref(("axes",), owner=True)]
    name: str
    rank: str
    kind: str = "relative"
    settings: Json = field(default_factory=dict)


Row: TypeAlias = (
    Facts
    | PinnedType
    | Spare
    | Controller
    | Port
    | Task
    | Rail
    | Module
    | Network
    | Station
    | ClosingCable
    | Connection
    | Exchange
    | DataStructure
    | Signal
    | Program
    | Link
    | IoList
    | ListLine
    | CommandProfile
    | Robot
    | Axis
    | SafetyFunction
    | SafetyPart
    | Use
    | ChainLink
    | Move
    | BuiltLine
    | BuiltDevice
    | BuiltModule
    | BuiltScanner
    | BuiltProcess
    | BuiltWire
)

# Two documents under one machinery: what is configured, and what really stands there.
Document: TypeAlias = Literal["plant", "built"]


@dataclass(frozen=True, slots=True)
class Table:
    """What the machinery needs to know of a table; everything is read off the row class."""

    name: str
    prefix: str
    row: type[Any]
    refs: Mapping[str, Ref]
    fields: tuple[str, ...]
    json_fields: frozenset[str]
    document: Document
    owner: str | None
    """The field that names the owning row, if the table has owners."""


def _table(name: str, prefix: str, row: type[Any], document: Document = "plant") -> Table:
    hints = get_type_hints(row, include_extras=True)
    refs = {
        key: ref
        for key, hint in hints.items()
        if get_origin(hint) is Annotated
        for ref in get_args(hint)[1:]
        if isinstance(ref, Ref)
    }
    names = tuple(f.name for f in dataclasses.fields(row))
    json_fields = frozenset(key for key in names if hints[key] in (Json, Json | None))
    owner = next((key for key, ref in refs.items() if ref.owner), None)
    return Table(name, prefix, row, refs, names, json_fields, document, owner)


# Owners stand before what they own, so that rows can be inserted in this order.
TABLES: dict[str, Table] = {
    table.name: table
    for table in (
        _table("facts", "p", Facts),
        _table("types", "d", PinnedType),
        _table("spares", "q", Spare),
        _table("controllers", "c", Controller),
        _table("ports", "o", Port),
        _table("tasks", "t", Task),
        _table("rails", "r", Rail),
        _table("modules", "m", Module),
        _table("networks", "n", Network),
        _table("stations", "s", Station),
        _table("closing_cables", "wr", ClosingCable),
        _table("connections", "k", Connection),
        _table("exchanges", "x", Exchange),
        _table("structures", "u", DataStructure),
        _table("signals", "g", Signal),
        _table("programs", "y", Program),
        _table("links", "l", Link),
        _table("lists", "i", IoList),
        _table("list_lines", "j", ListLine),
        _table("command_profiles", "f", CommandProfile),
        _table("robots", "z", Robot),
        _table("axes", "a", Axis),
        _table("functions", "wf", SafetyFunction),
        _table("scanners", "ws", Scanner),
        _table("situations", "wt", Situation),
        _table("zones", "wz", Zone),
        _table("plan_shapes", "wa", PlanShape),
        _table("zone_uses", "wu", ZoneUse),
        _table("safety_parts", "wp", SafetyPart),
        _table("uses", "h", Use),
        _table("proofs", "wv", Proof),
        _table("seals", "we", Seal),
        _table("chain_links", "e", ChainLink),
        _table("moves", "v", Move),
        _table("built_lines", "bl", BuiltLine, "built"),
        _table("built_devices", "bd", BuiltDevice, "built"),
        _table("built_modules", "bm", BuiltModule, "built"),
        _table("built_scanners", "bs", BuiltScanner, "built"),
        _table("built_processes", "bp", BuiltProcess, "built"),
        _table("built_wires", "bw", BuiltWire, "built"),
    )
}


def _first_letters() -> dict[str, int]:
    """How many letters the prefixes with a first letter have: all the same, so that an id is read in one way."""
    lengths: dict[str, int] = {}
    for table in TABLES.values():
        if lengths.setdefault(table.prefix[0], len(table.prefix)) != len(table.prefix):
            raise ValueError(f"{table.prefix} begins as another prefix does.")
    return lengths


PREFIX_LENGTHS = _first_letters()
_BY_PREFIX = {table.prefix: table for table in TABLES.values()}
_BY_CLASS = {table.row: table for table in TABLES.values()}


def table_of(row: Any) -> Table:
    """The table a row belongs to."""
    return _BY_CLASS[type(row)]


def table_of_id(row_id: str) -> Table | None:
    """The table an id belongs to, told by its first letters; None for no id of ours."""
    return _BY_PREFIX.get(row_id[: PREFIX_LENGTHS.get(row_id[:1], 1)])


def row_values(row: Any) -> dict[str, Any]:
    """The row's fields in order, without copying nested values."""
    return {name: getattr(row, name) for name in table_of(row).fields}
