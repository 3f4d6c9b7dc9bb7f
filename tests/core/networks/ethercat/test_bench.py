"""EtherCAT on the bench: everybody to Op, what each refusal comes from, who is missed and how that is told."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import asdict, replace
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from highmoor.core.bench.bench import Bench
from highmoor.core.catalogue.pins import pinned_key
from highmoor.core.catalogue.types import Catalogue
from highmoor.core.networks.ethercat.bench import Master
from highmoor.core.networks.ethercat.bring_up import read_object, write_object
from highmoor.core.networks.ethercat.explain import ABORT_CODES, abort_text
from highmoor.core.networks.ethercat.registers import SYNC1_CYCLE
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import (
    BuiltDevice,
    BuiltModule,
    Connection,
    Exchange,
    Module,
    Network,
    Signal,
    Station,
    Task,
)
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.project.remedies import remedy_of
from tests.core.benches import cable, done
from tests.core.networks.ethercat.turner import LIBRARY, TYPES, controller, do, line, named, put, write

IO = ("TE-1", ("TD-16", "TO-16", "TA-4", "TX-2"))


def built(plant: Plant, station: str, **values: Any) -> Plant:
    """What stands there really, where it is not as configured."""
    row = named(plant, station)
    device = BuiltDevice(f"bd{row.id}", row.network, "V", row.id, **values)
    return Plant.of([*plant.rows(), device], plant.counter)


def going(plant: Plant, seconds: float = 1.0) -> Bench:
    bench = Bench(plant, LIBRARY)
    bench.run_until(seconds)
    return bench


def master(bench: Bench) -> Master:
    found: Any = bench._masters[bench.plant.all(Network)[0].id]
    assert isinstance(found, Master)
    return found


def told(bench: Bench, name: str) -> dict[str, Any]:
    """A device as its controller sees it, by its station's name or its type's."""
    for live in master(bench).nodes:
        row: Any = bench.plant.find(live.node.id)
        device = bench.catalogue.find(row.type)
        if name in (getattr(row, "name", ""), device.order_number if device else ""):
            return next(asdict(node) for node in master(bench).told().nodes if node.row == live.node.id)
    raise KeyError(name)


def states(bench: Bench) -> list[str]:
    return [s["state"] for s in bench.stations.all()]


def test_everybody_comes_to_op_and_exchanges() -> None:
    bench = going(line(IO, "CS-5", "PG-3", "AE-1"))
    assert states(bench) == ["good"] * 4
    seen = master(bench).told().nodes
    assert {one.state for one in seen} == {"Op"}
    assert [one.address for one in seen] == [str(n) for n in range(1, 9)]
    assert {one.lamps for one in seen} == {"RUN on, ERR off"}


# ── every refusal: its cause, its code, the setting it names, and a neighbour that is accepted


def _other_type(order: str) -> Callable[[Plant], Plant]:
    return lambda plant: built(plant, "S1", type=TYPES[order])


def _clock(**values: Any) -> Callable[[Plant], Plant]:
    return lambda plant: put(plant, named(plant, "S1").id, **values)


def _slots(*idents: str) -> Plant:
    """A gateway with these modules in its slots."""
    plant = line(("PG-3", ()))
    rail = plant.all(Module)[0].rail
    plant = do(plant, edits.Remove(ids=[module.id for module in plant.all(Module)]))
    for slot, ident in enumerate(idents, start=1):
        plant = do(plant, edits.InsertModules(rail=rail, type=f"{TYPES['PG-3']}/{ident}"))
        plant = put(plant, plant.all(Module)[-1].id, slot=slot)
    return plant


def _stands_with(plant: Plant, *idents: str) -> Plant:
    """The same gateway with other modules as it really is."""
    found = built(plant, "S1", rail="own")
    device = found.all(BuiltDevice)[0].id
    meant = found.all(Module)
    rows = [
        BuiltModule(f"bm{n}", device, f"V{n}", f"{TYPES['PG-3']}/{ident}", meant[n].id if n < len(meant) else "")
        for n, ident in enumerate(idents)
    ]
    return Plant.of([*found.rows(), *rows], found.counter)


def _drive(**values: Any) -> Plant:
    plant = line("CS-5")
    return put(plant, named(plant, "S1").id, **values) if values else plant


REFUSALS: list[tuple[int, str, Callable[[], Plant], Callable[[], Plant]]] = [
    # PDOs that exclude one another are assigned: the device cannot map its outputs.
    (0x0025, "stations.settings.pdos", lambda: _drive(settings__pdos__1601=True), _drive),
    # Its clock is switched off at the device, and it needs one.
    (0x002D, "stations.settings.clock", lambda: built(_drive(), "S1", facts={"clock_runs": False}),
     lambda: built(_drive(settings__clock="SM"), "S1", facts={"clock_runs": False})),
    # A Sync0 cycle that is shorter than it can.
    (0x0036, "stations.settings.clock", lambda: _drive(settings__sync0_ns=50_000),
     lambda: _drive(settings__sync0_ns=1_000_000)),
    # Other modules stand in its slots than are configured.
    (0x0070, "", lambda: _stands_with(_slots("m0000a116", "m0000a132"), "m0000a132", "m0000a116"),
     lambda: _stands_with(_slots("m0000a116", "m0000a132"), "m0000a116", "m0000a132")),
]  # fmt: skip


@pytest.mark.parametrize(
    ("code", "setting", "wrong", "right"), REFUSALS, ids=lambda one: f"{one:04X}" if isinstance(one, int) else ""
)
def test_what_a_device_refuses_and_why(
    code: int, setting: str, wrong: Callable[[], Plant], right: Callable[[], Plant]
) -> None:
    bench = going(wrong(), 2)
    station = bench.stations.all()[0]
    seen = told(bench, "S1")
    assert (seen["code"], seen["good"]) == (f"AL status 16#{code:04X}", False)
    assert station["state"] == "bad"
    spoken = {path for one in station["diagnoses"] for path in one["settings"]}
    assert setting in spoken or not setting
    assert states(going(right(), 2)) == ["good"]


def test_outputs_that_stop_bring_it_back_and_its_lamps_say_so() -> None:
    bench = going(line("CS-5", ("TE-1", ("TO-16",))))
    controller = next(iter(bench.controllers.values()))
    controller.image_out[:] = b"\xff" * len(controller.image_out)
    bench.run_until(1.1)
    outputs = bench.devices.there[named(bench.plant, "S2").id].rail
    assert outputs is not None and bytes(outputs.image_out) == b"\xff\xff"
    # The controller is cut off: nobody hears anything any more.
    medium = bench._media[bench.plant.all(Network)[0].id]
    for station in bench.plant.all(Station)[:1]:
        medium.put(station.id, plugged=False, powered=True)
    bench.run_until(1.15)
    assert bytes(outputs.image_out) == b"\xff\xff"
    # 100 ms of watchdog and a cycle.
    bench.run_until(1.21)
    assert bytes(outputs.image_out) == b"\0\0"
    chain: Any = bench.devices.there[named(bench.plant, "S2").id].device
    slave = chain.chain[1]
    assert (slave.state, int.from_bytes(slave.ram[0x134:0x136], "little")) == (4, 0x001B)
    # Back on the cable it is told why it fell, and brought up again by itself.
    medium.put(bench.plant.all(Station)[0].id, plugged=True, powered=True)
    bench.run_until(4)
    assert states(bench) == ["good", "good"]


# ── who is missed


def test_behind_a_pulled_cable_nobody_answers_and_inputs_are_doubtful_and_kept() -> None:
    bench = going(line("AE-1", "CS-5", "CS-5"))
    network = bench.plant.all(Network)[0].id
    inputs = next(x for x in bench.plant.all(Exchange) if x.name == "Inputs")
    before = bench.exchanges[inputs.id].data
    bench._media[network].put(named(bench.plant, "S2").id, plugged=False, powered=True)
    bench.run_until(1.2)
    assert told(bench, "S1")["good"]
    assert [told(bench, name)["text"] for name in ("S2", "S3")] == ["does not answer"] * 2
    live = bench.exchanges[inputs.id]
    assert live.state == "bad"
    assert "doubtful: the working counter is 3, 9 are expected" in live.text
    assert len(live.data) == len(before) == 5
    # The port before the break closed, and counted that.
    head: Any = bench.devices.there[named(bench.plant, "S1").id].device
    assert head.head.ram[0x311] == 1
    bench._media[network].put(named(bench.plant, "S2").id, plugged=True, powered=True)
    bench.run_until(4)
    assert states(bench) == ["good"] * 3


def test_a_group_of_its_own_leaves_the_others_good() -> None:
    plant = line("AE-1", "CS-5")
    plant = put(plant, named(plant, "S2").id, settings__group=1)
    bench = going(plant)
    bench._media[plant.all(Network)[0].id].put(named(plant, "S2").id, plugged=False, powered=True)
    bench.run_until(1.2)
    assert states(bench) == ["good", "bad"]


def test_a_module_taken_out_and_two_swapped_are_found_by_order() -> None:
    plant = line(IO)
    row = named(plant, "S1")
    own = plant.all(Module)

    def stands(*order: int) -> Plant:
        device = BuiltDevice("bd1", row.network, "V", row.id, rail="own")
        rows = [BuiltModule(f"bm{n}", "bd1", f"V{n}", own[at].type, own[at].id) for n, at in enumerate(order)]
        return Plant.of([*plant.rows(), device, *rows], plant.counter)

    swapped = going(stands(1, 0, 2, 3))
    assert [told(swapped, name)["good"] for name in ("TE-1", "TD-16", "TO-16", "TA-4", "TX-2")] == [
        True,
        False,
        False,
        True,
        True,
    ]
    assert told(swapped, "TD-16")["text"].startswith("not TD-16: vendor 16#FAD0")
    assert states(going(stands(0, 1, 2, 3))) == ["good"]
    short = going(stands(0, 2, 3))
    assert [told(short, name)["good"] for name in ("TD-16", "TO-16", "TA-4", "TX-2")] == [True, False, False, False]
    assert told(short, "TX-2")["text"] == "not there"


def test_another_revision_is_taken_by_the_files_rule_or_refused_by_ones_own() -> None:
    later = {"revision": 0x00020005}
    plant = line("CS-5")
    assert states(going(built(plant, "S1", facts=later))) == ["good"]
    exact = put(plant, named(plant, "S1").id, settings__identity="exact")
    assert "not revision 2.4: 2.5 is there" in told(going(built(exact, "S1", facts=later)), "S1")["text"]
    earlier = {"revision": 0x00020003}
    assert not told(going(built(plant, "S1", facts=earlier)), "S1")["good"]
    anyone = put(plant, named(plant, "S1").id, settings__identity="any")
    assert told(going(built(anyone, "S1", facts=earlier)), "S1")["good"]


def test_damaged_frames_are_counted_where_they_are_damaged() -> None:
    bench = going(line("AE-1", "CS-5", "CS-5"))
    done(
        bench,
        edits.SetBuilt(ids=[bench.plant.all(Network)[0].id], values={"settings.noise": 0.05, "settings.noise_at": 2}),
    )
    bench.run_until(3)
    heads = [bench.devices.there[s.id].device.head.ram for s in bench.plant.all(Station)]  # type: ignore[attr-defined]
    assert [(ram[0x300] > 0, ram[0x308] > 0) for ram in heads] == [(False, False), (True, False), (False, True)]
    assert master(bench).asker.lost == heads[1][0x300] > 20
    said = [d["text"] for s in bench.stations.all() for d in s["diagnoses"] if "damaged" in d["text"]]
    assert said == [f"damaged frames at port 0: {heads[1][0x300]}"]


# ── service data


def asked(bench: Bench, name: str, question: Callable[[Any, int], Any]) -> Any:
    """What came of a question to a station's objects."""
    live = next(n for n in master(bench).nodes if n.node.id == named(bench.plant, name).id)
    came: list[Any] = []
    master(bench).asker.run(question(live.node, live.address), came.append)
    bench.run_until(bench.seconds + 1)
    assert len(came) == 1
    return came[0]


