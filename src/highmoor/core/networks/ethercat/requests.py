"""Requests of the program for an object in a device: read it, or write it, when the program wants that.

Source: ETG.1000.6, 5.6.2 (service data objects). One reads where its exchange goes in, and writes where it goes out.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Any

from highmoor.core.catalogue.ethercat import SubObject
from highmoor.core.networks.ethercat.objects import objects_of, value_at
from highmoor.core.networks.ethercat.settings import Node, everybody
from highmoor.core.networks.fieldbus import Fact
from highmoor.core.networks.line import Line
from highmoor.core.networks.on_demand import OnDemand, on_demand
from highmoor.core.numbers import shown

OCTETS_AT_MOST = 1400


@dataclass(frozen=True, slots=True)
class Request(OnDemand):
    """A request as it is asked: of the module in a slot (0: the station itself), for which object (None: not said yet).

    `value` is what its file says of the object, `node` who answers; None where there is nobody, or nothing is said.
    """

    slot: int
    index: int | None
    subindex: int
    octets: int
    node: Node | None
    value: SubObject | None

    @property
    def writes(self) -> bool:
        """Whether it writes."""
        return not self.answer


def request_of(line: Line) -> Request:
    """The request a connection stands for, with defaults filled in: as many octets as the object has by its file."""
    return line.once(_request)


def _request(line: Line) -> Request:
    own, wanted = line.connection.settings, on_demand(line)
    slot, sub = _whole(own.get("slot")) or 0, _whole(own.get("subindex")) or 0
    index = _index(own.get("index"))
    node = who(line, slot)
    value = value_at(node, index, sub) if node and index is not None else None
    typed = next((_whole(x.settings.get("octets")) for x in line.exchanges if x.id == wanted.leads), None)
    octets = (value.bits + 7) // 8 if value and typed is None else min(max(typed or 0, 0), OCTETS_AT_MOST)
    return Request(
        wanted.trigger, wanted.period_ms, wanted.timeout_ms, wanted.send, wanted.answer, slot, index, sub, octets, node,
        value,
    )  # fmt: skip


def _index(text: Any) -> int | None:
    """What is kept as `16#1008`; None for nothing, and for what a file from outside may hold there instead."""
    found = re.fullmatch(r"16#([0-9A-F]{4})", text) if isinstance(text, str) else None
    return int(found[1], 16) if found else None


def _whole(value: Any) -> int | None:
    return value if isinstance(value, int) and not isinstance(value, bool) else None


def who(line: Line, slot: int) -> Node | None:
    """The station itself (slot 0), or the module behind it that stands in a slot and answers for itself."""
    head, *behind = everybody(line)
    if not slot:
        return head
    slots = {module.id: module.slot for module in line.modules}
    return next((node for node in behind if slots.get(node.module) == slot), None)


def object_text(request: Request) -> str:
    """The object as the trade writes it."""
    return f"16#{request.index:04X}:{request.subindex:02X}" if request.index is not None else "no object yet"


def write_problem(node: Node, index: int, subindex: int, octets: int) -> str:
    """Why a write of so many octets would be refused, "" where the file says nothing against it."""
    value = value_at(node, index, subindex)
    if value is None:
        return _not_there(node, index)
    if value.access == "ro":
        return "it can only be read"
    wanted = (value.bits + 7) // 8
    return f"{octets} octets are written, its type has {wanted}" if value.bits and octets != wanted else ""


def _not_there(node: Node, index: int) -> str:
    return f"there is no such {'subindex' if index in objects_of(node) else 'object'}"


def problem(request: Request) -> tuple[str, str]:
    """Why it would be refused, or nothing would come of it, behind the setting that says so; both "" where nothing
    does."""
    node, value = request.node, request.value
    if node is None:
        return "slot", f"no module that answers for itself stands in slot {request.slot}"
    if request.index is None:
        return "index", "nobody has said for which object"
    mailbox = node.facts.mailbox
    known = node.device is not None and node.device.ethercat is not None
    if known and (mailbox is None or not mailbox.coe):
        return ("slot" if request.slot else "index"), "it has no objects"
    if node.facts.dictionary and value is None:
        return ("subindex" if request.index in objects_of(node) else "index"), _not_there(node, request.index)
    if value is not None and value.access == ("ro" if request.writes else "wo"):
        return "index", f"it can only be {'read' if request.writes else 'written'}"
    if not request.octets:
        return "octets", "no octets are written" if request.writes else "there is no room for the answer"
    if value is not None and request.writes:
        return "octets", write_problem(node, request.index, request.subindex, request.octets)
    return "", ""


def request_facts(line: Line) -> tuple[Fact, ...]:
    """What is asked of whom, as its file describes it."""
    request = request_of(line)
    value = request.value
    said = f"{value.label}, {value.data_type or 'no type'}, {value.access}" if value else "its file says nothing of it"
    return (
        Fact("Writes" if request.writes else "Reads", object_text(request), said),
        Fact("Gives up after", f"{shown(request.timeout_ms)} ms", "mailbox, beside the cycle"),
    )
