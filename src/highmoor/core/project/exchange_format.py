"""A plant as JSON: what is exported, and what is imported after every doubt has been removed.

A file from outside is untrusted: wrong types, unknown references, doubled ids and newer versions are refused with
the place and the reason, and nothing is kept of it. Older versions go through a chain of upgrades.
"""

from __future__ import annotations

import json
import re
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

from pydantic import TypeAdapter, ValidationError

from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.catalogue.pins import pinned_key
from highmoor.core.catalogue.types import Catalogue, DeviceType
from highmoor.core.errors import HighmoorError, Refusal
from highmoor.core.plant.change import Change
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.ranks import is_rank
from highmoor.core.plant.rows import TABLES, BuiltScanner, PinnedType, Seal, Table, row_values, table_of_id
from highmoor.core.plant.sound import row_problem
from highmoor.core.project.scanner_device import held_to_fields
from highmoor.core.project.stored import restored_row

FORMAT = "highmoor-plant"
SCHEMA_VERSION = 14
OCTETS_AT_MOST = 64 * 1024 * 1024
# Ten times a large plant: what is computed of it has to fit into memory as well.
ROWS_AT_MOST = 100_000
_ID = re.compile(r"[a-z][0-9a-z]{1,13}")
_READING = TypeAdapter(DeviceType)
_ADAPTERS = {name: TypeAdapter(table.row) for name, table in TABLES.items()}

_LETTERED = re.compile(r"(f?)(w?)([rob][0-9].*)")


def _parted(row: dict[str, Any]) -> dict[str, Any]:
    key = row.get("key")
    if not isinstance(key, str):
        return row
    if key in ("status", "code", "running", "length", "start"):
        return {**row, "key": "", "way": key, "end": "own"}
    found = _LETTERED.fullmatch(key)
    if found is None:
        return {**row, "way": "data", "end": "own"}
    way, end = ("back" if found[2] else "data"), ("partner" if found[1] else "own")
    return {**row, "key": found[3], "way": way, "end": end}


# Version n → by table, the function that makes a row of version n + 1 of one of version n, on plain JSON.
UPGRADES: dict[int, dict[str, Callable[[dict[str, Any]], dict[str, Any]]]] = {
    # 2: rails stand on remote stations as well.
    1: {"rails": lambda row: {("head" if key == "controller" else key): value for key, value in row.items()}},
    # 3: modules have ports as well.
    2: {"ports": lambda row: {("device" if key == "controller" else key): value for key, value in row.items()}},
    # 4: which way and whose end a link is of no longer stands in letters before its key.
    3: {"links": _parted},
    # 5: the plant as built has tables of its own.
    4: {},
    # 6: rails hang on modules, cables close rings.
    5: {},
    # 7: signals have tags, areas, wiring and an initial value; lists from design; structures.
    6: {},
    # 8: controllers have programs.
    7: {},
    # 9: axes, their chains and moves.
    8: {},
    # 10: robots, and which axes are their arms.
    9: {},
    # 11: safety functions and their parts; what a controller's safe part runs by.
    10: {},
    # 12: records of what was measured, tested and replaced; scanners with zones and situations.
    11: {},
    # 13: seals; walks and faults among the records.
    12: {},
    # 14: what scanners have in themselves.
    13: {},
}


def upgraded_row(table: str, row: Any, version: int) -> Any:
    """A row as an older version wrote it, as this one reads it; also for the journal's entries."""
    for step in range(version, SCHEMA_VERSION):
        upgrade = UPGRADES[step].get(table)
        if upgrade and isinstance(row, dict):
            row = upgrade(row)
    return row


@dataclass(frozen=True, slots=True)
class Fault:
    """What is wrong in a file, and where: a path such as `modules[3].rail`."""

    place: str
    reason: str


class BadFile(HighmoorError):
    """A file that is not taken, with every fault found (at most a hundred)."""

    def __init__(self, faults: list[Fault]) -> None:
        self.faults = faults[:100]
        first = faults[0]
        more = f" (and {len(faults) - 1} more)" if len(faults) > 1 else ""
        super().__init__(f"{first.place}: {first.reason}{more}" if first.place else first.reason + more)