@pytest.mark.parametrize(
    ("idx", "sub", "octets", "code"),
    [
        (0x6065, 0, "10 27 00 00", 0),
        (0x6041, 0, "01 00", 0x06010002),
        (0x6066, 0, "01 00", 0x06020000),
        (0x6065, 1, "10 27 00 00", 0x06090011),
        (0x6065, 0, "10 27 00 00 00", 0x06070012),
        (0x6065, 0, "10 27", 0x06070013),
        (0x6072, 0, "B9 0B", 0x06090031),
        (0x6072, 0, "B8 0B", 0),
        (0x1C12, 0, "00", 0x08000022),
    ],
)  # fmt: skip
def test_service_data_is_written_or_refused_with_a_code_in_words(idx: int, sub: int, octets: str, code: int) -> None:
    bench = going(line("CS-5"))
    before, _ = asked(bench, "S1", lambda node, at: read_object(node, at, idx, sub))
    problem = asked(bench, "S1", lambda node, at: write_object(node, at, idx, sub, bytes.fromhex(octets)))
    after, _ = asked(bench, "S1", lambda node, at: read_object(node, at, idx, sub))
    if code:
        assert problem == f"16#{code:08X}, {abort_text(code)}"
        assert code in ABORT_CODES
        assert after == before
    else:
        assert (problem, after) == ("", bytes.fromhex(octets))


