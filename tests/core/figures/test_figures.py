"""Figures against numbers worked by hand, their limit cases and input they must refuse."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from decimal import Decimal
from fractions import Fraction
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

import highmoor
from highmoor.cli import answer
from highmoor.core.figures.listing import FIGURES
from highmoor.core.figures.scaling import scaled, unscaled

ENDS = {"raw_lo": 0, "raw_hi": 30000, "lo": 0, "hi": 3.2, "clamp": False}

FLOW = {"raw_lo": 0, "raw_hi": 30_000, "lo": 0, "hi": 100, "cutoff_percent": 5}
LINE = {"baud": 19200, "data_bits": 8, "parity": "even", "stop_bits": 1}
POLLED = {"period_ms": 200, "timeout_ms": 100, "retries": 1}
CONNECTION = {
    "to_octets": 14, "to_header": False, "ot_octets": 10, "ot_header": True, "rpi_to_ms": 10, "rpi_ot_ms": 20,
}  # fmt: skip
ASKED = {**LINE, "function": 3, "count": 1, "reply_delay_ms": 0, "broadcast": False}


def rail(supply: int, feed: int, *draws: Any) -> dict[str, Any]:
    modules = [d if isinstance(d, dict) else {"draw_ma": d, "feeds_ma": None} for d in draws]
    return {"supply_ma": supply, "feed_ma": feed, "modules": modules}


@pytest.mark.parametrize(
    ("name", "case", "expected"),
    [
        ("power-walk", rail(1000, 500), {"remaining_ma": [], "first_short": None, "feed_ins_needed": 0}),
        # Exactly nothing left is not short.
        ("power-walk", rail(500, 400, 300, 200), {"remaining_ma": [200, 0], "first_short": None, "feed_ins_needed": 0}),
        (
            "power-walk",
            rail(500, 400, 300, 300, 300),
            {"remaining_ma": [200, -100, -400], "first_short": 1, "feed_ins_needed": 2},
        ),
        # A module that draws more than a fresh feed-in gives cannot be helped.
        (
            "power-walk",
            rail(500, 200, 300, 300),
            {"remaining_ma": [200, -100], "first_short": 1, "feed_ins_needed": None},
        ),
        # A feed-in renews the count; its own draw comes out of its own supply; what was left is not carried over.
        (
            "power-walk",
            rail(100, 300, 90, {"draw_ma": 50, "feeds_ma": 300}, 250, 1),
            {"remaining_ma": [10, 250, 0, -1], "first_short": 3, "feed_ins_needed": 1},
        ),
        # A feed-in that cannot even carry itself stays short whatever stands before it.
        (
            "power-walk",
            rail(100, 300, {"draw_ma": 50, "feeds_ma": 40}),
            {"remaining_ma": [-10], "first_short": 0, "feed_ins_needed": None},
        ),
        ("modbus-reference", {"text": "40101"}, {"area": 4, "number": 101, "address": 100}),
        ("modbus-reference", {"text": "465536"}, {"area": 4, "number": 65536, "address": 65535}),
        ("modbus-reference", {"text": "000001"}, {"area": 0, "number": 1, "address": 0}),
        ("modbus-reference", {"text": "19999"}, {"area": 1, "number": 9999, "address": 9998}),
        ("profibus-identifier", {"octets": "00"}, {"in_octets": 0, "out_octets": 0, "consistent": False}),
        ("profibus-identifier", {"octets": "0F"}, {"in_octets": 0, "out_octets": 0, "consistent": False}),
        ("profibus-identifier", {"octets": "11"}, {"in_octets": 2, "out_octets": 0, "consistent": False}),
        ("profibus-identifier", {"octets": "f1"}, {"in_octets": 4, "out_octets": 4, "consistent": True}),
        ("profibus-identifier", {"octets": "E0"}, {"in_octets": 0, "out_octets": 2, "consistent": True}),
        # Special format: outputs' length first, words in one and octets in the other, three maker's octets behind.
        (
            "profibus-identifier",
            {"octets": "C3 0F C3 aa BB cc"},
            {"in_octets": 8, "out_octets": 16, "consistent": False},
        ),
        ("profibus-identifier", {"octets": "C08FC3"}, {"in_octets": 8, "out_octets": 16, "consistent": True}),
        ("profibus-identifier", {"octets": "4F3F"}, {"in_octets": 64, "out_octets": 0, "consistent": False}),
        ("profibus-identifier", {"octets": "80 7F"}, {"in_octets": 0, "out_octets": 128, "consistent": False}),
        ("profibus-identifier", {"octets": "02AABB"}, {"in_octets": 0, "out_octets": 0, "consistent": False}),
        # Token 70, gap 403; idle 37, request 121, answer after 11 or 150, answer 209: 851 and 990 bits.
        (
            "profibus-cycle",
            {"baud": 1_500_000, "stations": [{"in_octets": 10, "out_octets": 2}]},
            {"typical_ms": 0.5673333333333334, "worst_ms": 0.66},
        ),
        # Token 109, gap 1142; idle 76, twice 253 characters, 11 or 800: 6904 and 7693 bits.
        (
            "profibus-cycle",
            {"baud": 12_000_000, "stations": [{"in_octets": 244, "out_octets": 244}]},
            {"typical_ms": 0.5753333333333334, "worst_ms": 0.6410833333333333},
        ),
        # Token 70, gap 203; idle 37, a request without data 66, 11 or 60, the short acknowledgement 11: 398 and 447.
        (
            "profibus-cycle",
            {"baud": 45_450, "stations": [{"in_octets": 0, "out_octets": 0}]},
            {"typical_ms": 8.756875687568757, "worst_ms": 9.834983498349835},
        ),
        ("profibus-cycle", {"baud": 93_750, "stations": []}, {"typical_ms": 2.912, "worst_ms": 2.912}),
        # 48 around and 40 at least; 44 is more than that.
        ("profinet-frame", {"data_unit": 0}, {"wire_octets": 88, "time_us": 7.04}),
        ("profinet-frame", {"data_unit": 40}, {"wire_octets": 88, "time_us": 7.04}),
        ("profinet-frame", {"data_unit": 41}, {"wire_octets": 89, "time_us": 7.12}),
        ("profinet-frame", {"data_unit": 1440}, {"wire_octets": 1488, "time_us": 119.04}),
        *(
            ("profinet-name", {"name": name}, {"valid": True, "offer": name})
            for name in (
                "a",
                "0",
                "bagging-io-1",
                "io.bagging",
                "a" * 63,
                ".".join(["a" * 63] * 3) + "." + "b" * 48,
                "xport-001",
                "port-1",
                "port-0011",
                "port-001-1",
                "io.port-001",
                "1.2.3",
                "1.2.3.4.5",
                "1000.2.3.4",
                "a--b",
            )
        ),
        *(
            ("profinet-name", {"name": name}, {"valid": False, "offer": offer})
            for name, offer in (
                ("", "station"),
                ("Bagging I/O 1", "bagging-i-o-1"),
                ("io_1", "io-1"),
                ("-io", "io"),
                ("io-", "io"),
                ("io.-a", "io.a"),
                ("io..a", "io.a"),
                (".io", "io"),
                ("io.", "io"),
                ("a" * 64, "a" * 63),
                ("port-001", "s-port-001"),
                ("port-001-00012.a", "s-port-001-00012.a"),
                ("0.0.0.0", "s-0.0.0.0"),
                ("999.999.999.999", "s-999.999.999.999"),
                ("Kühlturm", "kuehlturm"),
                ("é", "e"),
                ("٣", "station"),
                (".".join(["a" * 63] * 3) + "." + "b" * 49, ".".join(["a" * 63] * 3)),
            )
        ),
        # 11 bits at 19 200 bit/s: 0.572917 ms a character; 8 + 25 of them, 5 ms of waiting, 3.5 of silence.
        (
            "modbus-rtu-transaction",
            {**LINE, "function": 3, "count": 10, "reply_delay_ms": 5, "broadcast": False},
            {
                "request_octets": 8,
                "response_octets": 25,
                "silent_ms": 2.0052083333333335,
                "time_ms": 25.911458333333332,
            },
        ),
        # Above 19 200 bit/s the silence is fixed, and longer than this device's delay.
        (
            "modbus-rtu-transaction",
            {**LINE, "baud": 44000, "function": 15, "count": 9, "reply_delay_ms": 1, "broadcast": False},
            {"request_octets": 11, "response_octets": 8, "silent_ms": 1.75, "time_ms": 8.25},
        ),
        (
            "modbus-rtu-transaction",
            {**LINE, "baud": 11000, "function": 16, "count": 2, "reply_delay_ms": 500, "broadcast": True},
            {"request_octets": 13, "response_octets": 0, "silent_ms": 3.5, "time_ms": 113},
        ),
        (
            "modbus-rtu-transaction",
            {
                **LINE,
                "baud": 11000,
                "function": 23,
                "read_count": 2,
                "write_count": 3,
                "reply_delay_ms": 0,
                "broadcast": False,
            },
            {"request_octets": 19, "response_octets": 9, "time_ms": 35},
        ),
        # 8N1 has ten bits.
        (
            "modbus-rtu-transaction",
            {
                **LINE,
                "baud": 10000,
                "parity": "none",
                "function": 22,
                "count": 1,
                "reply_delay_ms": 0,
                "broadcast": False,
            },
            {"request_octets": 10, "response_octets": 10, "silent_ms": 3.5, "time_ms": 27},
        ),
        # At 11 000 bit/s a character is 1 ms: 8 + 3.5 + 7 + 3.5 and 8 + 10 + 25 + 3.5; silent: 2·(8 + 100 + 3.5).
        (
            "modbus-rtu-poll",
            {
                **LINE,
                "baud": 11000,
                "requests": [
                    {"function": 3, "count": 1, "reply_delay_ms": 0, **POLLED},
                    {"function": 4, "count": 10, "reply_delay_ms": 10, **POLLED},
                ],
            },
            {"cycle_ms": 68.5, "utilisation": 0.3425, "cycle_one_dead_ms": [269.5, 245]},
        ),
        ("modbus-rtu-poll", {**LINE, "requests": []}, {"cycle_ms": 0, "utilisation": 0, "cycle_one_dead_ms": []}),
        (
            "eip-packet",
            {"data_octets": 0, "run_idle_header": False},
            {"wire_octets": 86, "connection_size": 2, "large_open": False},
        ),
        (
            "eip-packet",
            {"data_octets": 505, "run_idle_header": True},
            {"wire_octets": 595, "connection_size": 511, "large_open": False},
        ),
        (
            "eip-packet",
            {"data_octets": 510, "run_idle_header": False},
            {"wire_octets": 596, "connection_size": 512, "large_open": True},
        ),
        ("eip-packet", {"data_octets": 1448, "run_idle_header": True}, {"wire_octets": 1538}),
        ("eip-load", {"connections": []}, {"packets_per_s": 0, "to_mbit_s": 0, "ot_mbit_s": 0}),
        # 100 + 50 packets/s; (86 + 14)·8·100 and (86 + 4 + 10)·8·50 bit/s.
        ("eip-load", {"connections": [CONNECTION]}, {"packets_per_s": 150, "to_mbit_s": 0.08, "ot_mbit_s": 0.04}),
        ("eip-timeout", {"rpi_ms": 10, "at_least_ms": 100}, {"multiplier": 16, "timeout_ms": 160}),
        ("eip-timeout", {"rpi_ms": 12.5, "at_least_ms": 100}, {"multiplier": 8, "timeout_ms": 100}),
        ("eip-timeout", {"rpi_ms": 0.1, "at_least_ms": 51.2}, {"multiplier": 512, "timeout_ms": 51.2}),
        ("cip-path", {"class_id": 4, "instance_id": 100, "attribute_id": 3}, {"octets": "20 04 24 64 30 03"}),
        ("cip-path", {"class_id": 256, "instance_id": 255, "attribute_id": None}, {"octets": "21 00 00 01 24 FF"}),
        (
            "cip-path",
            {"class_id": 4, "instance_id": 70000, "attribute_id": 300},
            {"octets": "20 04 26 00 70 11 01 00 31 00 2C 01"},
        ),
        (
            "decode-registers",
            {"registers": [0x1122, 0x3344], "type": "UDINT"},
            {"ABCD": 0x11223344, "CDAB": 0x33441122, "BADC": 0x22114433, "DCBA": 0x44332211},
        ),
        ("decode-registers", {"registers": [0x3DCC, 0xCCCD], "type": "REAL"}, {"ABCD": 0.10000000149011612}),
        ("decode-registers", {"registers": [0x7F80, 0], "type": "REAL"}, {"ABCD": None}),
        ("scale", {"raw": 15000, **ENDS}, {"value": 1.6}),
        ("scale", {"raw": 31000, **ENDS, "clamp": True}, {"value": 3.2}),
        ("scale", {"raw": -5, **ENDS, "lo": 10, "hi": -10, "clamp": True}, {"value": 10}),
        ("scale", {"raw": 45000, **ENDS}, {"value": 4.8}),
        # A quarter of the pressure is half of the flow; above the end it goes on: 1.44 gives 1.2.
        *(
            ("square-root", {"raw": raw, **FLOW}, {"value": flow})
            for raw, flow in ((0, 0), (-100, 0), (7500, 50), (30_000, 100), (43_200, 120))
        ),
        # 5 % of the flow is 0.25 % of the pressure, 75 counts; there it is not below the cut-off yet.
        ("square-root", {"raw": 75, **FLOW}, {"value": 5}),
        ("square-root", {"raw": 74, **FLOW, "lo": 20, "hi": 120}, {"value": 20}),
        ("square-root", {"raw": 7500, **FLOW, "lo": 10, "hi": -10, "cutoff_percent": 50}, {"value": 0}),
        ("square-root", {"raw": 7500, **FLOW, "cutoff_percent": 100}, {"value": 0}),
        (
            "square-root",
            {"raw": 2, "raw_lo": 0, "raw_hi": 1, "lo": 0, "hi": 1, "cutoff_percent": 0},
            {"value": 1.4142135623730951},
        ),
        *(
            ("table", {"x": x, "points": [[0, 0], [1, 10], [3, 50]]}, {"value": y})
            for x, y in ((-1, 0), (0, 0), (0.5, 5), (1, 10), (2, 30), (3, 50), (9, 50))
        ),
        ("table", {"x": 1, "points": [[0, 5], [2, 1]]}, {"value": 3}),
        ("table", {"x": 0.5, "points": [[0, 1], [1, 1], [2, 3]]}, {"value": 1}),
        # √(0.3² + 0.4²) is 0.5.
        ("error-budget", {"span": 3.2, "sensor_percent": 0.3, "module_percent": 0.4}, {"error": 0.016}),
        ("error-budget", {"span": -200, "sensor_percent": 0, "module_percent": 0.1}, {"error": 0.2}),
        ("unscale", {"value": 1.6, **ENDS}, {"raw": 15000}),
        # 0.5 of a count goes away from zero, on both sides.
        ("unscale", {"value": 0.5, "raw_lo": 0, "raw_hi": 10, "lo": 0, "hi": 10, "clamp": False}, {"raw": 1}),
        ("unscale", {"value": -0.5, "raw_lo": 0, "raw_hi": 10, "lo": 0, "hi": 10, "clamp": False}, {"raw": -1}),
        ("unscale", {"value": 99, "raw_lo": 100, "raw_hi": 0, "lo": 0, "hi": 10, "clamp": True}, {"raw": 0}),
        ("path-time", {"hops": []}, {"typical_ms": 0, "worst_ms": 0}),
        (
            "path-time",
            {
                "hops": [
                    {"period_ms": 0, "transit_ms": 3, "synchronised": False},
                    {"period_ms": 10, "transit_ms": 0.1, "synchronised": False},
                    {"period_ms": 50, "transit_ms": 0.2, "synchronised": True},
                ]
            },
            {"typical_ms": 8.3, "worst_ms": 13.3},
        ),
    ],
)
def test_worked_by_hand(name: str, case: Any, expected: dict[str, Any]) -> None:
    got = answer(name, json.loads(json.dumps(case), parse_float=Decimal))
    assert {key: got[key] for key in expected} == expected
    assert all(type(got[key]) is type(value) for key, value in expected.items())


@pytest.mark.parametrize(
    ("name", "case"),
    [
        ("power-walk", rail(-1, 0)),
        ("power-walk", rail(1, 1, -1)),
        ("power-walk", rail(1, 1, {"draw_ma": 1, "feeds_ma": -1})),
        ("power-walk", {"supply_ma": 1}),
        ("power-walk", {**rail(1, 1), "supply_ma": True}),
        *(("modbus-reference", {"text": text}) for text in
          ["4101", "4000001", "20001", "40000", "465537", "4 0101", "٤٠١٠١", "", "-40101", "4010a"]),
        ("modbus-reference", {"text": 40101}),
        ("profibus-cycle", {"baud": 31_250, "stations": []}),
        ("profibus-cycle", {"baud": 9600.5, "stations": []}),
        ("profibus-cycle", {"baud": 9600, "stations": [{"in_octets": 245, "out_octets": 0}]}),
        ("profibus-cycle", {"baud": 9600, "stations": [{"in_octets": 0, "out_octets": -1}]}),
        ("profibus-identifier", {"octets": ""}),
        ("profibus-identifier", {"octets": "C3 01"}),
        ("profibus-identifier", {"octets": "1111"}),
        ("profibus-identifier", {"octets": "40"}),
        ("profibus-identifier", {"octets": "1"}),
        ("profibus-identifier", {"octets": "xy"}),
        ("profibus-identifier", {"octets": "C1 0F"}),
        ("profibus-identifier", {"octets": "4F 3F 00"}),
        ("profibus-identifier", {"octets": "11 ,"}),
        *(("modbus-rtu-transaction", {**ASKED, **wrong}) for wrong in (
            {"count": 0}, {"count": 126}, {"count": 1.5}, {"function": 7}, {"function": 6, "count": 2},
            {"data_bits": 7}, {"baud": 0},
            {"baud": -9600}, {"parity": "mark"}, {"stop_bits": 3}, {"reply_delay_ms": -1},
            {"broadcast": True}, {"function": 23}, {"read_count": 1}, {"count": None},
        )),
        ("modbus-rtu-transaction", {**LINE, "function": 23, "read_count": 125, "write_count": 122, "reply_delay_ms": 0,
                                    "broadcast": False}),
        ("modbus-rtu-transaction", {**LINE, "function": 23, "read_count": 1, "write_count": 1, "reply_delay_ms": 0,
                                    "broadcast": True}),
        *(("modbus-rtu-poll", {**LINE, "requests": [{"function": 3, "count": 1, "reply_delay_ms": 0} | POLLED | wrong]})
          for wrong in ({"period_ms": 0}, {"timeout_ms": 0}, {"retries": -1}, {"count": 126})),
        ("eip-packet", {"data_octets": -1, "run_idle_header": False}),
        ("eip-packet", {"data_octets": 1449, "run_idle_header": True}),
        ("eip-packet", {"data_octets": 1.5, "run_idle_header": True}),
        ("eip-load", {"connections": [{**CONNECTION, "rpi_to_ms": 0}]}),
        ("eip-load", {"connections": [{**CONNECTION, "to_octets": 1453}]}),
        ("eip-timeout", {"rpi_ms": 0, "at_least_ms": 100}),
        ("eip-timeout", {"rpi_ms": 0.1, "at_least_ms": 51.3}),
        ("cip-path", {"class_id": 65536, "instance_id": 1, "attribute_id": None}),
        ("cip-path", {"class_id": 1, "instance_id": 1 << 32, "attribute_id": None}),
        ("cip-path", {"class_id": 1, "instance_id": 1, "attribute_id": -1}),
        ("profinet-frame", {"data_unit": -1}),
        ("profinet-frame", {"data_unit": 1441}),
        ("profinet-name", {"name": None}),
        ("decode-registers", {"registers": [1], "type": "DINT"}),
        ("decode-registers", {"registers": [1, 65536], "type": "DINT"}),
        ("decode-registers", {"registers": [1, 2], "type": "INT"}),
        ("scale", {"raw": 1, **ENDS, "raw_hi": 0}),
        ("scale", {"raw": "1", **ENDS}),
        ("square-root", {"raw": 1, **FLOW, "raw_hi": 0}),
        ("square-root", {"raw": 1, **FLOW, "cutoff_percent": -1}),
        ("square-root", {"raw": 1, **FLOW, "cutoff_percent": 101}),
        *(
            ("table", {"x": 1, "points": points})
            for points in ([], [[0, 0]], [[0, 0], [0, 1]], [[1, 0], [0, 1]], [[0, 0], [1, 2], [2, 1]],
                           [[0, 2], [1, 1], [2, 1], [3, 4]], [[0, 0], [1, 1, 1]], "0 0", [[0, "0"], [1, 1]])
        ),
        ("error-budget", {"span": 1, "sensor_percent": -0.1, "module_percent": 0}),
        ("error-budget", {"span": 1, "sensor_percent": 0, "module_percent": -0.1}),
        ("scale", {"raw": 1, **ENDS, "clamp": 1}),
        ("unscale", {"value": 1, **ENDS, "hi": 0}),
        ("path-time", {"hops": [{"period_ms": -1, "transit_ms": 0, "synchronised": False}]}),
        ("path-time", {"hops": {}}),
        ("path-time", []),
        ("scale", {"raw": Decimal("1e999999999"), **ENDS}),
    ],
)  # fmt: skip
def test_refused(name: str, case: Any) -> None:
    got = answer(name, case)
    assert set(got) == {"refused"}
    assert got["refused"]


JSON = st.recursive(
    st.none() | st.booleans() | st.integers() | st.decimals(allow_nan=False) | st.text(max_size=4),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=6), inner, max_size=3),
    max_leaves=6,
)


@given(st.sampled_from(sorted(FIGURES)), st.data())
def test_no_input_makes_a_figure_crash(name: str, data: Any) -> None:
    keys = list(FIGURES[name].shape)
    case = data.draw(JSON | st.fixed_dictionaries(dict.fromkeys(keys, JSON)))
    json.dumps(answer(name, case))


RATIONAL = st.fractions(min_value=-1000, max_value=1000, max_denominator=1000)


@given(st.integers(-40000, 40000), RATIONAL, RATIONAL, st.integers(-30000, 30000), st.integers(-30000, 30000))
def test_unscale_takes_scale_back(raw: int, lo: Fraction, hi: Fraction, raw_lo: int, raw_hi: int) -> None:
    if lo == hi or raw_lo == raw_hi:
        return
    ends = (Fraction(raw_lo), Fraction(raw_hi), lo, hi)
    assert unscaled(scaled(Fraction(raw), *ends, clamp=False), *ends, clamp=False) == raw
    held = scaled(Fraction(raw), *ends, clamp=True)
    assert min(lo, hi) <= held <= max(lo, hi)


@given(
    st.integers(0, 40),
    st.integers(0, 40),
    st.lists(st.tuples(st.integers(0, 50), st.none() | st.integers(0, 40)), max_size=5),
)
def test_fewest_feed_ins_by_trying_all(supply: int, feed: int, modules: list[tuple[int, int | None]]) -> None:
    def short(places: int) -> bool:
        left = supply
        for n, (draw, feeds) in enumerate(modules):
            if places >> n & 1:
                left = feed
            left = (left if feeds is None else feeds) - draw
            if left < 0:
                return True
        return False

    tried = [bin(places).count("1") for places in range(1 << len(modules)) if not short(places)]
    case = rail(supply, feed, *({"draw_ma": d, "feeds_ma": f} for d, f in modules))
    assert answer("power-walk", case)["feed_ins_needed"] == min(tried, default=None)


def run(*args: str, given: str = "") -> tuple[int, Any]:
    environment = {**os.environ, "PYTHONPATH": str(Path(highmoor.__file__).parents[1])}
    command = [sys.executable, "-m", "highmoor.cli", *args]
    done = subprocess.run(command, capture_output=True, text=True, input=given, env=environment)
    return done.returncode, json.loads(done.stdout)


def test_the_command_line_answers_in_json_alone() -> None:
    assert run("compute", "scale", json.dumps({"raw": 15000, **ENDS})) == (0, {"value": 1.6})
    code, refused = run("compute", "scale", "{}")
    assert (code, set(refused)) == (2, {"refused"})
    cases = [{"raw": 0, **ENDS}, {"raw": 1}, 7]
    code, answers = run("compute", "scale", "-", given=json.dumps(cases))
    assert code == 0
    assert answers[0] == {"value": 0}
    assert [set(a) for a in answers[1:]] == [{"refused"}] * 2
    assert run("compute", "scale", "{nope")[0] == 2
    assert run("compute", "nonsense", "{}")[0] == 2
    assert {f["name"] for f in run("compute", "--list")[1]} == set(FIGURES)


@given(st.text(max_size=300) | st.from_regex(r"(port-[0-9]{3}|[0-9a-z.-]{0,250})", fullmatch=True))
def test_a_name_is_always_offered_that_is_one(text: str) -> None:
    told = answer("profinet-name", {"name": text})
    assert answer("profinet-name", {"name": told["offer"]})["valid"]
    assert told["valid"] == (told["offer"] == text) == (not told["problem"])
