"""A station or a module becomes an IO-Link master: it is given ports, onto which devices are plugged."""

from __future__ import annotations

from highmoor.core.catalogue.types import IO_LINK_PORT
from highmoor.core.errors import Refusal
from highmoor.core.hardware.mounting import PORT_SLOTS, is_ports, slots_of
from highmoor.core.networks.io_link.layout import ports_named
from highmoor.core.plant.rows import Connection, Exchange, Module, Rail, Station
from highmoor.core.project import edits
from highmoor.core.project.draft import Draft
from highmoor.core.project.wires import wire_of

_USUAL = 8


def add_ports(draft: Draft, edit: edits.AddPorts) -> None:
    """Ports on a station or a module: as many as are said, else as its file tells. Raises Refusal for what has none."""
    head = draft.plant.get(draft.resolve(edit.head), object)
    device = draft.catalogue.find(head.type) if isinstance(head, Station | Module) else None
    if not isinstance(head, Station | Module) or device is None:
        raise Refusal("A station or a module of a known type can be an IO-Link master.", value=edit.head)
    called = head.name if isinstance(head, Station) else head.designation or device.name
    if isinstance(head, Station) and (device.passes_on or head.partner):
        raise Refusal(f"{called} is no device with data of its own: it cannot be an IO-Link master.", place=head.id)
    if isinstance(head, Module) and is_ports(draft.plant.get(head.rail, Rail)):
        raise Refusal(f"{called} is on a port itself.", place=head.id)
    if any(is_ports(rail) for rail in draft.plant.children(Rail, head.id)):
        raise Refusal(f"{called} has ports already.", place=head.id)
    wanted = edit.ports or (_told(draft, head) if isinstance(head, Station) else 1)
    places = next((n for n in PORT_SLOTS.places if n >= wanted), PORT_SLOTS.places[-1])
    rail = Rail(
        draft.new_id("rails"), head.id, "Ports", draft.last_rank(Rail, head.id)[0], places,
        {"carries": IO_LINK_PORT},
    )  # fmt: skip
    draft.put(rail)
    if edit.tag:
        draft.tags[edit.tag] = rail.id


def _told(draft: Draft, station: Station) -> int:
    """How many ports a station's file names, or how many slots it has where those are its ports."""
    exchanges = [
        x for k in draft.plant.children(Connection, station.id) for x in draft.plant.children(Exchange, k.id)
    ]  # fmt: skip
    wires = (wire_of(draft.plant, draft.catalogue, exchange) for exchange in exchanges)
    named = max((ports_named(wire.pieces) for wire in wires if wire), default=0)
    device = draft.catalogue.find(station.type)
    slots = slots_of(device).places[-1] if device and (device.slots or device.modules) else 0
    return named or slots or _USUAL
