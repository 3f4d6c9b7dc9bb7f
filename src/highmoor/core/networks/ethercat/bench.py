"""EtherCAT on the bench: the controller brings its devices up, exchanges every cycle, and sees who is not there.

What is asked beside the cycle is written as generators: each yields datagrams and is sent what came back.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from functools import partial
from typing import Any

from highmoor.core.networks.alive import Clock, ExchangeLive, Memory
from highmoor.core.networks.ethercat import datagrams as d
from highmoor.core.networks.ethercat.asking import SOURCE, TOGETHER, Asker, Asking, Failed, Several
from highmoor.core.networks.ethercat.bring_up import bring_up, identity, settle
from highmoor.core.networks.ethercat.explain import (
    ERROR_BIT,
    GOOD,
    INIT,
    LOST,
    NOT_OP,
    OP,
    SHORT,
    STATES,
    indicators,
    state_text,
)
from highmoor.core.networks.ethercat.passing import Passing
from highmoor.core.networks.ethercat.plan import Datagram, Plan, plan
from highmoor.core.networks.ethercat.registers import AL_CONTROL, AL_STATUS, STATION_ADDRESS, SYSTEM_TIME, TYPE
from highmoor.core.networks.ethercat.requester import begin_requests
from highmoor.core.networks.ethercat.rounds import Going, NodeLive, Round, Run, carried_by, ends_of, pieces_of
from highmoor.core.networks.ethercat.ruler import reference_of
from highmoor.core.networks.ethercat.settings import LineSettings
from highmoor.core.networks.line import BenchLine
from highmoor.core.networks.live import NetworkFact, NetworkTold, NodeTold
from highmoor.core.networks.media import NS_AN_OCTET, ethernet_octets
from highmoor.core.networks.on_demand import is_request
from highmoor.core.plant.rows import Network

_NS_A_MS = 1_000_000
# How often who is not in Op is looked at, and how soon one that fell is brought up again.
_LOOK_NS, _AGAIN_NS = 100 * _NS_A_MS, 1_000 * _NS_A_MS
# One that refuses for the same reason again and again is asked less and less often, at least so often.
_AT_MOST_NS = 4_000 * _NS_A_MS
# How soon all are looked at again where nothing has changed since they were.
_LOOK_AGAIN_NS = 300 * _NS_A_MS


@dataclass(slots=True)
class Master:
    """One network's controller."""

    asker: Asker
    memory: Memory
    network: Network
    plan: Plan
    nodes: list[NodeLive]
    going: list[Going]
    rounds: list[Round]
    lives: dict[str, ExchangeLive]
    cycle_ns: int
    frames: int = 0
    looking: bool = False
    # How each stood when all were last looked at.
    seen: list[tuple[bool, int, int]] = field(default_factory=list)
    # Whether somebody who is there is not in Op.
    troubled: bool = True
    _by_exchange: dict[str, list[NodeLive]] = field(default_factory=dict)
    # Each round with what takes it as it returns, and whether it did as before.
    _turns: list[tuple[Round, Callable[[bytes | None], None], Callable[[int], bool]]] = field(default_factory=list)

    # ── from nothing to Op

    def begin(self) -> None:
        """From nothing to Op."""
        self.asker.run(self._start())

    def _start(self) -> Asking:
        yield d.Sent(d.BWR, 0, d.physical(0, AL_CONTROL), bytes([INIT | ERROR_BIT, 0]))
        told = yield d.Sent(d.BRD, 0, d.physical(0, TYPE), bytes(1))
        there = told.counter if told else 0
        for live in self.nodes:
            live.found = live.position <= there
            if not live.found:
                live.text = "not there" if there else "nothing answers"
                continue
            position = -(live.position - 1)
            register = d.physical(position, STATION_ADDRESS)
            yield d.Sent(d.APWR, 0, register, live.address.to_bytes(2, "little"))
        for live in self.nodes:
            if live.found:
                self._raise(live, self._bring(live))
        self.asker.clock.at(self.asker.clock.now_ns, self._cycle)
        return None

    def _bring(self, live: NodeLive) -> Asking:
        who = yield from identity(live.node, live.address)
        if who:
            raise Failed(who)
        clocks = LineSettings.of(self.network).clocks
        reference = reference_of(self.plan.nodes) if clocks else None
        mapped = [
            (going.plan.logical + run.at, run.direction, run.octets)
            for going in self.going
            for run in going.plan.runs
            if run.node.id == live.node.id
        ]
        cycle_ms = LineSettings.of(self.network).cycle_ms
        yield from bring_up(
            live.node, live.address, mapped, cycle_ms if clocks and reference else None, self.asker.clock
        )
        return None

    def _raise(self, live: NodeLive, asking: Asking) -> None:
        live.rising = True
        self.asker.run(live.alone(asking), partial(self._brought, live))

    def _brought(self, live: NodeLive, told: Any) -> None:
        live.rising, live.brought_ns = False, self.asker.clock.now_ns
        if isinstance(told, Failed):
            live.refusals = live.refusals + 1 if told.text == live.why else 0
            live.code, live.text, live.why, live.error = told.code, told.text, told.text, True
            live.flagged = bool(told.code)
            live.again_ns = self.asker.clock.now_ns + min(_AGAIN_NS << min(live.refusals, 8), _AT_MOST_NS)
            if told.state:
                live.state = told.state
        else:
            live.state, live.code, live.error, live.text, live.why = OP, 0, False, "Op", ""
            live.flagged, live.refusals = False, 0
        self._judge_all()

    # ── the cycle

    def _cycle(self) -> None:
        if self.asker.stopped:
            return
        clock = self.asker.clock
        clock.at(clock.now_ns + self.cycle_ns, self._cycle)
        if not self._turns:
            self._turns = [(one, partial(self._came, one), partial(self._straight, one)) for one in self.rounds]
        for one, came, straight in self._turns:
            self.frames += 1
            self.asker.line.send(one.filled(), self.asker.passing.alter, came, straight)
        if self.troubled and not self.looking:
            self._look()

    def address_of(self, plan: Datagram) -> int:
        if plan.command == "BRD":
            return d.physical(0, AL_STATUS)
        if plan.command == "FRMW":
            reference = reference_of(self.plan.nodes)
            live = next((one for one in self.nodes if reference and one.node.id == reference.id), None)
            return d.physical(live.address if live else 0, SYSTEM_TIME)
        return plan.logical

    def _straight(self, one: Round, version: int) -> bool:
        if self.asker.stopped or not one.passed_straight(version, self.asker.clock.now_ns):
            return False
        if one.missed:
            self._look()
        return True

    def _came(self, one: Round, back: bytes | None) -> None:
        if self.asker.stopped:
            return
        if back is None:
            self.asker.lost += 1
            one.forget()
            for going in one.going:
                self._lost(going)
            return
        one.missed = False
        for going, sent in zip(one.going, d.decode(back), strict=True):
            one.missed |= self._returned(going, sent)
        one.came(self.asker.passing)
        if one.missed:
            self._look()

    def _returned(self, going: Going, sent: d.Sent) -> bool:
        """Whether it misses somebody."""
        plan = going.plan
        if plan.command == "FRMW":
            return False
        if plan.command == "BRD":
            going.counter = sent.counter
            return (sent.counter, sent.data[0]) != (plan.counter, OP)
        whole = sent.counter == plan.counter
        if sent.counter != going.counter:
            going.counter = sent.counter
            self._judge(going)
        going.rounds += 1
        going.bring_in(sent.data)
        if whole:
            going.whole_ns = self.asker.clock.now_ns
        return False

    def _lost(self, going: Going) -> None:
        going.counter = -1
        for one in going.carried:
            self._tell(one.live, "bad", "the frame was lost", LOST)

    # ── what is told

    def told_now(self, going: Going) -> None:
        """What a datagram has carried up to now, to its exchanges: nobody asks for it every cycle."""
        more, going.told_rounds = going.rounds - going.told_rounds, going.rounds
        into, out = self.memory.image_in, self.memory.image_out
        for one in going.carried:
            live = one.live
            live.transactions += more
            if live.state == "good" and going.whole_ns >= 0:
                live.data = bytes((into if one.inward else out)[one.first : one.end])
                live.last_good_ns = going.whole_ns

    def _judge_all(self) -> None:
        self.troubled = any(live.found and not live.good for live in self.nodes)
        for going in self.going:
            self._judge(going)

    def _judge(self, going: Going) -> None:
        """The exchanges of a datagram: by its working counter, and by the states of their own devices."""
        plan = going.plan
        if not plan.runs:
            return
        # What was good last is kept.
        self.told_now(going)
        for one in going.carried:
            live = one.live
            behind = self._by_exchange[live.exchange]
            silent = next((one for one in behind if not one.good), None)
            self.memory.set_state(live.exchange, min((one.state if one.found else 0 for one in behind), default=0))
            if going.counter == plan.counter and silent is None:
                self._tell(live, "good", "good", GOOD)
            elif silent is not None:
                code = silent.code or NOT_OP
                self._tell(live, "bad" if silent.error or not silent.found else "waiting", silent.text, code)
            elif going.counter >= 0:
                text = f"doubtful: the working counter is {going.counter}, {plan.counter} are expected"
                self._tell(live, "bad", text, SHORT)

    def _tell(self, live: ExchangeLive, state: Any, text: str, code: int) -> None:
        if state == "bad" and live.state != "bad":
            live.failures += 1
        live.state, live.text = state, text
        self.memory.set_code(live.exchange, code)
        self.memory.set_length(live.exchange, len(live.data) if state == "good" else 0)

    def _look(self) -> None:
        """Ask each by itself: one sum names no device."""
        if not self.looking:
            self.looking = True
            self.asker.run(self._looked(), self._over)

    def _over(self, _: Any) -> None:
        self._judge_all()
        seen = [(live.found, live.state, live.code) for live in self.nodes]
        wait_ns = _LOOK_NS if seen != self.seen else _LOOK_AGAIN_NS
        self.seen = seen
        self.asker.clock.at(self.asker.clock.now_ns + wait_ns, self._may_look)

    def _may_look(self) -> None:
        self.looking = False

    def _looked(self) -> Asking:
        for first in range(0, len(self.nodes), TOGETHER):
            asked_ns = self.asker.clock.now_ns
            lives = self.nodes[first : first + TOGETHER]
            several = Several([d.Sent(d.FPRD, 0, d.physical(one.address, AL_STATUS), bytes(6)) for one in lives])
            yield several
            for live, told in zip(lives, several.told, strict=False):
                # What was asked before he came up says nothing of him now.
                if live.brought_ns < asked_ns:
                    self._seen(live, told)
        yield from self._lost_addresses()
        return None

    def _seen(self, live: NodeLive, told: d.Sent) -> None:
        """A device's state as it told it; one that is not as it should be is brought up once more."""
        if not told.counter:
            came = live.found
            live.found, live.state, live.refusals = False, 0, 0
            live.text = "does not answer" if came or live.text == "does not answer" else live.text
            return
        live.found = True
        # What is not as configured is no error of the device's own, and no better for that.
        live.state, live.flagged = told.data[0] & 0xF, bool(told.data[0] & ERROR_BIT)
        live.error = live.flagged or bool(live.why)
        code = int.from_bytes(told.data[4:6], "little")
        if live.error or live.state != OP:
            live.code = code or live.code
            name = STATES.get(live.state, f"state {live.state}")
            live.text = f"{name}: {state_text(code)}" if code else live.why or name
        else:
            live.code, live.text, live.why = 0, "Op", ""
        if not live.good and self.asker.clock.now_ns >= live.again_ns and not live.rising:
            live.again_ns = self.asker.clock.now_ns + _AGAIN_NS
            self._raise(live, self._once_more(live))

    def _lost_addresses(self) -> Asking:
        """Who was away may have forgotten his address: those that do not answer are looked for by position."""
        away = [live for live in self.nodes if not live.found and self.asker.clock.now_ns >= live.again_ns]
        for live in away:
            live.again_ns = self.asker.clock.now_ns + _AGAIN_NS
            register = d.physical(-(live.position - 1), STATION_ADDRESS)
            told = yield d.Sent(d.APRD, 0, register, bytes(2))
            if told and told.counter and told.data in (b"\0\0", live.address.to_bytes(2, "little")):
                yield d.Sent(d.APWR, 0, register, live.address.to_bytes(2, "little"))
                live.found, live.again_ns = True, 0
        return None

    def _once_more(self, live: NodeLive) -> Asking:
        yield from settle(live.address, INIT)
        yield from self._bring(live)
        return None

    def stop(self) -> None:
        """All devices back to Init, and nothing more."""
        self.asker.line.send(
            d.encode(SOURCE, [d.Sent(d.BWR, 0, d.physical(0, AL_CONTROL), bytes([INIT, 0]))]), self.asker.passing.alter,
            lambda _: None,
        )  # fmt: skip
        self.asker.stopped = True

    def told(self) -> NetworkTold:
        """Each device as it is seen, and what the frames come back with."""
        return NetworkTold(tuple(_node_told(live) for live in self.nodes), tuple(self._facts()))

    def _facts(self) -> Iterator[NetworkFact]:
        octets = sum(ethernet_octets(len(one.octets)) for one in self.rounds if one.octets)
        load = 100 * octets * NS_AN_OCTET / self.cycle_ns
        lost = f", {self.asker.lost} lost" if self.asker.lost else ""
        what = f"{len(self.rounds)} frames" if len(self.rounds) > 1 else "1 frame"
        yield NetworkFact("Cycle", f"{what}, {load:.1f} % of the cable, {self.frames} sent{lost}")
        several = len({going.plan.group for going in self.going if going.plan.runs}) > 1
        before = "Working counter" if not several else "Working counters: group"
        for going in self.going:
            plan = going.plan
            if plan.runs:
                text = f"{going.counter} of {plan.counter}" if going.counter >= 0 else f"none of {plan.counter}"
                yield NetworkFact(f"{before} {plan.group}" if several else before, text, going.counter == plan.counter)
                before = "group"
            elif plan.command == "BRD" and going.counter >= 0:
                text = f"{going.counter} of {plan.counter}"
                yield NetworkFact("Devices that answer", text, going.counter == plan.counter)


