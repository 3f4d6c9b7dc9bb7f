"""How a device of EtherCAT is brought from Init to Op: what is asked and written, step by step.

Source: ETG.1000.6, 6.4; ETG.1020 for the order. Each generator yields datagrams, or how long to wait, and is sent what
came back: None for a lost frame.
"""

from __future__ import annotations

import math
from collections.abc import Generator, Iterable

from highmoor.core.networks.alive import Clock
from highmoor.core.networks.ethercat import datagrams as d
from highmoor.core.networks.ethercat import registers as r
from highmoor.core.networks.ethercat.asking import Asking, Failed, Wait
from highmoor.core.networks.ethercat.explain import ERROR_BIT, INIT, OP, PREOP, SAFEOP, STATES, abort_text, state_text
from highmoor.core.networks.ethercat.mailbox import COE, Aborted, Mail, MailboxError, reading, writing
from highmoor.core.networks.ethercat.ruler import sync0_of, sync1_of
from highmoor.core.networks.ethercat.settings import DIRECTIONS, Direction, Node
from highmoor.core.networks.ethercat.startup import reference, writes_of

_NS_A_MS = 1_000_000
_POLL_NS = 1 * _NS_A_MS
# How often a frame that was lost is sent again.
_TRIES = 3


def asked(command: int, address: int, register: int, data: bytes) -> Generator[d.Sent | Wait, d.Sent | None, d.Sent]:
    """A datagram that must reach its device. Raises Failed."""
    for _ in range(_TRIES):
        told = yield d.Sent(command, 0, d.physical(address, register), data)
        if told is not None and told.counter:
            return told
    raise Failed("does not answer")


def read(address: int, register: int, octets: int) -> Generator[d.Sent | Wait, d.Sent | None, bytes]:
    """A register of a device. Raises Failed."""
    told = yield from asked(d.FPRD, address, register, bytes(octets))
    return told.data


def write(address: int, register: int, octets: bytes) -> Generator[d.Sent | Wait, d.Sent | None, None]:
    """A register of a device. Raises Failed."""
    yield from asked(d.FPWR, address, register, octets)


def eeprom(address: int, word: int) -> Generator[d.Sent | Wait, d.Sent | None, int]:
    """Two words of its memory of itself."""
    yield from write(address, r.EEPROM_ADDRESS, word.to_bytes(4, "little"))
    yield from write(address, r.EEPROM_CONTROL, r.EEPROM_READ.to_bytes(2, "little"))
    while int.from_bytes((yield from read(address, r.EEPROM_CONTROL, 2)), "little") & r.EEPROM_BUSY:
        yield Wait(_POLL_NS)
    return int.from_bytes((yield from read(address, r.EEPROM_DATA, 4)), "little")


def identity(node: Node, address: int) -> Generator[d.Sent | Wait, d.Sent | None, str]:
    """Whether it is who is configured there: why not, in words; "" also where nobody says who it should be."""
    if node.device is None or node.device.ethercat is None:
        return ""
    vendor = yield from eeprom(address, r.VENDOR_WORD)
    product = yield from eeprom(address, r.PRODUCT_WORD)
    revision = yield from eeprom(address, r.REVISION_WORD)
    wanted = node.device
    if (vendor, product) != (wanted.vendor_id, wanted.product_code):
        return f"not {wanted.called}: vendor 16#{vendor:X}, product 16#{product:X} is there"
    rule = {"exact": "EQ", "any": "NONE"}.get(node.own.identity, node.facts.revision_rule)
    if not revision_fits(rule, revision, node.facts.revision):
        return f"not revision {_spelled(node.facts.revision)}: {_spelled(revision)} is there"
    return ""


def _spelled(revision: int) -> str:
    return f"{revision >> 16}.{revision & 0xFFFF}"


def revision_fits(rule: str, found: int, wanted: int) -> bool:
    """Whether a revision is taken for another, by the rule of the file (ETG.2000, table 13): high and low word."""
    high, low = found >> 16, found & 0xFFFF
    own_high, own_low = wanted >> 16, wanted & 0xFFFF
    return {
        "NONE": True,
        "EQ": found == wanted,
        "EQ_OR_G": found >= wanted,
        "EQ_OR_L": found <= wanted,
        "LW_EQ": low == own_low,
        "HW_EQ": high == own_high,
        "LW_EQ_HW_EQ": found == wanted,
        "HW_EQ_LW_EQ": found == wanted,
        "LW_EQ_HW_EQ_OR_G": low == own_low and high >= own_high,
        "HW_EQ_LW_EQ_OR_G": high == own_high and low >= own_low,
    }.get(rule, found == wanted)