@settings(max_examples=40, deadline=None)
@given(st.binary(min_size=1, max_size=700))
def test_any_length_goes_through_the_mailbox_in_one_or_in_segments(octets: bytes) -> None:
    bench = BENCH
    slave = bench.devices.there[named(bench.plant, "S1").id].device.head  # type: ignore[attr-defined]
    slave.dictionary.put(0x2000, 1, b"", 0, "rw")
    assert asked(bench, "S1", lambda node, at: write_object(node, at, 0x2000, 1, octets)) == ""
    assert slave.dictionary.entries[0x2000, 1].value == octets
    assert asked(bench, "S1", lambda node, at: read_object(node, at, 0x2000, 1)) == (octets, "")


BENCH = going(line("CS-5"))


def test_what_is_written_at_the_start_is_what_the_device_has() -> None:
    plant = line("CS-5")
    plant = write(plant, named(plant, "S1").id, "16#6065", "0", "39 30 00 00")
    bench = going(plant)
    assert asked(bench, "S1", lambda node, at: read_object(node, at, 0x6065, 0)) == (bytes.fromhex("39300000"), "")
    refused = going(write(plant, named(plant, "S1").id, "16#6041", "0", "01 00"))
    assert "16#6041:00 could not be written" in told(refused, "S1")["text"]