def _node_told(live: NodeLive) -> NodeTold:
    state = STATES.get(live.state, "") if live.found else ""
    lamps = indicators(live.state, live.code, error=live.flagged) if live.found else ""
    code = f"AL status 16#{live.code:04X}" if live.code else ""
    return NodeTold(live.node.id, str(live.position), state, live.good, live.text, code, lamps)


def go_live(clock: Clock, memory: Memory, line: Any, network: Network, lines: list[BenchLine]) -> Master | None:
    """Bring all devices up, then exchange every cycle until the controller stops."""
    if line is None or not lines:
        return None
    requests = [one for one in lines if is_request(one.line.connection)]
    lines = [one for one in lines if not is_request(one.line.connection)]
    told = plan(network, [one.line for one in lines])
    nodes = [NodeLive(node, position) for position, node in enumerate(told.nodes, start=1)]
    by_id = {live.node.id: live for live in nodes}
    lives = {key: live for one in lines for key, live in one.live.items()}
    offsets = {key: offset for one in lines for key, offset in one.offsets.items()}
    ends = ends_of(told, offsets)
    going = []
    for datagram in told.datagrams:
        runs = {
            way: [
                Run(lives[r.exchange], offsets[r.exchange] + r.first, r.at, r.octets, r.first, by_id[r.node.id], way)
                for r in datagram.runs
                if r.direction == way and r.exchange in offsets
            ]
            for way in ("out", "in")
        }
        going.append(Going(datagram, runs["out"], runs["in"], [*carried_by([*runs["out"], *runs["in"]], ends)]))
    rounds = [Round([going[n] for n in packed.datagrams]) for packed in told.frames]
    cycle_ns = round(LineSettings.of(network).cycle_ms * _NS_A_MS)
    master = Master(Asker(clock, line, Passing(clock)), memory, network, told, nodes, going, rounds, lives, cycle_ns)
    for one in going:
        one.address = master.address_of(one.plan)
        one.pieces = pieces_of(one, memory.image_out)
        one.into = [
            (slice(r.at, r.at + r.octets), memoryview(memory.image_in)[r.image : r.image + r.octets])
            for r in one.inward
        ]
        for carried in one.carried:
            carried.live.refresh = partial(master.told_now, one)
        for run in (*one.outward, *one.inward):
            behind = master._by_exchange.setdefault(run.exchange.exchange, [])
            if run.node not in behind:
                behind.append(run.node)
    for live in lives.values():
        if live.exchange not in master._by_exchange:
            live.left_to_the_program()
            live.text = "nothing to exchange"
    memory.at_stop.append(master.stop)
    clock.at(clock.now_ns, master.begin)
    begin_requests(clock, memory, master.asker, requests, by_id)
    return master