def _bad(place: str, reason: str) -> BadFile:
    return BadFile([Fault(place, reason)])


@dataclass(frozen=True, slots=True)
class PlantFile:
    """A plant with the readings of its own device types, so that it can be understood wherever it goes."""

    plant: Plant
    readings: dict[str, DeviceType]

    @property
    def catalogue(self) -> Catalogue:
        """The built-in types and the file's own."""
        return Catalogue(BUILTIN.types, self.readings.get)


def export_plant(plant: Plant, find: Callable[[str], DeviceType | None] = BUILTIN.find) -> dict[str, Any]:
    """The plant as plain JSON; rows by rank, so that equal plants give equal files. `find` gives its own types."""
    tables = {name: [row_values(row) for row in sorted(plant.tables[name].values(), key=_order)] for name in TABLES}
    readings = {
        pinned.key: _READING.dump_python(found, mode="json")
        for pinned in sorted(plant.tables["types"].values(), key=_order)
        if (found := find(pinned.key)) is not None
    }
    return {"format": FORMAT, "schema": SCHEMA_VERSION, "counter": plant.counter, **tables, "readings": readings}


def export_text(plant: Plant, find: Callable[[str], DeviceType | None] = BUILTIN.find) -> str:
    """The exported plant as indented text."""
    return json.dumps(export_plant(plant, find), ensure_ascii=False, indent=1) + "\n"


def _order(row: Any) -> tuple[str, int, str]:
    return (getattr(row, "rank", ""), len(row.id), row.id)


def parse_plant(octets: bytes) -> PlantFile:
    """A plant and its readings from a file's octets. Raises BadFile with places and reasons."""
    if len(octets) > OCTETS_AT_MOST:
        raise _bad("", f"The file has {len(octets) // 2**20} MB; {OCTETS_AT_MOST // 2**20} MB are allowed.")
    try:
        text = octets.decode("utf-8-sig")
        # Nothing is held twice: a file of the largest size is several times as large once it is taken apart.
        del octets
        data = json.loads(text, parse_constant=_no_constant, object_pairs_hook=_no_doubles)
        del text
    except UnicodeDecodeError as error:
        raise _bad(f"octet {error.start}", "The file is not UTF-8 text.") from None
    except json.JSONDecodeError as error:
        where = f"line {error.lineno}, column {error.colno}"
        raise _bad(where, f"The file is not JSON: {error.msg}.") from None
    except ValueError:
        # Python's own bound on the digits of a number.
        raise _bad("", "The file holds a number of thousands of digits.") from None
    except RecursionError:
        raise _bad("", "The file is nested too deeply.") from None
    return _held_to_fields(plant_file(data))


def _held_to_fields(given: PlantFile) -> PlantFile:
    """The plant with every setting as an edit would have stored it. Raises BadFile for what no edit could."""
    faults: list[Fault] = []
    catalogue, pairs = given.catalogue, {}
    for name, rows in given.plant.tables.items():
        for n, row in enumerate(rows.values()):
            try:
                kept = restored_row(given.plant, catalogue, row)
                if isinstance(kept, BuiltScanner):
                    held_to_fields(given.plant, catalogue, kept)
            except Refusal as refusal:
                faults.append(Fault(f"{name}[{n}].{refusal.field}", refusal.reason))
                if len(faults) >= 100:
                    raise BadFile(faults) from None
                continue
            if isinstance(kept, Seal):
                # Whoever wrote the file may have written this as well.
                kept = replace(kept, data={**kept.data, "brought": True})
            if kept != row:
                pairs[name, row.id] = (row, kept)
    if faults:
        raise BadFile(faults)
    return replace(given, plant=given.plant.patched(Change(pairs)))


def plant_file(data: dict[str, Any]) -> PlantFile:
    """A plant and its readings from JSON that this program wrote. Raises BadFile where it is not whole."""
    plant = _imported(data)
    return PlantFile(plant, _readings(data.get("readings", {}), plant))


