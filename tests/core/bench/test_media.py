"""The bench's media: what a frame takes, who hears whom, what two make of a line on which both speak."""

from __future__ import annotations

from collections.abc import Iterable
from random import Random

from hypothesis import given
from hypothesis import strategies as st

from highmoor.core.bench.cabling import Cabling
from highmoor.core.bench.clock import VirtualClock
from highmoor.core.bench.ethernet import Ethernet
from highmoor.core.bench.serial_line import SerialLine
from highmoor.core.figures import cip
from highmoor.core.networks.ethernet_ip.encapsulation import CyclicPacket
from highmoor.core.networks.media import BROADCAST, Datagram, Heard, tcp_octets, udp_octets
from highmoor.core.networks.modbus_rtu.settings import LineSettings

ON = LineSettings("rtu", 19200, "even", 1)


@given(st.integers(0, 1400), st.booleans())
def test_a_cyclic_packet_takes_what_is_told_of_it(octets: int, header: bool) -> None:
    packet = CyclicPacket(1, 1, 1, True if header else None, bytes(octets)).encode()
    assert udp_octets(len(packet)) == cip.packet(octets, run_idle_header=header).wire_octets


def test_messages_by_hand() -> None:
    # IEEE 802.3: 64 octets at least, 8 before and 12 behind; 18 around what IP and TCP add 40 to.
    assert [tcp_octets(n) for n in (0, 6, 7, 1460)] == [84, 84, 85, 1538]
    # What one segment does not hold goes in two, each with its own headers.
    assert tcp_octets(1461) == 1538 + 84
    assert udp_octets(18) == 84
    assert udp_octets(19) == 85


@given(st.data())
def test_who_hangs_together_is_found_whatever_is_pulled(data: st.DataObject) -> None:
    nodes = [f"s{n}" for n in range(data.draw(st.integers(1, 9)))]
    cabling = Cabling()
    above = {node: data.draw(st.sampled_from(["port", *nodes[:n]])) for n, node in enumerate(nodes)}
    for node, upper in above.items():
        cabling.lay(node, upper)
    out = data.draw(st.sets(st.sampled_from(nodes)))
    dark = data.draw(st.sets(st.sampled_from(nodes)))
    for node in nodes:
        cabling.put(node, plugged=node not in out, powered=node not in dark)

    def way(node: str) -> Iterable[str]:
        while node != "port":
            yield node
            node = above[node]

    for node in nodes:
        whole = not any(passed in out or passed in dark for passed in way(node))
        assert cabling.together(node, "port") == whole
        for other in nodes:
            apart = set(way(node)) ^ set(way(other))
            # The cables between them, and those they meet at must have power as well.
            common = next((n for n in way(node) if n in set(way(other))), "port")
            cut = any(n in out or n in dark for n in apart) or common in dark or node in dark or other in dark
            assert cabling.together(node, other) == (not cut)


def test_everybody_hears_a_broadcast_a_group_those_who_joined_and_nobody_over_a_pulled_cable() -> None:
    clock = VirtualClock()
    ethernet = Ethernet(clock)
    for node in "abc":
        ethernet.cabling.lay(node, "port")
    hosts = {node: ethernet.attach(node, f"10.0.0.{n}") for n, node in enumerate(("port", "a", "b", "c"), start=1)}
    heard: list[tuple[str, Datagram, int]] = []
    for node, host in hosts.items():
        host.hear(99, lambda datagram, node=node: heard.append((node, datagram, clock.now_ns)))  # type: ignore[misc]
    hosts["b"].join("239.1.2.3")

    def sent(target: str) -> list[str]:
        heard.clear()
        hosts["port"].send(target, 99, b"12345678901234567890")
        clock.run_until(clock.now_ns + 10_000)
        return [node for node, _, _ in heard]

    assert sent(BROADCAST) == ["a", "b", "c"]
    assert sent("239.1.2.3") == ["b"]
    assert sent("10.0.0.2") == ["a"]
    assert sent("10.0.0.77") == []
    _, datagram, at = (hosts["port"].send("10.0.0.2", 99, bytes(20), 7), clock.run_until(1_000_000), heard[-1])[-1]
    assert (datagram.source, datagram.source_port, datagram.octets) == ("10.0.0.1", 7, bytes(20))
    assert at == 40_000 + 80 * udp_octets(20)
    ethernet.cabling.put("b", plugged=False, powered=True)
    ethernet.cabling.put("c", plugged=True, powered=False)
    assert sent(BROADCAST) == ["a"]
    assert sent("239.1.2.3") == []


def test_the_end_of_a_connection_comes_behind_what_was_sent() -> None:
    clock = VirtualClock()
    ethernet = Ethernet(clock)
    ethernet.cabling.lay("a", "port")
    master, device = ethernet.attach("port", "10.0.0.1"), ethernet.attach("a", "10.0.0.2")
    seen: list[bytes | str] = []
    device.listen(502, lambda end: end.on(seen.append, lambda: seen.append("ended")))
    assert master.connect("10.0.0.2", 503) is None
    end = master.connect("10.0.0.2", 502)
    assert end is not None
    end.send(b"last words")
    end.close()
    clock.run_until(1_000_000)
    assert seen == [b"last words", "ended"]
    assert not end.send(b"more")
    other = master.connect("10.0.0.2", 502)
    assert other is not None
    other.send(b"on its way")
    ethernet.cabling.put("a", plugged=False, powered=True)
    clock.run_until(2_000_000)
    assert seen[2:] == []
    assert not other.whole


def test_two_that_speak_at_once_are_heard_as_one_and_a_quiet_line_carries_what_was_sent() -> None:
    clock = VirtualClock()
    line = SerialLine(clock, Random(1))
    ends = [line.attach() for _ in range(3)]
    heard: list[tuple[int, Heard]] = []
    for n, end in enumerate(ends):
        end.on(lambda what, n=n: heard.append((n, what)))  # type: ignore[misc]
    # 11 bits a character at 19 200 bit/s.
    over = ends[0].transmit(b"\x01\x02", ON)
    assert over == round(2 * 11 / 19200 * 1e9)
    clock.run_until(over)
    assert [(n, what.octets, what.told) for n, what in heard] == [(1, b"\x01\x02", ""), (2, b"\x01\x02", "")]
    heard.clear()
    ends[1].transmit(b"\xff\x0f", ON)
    ends[2].transmit(b"\x55", ON)
    clock.run_until(clock.now_ns + 10_000_000)
    # The second is drawn an octet later; where both drive, low wins. Neither hears what it says itself.
    assert [(n, what.octets, what.told) for n, what in heard] == [(0, b"\xff\x05", "2 devices speak at once")]
    heard.clear()
    ends[0].transmit(b"\x01", ON)
    ends[0].plugged = False
    clock.run_until(clock.now_ns + 10_000_000)
    assert heard == []
