"""Modbus: octets against an independent implementation, references, sizes and times by hand."""

from __future__ import annotations

from itertools import pairwise
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pymodbus.pdu import DecodePDU
from pymodbus.pdu.bit_message import ReadCoilsResponse, WriteMultipleCoilsRequest
from pymodbus.pdu.register_message import (
    ReadHoldingRegistersRequest,
    ReadHoldingRegistersResponse,
    WriteMultipleRegistersRequest,
)

from highmoor.core.bench.clock import VirtualClock
from highmoor.core.errors import Refusal
from highmoor.core.figures.modbus_functions import EXCHANGED, request_pdu_octets, response_pdu_octets
from highmoor.core.networks.line import Line
from highmoor.core.networks.modbus.functions import entered_address, written_address
from highmoor.core.networks.modbus.layout import layout
from highmoor.core.networks.modbus.pdu import (
    ModbusError,
    Request,
    decode_request,
    decode_response,
    encode_exception,
    encode_request,
    encode_response,
)
from highmoor.core.networks.modbus.server import RegisterServer, pack, unpack
from highmoor.core.networks.modbus_tcp.frame import PDU_AT_MOST, Frame
from highmoor.core.networks.modbus_tcp.live import TcpServer
from highmoor.core.networks.modbus_tcp.timing import timing, wire_octets
from highmoor.core.plant.rows import Connection, Exchange, Network, Station


@st.composite
def requests(draw: Any) -> Request:
    function = draw(st.sampled_from(list(EXCHANGED.values())))
    count = draw(st.integers(1, function.at_most))
    address = draw(st.integers(0, 65536 - count))
    data = b""
    if function.direction == "out":
        pieces = 2 if function.code == 22 else count
        values = draw(st.lists(st.integers(0, 65535 if function.bits == 16 else 1), min_size=pieces, max_size=pieces))
        data = pack(values, function)
    if function.writes_at_most:
        values = draw(st.lists(st.integers(0, 65535), min_size=1, max_size=function.writes_at_most))
        at = draw(st.integers(0, 65536 - len(values)))
        return Request(function, address, count, pack(values, function), at)
    return Request(function, address, count, data)


@given(requests(), st.binary(min_size=250, max_size=250))
def test_what_is_encoded_is_decoded_and_has_the_size_computed(request: Request, noise: bytes) -> None:
    unit = encode_request(request)
    assert decode_request(unit) == request
    writes = len(request.data) // 2 if request.function.writes_at_most else 0
    assert len(unit) == request_pdu_octets(request.function, request.count, writes)
    data = noise[: request.function.data_octets(request.count)] if request.function.direction == "in" else b""
    response = encode_response(request, data)
    assert decode_response(request, response) == data
    assert len(response) == response_pdu_octets(request.function, request.count)
    frame = Frame(7, 3, unit)
    assert Frame.decode(frame.encode()) == frame


def test_octets_agree_with_another_implementation() -> None:
    def theirs(message: Any) -> bytes:
        return bytes([message.function_code]) + message.encode()

    read = Request(EXCHANGED[3], 107, 3)
    assert encode_request(read) == theirs(ReadHoldingRegistersRequest(address=107, count=3))
    words = [0x022B, 0, 0x0064]
    assert encode_response(read, pack(words, EXCHANGED[3])) == theirs(ReadHoldingRegistersResponse(registers=words))
    write = Request(EXCHANGED[16], 1, 2, pack([10, 258], EXCHANGED[16]))
    assert encode_request(write) == theirs(WriteMultipleRegistersRequest(address=1, registers=[10, 258]))
    bits = [True, False, True, True, False, False, True, True, True, False]
    coils = Request(EXCHANGED[15], 19, 10, pack([int(b) for b in bits], EXCHANGED[15]))
    assert encode_request(coils) == theirs(WriteMultipleCoilsRequest(address=19, bits=bits))
    answer = encode_response(Request(EXCHANGED[1], 19, 10), pack([int(b) for b in bits], EXCHANGED[1]))
    assert answer[:1] + answer[1:] == theirs(ReadCoilsResponse(bits=bits))
    decoded = DecodePDU(True).decode(encode_request(write))
    assert (decoded.address, decoded.registers) == (1, [10, 258])


