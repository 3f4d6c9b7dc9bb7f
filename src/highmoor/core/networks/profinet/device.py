"""An IO device on the bench: found and named over the network, connected to, given its parameters, exchanging.

Source: IEC 61158-6-10, 4.3 (DCP), 4.10 (context management); IEC 61158-5-10 (records).
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any
from uuid import uuid5

from highmoor.core.figures.profinet import name_problem
from highmoor.core.networks import neighbours
from highmoor.core.networks.alive import Clock
from highmoor.core.networks.diagnosis import Diagnosis
from highmoor.core.networks.media import Datagram, Host
from highmoor.core.networks.neighbours import Neighbour
from highmoor.core.networks.profinet import blocks as b
from highmoor.core.networks.profinet import calls as c
from highmoor.core.networks.profinet import dcp
from highmoor.core.networks.profinet import realtime as rt
from highmoor.core.networks.profinet import record_blocks as r
from highmoor.core.networks.profinet.acceptance import Granted, Known, Where, acceptance, real_modules, right_of
from highmoor.core.networks.profinet.device_records import record, written
from highmoor.core.networks.profinet.explain import (
    CALLS,
    CONTROL,
    READ,
    UNKNOWN_RELATION,
    WRITE,
    refused,
)
from highmoor.core.networks.profinet.realtime import ChannelError
from highmoor.core.networks.profinet.relation import DeviceEnd

_NS_A_MS = 1_000_000
# How long it takes with its parameters before it is ready; how long it lets its lamp flash; how long it is silent after
# a reset.
READY_NS, BLINK_NS, RESET_NS = 20 * _NS_A_MS, 3_000 * _NS_A_MS, 500 * _NS_A_MS
_ANSWER_NS = 1 * _NS_A_MS
_DELAY_NS = 10 * _NS_A_MS
_HOLDS_NS = neighbours.HOLDS_S * 1_000 * _NS_A_MS
_LLDP_NS = neighbours.EVERY_S * 1_000 * _NS_A_MS
Errors = Mapping[Where, Sequence[ChannelError]]


@dataclass(slots=True)
class Device:
    """The device: its name, its octets both ways, its relation with a controller, None for none."""

    known: Known
    clock: Clock
    host: Host
    gives: bytearray
    takes: bytearray
    serial: int = 0
    name: str = ""
    # Name and address as they are kept; what the host has now may be for now alone.
    kept: tuple[str, str] = ("", "")
    # Submodules that give no good data, and what is wrong with channels.
    bad: frozenset[Where] = frozenset()
    errors: Errors = field(default_factory=dict)
    texts: dict[int, str] = field(default_factory=dict)
    keep: Callable[[Mapping[str, Any]], None] = lambda _: None
    on_lost: Callable[[], None] = lambda: None
    relation: DeviceEnd | None = None
    blinks_until_ns: int = 0
    written: dict[tuple[Where, int], bytes] = field(default_factory=dict)
    near: dict[int, tuple[Neighbour, int]] = field(default_factory=dict)
    _silent_until_ns: int = 0
    _number: int = 0
    _frame_ids: int = rt.FIRST_ID
    _told_errors: dict[Where, list[ChannelError]] = field(default_factory=dict)
    # Submodules that were plugged and have not got their parameters yet, by the number of the alarm that told so.
    _replugging: dict[int, Where] = field(default_factory=dict)

    def begin(self) -> None:
        """It is on the network from now on."""
        self.host.take(self.kept[1])
        self.host.hear_frames(b.RT_ETHERTYPE, self._frame)
        self.host.hear(c.PORT, self._datagram)
        self.host.hear_neighbours(neighbours.ETHERTYPE, self._neighbour)
        # Once everybody is there.
        self.clock.at(self.clock.now_ns, self._tell_neighbours)

    def told(self) -> Sequence[Diagnosis]:
        """What it has to say it says over the network."""
        return ()

    @property
    def _away(self) -> bool:
        return self.clock.now_ns < self._silent_until_ns

    def powered(self, on: bool) -> None:
        """Without power it forgets what was set for now; with it, it is as it was kept."""
        if not on:
            if self.relation:
                self.relation.end(said=False)
            self.near.clear()
            return
        self.name = self.kept[0]
        self.host.take(self.kept[1])
        self._silent_until_ns = self.clock.now_ns + RESET_NS

    # ── neighbours

    def _tell_neighbours(self) -> None:
        if not self.host.attached:
            return
        if not self._away:
            mac = self.host.mac
            self.host.tell_neighbours(
                neighbours.NEAREST, neighbours.ETHERTYPE, lambda socket: neighbours.encode(self.name, mac, socket)
            )
        self.clock.at(self.clock.now_ns + _LLDP_NS, self._tell_neighbours)

    def _neighbour(self, socket: int, octets: bytes) -> None:
        told = neighbours.decode(octets)
        if told is not None:
            self.near[socket] = told, self.clock.now_ns + _HOLDS_NS

    def neighbour(self, socket: int) -> Neighbour | None:
        """Who is at the other end of a socket, as it was told."""
        told = self.near.get(socket)
        return told[0] if told and self.clock.now_ns < told[1] else None

    # ── found, named, given an address

    def _frame(self, source: bytes, _: bytes, octets: bytes) -> None:
        relation = self.relation
        if relation is not None and octets[:2] == relation.head and source == relation.granted.relation.mac:
            relation.heard(octets)
            return
        frame_id = int.from_bytes(octets[:2], "big")
        if frame_id in (rt.HIGH_ALARM, rt.LOW_ALARM):
            if relation is not None and source == relation.granted.relation.mac:
                relation.alarm_heard(octets)
        elif not self._away:
            asked = dcp.decode(octets)
            if asked is not None and asked.kind == dcp.REQUEST:
                self._dcp(source, asked)

    def _dcp(self, source: bytes, asked: dcp.Dcp) -> None:
        if asked.frame_id == dcp.IDENTIFY:
            if all(self._matches(block) for block in asked.blocks):
                spread = int.from_bytes(self.host.mac[-2:], "big") % max(asked.delay, 1)
                told = dcp.answer(asked, self._told_of_itself())
                self._later(_ANSWER_NS + spread * _DELAY_NS, source, told)
        elif asked.service == dcp.GET:
            every = {block.option: block for block in self._told_of_itself()}
            wanted = [every.get(block.option) or dcp.came_of(block.option, dcp.NOT_SUPPORTED) for block in asked.blocks]
            self._later(_ANSWER_NS, source, dcp.answer(asked, wanted))
        elif asked.service == dcp.SET:
            came = [dcp.came_of(block.option, self._set(block)) for block in asked.blocks]
            self._later(_ANSWER_NS, source, dcp.answer(asked, came))

    def _later(self, after_ns: int, target: bytes, told: dcp.Dcp) -> None:
        octets = told.encode()
        self.clock.at(self.clock.now_ns + after_ns, lambda: self.host.send_frame(target, b.RT_ETHERTYPE, octets))

    def _told_of_itself(self) -> list[dcp.Block]:
        known, address = self.known, self.host.address
        identity = known.vendor_id.to_bytes(2, "big") + known.device_id.to_bytes(2, "big")
        host = self.host
        ip = dcp.address_octets(address, host.mask, host.gateway) if address else dcp.address_octets("", "")
        return [
            dcp.Block(dcp.VENDOR, known.called.encode("latin-1", "replace")[:240], 0),
            dcp.Block(dcp.NAME, self.name.encode(), 0), dcp.Block(dcp.DEVICE, identity, 0),
            dcp.Block(dcp.ROLE, bytes((dcp.IO_DEVICE, 0)), 0), dcp.Block(dcp.IP, ip, 1 if address else 0),
        ]  # fmt: skip

    def _matches(self, block: dcp.Block) -> bool:
        if block.option == dcp.ALL:
            return True
        if block.option == dcp.NAME:
            return bool(self.name) and block.octets == self.name.encode()
        if block.option == dcp.ALIAS:
            return block.octets.decode("ascii", "replace") in self._aliases()
        told = next((own for own in self._told_of_itself() if own.option == block.option), None)
        return told is not None and told.octets == block.octets

    def _aliases(self) -> Iterable[str]:
        """What it is called by where it hangs: its neighbour's port, his name."""
        for socket in self.near:
            there = self.neighbour(socket)
            if there is not None and there.name:
                yield f"{there.port}.{there.name}"

    def _set(self, block: dcp.Block) -> int:
        good = block.info == dcp.FOR_GOOD
        if block.option == dcp.NAME:
            name = block.octets.decode("ascii", "replace")
            if name and name_problem(name):
                return dcp.BAD_NAME_OR_ADDRESS
            if name != self.name and self.relation:
                self.relation.end()
            self.name = name
            if good:
                self._keep(name, self.kept[1])
            return dcp.OK
        if block.option == dcp.IP and len(block.octets) >= 12:
            address, mask, gateway = dcp.addresses(block.octets)
            if address != self.host.address and self.relation:
                self.relation.end()
            self.host.take(address)
            self.host.mask, self.host.gateway = mask, gateway
            if good:
                self._keep(self.kept[0], address)
            return dcp.OK
        if block.option == dcp.SIGNAL:
            self.blinks_until_ns = self.clock.now_ns + BLINK_NS
            return dcp.OK
        if block.option == dcp.RESET:
            self._reset()
            return dcp.OK
        return dcp.NOT_SUPPORTED

    def _keep(self, name: str, address: str) -> None:
        self.kept = name, address
        self.keep({"facts.name": name, "facts.ip": address})

    def _reset(self) -> None:
        """As it was delivered, after a while in which it starts again."""
        if self.relation:
            self.relation.end()
        self.texts.clear()
        self._keep("", "")
        self.keep({"facts.texts": {}})

        def restart() -> None:
            self.name = ""
            self.host.take("")
            self._silent_until_ns = self.clock.now_ns + RESET_NS

        self.clock.at(self.clock.now_ns + 2 * _ANSWER_NS, restart)

    # ── calls

    def _datagram(self, datagram: Datagram) -> None:
        call = c.decode(datagram.octets)
        if call is None or self._away or datagram.target != self.host.address:
            return
        if call.kind == c.REQUEST:
            told = self._answer(call, datagram)
            self.clock.at(
                self.clock.now_ns + _ANSWER_NS,
                lambda: self.host.send(datagram.source, datagram.source_port, told.encode(), c.PORT),
            )
        elif call.kind == c.RESPONSE and self.relation is not None and b.read_control(call.blocks) is not None:
            # The controller knows that it is ready: what is wrong is told now.
            self._tell_errors()

    def _answer(self, call: c.Call, datagram: Datagram) -> c.Call:
        if call.interface != c.DEVICE_INTERFACE or call.object != c.object_of(
            self.known.vendor_id, self.known.device_id
        ):
            return call.rejected()
        if call.operation == c.CONNECT:
            return self._connect(call)
        if call.operation in (c.READ, c.READ_IMPLICIT):
            return self._read(call)
        if call.operation == c.WRITE:
            return self._write(call)
        return self._control(call, datagram)

    def _connect(self, call: c.Call) -> c.Call:
        relation = self.relation
        asked = next((b.read_relation(one.octets) for one in b.blocks_in(call.blocks) if one.type == b.AR), None)
        if relation is not None and asked is not None and asked.mac == relation.granted.relation.mac:
            # The same controller begins anew.
            relation.end(said=False)
            relation = None
        granted = acceptance(self.known, call.blocks, taken=relation is not None)
        if isinstance(granted, int):
            return call.answer(status=granted)
        self._frame_ids = self._frame_ids + 1 if self._frame_ids < rt.LAST_ID else rt.FIRST_ID
        frame_id = self._frame_ids
        self.relation = DeviceEnd(
            self.clock,
            self.host,
            granted,
            frame_id,
            self.gives,
            self.takes,
            self._over,
            self.on_lost,
            self.known.submodules,
        )
        self._told_errors = {}
        self._replugging = {}
        self._counts()
        self.clock.at(self.clock.now_ns + 2 * _ANSWER_NS, self.relation.begin)
        told = b.relation_told(granted.relation, self.host.mac)
        told += b.cyclic_told(granted.cyclic["in"], granted.cyclic["in"].frame_id)
        told += b.cyclic_told(granted.cyclic["out"], frame_id) + b.alarms_told(1)
        return call.answer(told + (b.difference(granted.differs) if granted.differs else b""))

    def _over(self, relation: DeviceEnd) -> None:
        if self.relation is relation:
            self.relation = None
            self.on_lost()

    def _counts(self) -> None:
        """Which data counts: of submodules that are as expected, once all are ready."""
        relation = self.relation
        if relation is not None:
            good = set(relation.granted.right) - self.bad - set(self._replugging.values()) if relation.ready else set()
            relation.trouble = bool(self.errors or self.bad)
            relation.counts(good)

    def _control(self, call: c.Call, datagram: Datagram) -> c.Call:
        asked, relation = b.read_control(call.blocks), self.relation
        if asked is None or relation is None or asked.relation != relation.granted.relation.uuid:
            return call.answer(status=refused(CALLS, UNKNOWN_RELATION, CONTROL))
        done = b.control(asked.type | b.TOLD, asked.relation, asked.key, b.DONE, asked.number)
        if call.operation == c.RELEASE:
            relation.end(said=False)
        elif asked.command == b.END_OF_PARAMETERS:
            kind = b.PLUG_READY if asked.type == b.PLUG_END else b.READY
            self.clock.at(
                self.clock.now_ns + READY_NS, lambda: self._ready(relation, datagram.source, kind, asked.number)
            )
        return call.answer(done)

    def _ready(self, relation: DeviceEnd, controller: str, kind: int, number: int) -> None:
        """It tells the controller that its application is ready."""
        if relation is not self.relation:
            return
        told = relation.granted.relation
        self._number += 1
        if kind == b.PLUG_READY:
            self._replugging.pop(number, None)
        relation.ready = True
        self._counts()
        call = c.Call(
            c.REQUEST, c.CONTROL, uuid5(told.uuid, f"{self._number}"), self._number, told.object,
            c.CONTROLLER_INTERFACE, b.control(kind, told.uuid, told.key, b.APPLICATION_READY, number),
        )  # fmt: skip
        self.host.send(controller, c.PORT, call.encode(), c.PORT)

    # ── records

    def _write(self, call: c.Call) -> c.Call:
        read, relation = r.read_record(call.blocks), self.relation
        if read is None or relation is None or read[0].relation != relation.granted.relation.uuid:
            return call.answer(status=refused(CALLS, UNKNOWN_RELATION, WRITE))
        asked, octets = read
        status = written(self, asked, octets)
        return call.answer(r.record(b.WRITTEN, asked, status), status)

    def _read(self, call: c.Call) -> c.Call:
        read = r.read_record(call.blocks)
        if read is None:
            return call.answer(status=refused(CALLS, 1, READ))
        asked, _ = read
        told = record(self, asked)
        if isinstance(told, int):
            return call.answer(r.record(b.READ_TOLD, asked._replace(octets=0)), told)
        return call.answer(r.record(b.READ_TOLD, asked._replace(octets=len(told))) + told)

    # ── what changes while it goes on

    def changed(self, bad: frozenset[Where], errors: Errors) -> None:
        """Other submodules give no good data, other channels have something wrong."""
        back = self.bad - bad
        self.bad, self.errors = bad, errors
        relation = self.relation
        if relation is None or not relation.ready:
            return
        self._counts()
        for where in sorted(back & relation.granted.right):
            relation.alarm(rt.RETURN, where)
        self._tell_errors()

    def _tell_errors(self) -> None:
        """Errors that came and went since they were last told."""
        relation = self.relation
        if relation is None or not relation.ready:
            return
        for where in sorted({*self.errors, *self._told_errors}):
            if where not in relation.granted.right:
                continue
            before, now = self._told_errors.get(where, []), list(self.errors.get(where, ()))
            for error in before:
                if error not in now:
                    relation.alarm(rt.DISAPPEARS, where, error, remains=bool(now))
            for error in now:
                if error not in before:
                    relation.alarm(rt.DIAGNOSIS, where, error)
            self._told_errors[where] = now

    def renamed(self, name: str, address: str) -> None:
        """Somebody has set it otherwise by hand: what it keeps is this."""
        if (name, address) == self.kept:
            return
        if self.relation:
            self.relation.end()
        self.kept = name, address
        self.name = name
        self.host.take(address)

    def moved(self, gives: bytearray, takes: bytearray) -> None:
        """Its octets are these from now on."""
        self.gives, self.takes = gives, takes
        if self.relation is not None:
            self.relation.replugged(self.relation.granted, self.known.submodules, gives, takes)

    def replugged(self, known: Known, gives: bytearray, takes: bytearray) -> None:
        """Other modules are in its slots from now on; whoever exchanges with it is told."""
        before, self.known = self.known, known
        self.gives, self.takes = gives, takes
        relation = self.relation
        if relation is None:
            return
        wanted = relation.granted.expected
        right = frozenset(right_of(known, wanted))
        was = relation.granted.right
        granted = Granted(
            relation.granted.relation, relation.granted.cyclic, relation.granted.alarms, wanted,
            tuple(real_modules(known, wanted)), right,
        )  # fmt: skip
        relation.replugged(granted, known.submodules, gives, takes)
        for where in sorted(was - right):
            self._told_errors.pop(where, None)
            relation.alarm(rt.PULL, where)
        for where in sorted(right - was):
            self._replugging[relation.alarm(rt.PLUG, where)] = where
        self._counts()
        for where in sorted(set(wanted) - right):
            there = known.submodules.get(where)
            if there is not None and there != before.submodules.get(where):
                relation.alarm(rt.PLUG_WRONG, where, there=(there.module_ident, there.ident))