# ── what is told is what comes back


STATION = st.sampled_from(["CS-5", "AE-1", "TJ-4", "PG-3", ("TE-1", ("TD-16",)), ("TE-1", ("TO-16", "TA-4", "TD-16"))])


@settings(max_examples=25, deadline=None)
@given(st.lists(STATION, min_size=1, max_size=6), st.data())
def test_the_working_counter_on_any_tree_is_the_one_that_is_told(stations: list[Any], data: st.DataObject) -> None:
    plant = line(*stations)
    rows = plant.all(Station)
    for n, row in enumerate(rows[1:], start=1):
        above = [up for up in rows[:n] if up.type == TYPES["TJ-4"]]
        used = {up.id: sum(s.upstream == up.id for s in plant.all(Station)) for up in above}
        free = [up.id for up in above if used[up.id] < 2]
        if free and data.draw(st.booleans()):
            plant = put(plant, row.id, upstream=data.draw(st.sampled_from(free)))
    if data.draw(st.booleans()):
        plant = put(plant, plant.all(Network)[0].id, settings__apart=True)
    for row in plant.all(Station):
        if data.draw(st.booleans()):
            plant = put(plant, row.id, settings__group=data.draw(st.integers(0, 2)))
    bench = going(plant, 2)
    asking = master(bench)
    assert all(node.good for node in asking.told().nodes), asking.told()
    for one in asking.going:
        if one.plan.runs:
            assert one.counter == one.plan.counter


def test_frames_come_back_no_later_than_told() -> None:
    plant = line(IO, "CS-5", "PG-3", "AE-1")
    plant = put(plant, named(plant, "S2").id, settings__length_m=80)
    bench = going(plant)
    asking = master(bench)
    sent: list[int] = []
    back: list[int] = []
    medium: Any = bench._media[plant.all(Network)[0].id]
    medium.taps.append(lambda at, octets, returns: (back if returns else sent).append(at))
    bench.run_until(1.5)
    lasts = {b - s for s, b in zip(sent, back, strict=True)}
    assert len(sent) == len(back) == 250
    assert lasts == {round(float(asking.plan.cycle_us) * 1000)}


