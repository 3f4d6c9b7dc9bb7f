"""Remedies: for a finding, the edit that mends it, or what to do by hand."""

from __future__ import annotations

import dataclasses
import math
from collections.abc import Callable
from typing import Any

from highmoor.core.analysis.engine import Analysis, Reader
from highmoor.core.analysis.findings import Finding
from highmoor.core.catalogue.media import ETHERNET
from highmoor.core.errors import Refusal
from highmoor.core.hardware.mounting import head_type, rail_slots
from highmoor.core.hardware.parts import COVER, FEED_IN
from highmoor.core.networks import FIELDBUSES
from highmoor.core.networks.claims import claims_of
from highmoor.core.networks.line_time import ExchangeTiming
from highmoor.core.networks.partners import partner_address
from highmoor.core.networks.tree import NetworkTree
from highmoor.core.numbers import shown
from highmoor.core.plant.rows import (
    Connection,
    Controller,
    Exchange,
    Link,
    Module,
    Network,
    Rail,
    Signal,
    Station,
)
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.project.consequences import preview
from highmoor.core.project.draft import Draft
from highmoor.core.project.motion_remedies import MOTION_REMEDIES
from highmoor.core.project.network_edits import next_address
from highmoor.core.project.port_remedies import PORT_REMEDIES
from highmoor.core.project.program_remedies import PROGRAM_REMEDIES
from highmoor.core.project.remedy import Remedy, set_fields, tried
from highmoor.core.project.robot_remedies import ROBOT_REMEDIES
from highmoor.core.project.safety_remedies import SAFETY_REMEDIES
from highmoor.core.project.scanner_remedies import SCANNER_REMEDIES
from highmoor.core.project.setting_remedies import SETTING_REMEDIES
from highmoor.core.project.wiring_remedies import WIRING_REMEDIES
from highmoor.core.signals.at import At

_Maker = Callable[[Analysis, Finding], Remedy | None]


def remedy_of(analysis: Analysis, found: Finding) -> Remedy | None:
    """The remedy for a current finding, None where there is no single one to offer.

    An edit that would be refused (no slot is left for a feed-in) is told as what hands have to see to.
    """
    maker = _MAKERS.get(found.code)
    remedy = maker(analysis, found) if maker else _of_a_fieldbus(analysis, found)
    if remedy is None or remedy.edit is None:
        return remedy
    try:
        apply(analysis.plant, analysis.catalogue, remedy.edit)
    except Refusal as refusal:
        return Remedy(f"{remedy.label}: not possible here. {refusal.reason}", "by hand at the device")
    return remedy


def _of_a_fieldbus(analysis: Analysis, found: Finding) -> Remedy | None:
    mend = next((bus.mends[found.code] for bus in FIELDBUSES if found.code in bus.mends), None)
    if mend is None:
        return None
    told = mend(analysis, found)
    if told is None:
        return None
    if told.new_exchange:
        made = edits.AddExchange(connection=told.id, name=told.new_exchange, settings=dict(told.values))
        return Remedy(told.label, "in the project", made)
    edit: edits.Edit = edits.SetFields(ids=[told.id], values=dict(told.values))
    if told.more:
        further = [edits.SetFields(ids=[row_id], values=dict(values)) for row_id, values in told.more]
        edit = edits.Batch(edits=[edit, *further])
    if told.tried and not _mends(analysis, edit, found):
        return None
    return Remedy(told.label, "in the project", edit)


def _mends(analysis: Analysis, edit: edits.Edit, found: Finding) -> bool:
    return found.key in {gone.key for gone in preview(analysis, edit)[1].gone}


def _feed_ins(analysis: Analysis, found: Finding) -> Remedy | None:
    rail = analysis.plant.get(found.places[0].id, Module).rail
    power = analysis.result("rail.power", rail)
    if power.feed_in_before is None:
        return Remedy("Take the module off: it draws more than a fresh feed-in gives", "by hand at the device")
    return Remedy(
        "Insert a feed-in before it" if len(power.feed_in_before) == 1 else "Insert feed-ins where they are needed",
        "in the project",
        edits.Batch(
            edits=[edits.InsertModules(rail=rail, type=FEED_IN, before=module) for module in power.feed_in_before]
        ),
    )


def _covers(analysis: Analysis, found: Finding) -> Remedy | None:
    mounting = analysis.result("rail.mounting", found.places[0].id)
    count = min(mounting.open_places, 64)
    return Remedy(
        f"Fit {count} cover{'s' if count > 1 else ''}",
        "in the project",
        edits.InsertModules(rail=found.places[0].id, type=COVER, count=count),
    )


