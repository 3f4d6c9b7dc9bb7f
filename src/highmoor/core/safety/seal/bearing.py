"""Which fields of which tables bear on safety, and why the others do not.

Every field of every table of the plant is told here, and a test holds that. A field that bears is part of the seal
where its row has to do with a safety function; what bears only by what follows from it (the time of a telegram, by the
response) is not, since what follows is sealed as well. Where something names another row, the seal has that row's
natural path.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Bears:
    """A field that bears; of a JSON field only `keys`, where they are given, the others not, for `otherwise`."""

    why: str
    keys: frozenset[str] = frozenset()
    otherwise: str = ""


@dataclass(frozen=True, slots=True)
class Free:
    """A field that does not bear."""

    why: str


Bearing = Bears | Free
_ID = Free("a number of this program's own")
_RANK = Free("an order on the screen")
_NOTE = Free("words for people")
_OWNER = Bears("by its natural path")
_NOT_SAFETY = Free("nothing of safety is made of it; what follows from it is sealed by the response told")


def _keys(why: str, otherwise: str, *keys: str) -> Bears:
    return Bears(why, frozenset(keys), otherwise)


def _free(why: str, *names: str) -> dict[str, Bearing]:
    return dict.fromkeys(names, Free(why))


def _yes(**why: str) -> dict[str, Bearing]:
    return {name: Bears(reason) for name, reason in why.items()}


def _usual(*more: str) -> dict[str, Bearing]:
    """What nearly every table has."""
    known: dict[str, Bearing] = {"id": _ID, "rank": _RANK, "note": _NOTE}
    return {name: known[name] for name in ("id", *more)}


_PLACE = "where it is found in drawings; its place on the rail is in its path"
_TIME = "it bears by the response told"

BEARING: Mapping[str, Mapping[str, Bearing]] = {
    "facts": {**_usual("note"), **_free("how the plant is called", "name")},
    "types": _free(
        "a type is sealed where it is used, by its key: that has the file's SHA-256 and its reader's version",
        "id", "key", "device", "sha256", "reader", "file", "rank", "note",
    ),
    "spares": _free("what lies in stock", "id", "type", "count", "note"),
    "controllers": {
        **_usual("rank", "note"),
        **_yes(name="the seal is of this controller", type="what its safe part is", firmware="what its safe part runs"),
        **_free(_PLACE, "designation", "location"),
        "settings": _keys(
            "what its safe part runs by", "nothing of the safe part",
            "safe_cycle_ms", "safe_longest_ms", "safe_warning_ms", "safe_watchdog_ms", "stop_time_months",
        ),
    },
    "ports": _free(_TIME, "id", "device", "key", "rank", "method", "address", "mask", "gateway"),
    "tasks": _free("the safe part has a period of its own", "id", "controller", "name", "rank", "period_ms",
                   "execution_ms"),
    "rails": _free("a module's place on it is in the module's path", "id", "head", "name", "rank", "places",
                   "settings"),
    "modules": {
        **_usual("note"),
        "rail": _OWNER,
        "rank": Bears("where slots follow from the order: by its path"),
        "slot": Bears("by its path"),
        **_yes(type="what it is", revision="which firmware it has to have", identity="which other one would be taken",
               settings="how its pairs are evaluated"),
        **_free(_PLACE, "designation", "location"),
        **_free("where its octets lie is told to the plain program alone", "pin_in", "pin_out"),
    },
    "networks": _free(_TIME, "id", "kind", "name", "rank", "port", "note", "settings"),
    "stations": {
        **_usual("rank", "note"),
        "network": Free(_TIME),
        **_yes(name="by its path", type="what it is", address="which device is meant"),
        **_free(_TIME, "upstream", "partner", "socket", "entry"),
        **_free(_PLACE, "designation", "location"),
        "settings": _keys("whether it takes part", _TIME, "parked"),
    },
    "closing_cables": _free(_TIME, "id", "network", "one", "rank", "other", "one_socket", "other_socket", "settings"),
    "connections": _free(_TIME, "id", "station", "rank", "settings"),
    "exchanges": _free("what comes over it plainly is information only; " + _TIME, "id", "connection", "name",
                       "direction", "rank", "pin_in", "pin_out", "settings"),
    "structures": _free("safe variables are no part of one", "id", "name", "rank", "shape", "note"),
    "signals": {
        **_usual("rank", "note"),
        "controller": _OWNER,
        **_yes(name="the safe part names it", type="whether it is safe", initial="what it begins with"),
        **_free("for lists and people", "unit", "tag", "area", "wiring"),
        **_free("the safe part has a period of its own", "asked_ms", "task"),
    },
    "programs": _free("plain programs only restrict", "id", "controller", "name", "rank", "task", "text", "note"),
    "links": {
        "id": _ID,
        "signal": _OWNER,
        **_yes(place="where its value lies", key="where its value lies", access="whether it is read or written",
               way="where its value lies", end="where its value lies", member="which of its bits"),
        **_free("a safe value is one bit", "order", "scaling"),
    },
    "lists": _free("what came from design", "id", "name", "rank", "controller", "names", "columns"),
    "list_lines": _free("what came from design", "id", "list", "rank", "signal", "values", "left"),
    "command_profiles": _free("plain commands; a safe stop does without them", "id", "name", "base", "rank",
                              "settings", "note"),
    "robots": _free("what it does plainly", "id", "controller", "name", "rank", "type", "note", "settings"),
    "axes": {
        **_usual("rank", "note"),
        "controller": _OWNER,
        **_yes(name="by its path", kind="what moves", unit="what its ramps are counted in",
               drive="whose torque is taken", key="which output of that"),
        **_free("a safe stop does without it", "profile", "robot", "arm"),
        "settings": _keys(
            "how it stops, and from what speed", "where it goes, not how it stops",
            "speed", "acceleration", "deceleration", "quick_ramp",
        ),
    },
    "functions": {
        **_usual("rank", "note"),
        "controller": _OWNER,
        **_yes(name="by its path", asked="what the risk asks for", asked_ms="what the risk asks for",
               settings="how it stops and starts again"),
    },
    "scanners": {
        **_usual("rank", "note"),
        "controller": _OWNER,
        **_yes(name="by its path", type="what it is", device="which device it is", settings="how it is set up"),
    },
    "situations": {
        **_usual("rank"),
        "scanner": _OWNER,
        **_yes(name="by its path", select="what selects it", settings="how long before motion"),
    },
    "zones": {
        **_usual("rank"),
        "scanner": _OWNER,
        **_yes(letter="by its path", kind="whether it shuts off", settings="its shape"),
    },
    "plan_shapes": {
        **_usual("rank"),
        "scanner": _OWNER,
        **_yes(kind="what it is", situation="when it is dangerous", settings="where it is"),
    },
    "zone_uses": {
        **_usual("rank"),
        "situation": _OWNER,
        **_yes(output="by its path", zone="which zone switches it"),
    },
    "safety_parts": {
        **_usual("rank"),
        "function": _OWNER,
        **_yes(role="by its path", name="by its path", block="what it is", place="where it is wired",
               key="where it is wired", device="what it is", settings="how soon and how surely it acts"),
    },
    "uses": {
        **_usual("rank"),
        "of": _OWNER,
        **_yes(signal="which signal resets, starts or feeds back", role="what the signal does"),
    },
    "proofs": _free("a record; the stop time it proves is sealed by what is reckoned with", "id", "of", "kind", "where",
                    "at", "rank", "by", "result", "voided", "data"),
    "seals": _free("a seal", "id", "controller", "at", "rank", "by", "revision", "fingerprint", "data"),
    "chain_links": {
        **_usual("rank"),
        "axis": _OWNER,
        **_yes(kind="what is moved by what", settings="the load that has to stop"),
    },
    "moves": _free("where it goes, not how it stops", "id", "axis", "name", "rank", "kind", "settings"),
    **{
        name: _free("as built is not what is configured", *fields)
        for name, fields in {
            "built_lines": ("id", "network", "rank", "settings"),
            "built_devices": ("id", "network", "rank", "station", "name", "type", "address", "there", "powered",
                              "cable", "rail", "facts", "model", "settings"),
            "built_modules": ("id", "device", "rank", "type", "module", "there", "settings"),
            "built_scanners": ("id", "scanner", "rank", "at", "by", "copy"),
            "built_processes": ("id", "model", "rank", "name", "settings"),
            "built_wires": ("id", "process", "end", "module", "channel", "rank"),
        }.items()
    },
}  # fmt: skip


def bearing_fields(table: str) -> dict[str, Bears]:
    """The fields of a table that bear."""
    return {name: one for name, one in BEARING[table].items() if isinstance(one, Bears)}


def bearing_document() -> str:
    """What a seal is of, table by table, as Markdown."""
    lines = ["# What a seal is of", "",
             "Generated from the declaration itself. What is bold bears on safety: it is sealed where its row has to",
             "do with a safety function."]  # fmt: skip
    for table, fields in BEARING.items():
        lines += ["", f"## {table}", ""]
        for name, one in fields.items():
            if isinstance(one, Free):
                lines.append(f"- {name}: no, {one.why}")
                continue
            lines.append(f"- **{name}**: {one.why}")
            if one.keys:
                lines[-1] += f": {', '.join(sorted(one.keys))}; else no, {one.otherwise}"
    return "\n".join(lines) + "\n"
