"""PROFINET on the bench: what is told is what happens, whatever the tree; faults are seen and said in words."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from highmoor.core.bench.bench import Bench
from highmoor.core.networks.lines import plant_lines
from highmoor.core.networks.live import NodeTold
from highmoor.core.networks.profinet import dcp
from highmoor.core.networks.profinet.live import LIVE
from highmoor.core.networks.profinet.overview import PnNetwork
from highmoor.core.networks.profinet.realtime import FIRST_ID, LAST_ID
from highmoor.core.networks.profinet.startup import startup
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Controller, Module, Rail, Signal, Station, Task
from highmoor.core.project import edits
from highmoor.core.signals.path import SignalPath

from .bagging import (
    AI,
    AO,
    CNT,
    DI,
    DO,
    LIBRARY,
    TYPES,
    as_built,
    bagging,
    built,
    do,
    exchange,
    modules,
    named,
    network,
    node,
    put,
)
from .wrong import generic, ringed

_MS = 1_000_000
THREE = (("TR-40", [DI, DO]), ("TR-40", [AI]), "PW-6")


def going(plant: Plant, seconds: float = 1.0, as_it_is: Plant | None = None) -> Bench:
    """The plant on the bench, after a while."""
    bench = Bench(plant, LIBRARY, as_it_is)
    bench.run_until(seconds)
    return bench


def states(bench: Bench, plant: Plant) -> list[str]:
    """Of all stations that are no switches, in order."""
    told = bench._told_of(network(plant))
    assert told is not None
    return [one.state for one in told.nodes]


def texts(told: NodeTold) -> list[str]:
    """What it says of itself."""
    return [one.text for one in told.told]


# ── told is measured


@st.composite
def trees(draw: Any) -> Plant:
    """Remote I/Os, printers and switches hung up at random, with modules and update times at random."""
    heads, tree, free = [], [], {0: 1}
    for n in range(1, draw(st.integers(2, 8)) + 1):
        there = [at for at, left in free.items() if left]
        if not there:
            break
        upper = draw(st.sampled_from(there))
        head = draw(st.sampled_from(["TR-40", "TR-40", "AL-3", "PW-6", "switch"]))
        keys = draw(st.lists(st.sampled_from([DI, DO, AI, AO, CNT]), max_size=4)) if head == "TR-40" else None
        heads.append((head, keys) if keys is not None else head)
        tree.append(upper)
        free[upper] -= 1
        free[n] = {"switch": 7, "PW-6": 0}.get(head, 1)
    plant = bagging(*heads, tree=tree)
    for station in plant.all(Station):
        if station.type != "tarnfell.es-8s":
            least = {"PW-6": 3, "AL-3": 3}.get(station.type.rpartition(".")[2].partition("@")[0], 0)
            update = 2 ** draw(st.integers(least, 5))
            plant = put(plant, station.id, settings__update_ms=update, settings__length_m=draw(st.integers(0, 90)))
    return plant


@settings(max_examples=25, deadline=None)
@given(trees())
def test_frames_arrive_no_later_than_told_and_are_as_large(plant: Plant) -> None:
    overview: PnNetwork = analyse(plant, LIBRARY).result("profinet.network", network(plant).id)
    bench = going(plant)
    assert set(states(bench, plant)) <= {"exchanges"}
    late, sizes = measured(bench, 1.5)
    own = bench._hosts[network(plant).port or ""].mac
    longest = max((frame.wire_octets for told in overview.stations for frame in told.frames), default=0)
    for told in overview.stations:
        device = bench.devices.there[told.station].device.io.host.mac  # type: ignore[attr-defined]
        for frame, ends in zip(told.frames, ((device, own), (own, device)), strict=True):
            assert sizes[ends] == {frame.wire_octets}
            # No full frame of anybody else is under way here: of what is told for that, only so much is needed as a
            # longer frame before it is longer, at each who passes both on.
            waits = told.passed * (longest - frame.wire_octets) * 80
            assert 0 < late[ends] <= (frame.arrives_ms - frame.waits_ms) * _MS + waits + 1


Ends = tuple[bytes, bytes]


def measured(bench: Bench, until: float) -> tuple[dict[Ends, int], dict[Ends, set[int]]]:
    """The latest arrival of cyclic frames from now on, ns, and their octets on the wire, by both ends."""
    sent: dict[tuple[bytes, bytes], int] = {}
    late: dict[Ends, int] = {}
    sizes: dict[Ends, set[int]] = {}

    def passes(seen: Any) -> None:
        if seen.ethertype == 0x8892 and FIRST_ID <= int.from_bytes(seen.octets[:2], "big") <= LAST_ID:
            sent[seen.source_mac, seen.octets[:2] + seen.octets[-4:]] = seen.time_ns
            # VLAN tag, header, check sequence, preamble, gap.
            octets = len(seen.octets) + 4 + 14 + 4 + 8 + 12
            sizes.setdefault((seen.source_mac, seen.target_mac), set()).add(octets)

    def arrives(mac: bytes) -> Any:
        def heard(source: bytes, target: bytes, octets: bytes) -> None:
            begun = sent.get((source, octets[:2] + octets[-4:]))
            if begun is not None and target == mac:
                late[source, mac] = max(late.get((source, mac), 0), bench.clock.now_ns - begun)

        return heard

    for mac, host in bench.ethernet.stations.items():
        host.hear_frames(0x8892, arrives(mac))
    bench.ethernet.taps.append(passes)
    bench.run_until(until)
    return late, sizes


@pytest.mark.parametrize("depth", [0, 1, 3])
def test_a_frame_alone_takes_its_time_at_each_that_passes_it_on(depth: int) -> None:
    plant = bagging(*["switch"] * depth, ("TR-40", [DI]))
    plant = put(plant, named(plant, f"S{depth + 1}").id, settings__length_m=20)
    bench = going(plant)
    late, _ = measured(bench, 1.2)
    # 88 octets at 80 ns for each cable, 5 µs at each switch, 20 m of cable.
    assert set(late.values()) == {7040 * (depth + 1) + 5000 * depth + 100}


def test_every_frame_goes_out_in_its_phase() -> None:
    plant = bagging(("TR-40", [DI]), ("TR-40", [DI]), "AL-3")
    plant = put(plant, named(plant, "S3").id, settings__update_ms=16)
    overview: PnNetwork = analyse(plant, LIBRARY).result("profinet.network", network(plant).id)
    bench = going(plant)
    times: dict[bytes, list[int]] = {}
    own = bench._hosts[network(plant).port or ""].mac
    bench.ethernet.taps.append(
        lambda seen: (
            times.setdefault(seen.target_mac, []).append(seen.time_ns)
            if seen.ethertype == 0x8892 and seen.source_mac == own and seen.octets[0] < 0xC0
            else None
        )
    )
    bench.run_until(1.2)
    for told in overview.stations:
        device = bench.devices.there[told.station].device.io.host.mac  # type: ignore[attr-defined]
        begun = times[device]
        assert {(at - told.phase * _MS) % round(told.update_ms * _MS) for at in begun} == {0}
    assert [told.phase for told in overview.stations] == [0, 1, 0]


# ── data


def test_an_input_of_one_station_drives_an_output_of_another() -> None:
    plant = bagging(("TR-40", ["", DI]), ("TR-40", [AI, DO]))
    owner = plant.all(Controller)[0].id
    first, second = modules(plant, "S1")[0].id, modules(plant, "S2")[1].id
    plant = do(
        plant, edits.AddSignals(controller=owner, pattern="Button", count=1, place=first, key="i0.3", type="BOOL")
    )
    signal = plant.all(Signal)[0]
    plant = do(plant, edits.LinkSignal(signal=signal.id, place=second, key="q0.5", also=True))
    bench = going(plant)
    give, take = (bench.devices.terminals[at] for at in ((first, "i0.3"), (second, "q0.5")))
    assert take[0].take(take[1]) == 0
    give[0].give(give[1], 1)
    bench.run_until(1.2)
    assert take[0].take(take[1]) == 1
    assert bench.value(signal.id) == (True, "good")


def test_data_of_one_bad_submodule_is_doubtful_and_no_other() -> None:
    plant = bagging(("TR-40", [DI, DI]))
    owner = plant.all(Controller)[0].id
    for n, module in enumerate(modules(plant, "S1")):
        plant = do(
            plant,
            edits.AddSignals(controller=owner, pattern=f"B{n}", count=1, place=module.id, key="i0.0", type="BOOL"),
        )
    bench = going(plant)
    bench.rebuilt(as_built(plant, "S1", facts__bad="1.1"))
    bench.run_until(1.5)
    assert [bench.value(signal.id)[1] for signal in plant.all(Signal)] == ["old", "good"]
    assert texts(node(bench, plant, "S1")) == ["slot 1.1 DI-8: its data is bad, as it says"]
    bench.rebuilt(plant)
    bench.run_until(2)
    assert [bench.value(signal.id)[1] for signal in plant.all(Signal)] == ["good", "good"]


def test_a_device_without_a_file_is_exchanged_by_what_is_typed() -> None:
    plant = generic("1.1 16#10:16#1 i2 o4, 2.1 16#11:16#1 o1")
    bench = going(plant)
    assert states(bench, plant) == ["exchanges"]
    device: Any = bench.devices.there[named(plant, "S1").id].device
    device.gives[:] = b"\x12\x34"
    offset = node(bench, plant, "S1")
    assert offset.good
    bench.run_until(1.1)
    live = bench.exchanges[exchange(plant, "S1", "in").id]
    live.refresh()
    assert live.data == b"\x12\x34"


def test_what_is_told_to_be_written_is_what_the_device_got() -> None:
    plant = bagging(("TR-40", [DI, DO, AI, CNT]), "PW-6")
    plant = put(plant, modules(plant, "S1")[0].id, settings__s1r1o0=10)
    bench = going(plant)
    for name in ("S1", "S2"):
        station = named(plant, name)
        line = plant_lines(plant, LIBRARY, station)[0]
        device: Any = bench.devices.there[station.id].device
        told = {write.reference: (write.octets, write.source) for write in startup(network(plant), line)}
        got = {f"slot {s}.{sub}, record {n}": octets for ((s, sub), n), octets in device.io.written.items()}
        assert {reference: octets for reference, (octets, _) in told.items()} == got
    assert told  # of the last one, and of the first what was set:
    first = startup(network(plant), plant_lines(plant, LIBRARY, named(plant, "S1"))[0])
    assert [write.source for write in first].count("setting") == 1


def test_a_submodule_plugged_into_a_module_exchanges_beside_it() -> None:
    plant = bagging(("TR-40", ["CARRIER", DI]))
    carrier, after = modules(plant, "S1")
    inner = plant.children(Rail, carrier.id)[0]
    plant = do(plant, edits.InsertModules(rail=inner.id, type=f"{TYPES['TR-40']}/CARRIER/FR1", slot=2))
    plugged = plant.children(Module, inner.id)[0]
    owner = plant.all(Controller)[0].id
    kind = LIBRARY.find(plugged.type)
    assert kind is not None
    key = next(channel.key for channel in LIVE.module_data(kind, {}).channels if channel.inward)  # type: ignore[misc]
    for n, (module, at) in enumerate(((plugged, key), (after, "i0.0"))):
        typed = "BOOL" if "." in at else "UDINT"
        made = edits.AddSignals(controller=owner, pattern=f"V{n}", count=1, place=module.id, key=at, type=typed)
        plant = do(plant, made)
    bench = going(plant)
    assert states(bench, plant) == ["exchanges"]
    for module, at in ((plugged.id, key), (after.id, "i0.0")):
        rail, terminal = bench.devices.terminals[module, at]
        rail.give(terminal, 1)
    bench.run_until(1.3)
    assert [bench.value(signal.id) for signal in plant.all(Signal)] == [(1, "good"), (True, "good")]


# ── who is there


def test_a_blank_replacement_takes_its_name_by_its_neighbours_and_one_with_a_name_does_not() -> None:
    plant = bagging(*THREE, tree=[0, 1, 2])
    bench = going(plant)
    assert states(bench, plant) == ["exchanges"] * 3
    bench.rebuilt(as_built(plant, "S2", facts__name="old-machine"))
    bench.run_until(15)
    assert node(bench, plant, "S2").text == "nobody on the network is called s2"
    assert bench.devices.kept == []
    bench.rebuilt(as_built(plant, "S2", facts__name=""))
    bench.run_until(30)
    assert states(bench, plant) == ["exchanges"] * 3
    assert bench.devices.kept == [(named(plant, "S2").id, {"facts.name": "s2", "facts.ip": ""})]


@pytest.mark.parametrize(
    ("upper", "own", "named_so"),
    [
        ("switch", {}, True),
        ("plain switch", {}, False),
        ("switch", {"settings__by_neighbours": False}, False),
    ],
)
def test_who_is_named_by_a_switch_that_tells_who_it_is(upper: str, own: dict[str, Any], named_so: bool) -> None:
    plant = bagging(upper, "PW-6", tree=[0, 1])
    plant = put(plant, named(plant, "S2").id, **own) if own else plant
    bench = going(plant, 25, as_built(plant, "S2", facts__name=""))
    assert (states(bench, plant) == ["exchanges"]) == named_so


def test_two_of_one_name_and_two_of_one_address_are_said() -> None:
    plant = bagging(*THREE)
    bench = going(plant, 2, as_built(plant, "S2", facts__name="s1"))
    assert node(bench, plant, "S1").text.startswith("2 devices are called s1: 02-00-")
    plant = put(plant, named(plant, "S2").id, address="10.2.0.2")
    bench = going(plant, 2)
    assert sorted(states(bench, plant)) == ["exchanges", "exchanges", "not there"]
    silent = next(one for one in ("S1", "S2") if not node(bench, plant, one).good)
    assert "has 10.2.0.2 as well" in node(bench, plant, silent).text


def test_another_device_with_the_name_is_said() -> None:
    plant = bagging(*THREE)
    bench = going(plant, 2, as_built(plant, "S3", facts__name="s1"))
    assert "2 devices" in node(bench, plant, "S1").text
    plant = as_built(as_built(plant, "S1", there=False), "S3", facts__name="s1")
    bench = going(plant, 2)
    assert node(bench, plant, "S1").text == "s1 is another device: vendor 16#FAD2, device 16#0600"


def acted(bench: Bench, plant: Plant, name: str, act: str, value: str = "") -> str:
    """What came of an act on a station."""
    mac = bench.stations.all()[[s.name for s in plant.all(Station)].index(name)]["mac"]
    bench.act(network(plant).id, mac, act, value)
    bench.run_until(bench.seconds + 0.6)
    assert bench.deeds[-1].good is not None
    return bench.deeds[-1].text


def test_names_and_addresses_lasting_and_until_the_power_goes() -> None:
    plant = put(bagging("PW-6"), named(bagging("PW-6"), "S1").id, settings__by_neighbours=False)
    plant = put(plant, network(plant).port or "", mask="255.255.0.0", gateway="10.2.0.1")
    blank = as_built(plant, "S1", facts__name="")
    bench = going(plant, 1, blank)
    assert states(bench, plant) == ["not there"]
    assert acted(bench, plant, "S1", "name-now", "s1") == "it is called s1 for now"
    bench.run_until(4)
    assert states(bench, plant) == ["exchanges"]
    assert bench.devices.kept == []
    bench.rebuilt(as_built(blank, "S1", powered=False))
    bench.run_until(5)
    bench.rebuilt(blank)
    bench.run_until(8)
    assert states(bench, plant) == ["not there"]
    assert acted(bench, plant, "S1", "name", "s1") == "it is called s1"
    assert acted(bench, plant, "S1", "address", "10.2.0.77") == "it has 10.2.0.77"
    assert bench.devices.kept[-1][1] == {"facts.name": "s1", "facts.ip": "10.2.0.77"}
    # In the controller's subnet, as it tells whoever asks.
    device: Any = bench.devices.there[named(plant, "S1").id].device
    ip = next(block for block in device.io._told_of_itself() if block.option == dcp.IP)
    assert dcp.addresses(ip.octets) == ("10.2.0.77", "255.255.0.0", "10.2.0.1")
    # The controller gives it the address that it has in the plant, for now.
    bench.run_until(12)
    assert states(bench, plant) == ["exchanges"]
    assert acted(bench, plant, "S1", "blink") == "its lamp flashes for 3 s"
    assert acted(bench, plant, "S1", "reset").startswith("it starts again")
    bench.run_until(16)
    assert states(bench, plant) == ["not there"]
    assert bench.devices.kept[-2][1] == {"facts.name": "", "facts.ip": ""}


# ── modules


def test_another_module_is_told_and_the_rest_exchanges() -> None:
    plant = bagging(("TR-40", [DI, DO, AI]))
    _, second, third = modules(plant, "S1")
    bench = going(plant, 1, built(plant, second.id, type=third.type))
    told = node(bench, plant, "S1")
    assert told.state == "exchanges, a submodule is bad"
    assert texts(told) == ["slot 2: another module is there, ident 16#00000020; DO-8 is configured"]
    # Pulled, another one in, the right one again: each an alarm, and nobody connects anew.
    bench = going(plant)
    relation = bench.devices.there[named(plant, "S1").id].device.io.relation  # type: ignore[attr-defined]
    for as_it_is, words in (
        (built(plant, second.id, there=False), ["slot 2.1 DO-8 was pulled"]),
        (built(plant, second.id, type=third.type), ["slot 2.1 DO-8: another is there, ident 16#00000003"]),
        (plant, []),
    ):
        bench.rebuilt(as_it_is)
        bench.run_until(bench.seconds + 0.5)
        assert texts(node(bench, plant, "S1")) == words
    device: Any = bench.devices.there[named(plant, "S1").id].device
    assert device.io.relation is relation
    assert device.io.written[(2, 1), 1] == b"\x00\x00"


def test_channel_errors_come_and_go_in_words() -> None:
    plant = bagging(("TR-40", [DI, AI]))
    bench = going(plant, 1, as_built(plant, "S1", facts__errors="2.1 3 6"))
    assert texts(node(bench, plant, "S1")) == ["slot 2.1 AI-4, channel 3: line break"]
    bench.rebuilt(as_built(plant, "S1", facts__errors="2.1 3 6, 2.1 32768 17"))
    bench.run_until(2)
    assert texts(node(bench, plant, "S1")) == [
        "slot 2.1 AI-4, channel 3: line break",
        "slot 2.1 AI-4: no supply voltage",
    ]
    bench.rebuilt(plant)
    bench.run_until(3)
    assert node(bench, plant, "S1").good


# ── cables


def test_a_broken_ring_carries_again_and_a_watchdog_that_is_shorter_drops() -> None:
    for watchdog, stays in ((40, True), (10, False)):
        plant = ringed(3, settings__watchdog=watchdog)
        bench = going(plant)
        assert states(bench, plant) == ["exchanges"]
        bench.rebuilt(as_built(plant, "S3", cable=False))
        lost = bench.exchanges[exchange(plant, "S4", "in").id]
        seen = set()
        for n in range(1, 60):
            bench.run_until(1 + n / 100)
            seen.add(lost.state)
        assert ("bad" not in seen) == stays
        bench.run_until(5)
        assert states(bench, plant) == ["exchanges"]


def test_without_a_ring_what_is_behind_a_pulled_cable_is_lost_within_its_watchdog() -> None:
    plant = bagging(*THREE)
    bench = going(plant)
    bench.rebuilt(as_built(plant, "S2", cable=False))
    told: PnNetwork = analyse(plant, LIBRARY).result("profinet.network", network(plant).id)
    bench.run_until(1 + (told.stations[1].watchdog_ms + told.stations[1].update_ms) / 1000)
    assert states(bench, plant) == ["exchanges", "not there", "not there"]
    assert node(bench, plant, "S2").text == "no data came from it within its watchdog"


def test_a_cable_in_another_socket_is_told_by_who_sees_whom() -> None:
    plant = bagging("switch", ("TR-40", [DI]), ("TR-40", [DI]), tree=[0, 1, 1])
    bench = going(plant, 12)
    assert all(not node(bench, plant, name).told for name in ("S2", "S3"))
    drawn = put(plant, named(plant, "S3").id, upstream=named(plant, "S2").id)
    seen = Bench(drawn, LIBRARY)
    cabling = seen.ethernet.cabling
    cabling.lay(named(plant, "S3").id, named(plant, "S1").id, 1, 3)
    seen.run_until(22)
    assert "port 1 sees s1 port-003; drawn is s2 port-002" in texts(node(seen, drawn, "S3"))


# ── the path of a signal


@settings(max_examples=25, deadline=None)
@given(
    depth=st.integers(0, 4), before=st.sampled_from(["TR-40", "switch"]), update_in=st.sampled_from([1, 4, 8, 32]),
    update_out=st.sampled_from([1, 4, 8, 32]), task=st.sampled_from([1, 4, 10, 25]),
    waits=st.lists(st.floats(0.0001, 0.1), min_size=3, max_size=6),
)  # fmt: skip
def test_no_signal_is_later_than_its_path_says(
    depth: int, before: str, update_in: int, update_out: int, task: int, waits: list[float]
) -> None:
    chain = ["switch" if before == "switch" else ("TR-40", [DI])] * depth
    plant = bagging(*chain, ("TR-40", [DI, DO]), ("TR-40", [DO]))
    first, last = f"S{depth + 1}", f"S{depth + 2}"
    plant = put(plant, named(plant, first).id, settings__update_ms=update_in, settings__length_m=80)
    plant = put(plant, named(plant, last).id, settings__update_ms=update_out, settings__length_m=80)
    for row in plant.all(Task):
        plant = put(plant, row.id, period_ms=task)
    owner, button, lamp = plant.all(Controller)[0].id, modules(plant, first)[0].id, modules(plant, last)[0].id
    for name, place, key in (("In", button, "i0.0"), ("Out", lamp, "q0.0"), ("Both", button, "i0.0")):
        made = edits.AddSignals(controller=owner, pattern=name, count=1, place=place, key=key, type="BOOL")
        plant = do(plant, made)
    ids = {signal.name: signal.id for signal in plant.all(Signal)}
    plant = do(plant, edits.LinkSignal(signal=ids["Both"], place=lamp, key="q0.1", also=True))
    analysis = analyse(plant, LIBRARY)
    paths: dict[str, SignalPath] = {name: analysis.result("signal.path", row) for name, row in ids.items()}
    bench = going(plant)
    controller = next(iter(bench.controllers.values()))
    give, on, both = (bench.devices.terminals[at] for at in ((button, "i0.0"), (lamp, "q0.0"), (lamp, "q0.1")))
    written = next(way for way in paths["Both"].ways if way.link == paths["Both"].links[1].link)
    for n, wait in enumerate(waits):
        value = (n + 1) % 2
        bench.run_until(bench.seconds + wait)
        give[0].give(give[1], float(value))
        bench.signals.write(ids["Out"], value)
        now = bench.seconds
        for worst_ms, arrived in sorted(
            (
                (paths["In"].worst_ms, lambda: int(controller.value(controller.signals[ids["In"]]))),
                (paths["Out"].worst_ms, lambda: on[0].take(on[1])),
                (written.worst_ms, lambda: both[0].take(both[1])),
            ),
            key=lambda one: one[0],
        ):
            bench.run_until(now + worst_ms / 1000 + 1e-6)
            assert arrived() == value
