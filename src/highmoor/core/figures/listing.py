"""All figures by name: the one list behind the command line, the API and the documentation."""

from __future__ import annotations

from fractions import Fraction
from typing import Any

from highmoor.core.errors import Refusal
from highmoor.core.figures import cip, ethercat, profinet
from highmoor.core.figures.contract import (
    Answer,
    Figure,
    boolean,
    list_of,
    not_negative,
    number,
    numbers,
    optional_not_negative,
    optional_number,
    optional_whole,
    points,
    some,
    text,
    whole,
)
from highmoor.core.figures.io_link import cycle_time_ms, extracted
from highmoor.core.figures.modbus_reference import AREAS, parse_reference
from highmoor.core.figures.modbus_rtu import Polled, asked_quantity, character, function_of, poll, transaction
from highmoor.core.figures.motion.listing import MOTION_FIGURES
from highmoor.core.figures.path_time import Delay, path_time
from highmoor.core.figures.power import Draw, feed_in_places, first_short, remaining_after
from highmoor.core.figures.profibus_cycle import Exchanged, cycle_ms
from highmoor.core.figures.profibus_identifier import identifier_sizes, parse_hex
from highmoor.core.figures.registers import decoded, ranked
from highmoor.core.figures.safety.listing import SAFETY_FIGURES
from highmoor.core.figures.scaling import error_budget, rooted, scaled, tabled, unscaled
from highmoor.core.numbers import plain


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


def _ethercat_frame(datagram_data_octets: list[Fraction]) -> Answer:
    if not datagram_data_octets:
        raise Refusal("No datagram is given.")
    octets = [whole(each, "datagram_data_octets") for each in map(plain, datagram_data_octets)]
    frames = ethercat.packed(octets)
    wire = sum(frame.wire_octets for frame in frames)
    return {"frames": len(frames), "wire_octets": wire, "time_us": wire * ethercat.US_AN_OCTET}


def _ethercat_wkc(devices: list[dict[str, bool]]) -> Answer:
    return {"lrw": ethercat.lrw_counter((one["inputs"], one["outputs"]) for one in devices)}


def _profinet_frame(data_unit: int) -> Answer:
    wire = profinet.frame_octets(data_unit)
    return {"wire_octets": wire, "time_us": wire * profinet.US_AN_OCTET}


def _profinet_name(name: str) -> Answer:
    problem = profinet.name_problem(name)
    return {"valid": not problem, "problem": problem, "offer": name if not problem else profinet.mended_name(name)}


def _iolink_cycle_time(octet: int) -> Answer:
    return {"ms": cycle_time_ms(octet)}


def _iolink_extract(octets: str, bit_offset: int, bit_length: int, signed: bool) -> Answer:
    return {"value": extracted(parse_hex(octets), bit_offset, bit_length, signed=signed)}


def _profibus_identifier(octets: str) -> Answer:
    sizes = identifier_sizes(parse_hex(octets))
    return {"in_octets": sizes.in_octets, "out_octets": sizes.out_octets, "consistent": sizes.consistent}


def _profibus_cycle(baud: Fraction, stations: list[dict[str, int]]) -> Answer:
    typical, worst = cycle_ms(baud, [Exchanged(**station) for station in stations])
    return {"typical_ms": typical, "worst_ms": worst}


def _scale(raw: Fraction, **ends: Any) -> Answer:
    return {"value": scaled(raw, **ends)}


def _unscale(value: Fraction, **ends: Any) -> Answer:
    return {"raw": unscaled(value, **ends)}


def _square_root(raw: Fraction, **given: Any) -> Answer:
    return {"value": rooted(raw, **given)}


def _table(x: Fraction, points: list[tuple[Fraction, Fraction]]) -> Answer:
    return {"value": tabled(x, points)}


def _error_budget(span: Fraction, sensor_percent: Fraction, module_percent: Fraction) -> Answer:
    return {"error": error_budget(span, sensor_percent, module_percent)}


def _path_time(hops: list[dict[str, Any]]) -> Answer:
    typical, worst = path_time(Delay(**hop) for hop in hops)
    return {"typical_ms": typical, "worst_ms": worst}


def _quantity(case: dict[str, Any]) -> dict[str, Fraction | None]:
    return {key: case.get(key) for key in ("count", "read_count", "write_count")}


