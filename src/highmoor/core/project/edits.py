"""The edits: the only ways to change a plant, as values that travel as JSON.

Scalars of any object change by `SetFields`; named edits exist for structure only. References may be placeholders
`$name`, given by `tag` to what an earlier edit of the same batch made.
"""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field

Tag = Annotated[str, Field(pattern=r"^\$[A-Za-z0-9_]{1,40}$")]
RefId = Annotated[str, Field(min_length=1, max_length=48)]


class _Edit(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class SetFields(_Edit):
    """Set fields, by dotted path, on one object or many at once. A value may be as typed: "0.2 s"."""

    kind: Literal["set"] = "set"
    ids: list[RefId] = Field(min_length=1, max_length=5000)
    values: dict[str, Any] = Field(min_length=1, max_length=200)


class TypePin(_Edit):
    """One reading of one device of one file."""

    device: str = Field(min_length=1, max_length=200, pattern=r"^[^/@]+$")
    sha256: str = Field(pattern=r"^[0-9a-f]{64}$")
    reader: int = Field(ge=1, le=9999)
    file: str = Field(default="", max_length=200)


class AddTypes(_Edit):
    """Device types read from files, taken into the plant; those that are there already are passed over."""

    kind: Literal["add-types"] = "add-types"
    types: list[TypePin] = Field(min_length=1, max_length=500)


class ChangeType(_Edit):
    """Stations of a file's device moved to another reading of it: a new revision, or a mended reader's."""

    kind: Literal["change-type"] = "change-type"
    ids: list[RefId] = Field(min_length=1, max_length=1000)
    type: str


class SetSpare(_Edit):
    """How many of a type are to lie in stock; 0 forgets it."""

    kind: Literal["set-spare"] = "set-spare"
    type: str
    count: int = Field(ge=0, le=10_000)


class AddController(_Edit):
    """A controller of a type with its ports, tasks and local rail."""

    kind: Literal["add-controller"] = "add-controller"
    type: str
    name: str | None = None
    firmware: str | None = None
    address: str | None = None
    mask: str | None = None
    places: int | None = None
    tag: Tag | None = None
    rail_tag: Tag | None = None


class AddPorts(_Edit):
    """A station or a module (`head`) becomes an IO-Link master with so many ports, as its file tells unless given."""

    kind: Literal["add-ports"] = "add-ports"
    head: RefId
    ports: int | None = Field(default=None, ge=1, le=32)
    tag: Tag | None = None


class InsertModules(_Edit):
    """`count` modules of a type before another one, into a slot, or behind the last."""

    kind: Literal["insert-modules"] = "insert-modules"
    rail: RefId
    type: str
    before: RefId | None = None
    slot: int | None = None
    count: int = Field(default=1, ge=1, le=64)
    tag: Tag | None = None


class MoveModules(_Edit):
    """Modules to another place on their rail or another: before a module, or into a slot."""

    kind: Literal["move-modules"] = "move-modules"
    ids: list[RefId] = Field(min_length=1, max_length=64)
    rail: RefId
    before: RefId | None = None
    slot: int | None = None


class MoveStations(_Edit):
    """Stations to another place along their network: before a station, or behind the last."""

    kind: Literal["move-stations"] = "move-stations"
    ids: list[RefId] = Field(min_length=1, max_length=512)
    before: RefId | None = None


class ReplaceModule(_Edit):
    """Another type in the same slot; links to channels that the new type has too are kept."""

    kind: Literal["replace-module"] = "replace-module"
    id: RefId
    type: str


class Duplicate(_Edit):
    """A copy of an object with all it owns, just behind it; copies of signals get counting names."""

    kind: Literal["duplicate"] = "duplicate"
    id: RefId
    tag: Tag | None = None


class Replicate(_Edit):
    """`count` copies of an object with all it owns and the signals linked to it.

    `pattern` names the copies, `{n}` counting from `start` by `step`; without it the original's own number counts
    on. What hangs on it is named after it. `names` overrides single cells as `{source id}.{copy}`, copies counting
    from 1; `leave_out` are sources that are not copied.
    """

    kind: Literal["replicate"] = "replicate"
    id: RefId
    count: int = Field(default=1, ge=1, le=64)
    pattern: str = Field(default="", max_length=120)
    start: int | None = Field(default=None, ge=0, le=1_000_000)
    step: int = Field(default=1, ge=1, le=1000)
    names: dict[str, str] = Field(default_factory=dict, max_length=4000)
    addresses: dict[str, str] = Field(default_factory=dict, max_length=4000)
    leave_out: list[RefId] = Field(default_factory=list, max_length=4000)


class Clip(_Edit):
    """Rows taken from a plant, to be placed in this one or another: `roots` with all they own, owners first."""

    format: Literal["highmoor-clip"] = "highmoor-clip"
    version: Literal[2] = 2
    kind: Literal["modules", "rail", "station", "profile"]
    rows: list[ClipRow] = Field(min_length=1, max_length=2000)


class ClipRow(_Edit):
    """A row as its table has it."""

    table: str
    values: dict[str, Any]


class Paste(_Edit):
    """A clip placed again: modules and rails on a rail (before a module, or in a slot), a station on a network, a
    command profile for an axis."""

    kind: Literal["paste"] = "paste"
    clip: Clip
    into: RefId
    before: RefId | None = None
    slot: int | None = None


class Remove(_Edit):
    """Objects with all they own and all links to them."""

    kind: Literal["remove"] = "remove"
    ids: list[RefId] = Field(min_length=1, max_length=5000)


class AddNetwork(_Edit):
    """A network of a fieldbus on a controller's port."""

    kind: Literal["add-network"] = "add-network"
    fieldbus: str
    port: RefId | None = None
    name: str | None = None
    tag: Tag | None = None


class AddStation(_Edit):
    """A station on a network with one connection; the address is the next free one unless given.

    `connection` is the kind of connection as its fieldbus names it, its usual one unless given; `upstream` the station
    its cable comes from. A switch has no connection, and no address unless one is given. With a `partner` it stands for
    that controller, by whose name and address it goes. `modules` are the types of those behind it, in order, where
    they are not those that its file puts there.
    """

    kind: Literal["add-station"] = "add-station"
    network: RefId
    type: str | None = None
    name: str | None = None
    address: str | None = None
    upstream: RefId | None = None
    partner: RefId | None = None
    tag: Tag | None = None
    rail_tag: Tag | None = None
    connection: str | None = None
    connection_tag: Tag | None = None
    modules: Annotated[list[str], Field(max_length=256)] | None = None


class OnNetwork(_Edit):
    """An edit that the network's fieldbus brings along, by its name there, with values that it reads."""

    kind: Literal["on-network"] = "on-network"
    network: RefId
    edit: str = Field(max_length=80)
    values: dict[str, Any] = Field(default_factory=dict)


class AddClosingCable(_Edit):
    """A cable that closes a ring, between two stations, or (without `other`) a station and the controller's port."""

    kind: Literal["add-closing-cable"] = "add-closing-cable"
    network: RefId
    one: RefId
    other: RefId | None = None
    tag: Tag | None = None


class AddConnection(_Edit):
    """One more connection of a station, of a kind that its fieldbus and its device offer."""

    kind: Literal["add-connection"] = "add-connection"
    station: RefId
    connection: str | None = None
    tag: Tag | None = None


class AddExchange(_Edit):
    """An exchange on a connection; `settings` as its fieldbus names them, others at their usual values."""

    kind: Literal["add-exchange"] = "add-exchange"
    connection: RefId
    name: str | None = None
    settings: dict[str, Any] = Field(default_factory=dict)
    tag: Tag | None = None


class AddWatch(_Edit):
    """Two exchanges that watch whether the far end is alive, and a signal that says so.

    `watch` as its fieldbus names it; `write` and `read` are references of one register each, the next free ones unless
    given.
    """

    kind: Literal["add-watch"] = "add-watch"
    connection: RefId
    watch: str
    write: str | int | None = None
    read: str | int | None = None
    period_ms: float = Field(default=500, ge=1, le=3_600_000)
    tag: Tag | None = None


class AddTransfer(_Edit):
    """Data from one controller to another, with network, station and connection where they are not there yet.

    The destination reads it, or the source writes it: who `asks`. `place` is a reference or a connection point of the
    one that is asked, "" for the next free one; `octets` of data; `interval_ms` None for the fieldbus's usual one, both
    as they are typed; over the first fieldbus that can unless one is named.
    """

    kind: Literal["add-transfer"] = "add-transfer"
    source: RefId
    destination: RefId
    asks: Literal["source", "destination"] = "destination"
    fieldbus: str | None = None
    octets: int | str = 8
    place: str = Field(default="", max_length=20)
    interval_ms: float | str | None = None
    name: str | None = None
    tag: Tag | None = None


class TakeMap(_Edit):
    """A station's register map: exchanges for what none carries yet, a signal for each entry without one."""

    kind: Literal["take-map"] = "take-map"
    station: RefId
    period_ms: float = Field(default=500, ge=1, le=3_600_000)


class SetEach(_Edit):
    """Cells of signals, each with a value of its own, as typed: by id, then by field."""

    kind: Literal["set-each"] = "set-each"
    values: dict[RefId, dict[str, Any]] = Field(min_length=1, max_length=10_000)


class PasteSignals(_Edit):
    """A new signal for each line, its fields by their paths; BOOL unless a type is given."""

    kind: Literal["paste-signals"] = "paste-signals"
    controller: RefId
    rows: list[dict[str, Any]] = Field(min_length=1, max_length=10_000)


class FillDown(_Edit):
    """Fields of the first signal for the others, names and terminals counting on; `link` goes on place by place."""

    kind: Literal["fill-down"] = "fill-down"
    ids: list[RefId] = Field(min_length=2, max_length=5000)
    fields: list[str] = Field(min_length=1, max_length=40)


class Rewrite(_Edit):
    """A piece of a text replaced by another in a field of many signals; letter case aside unless `case`."""

    kind: Literal["rewrite"] = "rewrite"
    ids: list[RefId] = Field(min_length=1, max_length=10_000)
    field: str = Field(max_length=40)
    find: str = Field(min_length=1, max_length=200)
    by: str = Field(max_length=200)
    case: bool = False


class NameSignals(_Edit):
    """Signals named by a pattern: `{designation}`, `{station}`, `{channel}`, `{field}`, `{tag}`, `{n}` and others."""

    kind: Literal["name-signals"] = "name-signals"
    ids: list[RefId] = Field(min_length=1, max_length=10_000)
    pattern: str = Field(min_length=1, max_length=120)
    start: int = Field(default=1, ge=0, le=100_000)


class NameValues(_Edit):
    """A signal for each value that the file of a device names and that has none: of a station with all its modules, of
    a module, or of an exchange. They are called by `prefix`, the device's name unless given, and by the value's; if
    `structured`, they are members of one variable that is called by the prefix."""

    kind: Literal["name-values"] = "name-values"
    of: RefId
    prefix: str = Field(default="", max_length=60)
    structured: bool = False


class StructureMember(_Edit):
    """A member of a structure; `was` is what it was called before, "" for a new one."""

    name: str = Field(min_length=1, max_length=64)
    type: str = Field(min_length=1, max_length=120)
    unit: str = Field(default="", max_length=200)
    note: str = Field(default="", max_length=2000)
    was: str = Field(default="", max_length=64)


class SetStructure(_Edit):
    """Declare a structure, or change one (`of`) with every variable that is of it.

    Members that are not named by any `was` are removed, with the signals they are in each variable.
    """

    kind: Literal["set-structure"] = "set-structure"
    of: RefId | None = None
    name: str = Field(min_length=1, max_length=64)
    members: list[StructureMember] = Field(max_length=500)
    tag: Tag | None = None


class RenameVariable(_Edit):
    """Rename a variable of a controller, or a part of one, with all that is within it."""

    kind: Literal["rename-variable"] = "rename-variable"
    controller: RefId
    name: str = Field(min_length=1, max_length=200)
    by: str = Field(min_length=1, max_length=200)


class AddSignals(_Edit):
    """A run of signals with a counting pattern, linked to consecutive places if one is given.

    `pattern` holds `{n}` or `{n:02}`; `start` and `step` count. `place`/`key` is the first place; `stride` how
    many places it is to the next one, as many as a signal takes unless given (registers: 2 for a 32-bit value).
    A `type` that is a structure or an array gives a signal for each of its values.
    """

    kind: Literal["add-signals"] = "add-signals"
    controller: RefId
    pattern: str = Field(min_length=1, max_length=120)
    start: int = Field(default=1, ge=-100000, le=100000)
    step: int = Field(default=1, ge=-1000, le=1000)
    count: int = Field(default=1, ge=1, le=2000)
    type: str = "BOOL"
    unit: str = ""
    note: str = ""
    place: RefId | None = None
    key: str | None = None
    stride: int | None = Field(default=None, ge=1, le=512)
    scaling: dict[str, Any] | None = None
    tag: Tag | None = None


class AddProgram(_Edit):
    """A program of a controller in Structured Text, in a task or (without one) in its slowest."""

    kind: Literal["add-program"] = "add-program"
    controller: RefId
    name: str | None = Field(default=None, max_length=64)
    task: RefId | None = None
    text: str = Field(default="", max_length=1_100_000)
    tag: Tag | None = None


class AddAxis(_Edit):
    """An axis of a controller with a chain to begin with: a motor, what makes its way of turns, a load."""

    kind: Literal["add-axis"] = "add-axis"
    controller: RefId
    axis: Literal["linear", "rotary", "endless", "speed"] = "linear"
    name: str | None = Field(default=None, max_length=64)
    drive: RefId | None = None
    tag: Tag | None = None


class AddRobot(_Edit):
    """A robot of a controller, of a type. `joints` says by arm or wrist what is to be it: an axis that is there, or a
    drive of which one is made, as the type asks."""

    kind: Literal["add-robot"] = "add-robot"
    controller: RefId
    robot: str = Field(max_length=40)
    name: str | None = Field(default=None, max_length=64)
    joints: dict[Literal["arm1", "arm2", "arm3", "wrist"], RefId] = Field(default_factory=dict)
    tag: Tag | None = None


class MeetType(_Edit):
    """All axes of a robot as its type asks, or only `keys` of that; each one's own encoder offset stays."""

    kind: Literal["meet-type"] = "meet-type"
    robot: RefId
    keys: list[Annotated[str, Field(max_length=40)]] = Field(default_factory=list, max_length=20)


class AddSafetyFunction(_Edit):
    """A safety function of a controller that has a safe part, without parts yet."""

    kind: Literal["add-safety-function"] = "add-safety-function"
    controller: RefId
    name: str | None = Field(default=None, max_length=64)
    tag: Tag | None = None


class AddSafetyPart(_Edit):
    """A sensor or an actuator of a safety function: its kind, what it is wired to, what it is of the plant.

    Without a `key` it is wired to the first pair of the module that nothing is wired to.
    """

    kind: Literal["add-safety-part"] = "add-safety-part"
    function: RefId
    role: Literal["sensor", "actuator"]
    block: str = Field(max_length=40)
    name: str | None = Field(default=None, max_length=64)
    place: RefId | None = None
    key: str = Field(default="", max_length=40)
    device: RefId | None = None
    tag: Tag | None = None


class AddScanner(_Edit):
    """An area scanner of a controller, of a type, without zones yet; `station` is what it speaks by."""

    kind: Literal["add-scanner"] = "add-scanner"
    controller: RefId
    scanner: str = Field(max_length=40)
    name: str | None = Field(default=None, max_length=64)
    station: RefId | None = None
    tag: Tag | None = None


class AddZone(_Edit):
    """A zone of a scanner, under the next letter; without a shape a sector in front of it."""

    kind: Literal["add-zone"] = "add-zone"
    scanner: RefId
    zone: Literal["protective", "warning"] = "protective"
    shape: dict[str, Any] | None = None
    tag: Tag | None = None


class TraceZone(_Edit):
    """A zone along what the scanner sees: up to `margin_mm` before the surroundings, and no further than `reach_mm`."""

    kind: Literal["trace-zone"] = "trace-zone"
    zone: RefId
    margin_mm: float = Field(ge=0, le=5000, allow_inf_nan=False)
    reach_mm: float = Field(gt=0, le=100_000, allow_inf_nan=False)


class AddSituation(_Edit):
    """A situation of a scanner, selected by the next input alone."""

    kind: Literal["add-situation"] = "add-situation"
    scanner: RefId
    name: str | None = Field(default=None, max_length=64)
    tag: Tag | None = None


class AddPlanShape(_Edit):
    """A hazard, a wall, a guard or a line by which somebody comes; a hazard of one situation, or of all."""

    kind: Literal["add-plan-shape"] = "add-plan-shape"
    scanner: RefId
    shape: Literal["hazard", "wall", "guard", "open"]
    points: list[Any] = Field(max_length=500)
    situation: RefId | None = None
    tag: Tag | None = None


class UseZone(_Edit):
    """The zone that an output of a scanner answers to in a situation, instead of the one it had; None for none."""

    kind: Literal["use-zone"] = "use-zone"
    situation: RefId
    output: int = Field(ge=1, le=16)
    zone: RefId | None = None


class Reading(BaseModel):
    """What was measured of a stop: of which speed, load, direction, how it was started, with what instrument."""

    model_config = ConfigDict(extra="forbid")

    readings_ms: list[Annotated[float, Field(le=600_000, allow_inf_nan=False)]] = Field(max_length=1000)
    speed: str = Field(default="", max_length=80)
    load: str = Field(default="", max_length=80)
    direction: str = Field(default="", max_length=80)
    started_by: str = Field(default="", max_length=80)
    instrument: str = Field(default="", max_length=200)


class Tried(BaseModel):
    """A place where a test piece was held, mm, and whether it was seen."""

    model_config = ConfigDict(extra="forbid")

    x: float = Field(allow_inf_nan=False)
    y: float = Field(allow_inf_nan=False)
    seen: bool


class Walked(BaseModel):
    """Where an output of a scanner was tried in a situation, with a test piece of `piece_mm`."""

    model_config = ConfigDict(extra="forbid")

    output: int = Field(ge=1, le=16)
    piece_mm: float = Field(ge=1, le=1000, allow_inf_nan=False)
    places: list[Tried] = Field(max_length=2000)


class AddProof(_Edit):
    """A record: a stop time measured of an axis or an actuator (ten readings at least), a test of a sensor, a part that
    was replaced, a fault that was tried (`fault` is the key of the plan), a situation of a scanner that was walked.
    `at` is the day, ISO 8601."""

    kind: Literal["add-proof"] = "add-proof"
    of: RefId
    what: Literal["stop-time", "test", "replaced", "walk", "fault"]
    where: Literal["bench", "site"] = "site"
    at: str = Field(max_length=10)
    by: str = Field(max_length=80)
    result: Literal["", "passed", "failed"] = ""
    note: str = Field(default="", max_length=400)
    stop: Reading | None = None
    walk: Walked | None = None
    fault: str = Field(default="", max_length=40)
    tag: Tag | None = None


class VoidProof(_Edit):
    """A record does not hold, and why; it stays where it is."""

    kind: Literal["void-proof"] = "void-proof"
    id: RefId
    reason: str = Field(max_length=400)


class NameParts(_Edit):
    """A safe signal for each pair that the parts of a safety function, or of all functions a scanner is a sensor of,
    are wired to and that has none. `pattern` holds `{part}`, `{function}`, `{scanner}`, `{output}`."""

    kind: Literal["name-parts"] = "name-parts"
    of: RefId
    pattern: str = Field(default="{part}", min_length=1, max_length=120)


class UseSignal(_Edit):
    """The signal that resets, starts or stops a safety function, or is an actuator's feedback; None for no more."""

    kind: Literal["use-signal"] = "use-signal"
    of: RefId
    role: str = Field(max_length=40)
    signal: RefId | None = None


class NameScanner(_Edit):
    """Signals for what of a scanner has none yet: for its inputs that select, for its enable, or for its outputs that
    no safe input reads. `pattern` holds `{scanner}`, `{n}`, `{situation}`, `{zone}`; from `place` and `key` on they are
    linked to channels that are free."""

    kind: Literal["name-scanner"] = "name-scanner"
    scanner: RefId
    what: Literal["select", "enable", "output"]
    pattern: str = Field(min_length=1, max_length=120)
    place: RefId | None = None
    key: str | None = Field(default=None, max_length=80)


class AddCommandProfile(_Edit):
    """A profile made from a base, to be used for as many axes as there are."""

    kind: Literal["add-command-profile"] = "add-command-profile"
    base: str = Field(max_length=40)
    name: str | None = Field(default=None, max_length=64)
    tag: Tag | None = None


class NameWords(_Edit):
    """The words of an axis's drive as signals, by a profile: those that are there are taken, others made.

    Without a profile one of the usual base of its drive's network is taken, or made. `optional` words as well.
    """

    kind: Literal["name-words"] = "name-words"
    axis: RefId
    profile: RefId | None = None
    base: str | None = Field(default=None, max_length=40)
    optional: bool = False


class WriteMoveProgram(_Edit):
    """A program that enables an axis and goes a kept move whenever it is told to, with the signals that tell it."""

    kind: Literal["write-move-program"] = "write-move-program"
    move: RefId
    tag: Tag | None = None


class AddChainLink(_Edit):
    """A link in an axis's chain, before another one; without one where its kind usually stands."""

    kind: Literal["add-chain-link"] = "add-chain-link"
    axis: RefId
    link: Literal["motor", "stepper", "gear", "screw", "belt", "pinion", "wheel", "load"]
    before: RefId | None = None
    tag: Tag | None = None


class AddMove(_Edit):
    """A move of an axis behind its last."""

    kind: Literal["add-move"] = "add-move"
    axis: RefId
    name: str | None = Field(default=None, max_length=64)
    goes: Literal["relative", "absolute"] = "relative"
    tag: Tag | None = None


class PutBefore(_Edit):
    """A link, or a move, to another place of its axis: before another one, or behind the last."""

    kind: Literal["put-before"] = "put-before"
    id: RefId
    before: RefId | None = None


class ListHeading(_Edit):
    """A column of a list: its heading, and the key of what it holds ("" for one that is not looked at)."""

    text: str = Field(max_length=200)
    key: str = Field(max_length=20)


class ListRow(_Edit):
    """A line of a list: which row of its file, and its cells as they stand under the headings."""

    row: int = Field(ge=1, le=2_000_000)
    cells: list[Annotated[str, Field(max_length=5000)]] = Field(max_length=100)


class ListIssue(_Edit):
    """An issue of a list, to be compared with the plant.

    `of` is the list whose new issue it is, None for one that is new; `controller` has the signals of new lines, which
    are called by the pattern `names`. `apart` are pairs that look like one signal renamed and are not. With `again`,
    what was left of earlier issues is asked about once more.
    """

    of: RefId | None = None
    name: str = Field(min_length=1, max_length=200)
    controller: RefId | None = None
    names: str = Field(default="{tag}", max_length=120)
    headings: list[ListHeading] = Field(min_length=1, max_length=100)
    rows: list[ListRow] = Field(max_length=10_000)
    apart: list[str] = Field(default=[], max_length=10_000)
    again: bool = False


class TakeList(ListIssue):
    """An issue of a list taken into the plant, difference by difference, by the ids that comparing it tells.

    What is neither taken nor left is asked about the next time.
    """

    kind: Literal["take-list"] = "take-list"
    taken: list[str] = Field(default=[], max_length=200_000)
    left: list[str] = Field(default=[], max_length=200_000)


class WantedLink(_Edit):
    """A link as a table has it; `order` None for the usual one. With `keeps_scaling` that is left as it is."""

    place: RefId
    key: str = Field(min_length=1, max_length=40)
    order: str | None = Field(default=None, max_length=4)
    scaling: dict[str, Any] | None = None
    keeps_scaling: bool = False


class WantedSignal(_Edit):
    """A signal as a table has it: its fields by path, and its links, None for those it has."""

    controller: RefId
    name: str = Field(min_length=1, max_length=200)
    values: dict[str, Any] = Field(default={}, max_length=40)
    links: list[WantedLink] | None = Field(default=None, max_length=100)


class TakeSignals(_Edit):
    """Signals made or changed as a table, or declarations, from outside have them."""

    kind: Literal["take-signals"] = "take-signals"
    signals: list[WantedSignal] = Field(min_length=1, max_length=10_000)


class ScaleLink(_Edit):
    """Scale a link over its channel's counts, or take its scaling away."""

    kind: Literal["scale"] = "scale"
    link: RefId
    scaled: bool = True


class MeasuredPoint(_Edit):
    """A count as it was read, and the value it really stood for; both may be as typed."""

    raw: float | str
    value: float | str


class Calibrate(_Edit):
    """A link's scaling put right by two measured points: its ends get the values on the line through them."""

    kind: Literal["calibrate"] = "calibrate"
    link: RefId
    points: list[MeasuredPoint] = Field(min_length=2, max_length=2)


class LinkSignal(_Edit):
    """Link a signal to a place; the links it had are replaced, or the one given `instead`, or none (`also`)."""

    kind: Literal["link"] = "link"
    signal: RefId
    place: RefId
    key: str = Field(min_length=1, max_length=40)
    scaling: dict[str, Any] | None = None
    instead: RefId | None = None
    also: bool = False


class SetBuilt(_Edit):
    """What really stands there: fields of stations' devices, networks' media, modules behind stations, as built."""

    kind: Literal["set-built"] = "set-built"
    ids: list[RefId] = Field(min_length=1, max_length=5000)
    values: dict[str, Any] = Field(min_length=1, max_length=200)


class KeepInDevice(_Edit):
    """What was set in a device for good over its network: values as the device has them, by dotted path."""

    kind: Literal["keep-in-device"] = "keep-in-device"
    id: RefId
    values: dict[str, Any] = Field(min_length=1, max_length=200)


class DriveCopies(_Edit):
    """What of an axis stands in its drive: `write` parameters of the project into it, `take` them from it, `save` what
    was written, `restart` it. Without `keys` all of them."""

    kind: Literal["drive-copies"] = "drive-copies"
    axis: RefId
    do: Literal["write", "take", "save", "restart"]
    keys: list[str] = Field(default=[], max_length=40)


class ScannerFromDevice(_Edit):
    """A scanner becomes as its device has it: how it is set up, its situations and zones."""

    kind: Literal["scanner-from-device"] = "scanner-from-device"
    scanner: RefId


class SwapBuiltModules(_Edit):
    """Two modules behind a device change places as built."""

    kind: Literal["swap-built-modules"] = "swap-built-modules"
    first: RefId
    second: RefId


class AddBuiltDevice(_Edit):
    """A device on a network's medium that the plant does not know, with the modules plugged behind it, in order."""

    kind: Literal["add-built-device"] = "add-built-device"
    network: RefId
    address: str = ""
    type: str = ""
    name: str = ""
    modules: list[str] = Field(default_factory=list, max_length=256)
    tag: Tag | None = None


class AsConfigured(_Edit):
    """What was said as built of stations, networks or devices is forgotten; of everything where none is named.

    `what` modules forgets only which modules are behind them.
    """

    kind: Literal["as-configured"] = "as-configured"
    ids: list[RefId] = Field(default_factory=list, max_length=5000)
    what: Literal["all", "modules"] = "all"


class Batch(_Edit):
    """Edits that happen together or not at all."""

    kind: Literal["batch"] = "batch"
    edits: list[Edit] = Field(min_length=1, max_length=500)


Edit = Annotated[
    SetFields
    | AddTypes
    | ChangeType
    | SetSpare
    | AddController
    | InsertModules
    | MoveModules
    | MoveStations
    | ReplaceModule
    | Duplicate
    | Replicate
    | Paste
    | Remove
    | AddNetwork
    | AddStation
    | OnNetwork
    | AddClosingCable
    | AddConnection
    | AddExchange
    | AddWatch
    | TakeMap
    | AddTransfer
    | AddSignals
    | NameValues
    | AddPorts
    | SetEach
    | PasteSignals
    | FillDown
    | Rewrite
    | NameSignals
    | SetStructure
    | RenameVariable
    | AddProgram
    | AddAxis
    | AddRobot
    | MeetType
    | AddSafetyFunction
    | AddSafetyPart
    | AddScanner
    | AddZone
    | TraceZone
    | AddSituation
    | AddPlanShape
    | UseZone
    | ScannerFromDevice
    | AddProof
    | NameParts
    | NameScanner
    | VoidProof
    | UseSignal
    | AddCommandProfile
    | NameWords
    | WriteMoveProgram
    | AddChainLink
    | AddMove
    | PutBefore
    | LinkSignal
    | TakeList
    | TakeSignals
    | ScaleLink
    | Calibrate
    | SetBuilt
    | KeepInDevice
    | DriveCopies
    | SwapBuiltModules
    | AddBuiltDevice
    | AsConfigured
    | Batch,
    Field(discriminator="kind"),
]
Clip.model_rebuild()
Paste.model_rebuild()
Batch.model_rebuild()
