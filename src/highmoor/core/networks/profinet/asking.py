"""Questions of a controller on the bench: asked one after the other, what comes back brought to whoever waits for it.

Source: IEC 61158-6-10, 4.3 (DCP), 4.10 (calls).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any
from uuid import UUID, uuid5

from highmoor.core.networks.alive import Clock
from highmoor.core.networks.media import Datagram, Host
from highmoor.core.networks.profinet import blocks as b
from highmoor.core.networks.profinet import bring_up as up
from highmoor.core.networks.profinet import calls as c
from highmoor.core.networks.profinet import dcp
from highmoor.core.networks.profinet.explain import CALLS, CONTROL, UNKNOWN_RELATION, refused


@dataclass(slots=True)
class _Running:
    """A talk going on, and what it waits for."""

    talk: up.Talk
    done: Callable[[up.Failed | None], None]
    waits: int = 0


@dataclass(slots=True)
class Asker:
    """Runs talks over one host; `knows` says whether a relation is one of its controller's."""

    clock: Clock
    host: Host
    knows: Callable[[UUID], bool]
    # Whoever waits for an answer: to a question to all or to one, to a call; for a device to be ready.
    _questions: dict[int, Callable[[bytes, dcp.Dcp], None]] = field(default_factory=dict)
    _calls: dict[UUID, Callable[[c.Call], None]] = field(default_factory=dict)
    _ready: dict[tuple[UUID, int], Callable[[], None]] = field(default_factory=dict)
    _numbers: int = 0

    def listen(self) -> None:
        """Calls are taken from now on."""
        self.host.hear(c.PORT, self._datagram)

    def number(self) -> int:
        """One that nothing else has."""
        self._numbers += 1
        return self._numbers

    def told(self, source: bytes, octets: bytes) -> None:
        """An answer to a question."""
        answer = dcp.decode(octets)
        waiting = self._questions.get(answer.xid) if answer and answer.kind == dcp.SUCCESS else None
        if answer is not None and waiting is not None:
            waiting(source, answer)

    def _datagram(self, datagram: Datagram) -> None:
        call = c.decode(datagram.octets)
        if call is None or datagram.target != self.host.address:
            return
        if call.kind != c.REQUEST:
            waiting = self._calls.pop(call.activity, None)
            if waiting is not None:
                waiting(call)
            return
        if call.interface == c.CONTROLLER_INTERFACE and call.operation == c.CONTROL:
            asked = b.read_control(call.blocks)
            told = call.answer(status=refused(CALLS, UNKNOWN_RELATION, CONTROL))
            if asked is not None and self.knows(asked.relation):
                done = b.control(asked.type | b.TOLD, asked.relation, asked.key, b.DONE, asked.number)
                told = call.answer(done)
                ready = self._ready.pop((asked.relation, asked.number), None)
                if ready is not None:
                    ready()
            self.host.send(datagram.source, datagram.source_port, told.encode(), c.PORT)

    def run(self, talk: up.Talk, done: Callable[[up.Failed | None], None] = lambda _: None) -> None:
        """Ask what a talk asks, one after the other."""
        self._step(_Running(talk, done), None)

    def _step(self, running: _Running, came: Any) -> None:
        running.waits += 1
        try:
            step = running.talk.send(came)
        except StopIteration:
            running.done(None)
            return
        except up.Failed as failed:
            running.done(failed)
            return
        self._begin(running, step)

    def _begin(self, running: _Running, step: up.Step) -> None:
        if isinstance(step, up.Seek):
            self._seek(running, step)
        elif isinstance(step, up.Tell):
            self._tell(running, step, 0)
        elif isinstance(step, up.WhoHas):
            found: list[bytes] = []
            self.host.who_has(step.address, found.append)
            self._after(running, up.ARP_NS, lambda: self._step(running, found))
        elif isinstance(step, up.Ask):
            self._ask(running, step)
        else:
            self._await(running, step)

    def _after(self, running: _Running, wait_ns: int, action: Callable[[], None]) -> None:
        """Unless it has gone on meanwhile."""
        turn = running.waits
        self.clock.at(self.clock.now_ns + wait_ns, lambda: action() if running.waits == turn else None)

    def _seek(self, running: _Running, step: up.Seek) -> None:
        found: dict[bytes, dcp.Told] = {}

        def heard(mac: bytes, told: dcp.Dcp) -> None:
            if told.frame_id == dcp.IDENTIFIED:
                found.setdefault(mac, dcp.told_of(mac, told))

        def over() -> None:
            del self._questions[step.frame.xid]
            self._step(running, list(found.values()))

        self._questions[step.frame.xid] = heard
        self.host.send_frame(dcp.TO_ALL, b.RT_ETHERTYPE, step.frame.encode())
        self._after(running, step.wait_ns, over)

    def _tell(self, running: _Running, step: up.Tell, tries: int) -> None:
        def heard(mac: bytes, told: dcp.Dcp) -> None:
            if mac == step.mac and told.frame_id == dcp.GET_SET:
                self._questions.pop(step.frame.xid, None)
                self._step(running, told)

        def silent() -> None:
            if tries:
                self._questions.pop(step.frame.xid, None)
                self._step(running, None)
            else:
                self._tell(running, step, 1)

        self._questions[step.frame.xid] = heard
        self.host.send_frame(step.mac, b.RT_ETHERTYPE, step.frame.encode())
        self._after(running, up.TOLD_NS, silent)

    def _ask(self, running: _Running, step: up.Ask) -> None:
        number = self.number()
        activity = uuid5(step.object, f"{self.host.mac.hex()} {number}")
        call = c.Call(c.REQUEST, step.operation, activity, number, step.object, c.DEVICE_INTERFACE, step.blocks)

        def silent() -> None:
            self._calls.pop(activity, None)
            self._step(running, None)

        self._calls[activity] = lambda told: self._step(running, told)
        self.host.send(step.address, c.PORT, call.encode(), c.PORT)
        self._after(running, up.CALL_NS, silent)

    def _await(self, running: _Running, step: up.Ready) -> None:
        key = step.relation, step.number
        self._ready[key] = lambda: self._step(running, True)

        def silent() -> None:
            self._ready.pop(key, None)
            self._step(running, None)

        self._after(running, up.READY_NS, silent)