def _rtu_transaction(**case: Any) -> Answer:
    on = character(case["baud"], case["data_bits"], case["parity"], case["stop_bits"])
    function = function_of(case["function"])
    quantity = asked_quantity(function, _quantity(case))
    told = transaction(on, function, quantity, case["reply_delay_ms"], broadcast=case["broadcast"])
    return {
        "request_octets": told.request_octets,
        "response_octets": told.response_octets,
        "silent_ms": on.silent_ms,
        "time_ms": told.time_ms,
    }


def _rtu_poll(requests: list[dict[str, Any]], **line: Any) -> Answer:
    on = character(**line)
    asked = []
    for case in requests:
        function = function_of(case["function"])
        told = transaction(on, function, asked_quantity(function, _quantity(case)), case["reply_delay_ms"])
        asked.append(Polled(told, case["period_ms"], case["timeout_ms"], case["retries"]))
    found = poll(asked)
    return {
        "cycle_ms": found.cycle_ms,
        "utilisation": found.utilisation,
        "cycle_one_dead_ms": found.cycle_one_dead_ms,
    }


def _eip_packet(data_octets: int, *, run_idle_header: bool) -> Answer:
    told = cip.packet(data_octets, run_idle_header=run_idle_header)
    return {
        "wire_octets": told.wire_octets,
        "connection_size": told.connection_size,
        "large_open": told.large_open,
    }


def _eip_load(connections: list[dict[str, Any]]) -> Answer:
    to, ot = (
        [
            cip.stream(c[f"{way}_octets"], c[f"rpi_{way}_ms"], run_idle_header=c[f"{way}_header"])
            for c in connections
        ]
        for way in ("to", "ot")
    )  # fmt: skip
    return {
        "packets_per_s": cip.packets_per_s([*to, *ot]),
        "to_mbit_s": cip.mbit_s(to),
        "ot_mbit_s": cip.mbit_s(ot),
    }


def _eip_timeout(rpi_ms: Fraction, at_least_ms: Fraction) -> Answer:
    multiplier = cip.timeout_multiplier(rpi_ms, at_least_ms)
    return {"multiplier": multiplier, "timeout_ms": rpi_ms * multiplier}


def _cip_path(class_id: int, instance_id: int, attribute_id: int | None) -> Answer:
    return {"octets": cip.spelled(cip.path(class_id, instance_id, attribute_id))}


def _decode_registers(registers: list[Fraction], type: str) -> Answer:  # noqa: A002
    if len(registers) != 2:
        raise Refusal(f"Two registers are expected, not {len(registers)}.")
    for value in registers:
        if value.denominator != 1 or not 0 <= value <= 0xFFFF:
            raise Refusal(f"A register holds 0–65535, not {plain(value)}.", value=plain(value))
    return dict(decoded(int(registers[0]), int(registers[1]), type))


def _rank_orders(
    samples: list[tuple[Fraction, Fraction]],
    type: str,  # noqa: A002
    low: Fraction | None,
    high: Fraction | None,
) -> Answer:
    if not 0 < len(samples) <= _SAMPLES_AT_MOST:
        raise Refusal(f"Between 1 and {_SAMPLES_AT_MOST} samples are expected, not {len(samples)}.")
    for value in (register for pair in samples for register in pair):
        if value.denominator != 1 or not 0 <= value <= 0xFFFF:
            raise Refusal(f"A register holds 0–65535, not {plain(value)}.", value=plain(value))
    pairs = [(int(first), int(second)) for first, second in samples]
    ends = (None if end is None else float(end) for end in (low, high))
    told, best = ranked(pairs, type, *ends)
    orders = [
        {"order": one.order, "plausible_percent": 100 * one.plausible, "jump_percent": 100 * one.jump} for one in told
    ]
    return {"orders": orders, "best": best}