_HAPPENINGS = st.lists(
    st.tuples(
        st.integers(1, 99),
        st.one_of(
            st.tuples(st.just("out"), st.integers(0, 100), st.binary(min_size=1, max_size=6)),
            st.tuples(st.just("gives"), st.integers(0, 2), st.binary(min_size=1, max_size=6)),
            st.tuples(st.just("cable"), st.integers(0, 2), st.booleans()),
        ),
    ),
    min_size=1, max_size=12,
)  # fmt: skip


@settings(max_examples=25, deadline=None)
@given(happenings=_HAPPENINGS, cycle_ns=st.sampled_from((9_000, 500_000, 2_000_000)))
def test_a_frame_nobody_listens_to_does_what_one_does_that_is_heard(happenings: list[Any], cycle_ns: int) -> None:
    plant = line("AE-1", "CS-5", "CS-5")
    straight, heard = going(plant), going(plant)
    # In the shortest of these the next frame is out before the last one is back.
    master(straight).cycle_ns = master(heard).cycle_ns = cycle_ns
    medium: Any = heard._media[plant.all(Network)[0].id]
    medium.taps.append(lambda *_: None)
    ends = []
    for bench in (straight, heard):
        heads = [bench.devices.there[named(plant, f"S{n}").id].device.head for n in (1, 2, 3)]  # type: ignore[attr-defined]
        simulated = bench.controllers[controller(plant).id]
        for tenths, (what, where, value) in happenings:
            bench.run_until(bench.seconds + tenths * cycle_ns / 1e10)
            if what == "out":
                # Whatever the program writes; nothing else of it stands there.
                at = where % (len(simulated.image_out) - len(value))
                simulated.image_out[at : at + len(value)] = value
            elif what == "gives":
                heads[where].gives[: len(value)] = value
            else:
                cable(bench, named(plant, f"S{where + 1}").id, plugged=value)
        bench.run_until(bench.seconds + 3 * cycle_ns / 1e9)
        lives = {key: (live.state, live.text, live.data) for key, live in bench.exchanges.items()}
        ends.append((simulated.image_in, [(h.takes, h.gives, h.written_ns, h.status) for h in heads], lives))
    assert ends[0] == ends[1]


def test_the_program_sees_the_state_of_who_exchanges_and_how_often_it_was_lost() -> None:
    plant = line("CS-5", IO)
    for name, station in (("Drive", "S1"), ("Rail", "S2")):
        process = plant.children(Connection, named(plant, station).id)[0].id
        into = next(x.id for x in plant.children(Exchange, process) if x.direction == "in")
        for key in ("state", "failures"):
            asked = {"controller": controller(plant).id, "pattern": f"{name}{key.title()}", "type": "UINT"}
            plant = do(plant, edits.AddSignals(place=into, key=key, **asked))
    assert not [f.code for f in analyse(plant, LIBRARY).findings.values() if f.code.startswith("SIG")]

    def seen(bench: Bench) -> list[Any]:
        return [bench.value(signal.id)[0] for signal in bench.plant.all(Signal)]

    bench = going(plant)
    assert seen(bench) == [8, 0, 8, 0]
    cable(bench, named(plant, "S2").id, plugged=False)
    bench.run_until(2)
    # Both are of one group: the drive is there, and doubtful all the same.
    assert seen(bench) == [8, 1, 0, 1]
    # A drive whose clock stands still stays in Pre-Op; of a rail the lowest counts.
    stuck = going(built(plant, "S1", facts={"clock_runs": False}))
    assert seen(stuck)[:2] == [2, 0]