def _readings(given: Any, plant: Plant) -> dict[str, DeviceType]:
    """The readings a file brings along; each must be one of the plant's types. Raises BadFile."""
    if not isinstance(given, dict):
        raise _bad("readings", "an object of readings by their keys is expected")
    wanted = {row.key for row in plant.all(PinnedType)}
    found: dict[str, DeviceType] = {}
    faults: list[Fault] = []
    for key, reading in given.items():
        if key not in wanted:
            faults.append(Fault(f"readings.{key[:60]}", "no type of this plant has this reading"))
            continue
        try:
            found[key] = replace(_READING.validate_json(json.dumps(reading)), key=key)
        except (ValidationError, ValueError) as error:
            reason = (
                error.errors(include_url=False)[0]
                if isinstance(error, ValidationError)
                else {"loc": (), "msg": str(error)}
            )
            where = ".".join(str(part) for part in reason["loc"])
            faults.append(Fault(f"readings.{key[:60]}.{where}", str(reason["msg"]).lower()))
        if len(faults) >= 100:
            break
    if faults:
        raise BadFile(faults)
    return found


def _no_constant(name: str) -> float:
    raise _bad("", f"{name} is not a number that JSON knows.")


def _no_doubles(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    result = dict(pairs)
    if len(result) != len(pairs):
        seen: set[str] = set()
        double = next(key for key, _ in pairs if key in seen or seen.add(key))  # type: ignore[func-returns-value]
        raise _bad(double, "The key stands twice in one object.")
    return result


def _imported(data: Any) -> Plant:
    """A plant from plain JSON of this or an older version, which is used up. Raises BadFile."""
    data = _upgraded(_header(data))
    count = sum(len(data[name]) for name in TABLES if isinstance(data.get(name), list))
    if count > ROWS_AT_MOST:
        raise _bad("", f"The file holds {count} objects; {ROWS_AT_MOST} are allowed in a plant.")
    faults: list[Fault] = []
    tables: dict[str, list[Any]] = {}
    for name, table in TABLES.items():
        entries, tables[name] = data.get(name, []), []
        if not isinstance(entries, list):
            faults.append(Fault(name, "a list of objects is expected"))
            continue
        for n, entry in enumerate(entries):
            tables[name].append(row_of(table, entry, f"{name}[{n}]", faults))
            entries[n] = None
            if len(faults) >= 100:
                raise BadFile(faults)
    if not faults:
        _check_whole(data["counter"], tables, faults)
    if faults:
        raise BadFile(faults)
    return Plant.of((row for rows in tables.values() for row in rows), data["counter"])


def _header(data: Any) -> dict[str, Any]:
    if not isinstance(data, dict):
        raise _bad("", "The file is not a plant: an object is expected at the top.")
    if data.get("format") != FORMAT:
        raise _bad("format", f"The file does not say that it is a plant (“{FORMAT}”).")
    version = data.get("schema")
    if isinstance(version, bool) or not isinstance(version, int) or version < 1:
        raise _bad("schema", f"{version!r} is not a schema version.")
    if version > SCHEMA_VERSION:
        raise _bad("schema", f"The file is of version {version}; this program knows up to {SCHEMA_VERSION}. Update it.")
    return data


def _upgraded(data: dict[str, Any]) -> dict[str, Any]:
    version = data["schema"]
    data = {
        name: [upgraded_row(name, row, version) for row in rows]
        if version < SCHEMA_VERSION and name in TABLES and isinstance(rows, list)
        else rows
        for name, rows in data.items()
    }
    unknown = sorted(set(data) - {"format", "schema", "counter", "readings", *TABLES})
    if unknown:
        raise _bad(unknown[0], "This is not a table of a plant.")
    counter = data.get("counter")
    if isinstance(counter, bool) or not isinstance(counter, int) or not 0 <= counter < 2**53:
        raise _bad("counter", f"{counter!r} is not a counter of ids.")
    return data


def row_of(table: Table, entry: Any, place: str, faults: list[Fault]) -> Any:
    """A row from plain JSON; None, with the faults noted, when it is none."""
    if not isinstance(entry, dict):
        faults.append(Fault(place, "an object is expected"))
        return None
    unknown = sorted(set(entry) - set(table.fields))
    if unknown:
        faults.append(Fault(f"{place}.{unknown[0]}", f"{table.name} have no such field"))
        return None
    try:
        row = _ADAPTERS[table.name].validate_json(json.dumps(entry), strict=True)
    except ValidationError as error:
        for problem in error.errors(include_url=False)[:5]:
            where = ".".join(str(part) for part in problem["loc"])
            # What was read as JSON once and cannot be again holds half a character.
            reason = "a text contains half a character" if problem["type"] == "json_invalid" else problem["msg"].lower()
            faults.append(Fault(f"{place}.{where}" if where else place, reason))
        return None
    fault = _row_fault(table, row)
    if fault:
        faults.append(Fault(f"{place}.{fault[0]}", fault[1]))
        return None
    return row


def _row_fault(table: Table, row: Any) -> tuple[str, str] | None:
    if not _ID.fullmatch(row.id) or table_of_id(row.id) is not table:
        return "id", f"{row.id!r} is not an id of {table.name}; they begin with “{table.prefix}”"
    if "rank" in table.fields and not is_rank(row.rank):
        return "rank", f"{row.rank[:40]!r} is not a rank"
    if isinstance(row, PinnedType) and row.key != pinned_key(row.device, row.sha256, row.reader):
        return "key", "the key is not that of this device, file and reader"
    return row_problem(table, row)


def _check_whole(counter: int, tables: dict[str, list[Any]], faults: list[Fault]) -> None:
    owners: dict[str, tuple[str, int]] = {}
    for name, rows in tables.items():
        for n, row in enumerate(rows):
            if row.id in owners:
                other, at = owners[row.id]
                faults.append(Fault(f"{name}[{n}].id", f"{row.id} is the id of {other}[{at}] already"))
            owners[row.id] = (name, n)
            if int(row.id[len(TABLES[name].prefix) :], 36) > counter:
                faults.append(Fault(f"{name}[{n}].id", f"{row.id} lies beyond the counter {counter}"))
    if len(tables["facts"]) != 1:
        faults.append(Fault("facts", "exactly one row is expected"))
    for name, rows in tables.items():
        for n, row in enumerate(rows):
            for field, ref in TABLES[name].refs.items():
                target = getattr(row, field)
                if target is None:
                    continue
                place = f"{name}[{n}].{field}"
                if target not in owners:
                    faults.append(Fault(place, f"there is no {target[:40]} in this file"))
                elif owners[target][0] not in ref.tables:
                    faults.append(Fault(place, f"{target} is of {owners[target][0]}, not of {ref.tables[0]}"))


def json_schema() -> dict[str, Any]:
    """The published JSON Schema of the exchange format."""
    definitions: dict[str, Any] = {}
    properties: dict[str, Any] = {
        "format": {"const": FORMAT},
        "schema": {"const": SCHEMA_VERSION},
        "counter": {"type": "integer", "minimum": 0},
    }
    for name, adapter in _ADAPTERS.items():
        schema = adapter.json_schema(ref_template="#/$defs/{model}")
        schema.pop("$defs", None)
        schema["additionalProperties"] = False
        definitions[schema["title"]] = schema
        properties[name] = {"type": "array", "items": {"$ref": f"#/$defs/{schema['title']}"}}
    reading = _READING.json_schema(ref_template="#/$defs/{model}", mode="serialization")
    definitions.update(reading.pop("$defs", {}))
    definitions[reading["title"]] = reading
    properties["readings"] = {"type": "object", "additionalProperties": {"$ref": f"#/$defs/{reading['title']}"}}
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Highmoor plant",
        "type": "object",
        "required": ["format", "schema", "counter", "facts"],
        "additionalProperties": False,
        "properties": properties,
        "$defs": definitions,
    }