@given(st.sampled_from([1, 2, 3, 4]), st.lists(st.integers(0, 1), min_size=1, max_size=60))
def test_packing_is_its_own_inverse(code: int, values: list[int]) -> None:
    function = EXCHANGED[code]
    assert unpack(pack(values, function), function, len(values)) == values


@given(st.binary(max_size=270))
def test_a_server_answers_any_octets_with_a_frame_or_not_at_all(octets: bytes) -> None:
    server = TcpServer(RegisterServer(1, present={4: range(10)}), VirtualClock())
    for sent in (octets, Frame(1, 1, octets[:253]).encode()):
        answer = server.answer(sent)
        if answer is not None:
            assert Frame.decode(answer).transaction == Frame.decode(sent).transaction


@pytest.mark.parametrize(
    ("unit", "code"),
    [
        (b"\x63\x00\x00\x00\x01", 1),
        (b"\x03\x00\x00\x00\x7e", 3),
        (b"\x03\x00\x00\x00\x00", 3),
        (b"\x03\xff\xff\x00\x02", 2),
        (b"\x05\x00\x00\x12\x34", 3),
        (b"\x10\x00\x00\x00\x02\x03\x00\x00\x00", 3),
        (b"\x03\x00\x08\x00\x03", 2),
    ],
)
def test_a_server_refuses_with_the_exception_the_standard_names(unit: bytes, code: int) -> None:
    answer = TcpServer(RegisterServer(1, present={4: range(10)}), VirtualClock()).answer(Frame(5, 255, unit).encode())
    assert answer is not None
    assert Frame.decode(answer).pdu == encode_exception(unit[0], code)


def test_an_exception_and_a_wrong_answer_are_told_apart() -> None:
    request = Request(EXCHANGED[4], 0, 2)
    with pytest.raises(ModbusError, match="illegal data address"):
        decode_response(request, b"\x84\x02")
    with pytest.raises(ModbusError, match="3 octets of data, 4 were asked"):
        decode_response(request, b"\x04\x03\x00\x00\x00")


@pytest.mark.parametrize(
    ("typed", "code", "address"),
    [("40101", 3, 100), ("400101", 3, 100), ("30001", 4, 0), ("@40101", 3, 40101), ("100", 3, 100), ("16#64", 16, 100),
     ("0x64", 3, 100), ("00017", 1, 16), ("465536", 6, 65535)],
)  # fmt: skip
def test_an_address_as_manuals_write_it(typed: str, code: int, address: int) -> None:
    assert entered_address(typed, EXCHANGED[code]) == address


@pytest.mark.parametrize(
    ("typed", "says"),
    [("30001", "names input registers"), ("40000", "counts 0"), ("@65536", "0 to 65535"), ("x", "not a number"),
     ("1.5", "whole number")],
)  # fmt: skip
def test_an_address_that_is_none(typed: str, says: str) -> None:
    with pytest.raises(Refusal, match=says):
        entered_address(typed, EXCHANGED[3])


def test_all_three_notations_stand_together() -> None:
    assert written_address(100, EXCHANGED[3]) == "40101 · holding register 101 · address 100 = 16#0064"


def exchange(**settings: Any) -> Exchange:
    direction: Any = EXCHANGED[settings.get("function", 4)].direction
    return Exchange(settings.pop("id", "x1"), "k1", "Read", direction, "V", settings=settings)


LINE = Line(Station("s1", "n1", "Skid", "generic.modbus-tcp", "V"), Connection("k1", "s1", "V"), ())


def test_sizes_on_the_wire() -> None:
    # 7 MBAP + 5 PDU + 20 TCP + 20 IP + 38 = 90; nothing is below 84.
    assert wire_octets(5) == 90
    assert wire_octets(2 + 18) == 105
    assert wire_octets(0) == 85
    wire = layout(exchange(function=4, address=8, count=9), LINE)
    assert (wire.octets, wire.what, wire.reference) == (18, "read 9 registers", "30009")
    assert wire.pieces[8].label == "30017"
    coils = layout(exchange(function=1, address=0, count=10), LINE)
    assert (coils.octets, coils.pieces[9].bit) == (2, 9)


