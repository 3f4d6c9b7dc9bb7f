"""The database: accounts' plants and their rows, one model a table of the core, plus the journal.

Rows are keyed `{project}.{id}`, known to the store alone. Only fieldbus-neutral columns exist; what is particular
to a fieldbus is in `settings`. A test walks these models and the core's tables side by side.
"""

from __future__ import annotations

from typing import Any, ClassVar

from django.conf import settings
from django.db import models

ROLES = ("owner", "engineer", "assessor", "reader")


class Project(models.Model):
    """A plant as kept: its current revision and id counter. `key` is what stands in URLs."""

    key = models.CharField(max_length=12, unique=True)
    name = models.CharField(max_length=200)
    revision = models.PositiveBigIntegerField(default=0)
    counter = models.PositiveBigIntegerField(default=0)
    schema_version = models.PositiveIntegerField(default=1)
    created = models.DateTimeField(auto_now_add=True)
    changed = models.DateTimeField(auto_now=True)


class Membership(models.Model):
    """Who may do what with a plant."""

    project = models.ForeignKey(Project, models.CASCADE, related_name="memberships")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="memberships")
    role = models.CharField(max_length=10, choices=[(r, r) for r in ROLES])

    class Meta:
        constraints: ClassVar[list[Any]] = [
            models.UniqueConstraint(fields=["project", "user"], name="one_role_a_member")
        ]


class Entry(models.Model):
    """The journal: one entry a revision, with the Change it made to one document; `of` is the one undone or redone."""

    project = models.ForeignKey(Project, models.CASCADE, related_name="entries")
    revision = models.PositiveBigIntegerField()
    document = models.CharField(max_length=8, default="plant")
    kind = models.CharField(max_length=8, default="edit")
    of = models.PositiveBigIntegerField(null=True)
    author = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True)
    client = models.CharField(max_length=48)
    client_key = models.CharField(max_length=64)
    # What was asked for, as a digest: tells a retry from another edit under the same key.
    asked = models.CharField(max_length=64, default="")
    label = models.CharField(max_length=300)
    mark = models.CharField(max_length=120, default="")
    time = models.DateTimeField(auto_now_add=True)
    schema_version = models.PositiveIntegerField(default=1)
    change = models.JSONField()
    tags = models.JSONField(default=dict)

    class Meta:
        constraints: ClassVar[list[Any]] = [
            models.UniqueConstraint(fields=["project", "revision"], name="one_entry_a_revision"),
            models.UniqueConstraint(fields=["project", "author", "client_key"], name="an_edit_once_a_user"),
        ]


class DescriptionFile(models.Model):
    """A maker's file as it came, by its content; `octets` is null where only its reading came with a plant."""

    sha256 = models.CharField(max_length=64, unique=True)
    name = models.CharField(max_length=200)
    family = models.CharField(max_length=40)
    octets = models.BinaryField(null=True)
    encoding = models.CharField(max_length=40, default="")
    problems = models.JSONField(default=list)
    unknown = models.JSONField(default=list)
    projects: Any = models.ManyToManyField("Project", related_name="files")
    imported = models.DateTimeField(auto_now_add=True)


class StoredReading(models.Model):
    """What one version of a reader made of one device of a file; never changed. `type_key` pins it.

    With a `project` it came with that plant and counts there alone, until the file itself is read here.
    """

    type_key = models.CharField(max_length=300)
    project: Any = models.ForeignKey("Project", models.CASCADE, null=True, related_name="readings")
    sha256 = models.CharField(max_length=64, db_index=True)
    data = models.JSONField()

    class Meta:
        constraints: ClassVar[list[Any]] = [
            models.UniqueConstraint(
                fields=["type_key"], condition=models.Q(project=None), name="one_true_reading_a_type"
            ),
            models.UniqueConstraint(fields=["type_key", "project"], name="one_reading_a_plant"),
        ]


class DevicePassword(models.Model):
    """The password of a device of the bench, salted and hashed; where there is none, its factory one holds.

    It belongs to the bench: neither the plant nor its file, its journal or a view ever has it.
    """

    project = models.ForeignKey(Project, models.CASCADE, related_name="device_passwords")
    # The id of what the device stands for in the plant.
    row = models.CharField(max_length=48)
    hash = models.CharField(max_length=200)

    class Meta:
        constraints: ClassVar[list[Any]] = [
            models.UniqueConstraint(fields=["project", "row"], name="one_password_a_device")
        ]