def _fixed_module(analysis: Analysis, found: Finding) -> Remedy | None:
    rail = analysis.plant.get(found.places[0].id, Rail)
    head = head_type(analysis.plant, rail, analysis.catalogue.find)
    at = {module.slot: module for module in analysis.plant.children(Module, rail.id)}
    for slot in head.slots if head else ():
        there, kind = at.get(slot.number), analysis.catalogue.find(f"{head.key}/{slot.default}") if head else None
        if slot.fixed and kind and (there is None or there.type != kind.key):
            put: edits.Edit = (
                edits.ReplaceModule(id=there.id, type=kind.key) if there
                else edits.InsertModules(rail=rail.id, type=kind.key, slot=slot.number)
            )  # fmt: skip
            return Remedy(f"Put {kind.name} into slot {slot.number}", "in the project", put)
    return None


def _longer_rail(analysis: Analysis, found: Finding) -> Remedy | None:
    rail = analysis.plant.get(analysis.plant.get(found.places[0].id, Module).rail, Rail)
    head = head_type(analysis.plant, rail, analysis.catalogue.find)
    used = len(analysis.plant.children(Module, rail.id))
    places = [n for n in rail_slots(rail, head).places if n >= used]
    return set_fields(f"Take a rail of {places[0]} places", rail.id, places=places[0]) if places else None


def _newest_firmware(analysis: Analysis, found: Finding) -> Remedy | None:
    controller = analysis.plant.get(found.places[0].id, Controller)
    device = analysis.catalogue.find(controller.type)
    newest = device.revisions[-1] if device else ""
    return set_fields(f"Set firmware {newest}", controller.id, firmware=newest) if newest else None


def _fixed_address(analysis: Analysis, found: Finding) -> Remedy | None:
    return dataclasses.replace(set_fields("Use a fixed setting", found.places[0].id, method="static"), restart=True)


def _free_address(analysis: Analysis, found: Finding) -> Remedy | None:
    station = analysis.plant.find(found.places[0].id)
    if not isinstance(station, Station):
        return None
    address = next_address(analysis.plant, analysis.plant.get(station.network, Network))
    return set_fields(f"Give it {address}, the next free one", station.id, address=address) if address else None


def _switch_between(analysis: Analysis, found: Finding) -> Remedy | None:
    """The smallest switch that takes them all, at the port; one that snoops where something is multicast."""
    network = found.places[0].id
    tree: NetworkTree = analysis.result("network.tree", network)
    direct = [node.station for node in tree.nodes if not node.upstream]
    multicast = any(told.multicast_mbit_s for told in analysis.result("network.traffic", network))
    fitting = [
        device
        for device in analysis.catalogue.of_kind("switch")
        if device.switch and device.switch.sockets > len(direct) and (device.switch.snoops or not multicast)
    ]
    smallest = min(fitting, key=lambda d: (d.switch.sockets, d.switch.snoops) if d.switch else (0, False), default=None)
    if smallest is None:
        return None
    put = edits.AddStation(network=network, type=smallest.key, tag="$s")
    hang = edits.SetFields(ids=direct, values={"upstream": "$s"})
    return Remedy(f"Put a switch {smallest.name} between", "in the project", edits.Batch(edits=[put, hang]))


def _partners_address(analysis: Analysis, found: Finding) -> Remedy | None:
    station = analysis.plant.get(found.places[0].id, Station)
    network = analysis.plant.get(station.network, Network)
    address = partner_address(analysis.plant, network, station.partner) if station.partner else ""
    return set_fields(f"Give it {address}", station.id, address=address) if address else None


def _behind_the_others(analysis: Analysis, found: Finding) -> Remedy | None:
    """Behind all that is used of this controller: the next free place of the same kind."""
    place = found.places[0]
    exchange = analysis.plant.get(place.id, Exchange)
    station = analysis.plant.get(analysis.plant.get(exchange.connection, Connection).station, Station)
    rows = analysis.plant.tables["stations"]
    claims = [
        claim
        for i in analysis.plant.referring("stations", "partner", station.partner or "")
        for claim in claims_of(Reader(analysis), rows[i])
    ]
    own = next(claim for claim in claims if (claim.exchange, claim.field) == (place.id, place.field))
    first = max(claim.end for claim in claims if claim.space == own.space)
    label = f"Begin at {first}" if own.end - own.first > 1 else f"Use {first}"
    return set_fields(label, place.id, **{place.field.replace(".", "__"): first}) if first < 60_000 else None


def _from_the_port(analysis: Analysis, found: Finding) -> Remedy | None:
    return set_fields("Take its cable from the port", found.places[0].id, upstream=None)


def _take_away(analysis: Analysis, found: Finding) -> Remedy | None:
    return Remedy(
        "Take the cable away", "in the project, and by hand in the cabinet", edits.Remove(ids=[found.places[0].id])
    )


def _free_socket(analysis: Analysis, found: Finding) -> Remedy | None:
    place = found.places[0]
    return set_fields("Take the first free socket", place.id, **{place.field: None})


def _unpin(analysis: Analysis, found: Finding) -> Remedy | None:
    place = found.places[0]
    return set_fields("Let its octets follow the order again", place.id, **{place.field: None})


def _other_name(analysis: Analysis, found: Finding) -> Remedy | None:
    signal = analysis.plant.get(found.places[0].id, Signal)
    draft = Draft(analysis.plant, analysis.catalogue)
    name = draft.free_name(signal.name, (s.name for s in analysis.plant.children(Signal, signal.controller)))
    return set_fields(f"Call it {name}", signal.id, name=name)


