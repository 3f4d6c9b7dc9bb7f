"""The figures of safety with their contracts."""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction
from typing import Any, TypeVar

from highmoor.core.errors import Refusal
from highmoor.core.figures.contract import (
    Answer,
    Figure,
    boolean,
    list_of,
    number,
    numbers,
    optional_number,
    read_object,
    text,
)
from highmoor.core.figures.safety.distance import ORIENTATIONS, scanner_distance
from highmoor.core.figures.safety.failures import LEVELS, FailingPart, reached, t10d_years, two_channels
from highmoor.core.figures.safety.pair import PairRule, Wave, strip
from highmoor.core.figures.safety.response import ResponsePart, response_ms
from highmoor.core.figures.safety.stop_time import stop_time

T = TypeVar("T", bound=str)


def _one_of(known: Sequence[T], value: str, path: str) -> T:
    for one in known:
        if one == value:
            return one
    raise Refusal(f"{path}: one of {', '.join(known)} is expected, not “{value[:40]}”.", value=value)


def _channel(value: Any, path: str) -> dict[str, Any]:
    return read_object(value, {"on": boolean, "edges_ms": numbers}, path)


def _safety_response(parts: list[dict[str, Any]]) -> Answer:
    return {"sfrt_ms": response_ms([ResponsePart(part["wcdt_ms"], part["watchdog_ms"]) for part in parts])}


def _scanner_distance(
    orientation: str, height_mm: Fraction, resolution_mm: Fraction, response_ms: Fraction, tolerance_mm: Fraction
) -> Answer:
    way = _one_of(ORIENTATIONS, orientation, "orientation")
    found = scanner_distance(way, height_mm, resolution_mm, response_ms / 1000, tolerance_mm)
    return {"minimum_distance_mm": found.mm, "rule": found.rule}


def _stop_time(readings_ms: list[Fraction]) -> Answer:
    found = stop_time(readings_ms)
    return {"value_ms": found.value_ms, "mean_ms": found.mean_ms, "s_ms": found.deviation_ms}


def _pfh_level(parts: list[dict[str, Any]]) -> Answer:
    found = reached([
        FailingPart(part["pfh"], _one_of(LEVELS, part["level"], f"parts[{place}].level"))
        for place, part in enumerate(parts)
    ])  # fmt: skip
    return {"sum": found.sum, "at_least": found.at_least, "level": found.level}


def _two_channel_pfh(
    b10d: Fraction, n_per_h: Fraction, dc: Fraction, beta: Fraction, t1_h: Fraction, t2_h: Fraction
) -> Answer:
    return {"pfh": two_channels(b10d, n_per_h, dc, beta, t1_h, t2_h), "t10d_years": t10d_years(b10d, n_per_h)}


def _pair_strip(
    antivalent: bool, discrepancy_ms: Fraction, held: bool, both_off: bool, by_hand: bool, delay_ms: Fraction,
    window_ms: Fraction, first: dict[str, Any], second: dict[str, Any], acknowledged_ms: list[Fraction],
) -> Answer:  # fmt: skip
    rule = PairRule(discrepancy_ms, antivalent, held, both_off, by_hand)
    one, two = (Wave(channel["on"], tuple(channel["edges_ms"])) for channel in (first, second))
    found = strip(rule, one, two, acknowledged_ms, delay_ms, window_ms)
    waves = {"first": found.first, "second": found.second, "value": found.value, "fault": found.fault}
    told = {name: {"on": wave.on, "edges_ms": list(wave.edges)} for name, wave in waves.items()}
    return {**told, "differs_ms": [list(pair) for pair in found.differs], "longest_ms": found.longest}


SAFETY_FIGURES: tuple[Figure, ...] = (
    Figure(
        "safety-response",
        "Response time of a safety function by its parts and their watchdogs",
        {"parts": list_of({"wcdt_ms": number, "watchdog_ms": optional_number})},
        _safety_response,
    ),
    Figure(
        "scanner-distance",
        "Least distance of a scanner's field from the hazard, ISO 13855:2010",
        {
            "orientation": text, "height_mm": number, "resolution_mm": number, "response_ms": number,
            "tolerance_mm": number,
        },
        _scanner_distance,
    ),
    Figure(
        "stop-time",
        "Stop time by ten readings or more",
        {"readings_ms": numbers},
        _stop_time,
    ),
    Figure(
        "pair-strip",
        "Two channels evaluated as one, over a window of time",
        {
            "antivalent": boolean, "discrepancy_ms": number, "held": boolean, "both_off": boolean, "by_hand": boolean,
            "delay_ms": number, "window_ms": number, "first": _channel, "second": _channel,
            "acknowledged_ms": numbers,
        },
        _pair_strip,
    ),
    Figure(
        "pfh-level",
        "Dangerous failures an hour of all parts, and the level they reach",
        {"parts": list_of({"pfh": optional_number, "level": text})},
        _pfh_level,
    ),
    Figure(
        "two-channel-pfh",
        "Dangerous failures an hour of two alike channels of contacts, and when to replace them",
        {"b10d": number, "n_per_h": number, "dc": number, "beta": number, "t1_h": number, "t2_h": number},
        _two_channel_pfh,
    ),
)  # fmt: skip