def test_a_module_taken_out_while_it_runs_is_named_and_put_back_it_runs_again() -> None:
    plant = line(IO, "CS-5")
    bench = going(plant)
    taken = plant.all(Module)[3].id
    done(bench, edits.SetBuilt(ids=[taken], values={"there": False}))
    bench.run_until(4)
    # Those before it come up again by themselves; the drive behind the rail has not forgotten who it is.
    seen = master(bench).told().nodes
    assert [node.state for node in seen] == ["Op", "Op", "Op", "Op", "", "Op"]
    assert seen[4].text == "does not answer"
    assert states(bench) == ["bad", "bad"]
    done(bench, edits.SetBuilt(ids=[taken], values={"there": True}))
    bench.run_until(8)
    assert states(bench) == ["good", "good"]


def test_a_signal_that_is_too_slow_has_its_networks_cycle_shortened() -> None:
    plant = line(("TE-1", ("TD-16",)), cycle_ms=20)
    plant = do(plant, edits.NameValues(of=plant.all(Module)[0].id))
    for task in plant.all(Task):
        plant = put(plant, task.id, period_ms=10)
    enough = analyse(put(plant, plant.all(Signal)[0].id, asked_ms=35), LIBRARY)
    assert "SIG-108" not in {f.code for f in enough.findings.values()}
    slow = analyse(put(plant, plant.all(Signal)[0].id, asked_ms=25), LIBRARY)
    (found,) = (f for f in slow.findings.values() if f.code == "SIG-108")
    remedy = remedy_of(slow, found)
    assert remedy is not None
    assert remedy.edit is not None
    mended = apply(slow.plant, LIBRARY, remedy.edit).plant
    assert mended.all(Network)[0].settings["cycle_ms"] < 20
    assert "SIG-108" not in {f.code for f in analyse(mended, LIBRARY).findings.values()}


@pytest.mark.parametrize(
    ("clock", "behind_ns", "every_us", "state"),
    [
        ({"factor1": 2, "shift1_ns": 100_000}, 2_100_000, 4000, "Op"),
        ({"factor1": 1}, 0, 2000, "Op"),
        ({"sync1_ns": 6_000_000}, 4_000_000, 6000, "Op"),
        ({"sync1_ns": 200_000_000}, 198_000_000, 200_000, "Pre-Op"),
    ],
)
def test_sync1_follows_the_last_sync0_of_its_cycle(
    clock: dict[str, int], behind_ns: int, every_us: float, state: str
) -> None:
    """By hand, at a cycle of 2 ms: every second one is due 2 ms behind the Sync0 before it, and its shift later."""
    plant = line("CS-5")
    own = LIBRARY.find(TYPES["CS-5"])
    assert own is not None
    assert own.ethercat is not None
    mode = own.ethercat.clocks[0]._replace(activate=0x0700, **clock)
    catalogue = Catalogue(LIBRARY.types, LIBRARY.find)
    key = pinned_key("with-sync1", f"{97:064x}", 1)
    catalogue.learn(key, replace(own, key=key, ethercat=replace(own.ethercat, clocks=(mode,))))
    rows = [replace(row, type=key) if isinstance(row, Station) else row for row in plant.rows()]
    plant = Plant.of(rows, plant.counter)
    bench = Bench(plant, catalogue)
    bench.run_until(1)
    slave = bench.devices.there[plant.all(Station)[0].id].device.head  # type: ignore[attr-defined]
    assert slave.number(SYNC1_CYCLE, 4) == behind_ns
    assert master(bench).told().nodes[0].state == state
    assert state == "Op" or master(bench).told().nodes[0].code == "AL status 16#0037"
    ruler = analyse(plant, catalogue).result("ethercat.ruler", plant.all(Network)[0].id)
    assert ruler.nodes[0].sync1_us == every_us


def test_the_load_that_live_tells_is_that_of_the_octets_on_the_wire() -> None:
    plant = line(IO, "CS-5", cycle_ms=1)
    bench = going(plant)
    sent: list[int] = []
    medium: Any = bench._media[plant.all(Network)[0].id]
    medium.taps.append(lambda _, octets, back: sent.append(0 if back else max(len(octets), 60) + 24))
    bench.run_until(bench.seconds + 0.1)
    # A hundred cycles at 80 ns an octet, preamble, check sequence and gap with them.
    load = 100 * sum(sent) * 80e-9 / 0.1
    cycle = next(fact.text for fact in master(bench).told().facts if fact.label == "Cycle")
    assert float(cycle.partition(", ")[2].split(" ")[0]) == pytest.approx(load, abs=0.06)
