"""What is written into a device's objects on the way to Op: its modules, its file's writes, its PDOs, one's own.

Source: ETG.1000.6, 5.6.7.4 (assignment, 0x1C12 and 0x1C13); ETG.5001.1, 5 (0xF030).
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

from highmoor.core.catalogue.ethercat import TRANSITIONS
from highmoor.core.networks.ethercat.settings import DIRECTIONS, Direction, Node, nodes_of
from highmoor.core.networks.fieldbus import StartupWrite
from highmoor.core.networks.line import Line
from highmoor.core.plant.rows import Network

# Where the PDOs of a sync manager are assigned: this and its number (ETG.1000.6, 5.6.7.4.5).
ASSIGN_BASE = 0x1C10
CONFIGURED_MODULES = 0xF030
STEPS = {"IP": "Init → Pre-Op", "PS": "Pre-Op → Safe-Op", "SO": "Safe-Op → Op"}
Source = Literal["file", "setting", "own"]


@dataclass(frozen=True, slots=True)
class Write:
    """One write of service data at a step; low octet first."""

    transition: str
    idx: int
    sub: int
    octets: bytes
    source: Source
    reason: str
    complete: bool = False


def writes_of(node: Node) -> tuple[Write, ...]:
    """All of a device's in the order in which they are sent: at one step, one's own come last."""
    mailbox = node.facts.mailbox
    if mailbox is None or not mailbox.coe:
        return ()
    made = [*_modules(node), *_file(node), *_assignments(node), *_own(node)]
    return tuple(sorted(made, key=_step))


def _step(write: Write) -> int:
    return TRANSITIONS.index(write.transition) if write.transition in TRANSITIONS else len(TRANSITIONS)


def _modules(node: Node) -> Iterator[Write]:
    """Which module is configured in which slot."""
    rule = node.facts.slots
    if rule is None:
        return
    idents = {slot.slot: slot.ident for slot in node.slots}
    last = max(idents, default=0)
    yield Write("PS", CONFIGURED_MODULES, 0, b"\x00", "setting", "its modules")
    for slot in range(1, last + 1):
        octets = idents.get(slot, 0).to_bytes(4, "little")
        yield Write("PS", CONFIGURED_MODULES, slot, octets, "setting", f"the module in slot {slot}")
    yield Write("PS", CONFIGURED_MODULES, 0, bytes([last]), "setting", "how many slots are told of")


def _file(node: Node) -> Iterator[Write]:
    for write in node.facts.writes:
        octets = bytes.fromhex(write.octets)
        yield Write(
            write.transition, write.idx, write.sub, octets, "file", write.comment or "from its file", write.complete
        )
    for slot in node.slots:
        step = (node.facts.slots.index_step if node.facts.slots else 0) * (slot.slot - 1)
        for write in slot.facts.writes:
            octets = bytes.fromhex(write.octets)
            reason = write.comment or f"from the file of the module in slot {slot.slot}"
            yield Write(write.transition, write.idx + step, write.sub, octets, "file", reason, write.complete)


def _assignments(node: Node) -> Iterator[Write]:
    """Which PDOs go through which sync manager, where the device lets that be chosen."""
    if node.facts.mailbox is None or not node.facts.mailbox.pdo_assign:
        return
    usual = {pdo.idx for pdo in node.facts.pdos if pdo.manager is not None or pdo.mandatory}
    for direction in reversed(DIRECTIONS):
        yield from _assigned(node, direction, usual)


def _assigned(node: Node, direction: Direction, usual: set[int]) -> Iterator[Write]:
    found = node.manager(direction)
    if found is None:
        return
    number, _ = found
    taken = [pdo.idx for pdo in node.taken(direction)]
    own = {pdo.idx for pdo in node.own_pdos if pdo.direction == direction}
    as_file = own == {pdo.idx for pdo in node.facts.pdos if pdo.direction == direction and pdo.idx in usual}
    source: Source = "file" if as_file and not node.slots else "setting"
    what = "inputs" if direction == "in" else "outputs"
    idx = ASSIGN_BASE + number
    yield Write("PS", idx, 0, b"\x00", source, f"its {what}: none first")
    for n, pdo in enumerate(taken, start=1):
        yield Write("PS", idx, n, pdo.to_bytes(2, "little"), source, f"its {what}")
    yield Write("PS", idx, 0, bytes([len(taken)]), source, f"its {what}: so many PDOs")


def _own(node: Node) -> Iterator[Write]:
    for write in node.own.writes:
        yield Write(write.transition, write.idx, write.sub, write.octets, "own", "written by hand")


def reference(idx: int, sub: int) -> str:
    """An object as the trade writes it."""
    return f"16#{idx:04X}:{sub:02X}"


def startup(_: Network, line: Line) -> tuple[StartupWrite, ...]:
    """Of the station and of every module that answers for itself."""
    return tuple(_told(node, write) for node in nodes_of(line) for write in writes_of(node))


def _told(node: Node, write: Write) -> StartupWrite:
    when = STEPS.get(write.transition, write.transition)
    return StartupWrite(when, reference(write.idx, write.sub), write.octets, write.source, write.reason, node.id)