def settle(address: int, state: int, patience_ms: float = 3000) -> Generator[d.Sent | Wait, d.Sent | None, None]:
    """Ask for a state and wait until it is there. Raises Failed with why it is not."""
    yield from write(address, r.AL_CONTROL, bytes([state | ERROR_BIT, 0]))
    for _ in range(max(int(patience_ms * _NS_A_MS / _POLL_NS), 1)):
        told = yield from read(address, r.AL_STATUS, 6)
        now, code = told[0] & 0xF, int.from_bytes(told[4:6], "little")
        if told[0] & ERROR_BIT:
            raise Failed(f"{STATES.get(now, now)}: {state_text(code)}", code, now)
        if now == state:
            return
        yield Wait(_POLL_NS)
    raise Failed(f"does not go to {STATES[state]} in {patience_ms:g} ms")


def bring_up(
    node: Node, address: int, mapped: Iterable[tuple[int, Direction, int]], cycle_ms: float | None, clock: Clock
) -> Asking:
    """From Init to Op. `mapped` are logical address, direction and octets of its process data; without a `cycle_ms`
    clocks are off. Raises Failed."""
    yield from settle(address, INIT)
    yield from _mailboxes(node, address)
    yield from settle(address, PREOP, node.facts.times.preop)
    for step, state, patience in (
        ("PS", SAFEOP, node.facts.times.safeop_op), ("SO", OP, node.facts.times.safeop_op),
    ):  # fmt: skip
        for one in writes_of(node):
            if one.transition == step or (step == "PS" and one.transition == "IP"):
                problem = yield from write_object(node, address, one.idx, one.sub, one.octets, complete=one.complete)
                if problem:
                    raise Failed(f"Pre-Op: {reference(one.idx, one.sub)} could not be written: {problem}", 0, PREOP)
        if step == "PS":
            yield from _process_data(node, address, mapped)
            yield from _clock(node, address, cycle_ms, clock)
        else:
            # Valid outputs are there with the next cycle.
            yield Wait(int(2 * (cycle_ms or 1) * _NS_A_MS) + _POLL_NS)
        yield from settle(address, state, patience)
    return None


def _mailboxes(node: Node, address: int) -> Asking:
    for n, one in enumerate(node.facts.managers):
        if one.kind in ("mailbox-out", "mailbox-in"):
            block = r.Manager(one.start, one.octets or one.least or 128, one.control, active=True)
            yield from write(address, r.SYNC_MANAGER + r.MANAGER_OCTETS * n, block.encode())
    return None


def _process_data(node: Node, address: int, mapped: Iterable[tuple[int, Direction, int]]) -> Asking:
    time = int(node.own.watchdog_ms * 10)
    yield from write(address, r.WATCHDOG_DIVIDER, r.DIVIDER.to_bytes(2, "little"))
    yield from write(address, r.WATCHDOG_TIME, min(time, 0xFFFF).to_bytes(2, "little"))
    places = {direction: (logical, octets) for logical, direction, octets in mapped}
    for n, direction in enumerate(reversed(DIRECTIONS)):
        found = node.manager(direction)
        start = found[1].start if found else _PLAIN[direction]
        number, control = (found[0], found[1].control) if found else (3 if direction == "in" else 2, 0x20)
        logical, octets = places.get(direction, (0, 0))
        if found is None and not octets:
            continue
        block = r.Manager(start, octets, control, active=octets > 0)
        yield from write(address, r.SYNC_MANAGER + r.MANAGER_OCTETS * number, block.encode())
        fmmu = r.Fmmu(logical, octets, start, read=direction == "in", write=direction == "out")
        if octets:
            yield from write(address, r.FMMU + r.FMMU_OCTETS * n, fmmu.encode())
    return None


_PLAIN: dict[Direction, int] = {"out": 0x1100, "in": 0x1400}


