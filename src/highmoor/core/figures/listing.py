"""All figures by name: the one list behind the command line, the API and the documentation."""

from __future__ import annotations

from fractions import Fraction
from typing import Any

from highmoor.core.errors import Refusal
from highmoor.core.figures.contract import (
    Answer,
    Figure,
    boolean,
    list_of,
    not_negative,
    number,
    optional_not_negative,
    text,
)
from highmoor.core.figures.modbus_reference import AREAS, parse_reference
from highmoor.core.figures.path_time import Delay, path_time
from highmoor.core.figures.power import Draw, feed_in_places, first_short, remaining_after
from highmoor.core.figures.profibus_identifier import identifier_sizes, parse_hex
from highmoor.core.figures.scaling import scaled, unscaled


def _power_walk(supply_ma: Fraction, feed_ma: Fraction, modules: list[dict[str, Any]]) -> Answer:
    draws = [Draw(**module) for module in modules]
    remaining = remaining_after(supply_ma, draws)
    places = feed_in_places(supply_ma, feed_ma, draws)
    return {
        "remaining_ma": remaining,
        "first_short": first_short(remaining),
        "feed_ins_needed": None if places is None else len(places),
    }


def _modbus_reference(text: str) -> Answer:
    reference = parse_reference(text)
    return {
        "area": reference.area,
        "number": reference.number,
        "address": reference.address,
        "area_name": AREAS[reference.area],
    }


def _profibus_identifier(octets: str) -> Answer:
    sizes = identifier_sizes(parse_hex(octets))
    return {"in_octets": sizes.in_octets, "out_octets": sizes.out_octets, "consistent": sizes.consistent}


def _scale(raw: Fraction, **ends: Any) -> Answer:
    return {"value": scaled(raw, **ends)}


def _unscale(value: Fraction, **ends: Any) -> Answer:
    return {"raw": unscaled(value, **ends)}


def _path_time(hops: list[dict[str, Any]]) -> Answer:
    typical, worst = path_time(Delay(**hop) for hop in hops)
    return {"typical_ms": typical, "worst_ms": worst}


_ENDS = {"raw_lo": number, "raw_hi": number, "lo": number, "hi": number, "clamp": boolean}

FIGURES: dict[str, Figure] = {
    figure.name: figure
    for figure in (
        Figure(
            "power-walk",
            "Internal supply left after each module of a rail, and the feed-ins it needs",
            {
                "supply_ma": not_negative,
                "feed_ma": not_negative,
                "modules": list_of({"draw_ma": not_negative, "feeds_ma": optional_not_negative}),
            },
            _power_walk,
        ),
        Figure(
            "modbus-reference", "Area, number and 0-based address of a reference", {"text": text}, _modbus_reference
        ),
        Figure(
            "profibus-identifier",
            "Octets each way that a PROFIBUS configuration identifier asks for",
            {"octets": text},
            _profibus_identifier,
        ),
        Figure("scale", "Raw count to engineering value", {"raw": number, **_ENDS}, _scale),
        Figure("unscale", "Engineering value to raw count", {"value": number, **_ENDS}, _unscale),
        Figure(
            "path-time",
            "Typical and worst delay along a path",
            {"hops": list_of({"period_ms": not_negative, "transit_ms": not_negative, "synchronised": boolean})},
            _path_time,
        ),
    )
}


def answer(name: str, case: Any) -> dict[str, Any]:
    """A figure's answer, or why it is refused."""
    try:
        return FIGURES[name].compute(case)
    except Refusal as refusal:
        return {"refused": refusal.reason}
    except (OverflowError, ValueError):
        return {"refused": "The numbers are beyond what can be computed."}