_SAMPLES_AT_MOST = 1000
_COUNTS = {"count": optional_number, "read_count": optional_number, "write_count": optional_number}
_LINE = {"baud": number, "data_bits": number, "parity": text, "stop_bits": number}
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
            "modbus-rtu-transaction",
            "Octets and time of one request and its response on a serial line",
            {**_LINE, "function": number, **_COUNTS, "reply_delay_ms": number, "broadcast": boolean},
            _rtu_transaction,
        ),
        Figure(
            "modbus-rtu-poll",
            "Poll cycle and utilisation of a serial line, with all alive and with any one silent",
            {
                **_LINE,
                "requests": list_of(
                    {
                        "function": number,
                        **_COUNTS,
                        "reply_delay_ms": number,
                        "period_ms": number,
                        "timeout_ms": number,
                        "retries": whole,
                    }
                ),
            },
            _rtu_poll,
        ),
        Figure(
            "eip-packet",
            "Octets on the wire and connection size of a class 1 packet",
            {"data_octets": whole, "run_idle_header": boolean},
            _eip_packet,
        ),
        Figure(
            "eip-load",
            "Packets and bandwidth of cyclic connections",
            {
                "connections": list_of(
                    {
                        "to_octets": whole,
                        "to_header": boolean,
                        "ot_octets": whole,
                        "ot_header": boolean,
                        "rpi_to_ms": number,
                        "rpi_ot_ms": number,
                    }
                )
            },
            _eip_load,
        ),
        Figure(
            "eip-timeout",
            "Smallest time-out multiplier that gives at least so long",
            {"rpi_ms": number, "at_least_ms": number},
            _eip_timeout,
        ),
        Figure(
            "cip-path",
            "Logical segments of a class, instance and attribute",
            {"class_id": whole, "instance_id": whole, "attribute_id": optional_whole},
            _cip_path,
        ),
        Figure(
            "ethercat-frame",
            "Frames, octets on the wire and time of datagrams in order",
            {"datagram_data_octets": numbers},
            _ethercat_frame,
        ),
        Figure(
            "ethercat-wkc",
            "Working counter that a datagram comes back with",
            {"devices": list_of({"inputs": some, "outputs": some})},
            _ethercat_wkc,
        ),
        Figure(
            "decode-registers",
            "A 32-bit value in two registers, in all four orders",
            {"registers": numbers, "type": text},
            _decode_registers,
        ),
        Figure(
            "rank-orders",
            "Which of the four orders 32-bit values one after the other are likely read in",
            {"samples": points, "type": text, "low": optional_number, "high": optional_number},
            _rank_orders,
        ),
        Figure(
            "iolink-cycle-time",
            "Milliseconds of an IO-Link cycle time octet",
            {"octet": whole},
            _iolink_cycle_time,
        ),
        Figure(
            "iolink-extract",
            "A field of IO-Link process data, counted from the lowest bit of the last octet",
            {"octets": text, "bit_offset": whole, "bit_length": whole, "signed": boolean},
            _iolink_extract,
        ),
        Figure(
            "profibus-identifier",
            "Octets each way that a PROFIBUS configuration identifier asks for",
            {"octets": text},
            _profibus_identifier,
        ),
        Figure(
            "profibus-cycle",
            "Typical and worst cycle of a PROFIBUS DP master with its stations",
            {"baud": number, "stations": list_of({"in_octets": whole, "out_octets": whole})},
            _profibus_cycle,
        ),
        Figure(
            "profinet-frame",
            "Octets on the wire and time of a frame with so large a data unit",
            {"data_unit": whole},
            _profinet_frame,
        ),
        Figure("profinet-name", "Whether a text is a name of a station", {"name": text}, _profinet_name),
        Figure("scale", "Raw count to engineering value", {"raw": number, **_ENDS}, _scale),
        Figure("unscale", "Engineering value to raw count", {"value": number, **_ENDS}, _unscale),
        Figure(
            "square-root",
            "Raw count to a flow, by the root of the differential pressure",
            {"raw": number, "raw_lo": number, "raw_hi": number, "lo": number, "hi": number, "cutoff_percent": number},
            _square_root,
        ),
        Figure("table", "Value by a table of points, straight between them", {"x": number, "points": points}, _table),
        Figure(
            "error-budget",
            "What a measurement errs by, of sensor and module",
            {"span": number, "sensor_percent": number, "module_percent": number},
            _error_budget,
        ),
        Figure(
            "path-time",
            "Typical and worst delay along a path",
            {"hops": list_of({"period_ms": not_negative, "transit_ms": not_negative, "synchronised": boolean})},
            _path_time,
        ),
        *MOTION_FIGURES,
        *SAFETY_FIGURES,
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