class Template(models.Model):
    """Something of a plant kept by name, to be placed again in any plant of its owner."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="templates")
    name = models.CharField(max_length=200)
    kind = models.CharField(max_length=20)
    content = models.JSONField()
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints: ClassVar[list[Any]] = [
            models.UniqueConstraint(fields=["owner", "name"], name="one_template_a_name")
        ]


class Row(models.Model):
    """A row of a plant; `key` is `{project}.{id}`."""

    key = models.CharField(max_length=80, primary_key=True)
    project = models.ForeignKey(Project, models.CASCADE)

    class Meta:
        abstract = True


def _owner(target: str) -> Any:
    return models.ForeignKey(target, models.DO_NOTHING)


def _maybe(target: str) -> Any:
    return models.ForeignKey(target, models.DO_NOTHING, null=True)


def _rank() -> Any:
    return models.CharField(max_length=400)


class Cabinet(models.Model):
    """Where a thing is in the plant and what is to be known of it there."""

    designation = models.CharField(max_length=200, default="")
    location = models.CharField(max_length=200, default="")
    note = models.TextField(default="")

    class Meta:
        abstract = True


class Facts(Row):
    name = models.CharField(max_length=200)
    note = models.TextField(default="")


class Controller(Row, Cabinet):
    name = models.CharField(max_length=200)
    type = models.CharField(max_length=200)
    firmware = models.CharField(max_length=40)
    rank = _rank()
    settings = models.JSONField(default=dict)


class Port(Row):
    """`device` names a controller or a module, so it is no foreign key; the core keeps it whole."""

    device = models.CharField(max_length=48)
    name_key = models.CharField(max_length=40)
    rank = _rank()
    method = models.CharField(max_length=10)
    address = models.CharField(max_length=80)
    mask = models.CharField(max_length=80)
    gateway = models.CharField(max_length=80)


class Task(Row):
    controller = _owner("Controller")
    name = models.CharField(max_length=200)
    rank = _rank()
    period_ms = models.FloatField()
    execution_ms = models.FloatField()


class PinnedType(Row):
    type_key = models.CharField(max_length=300)
    device = models.CharField(max_length=200)
    sha256 = models.CharField(max_length=64)
    reader = models.IntegerField()
    file = models.CharField(max_length=200)
    rank = _rank()
    note = models.TextField(default="")


class Spare(Row):
    type = models.CharField(max_length=300)
    count = models.IntegerField()
    note = models.TextField(default="")


class Rail(Row):
    """`head` names a controller or a station, so it is no foreign key; the core keeps it whole."""

    head = models.CharField(max_length=48)
    name = models.CharField(max_length=200)
    rank = _rank()
    places = models.IntegerField()
    settings = models.JSONField(default=dict)


class Module(Row, Cabinet):
    rail = _owner("Rail")
    type = models.CharField(max_length=200)
    rank = _rank()
    slot = models.IntegerField(null=True)
    pin_in = models.IntegerField(null=True)
    pin_out = models.IntegerField(null=True)
    settings = models.JSONField()
    revision = models.CharField(max_length=40, null=True)
    identity = models.CharField(max_length=10, default="compatible")


class Network(Row):
    kind = models.CharField(max_length=40)
    name = models.CharField(max_length=200)
    rank = _rank()
    port = _maybe("Port")
    note = models.TextField(default="")
    settings = models.JSONField()


class Station(Row, Cabinet):
    network = _owner("Network")
    name = models.CharField(max_length=200)
    type = models.CharField(max_length=200)
    rank = _rank()
    address = models.CharField(max_length=80)
    upstream = _maybe("self")
    partner = _maybe("Controller")
    settings = models.JSONField()
    socket = models.IntegerField(null=True)
    entry = models.IntegerField(null=True)


class ClosingCable(Row):
    network = _owner("Network")
    one = models.ForeignKey("Station", models.DO_NOTHING, related_name="+")
    rank = _rank()
    other = _maybe("Station")
    one_socket = models.IntegerField(null=True)
    other_socket = models.IntegerField(null=True)
    settings = models.JSONField()


class Connection(Row):
    station = _owner("Station")
    rank = _rank()
    settings = models.JSONField()


class Exchange(Row):
    connection = _owner("Connection")
    name = models.CharField(max_length=200)
    direction = models.CharField(max_length=3)
    rank = _rank()
    pin_in = models.IntegerField(null=True)
    pin_out = models.IntegerField(null=True)
    settings = models.JSONField()


class Signal(Row):
    controller = _owner("Controller")
    name = models.CharField(max_length=200)
    type = models.CharField(max_length=40)
    rank = _rank()
    unit = models.CharField(max_length=200)
    note = models.TextField(default="")
    asked_ms = models.FloatField(null=True)
    task = _maybe("Task")
    tag = models.CharField(max_length=200)
    area = models.CharField(max_length=200)
    wiring = models.JSONField()
    initial = models.CharField(max_length=200)


class DataStructure(Row):
    name = models.CharField(max_length=200)
    rank = _rank()
    shape = models.JSONField()
    note = models.TextField(default="")


class Program(Row):
    controller = _owner("Controller")
    name = models.CharField(max_length=200)
    rank = _rank()
    task = _maybe("Task")
    text = models.TextField()
    note = models.TextField(default="")


class CommandProfile(Row):
    name = models.CharField(max_length=200)
    base = models.CharField(max_length=40)
    rank = _rank()
    settings = models.JSONField()
    note = models.TextField(default="")


class Robot(Row):
    controller = _owner("Controller")
    name = models.CharField(max_length=200)
    rank = _rank()
    type = models.CharField(max_length=40)
    note = models.TextField(default="")
    settings = models.JSONField()


class Axis(Row):
    """`drive` names a station or a module, so it is no foreign key; the core keeps it whole."""

    controller = _owner("Controller")
    name = models.CharField(max_length=200)
    rank = _rank()
    kind = models.CharField(max_length=20)
    unit = models.CharField(max_length=20)
    drive = models.CharField(max_length=48, null=True)
    output = models.CharField(max_length=40, default="")
    profile = _maybe("CommandProfile")
    note = models.TextField(default="")
    settings = models.JSONField()
    robot = _maybe("Robot")
    arm = models.CharField(max_length=20, default="")


class SafetyFunction(Row):
    controller = _owner("Controller")
    name = models.CharField(max_length=200)
    rank = _rank()
    asked = models.CharField(max_length=20, default="")
    asked_ms = models.FloatField(null=True)
    note = models.TextField(default="")
    settings = models.JSONField()


class Scanner(Row):
    controller = _owner("Controller")
    name = models.CharField(max_length=200)
    rank = _rank()
    type = models.CharField(max_length=40, default="own")
    device = _maybe("Station")
    note = models.TextField(default="")
    settings = models.JSONField()


class Situation(Row):
    scanner = _owner("Scanner")
    name = models.CharField(max_length=200)
    rank = _rank()
    select = models.CharField(max_length=40, default="")
    settings = models.JSONField()


class Zone(Row):
    scanner = _owner("Scanner")
    letter = models.CharField(max_length=8)
    kind = models.CharField(max_length=20)
    rank = _rank()
    settings = models.JSONField()


class PlanShape(Row):
    scanner = _owner("Scanner")
    kind = models.CharField(max_length=20)
    rank = _rank()
    situation = _maybe("Situation")
    settings = models.JSONField()


class ZoneUse(Row):
    situation = _owner("Situation")
    output = models.IntegerField()
    rank = _rank()
    zone = _maybe("Zone")


class SafetyPart(Row):
    """`place` and `device` name rows of more than one table; the core keeps them whole."""

    function = _owner("SafetyFunction")
    role = models.CharField(max_length=20)
    name = models.CharField(max_length=200)
    rank = _rank()
    block = models.CharField(max_length=40, default="")
    place = models.CharField(max_length=48, null=True)
    place_key = models.CharField(max_length=40, default="")
    device = models.CharField(max_length=48, null=True)
    settings = models.JSONField()


class Use(Row):
    """`of` names an axis, a safety function or a part of one."""

    of = models.CharField(max_length=48)
    signal = _owner("Signal")
    role = models.CharField(max_length=40)
    rank = _rank()


class Proof(Row):
    """`of` names an axis, a part of a safety function or a situation of a scanner."""

    of = models.CharField(max_length=48)
    kind = models.CharField(max_length=20)
    where = models.CharField(max_length=20)
    at = models.CharField(max_length=10)
    rank = _rank()
    by = models.CharField(max_length=200, default="")
    result = models.CharField(max_length=20, default="")
    voided = models.TextField(default="")
    data = models.JSONField()


class Seal(Row):
    controller = _owner("Controller")
    at = models.CharField(max_length=20)
    rank = _rank()
    by = models.CharField(max_length=200)
    revision = models.PositiveBigIntegerField()
    fingerprint = models.CharField(max_length=64)
    data = models.JSONField()


class ChainLink(Row):
    axis = _owner("Axis")
    kind = models.CharField(max_length=20)
    rank = _rank()
    settings = models.JSONField()


class Move(Row):
    axis = _owner("Axis")
    name = models.CharField(max_length=200)
    rank = _rank()
    kind = models.CharField(max_length=20)
    settings = models.JSONField()


class Link(Row):
    """`place` names a module or an exchange, so it is no foreign key; the core keeps it whole."""

    signal = _owner("Signal")
    place = models.CharField(max_length=48)
    place_key = models.CharField(max_length=40)
    access = models.CharField(max_length=6)
    member = models.CharField(max_length=200)
    order = models.CharField(max_length=4)
    scaling = models.JSONField(null=True)
    way = models.CharField(max_length=8)
    end = models.CharField(max_length=8)


class IoList(Row):
    name = models.CharField(max_length=200)
    rank = _rank()
    controller = _maybe("Controller")
    names = models.CharField(max_length=200)
    columns = models.JSONField()


class ListLine(Row):
    list = _owner("IoList")
    rank = _rank()
    signal = _maybe("Signal")
    values = models.JSONField()
    left = models.JSONField()


class BuiltLine(Row):
    """What is built names rows of the plant by their plain ids: it outlives them."""

    network = models.CharField(max_length=48)
    rank = _rank()
    settings = models.JSONField()


class BuiltDevice(Row):
    network = models.CharField(max_length=48)
    rank = _rank()
    station = models.CharField(max_length=48)
    name = models.CharField(max_length=200)
    type = models.CharField(max_length=300)
    address = models.CharField(max_length=80)
    there = models.BooleanField()
    powered = models.BooleanField()
    cable = models.BooleanField()
    rail = models.CharField(max_length=10)
    facts = models.JSONField()
    model = models.CharField(max_length=80)
    settings = models.JSONField()


class BuiltModule(Row):
    device = _owner("BuiltDevice")
    rank = _rank()
    type = models.CharField(max_length=300)
    module = models.CharField(max_length=48)
    there = models.BooleanField()
    settings = models.JSONField()


class BuiltScanner(Row):
    scanner = models.CharField(max_length=48)
    rank = _rank()
    at = models.CharField(max_length=20)
    by = models.CharField(max_length=200)
    copy = models.JSONField()


class BuiltProcess(Row):
    model = models.CharField(max_length=80)
    rank = _rank()
    name = models.CharField(max_length=200)
    settings = models.JSONField()


class BuiltWire(Row):
    process = _owner("BuiltProcess")
    end = models.CharField(max_length=80)
    module = models.CharField(max_length=48)
    channel = models.CharField(max_length=40)
    rank = _rank()


# The core's table → its model; column names that differ from the core's fields, because `key` is the row's own.
ROW_MODELS: dict[str, type[Row]] = {
    "facts": Facts,
    "types": PinnedType,
    "spares": Spare,
    "controllers": Controller,
    "ports": Port,
    "tasks": Task,
    "rails": Rail,
    "modules": Module,
    "networks": Network,
    "stations": Station,
    "closing_cables": ClosingCable,
    "connections": Connection,
    "exchanges": Exchange,
    "structures": DataStructure,
    "signals": Signal,
    "programs": Program,
    "links": Link,
    "lists": IoList,
    "list_lines": ListLine,
    "command_profiles": CommandProfile,
    "robots": Robot,
    "axes": Axis,
    "functions": SafetyFunction,
    "scanners": Scanner,
    "situations": Situation,
    "zones": Zone,
    "plan_shapes": PlanShape,
    "zone_uses": ZoneUse,
    "safety_parts": SafetyPart,
    "uses": Use,
    "proofs": Proof,
    "seals": Seal,
    "chain_links": ChainLink,
    "moves": Move,
    "built_lines": BuiltLine,
    "built_devices": BuiltDevice,
    "built_modules": BuiltModule,
    "built_scanners": BuiltScanner,
    "built_processes": BuiltProcess,
    "built_wires": BuiltWire,
}
RENAMED: dict[tuple[str, str], str] = {
    ("ports", "key"): "name_key",
    ("links", "key"): "place_key",
    ("safety_parts", "key"): "place_key",
    ("axes", "key"): "output",
    ("types", "key"): "type_key",
}
# References that may name rows of more than one table, and so are no foreign keys.
LOOSE = frozenset({
    ("links", "place"), ("rails", "head"), ("ports", "device"), ("axes", "drive"), ("safety_parts", "place"),
    ("safety_parts", "device"), ("uses", "of"), ("proofs", "of"),
})  # fmt: skip