def test_transactions_wait_for_one_another_on_one_connection() -> None:
    """Two requests due together, 8 ms each way of thinking: the second begins when the first is answered."""
    first = exchange(id="x1", function=4, count=9, period_ms=200)
    second = exchange(id="x2", function=16, count=3, period_ms=500)
    station = Station("s1", "n1", "Skid", "generic.modbus-tcp", "V", settings={"reply_ms": 8})
    line = Line(station, Connection("k1", "s1", "V"), (first, second))
    told = timing(Network("n1", "modbus-tcp", "Utilities", "V"), [line])
    by_id = {e.exchange: e for e in told.exchanges}
    # 90 octets out, 8 ms, 105 octets back, at 80 ns an octet.
    assert by_id["x1"].transaction_ms == pytest.approx(8 + (90 + 105) * 80e-6)
    assert by_id["x2"].worst_late_ms == pytest.approx(by_id["x1"].transaction_ms)
    assert told.lanes[0].utilisation == pytest.approx(
        by_id["x1"].transaction_ms / 200 + by_id["x2"].transaction_ms / 500
    )
    assert told.load == pytest.approx((195 * 8 * 5 + (wire_octets(12) + 90) * 8 * 2) / 100e6)
    blocks = told.lanes[0].blocks
    assert all(one.end_ms <= other.start_ms + 1e-9 for one, other in pairwise(blocks))


def test_a_mask_keeps_and_sets_bits() -> None:
    """The example of Modbus Application Protocol 1.1b3, 6.16: 12 masked by F2 and 25 is 17."""
    server = RegisterServer(0)
    server.areas[4][4] = 0x0012
    request = Request(EXCHANGED[22], 4, 1, bytes.fromhex("00F2 0025"))
    assert encode_request(request).hex(" ").upper() == "16 00 04 00 F2 00 25"
    assert server.answer_unit(encode_request(request)) == encode_request(request)
    assert server.areas[4].get(4, 0) == 0x0017


def test_writing_and_reading_in_one() -> None:
    """The example of Modbus Application Protocol 1.1b3, 6.17."""
    server = RegisterServer(0)
    for n, value in enumerate((0x00FE, 0x0ACD, 1, 3, 13, 0x00FF)):
        server.areas[4][3 + n] = value
    request = Request(EXCHANGED[23], 3, 6, bytes.fromhex("00FF 00FF 00FF"), 14)
    asked = "17 00 03 00 06 00 0E 00 03 06 00 FF 00 FF 00 FF"
    assert encode_request(request).hex(" ").upper() == asked
    answer = server.answer_unit(encode_request(request))
    assert answer.hex(" ").upper() == "17 0C 00 FE 0A CD 00 01 00 03 00 0D 00 FF"
    assert [server.areas[4].get(n, 0) for n in (14, 15, 16)] == [255, 255, 255]
    # What is read may be what has just been written.
    same = Request(EXCHANGED[23], 14, 1, bytes.fromhex("1234"), 14)
    assert decode_response(same, server.answer_unit(encode_request(same))).hex() == "1234"


@pytest.mark.parametrize(
    "octets",
    [
        "", "00", "0001 0000 0002 01", "0001 0001 0002 01 03", "0001 0000 0003 01 03", "0001 0000 0001 01 03",
        "0001 0000 00FF 01" + " 00" * 254,
    ],
)  # fmt: skip
def test_what_is_no_frame_is_a_failure_of_the_server(octets: str) -> None:
    """MODBUS Messaging on TCP/IP 1.0b, 3.1.3: seven octets of header, protocol 0, its length the unit and the PDU."""
    with pytest.raises(ModbusError) as refused:
        Frame.decode(bytes.fromhex(octets))
    assert refused.value.code == 4


def test_the_longest_and_the_shortest_frame_are_read() -> None:
    for pdu in (b"\x07", bytes(PDU_AT_MOST)):
        assert Frame.decode(Frame(7, 1, pdu).encode()) == Frame(7, 1, pdu)