def _unlink(analysis: Analysis, found: Finding) -> Remedy | None:
    return Remedy("Remove the link", "in the project", edits.Remove(ids=[found.places[1].id]))


def _relink(analysis: Analysis, found: Finding) -> Remedy | None:
    link = analysis.plant.get(found.places[1].id, Link)
    edit = edits.LinkSignal(signal=link.signal, place=link.place, key=At.of(link).word, instead=link.id)
    turned = tried(analysis, found, Remedy("Link it the way the data goes", "in the project", edit))
    # A signal that is read elsewhere already cannot be read here too.
    return turned or _unlink(analysis, found)


def _channel_span(analysis: Analysis, found: Finding) -> Remedy | None:
    link = analysis.plant.get(found.places[0].id, Link)
    module = analysis.plant.find(link.place)
    device = analysis.catalogue.find(module.type) if isinstance(module, Module) else None
    span = device.range_at(link.key, module.settings) if device and isinstance(module, Module) else None
    if span is None:
        return None
    return set_fields(
        f"Scale over {span.raw_low} … {span.raw_high}",
        link.id,
        scaling__raw_lo=span.raw_low,
        scaling__raw_hi=span.raw_high,
    )


def _quicker(analysis: Analysis, found: Finding) -> Remedy | None:
    """The largest round period of the slowest adjustable hop that was tried out and meets what is asked.

    Another period shifts the whole schedule, so that lateness may change as well: hence trying, not computing.
    """
    path = analysis.result("signal.path", found.places[0].id)
    hops = [hop for hop in path.hops if hop.field and hop.kind in ("exchange", "task")]
    if not hops:
        return None
    slowest = max(hops, key=lambda hop: hop.worst_ms)
    row = analysis.plant.get(slowest.place, object)
    # Of an exchange, the interval alone: its hop has its lateness in it.
    period = _interval_ms(analysis, row) if isinstance(row, Exchange) else slowest.period_ms
    allowed = period - (path.worst_ms - path.asked_ms)
    step = 10 if allowed >= 20 else 1
    for share in (1, 0.9, 0.75, 0.5):
        rounded = step * math.floor(allowed * share / step)
        if rounded < 1:
            return None
        label = f"Set the period of {slowest.label} to {shown(rounded)} ms"
        remedy = set_fields(label, slowest.place, **{slowest.field.replace(".", "__"): rounded})
        if remedy.edit is not None and _mends(analysis, remedy.edit, found):
            return remedy
    return None


def _fibre(analysis: Analysis, found: Finding) -> Remedy | None:
    """The first kind of cable that goes so far; its ends want sockets for it."""
    row: Any = analysis.plant.get(found.places[0].id, object)
    length = row.settings.get("length_m") or 0
    kind = next((kind for kind in ETHERNET.cables if kind.length_at_most_m >= length), None)
    if kind is None:
        return None
    return set_fields(f"Lay {kind.label}, with sockets for it at both ends", row.id, settings__cable=kind.key)


def _interval_ms(analysis: Analysis, exchange: Exchange) -> float:
    station = analysis.plant.get(analysis.plant.get(exchange.connection, Connection).station, Station)
    times: dict[str, ExchangeTiming] = analysis.result("network.times", station.network)
    return times[exchange.id].period_ms


_MAKERS: dict[str, _Maker] = {
    **WIRING_REMEDIES,
    **PORT_REMEDIES,
    **MOTION_REMEDIES,
    **ROBOT_REMEDIES,
    **SAFETY_REMEDIES,
    **SCANNER_REMEDIES,
    **PROGRAM_REMEDIES,
    **SETTING_REMEDIES,
    "HW-101": _feed_ins,
    "HW-102": _covers,
    "HW-103": _longer_rail,
    "HW-106": _newest_firmware,
    "HW-120": _fixed_module,
    "HW-206": _fixed_address,
    "HW-302": _unpin,
    "HW-303": _unpin,
    "NET-101": _free_address,
    "NET-102": _free_address,
    "NET-104": _free_address,
    "NET-612": _free_address,
    "NET-110": _switch_between,
    "NET-113": _fibre,
    "NET-114": _from_the_port,
    "NET-118": _free_socket,
    "NET-119": _free_socket,
    "NET-120": _partners_address,
    "NET-121": lambda _, found: set_fields("Let it stand for a device", found.places[0].id, partner=None),
    "NET-122": _behind_the_others,
    "NET-123": _take_away,
    "SIG-101": _other_name,
    "SIG-107": _relink,
    "SIG-116": lambda _, found: set_fields("Let it begin as its type does", found.places[0].id, initial=None),
    "SIG-112": _unlink,
    "SIG-113": _unlink,
    "SIG-108": _quicker,
    "SIG-110": _channel_span,
    "SIG-114": lambda _, found: set_fields("Scale it straight", found.places[0].id, scaling__kind="linear"),
}