def _clock(node: Node, address: int, cycle_ms: float | None, clock: Clock) -> Asking:
    mode = node.clock
    if mode is None or not mode.on or cycle_ms is None:
        return None
    sync0 = sync0_of(node, cycle_ms)
    if sync0:
        # The first is due in the cycle after the next but so many.
        first = clock.now_ns + 10 * round(cycle_ms * _NS_A_MS) + sync0.shift_ns
        yield from write(address, r.START_TIME, max(first, 0).to_bytes(8, "little"))
        yield from write(address, r.SYNC0_CYCLE, sync0.every_ns.to_bytes(4, "little"))
        sync1 = sync1_of(node, cycle_ms)
        if sync1:
            # How long after the Sync0 before it: of several Sync0 it follows the last (ETG.1000.4, 9).
            behind = max(sync1.every_ns - sync0.every_ns, 0) + sync1.behind_ns
            yield from write(address, r.SYNC1_CYCLE, max(behind, 0).to_bytes(4, "little"))
    yield from write(address, r.ACTIVATION, mode.activate.to_bytes(2, "little"))
    return None


# ── service data


def through_mailbox(
    node: Node, address: int, service: Generator[bytes, bytes, bytes], patience_ms: float | None = None
) -> Generator[d.Sent | Wait, d.Sent | None, bytes]:
    """A service by the device's mailboxes, each answer waited for as long as its file says, or so many ms.

    Raises Failed, Aborted, MailboxError.
    """
    boxes = {m.kind: (n, m) for n, m in enumerate(node.facts.managers)}
    if "mailbox-out" not in boxes or "mailbox-in" not in boxes:
        raise Failed("it has no mailbox")
    (_, out), (into_number, into) = boxes["mailbox-out"], boxes["mailbox-in"]
    out_octets, in_octets = (box.octets or box.least or 128 for box in (out, into))
    patience = patience_ms or (node.facts.mailbox.response_ms if node.facts.mailbox else 2000)
    counter = 0
    try:
        request = next(service)
        while True:
            counter = counter % 7 + 1
            yield from write(address, out.start, Mail(COE, counter, request).encode(out_octets))
            answer = yield from _fetched(address, into.start, in_octets, into_number, patience)
            request = service.send(Mail.decode(answer).data)
    except StopIteration as end:
        told: bytes = end.value
        return told


def _fetched(
    address: int, start: int, octets: int, number: int, patience_ms: float
) -> Generator[d.Sent | Wait, d.Sent | None, bytes]:
    register = r.SYNC_MANAGER + r.MANAGER_OCTETS * number + 5
    for _ in range(max(math.ceil(patience_ms), 1)):
        status = yield from read(address, register, 1)
        if status[0] & r.MAILBOX_FULL:
            return (yield from read(address, start, octets))
        yield Wait(_POLL_NS)
    raise Aborted(0x05040000)


def spelled_abort(code: int) -> str:
    """An abort code with its words."""
    return f"16#{code:08X}, {abort_text(code)}"


def mailbox_octets(node: Node) -> int:
    """How long a message into a device may be."""
    boxes = [m for m in node.facts.managers if m.kind == "mailbox-out"]
    return (boxes[0].octets or boxes[0].least or 128) if boxes else 0


def read_object(
    node: Node, address: int, idx: int, sub: int, *, complete: bool = False
) -> Generator[d.Sent | Wait, d.Sent | None, tuple[bytes, str]]:
    """An object's octets, or why there are none."""
    try:
        octets = yield from through_mailbox(node, address, reading(idx, sub, complete=complete))
    except Aborted as aborted:
        return b"", spelled_abort(aborted.code)
    except (Failed, MailboxError) as failed:
        return b"", str(failed)
    return octets, ""


def write_object(
    node: Node, address: int, idx: int, sub: int, octets: bytes, *, complete: bool = False
) -> Generator[d.Sent | Wait, d.Sent | None, str]:
    """Write an object; why that was refused, in words, "" where it was not."""
    try:
        service = writing(idx, sub, octets, mailbox_octets(node), complete=complete)
        yield from through_mailbox(node, address, service)
    except Aborted as aborted:
        return spelled_abort(aborted.code)
    except (Failed, MailboxError) as failed:
        return str(failed)
    return ""
