"""What really is on the ports of IO-Link masters: what the plant as built says, else what is configured."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field, replace

from highmoor.core.catalogue.types import Catalogue
from highmoor.core.hardware.mounting import is_ports
from highmoor.core.networks.blocks import Block
from highmoor.core.networks.wire import WireField
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import BuiltDevice, BuiltModule, Json, Link, Module, Rail, Signal, Station
from highmoor.core.project.wires import blocks_behind
from highmoor.core.signals.scaling import Scaling


@dataclass(frozen=True, slots=True)
class StandingPort:
    """A port as it stands: the module of the plant that is meant there, what is plugged in ("" for nothing), with its
    settings; where its data lies both ways, and the values that wires lead to."""

    port: int
    module: str
    meant: str
    type: str
    settings: Json
    inward: Block | None
    outward: Block | None
    fields: tuple[WireField, ...] = ()
    # What is in this very device, and what its master has kept of it: `values`, `kept`, `replaced`, `event`.
    own: Json = field(default_factory=dict)


def standing_ports(
    plant: Plant, built: Plant, catalogue: Catalogue, station: Station, row: BuiltDevice | None
) -> Iterator[StandingPort]:
    """The ports of all masters behind a station on which something is meant to be."""
    modules = [
        module
        for rail in _port_rails(plant, station.id) for module in plant.children(Module, rail.id) if module.slot
    ]  # fmt: skip
    if not modules:
        return
    blocks = {(block.holder, block.area): block for block in blocks_behind(plant, catalogue, station)}
    said = {one.module: one for one in built.children(BuiltModule, row.id)} if row else {}
    for module in modules:
        own, into, out = said.get(module.id), blocks.get((module.id, "in")), blocks.get((module.id, "out"))
        there = own is None or own.there
        yield StandingPort(
            module.slot or 0, module.id, module.type, (own.type if own else module.type) if there else "",
            module.settings, into, out, tuple(_fields(plant, module, [b for b in (into, out) if b])),
            dict(own.settings) if own else {},
        )  # fmt: skip


def _port_rails(plant: Plant, head: str) -> Iterator[Rail]:
    for rail in plant.children(Rail, head):
        if is_ports(rail):
            yield rail
            continue
        for module in plant.children(Module, rail.id):
            yield from _port_rails(plant, module.id)


def port_settings(plant: Plant, station: Station) -> Json:
    """What is set of a master's ports, of the first where it has several."""
    return next((rail.settings for rail in _port_rails(plant, station.id)), {})


def _fields(plant: Plant, module: Module, blocks: list[Block]) -> Iterator[WireField]:
    """The values its file names, and those that somebody reads by their bits, as they are scaled."""
    named = {piece.key: piece for block in blocks for piece in block.pieces}
    yield from named.values()
    for link_id in plant.referring("links", "place", module.id):
        link = plant.get(link_id, Link)
        piece = next((found for block in blocks if (found := block.named(link.key))), None)
        if piece is not None and piece.key not in named:
            named[piece.key] = piece
            yield _as_read(piece, link, plant.get(link.signal, Signal))


def _as_read(piece: WireField, link: Link, signal: Signal) -> WireField:
    kind = str((link.scaling or {}).get("raw_type") or signal.type)
    scaling = Scaling.of(link.scaling)
    if scaling is None or not scaling.usable or scaling.kind != "linear":
        return replace(piece, data_type="BOOL" if piece.bits == 1 else kind)
    gradient = (scaling.hi - scaling.lo) / (scaling.raw_hi - scaling.raw_lo)
    return replace(piece, data_type=kind, gradient=gradient, offset=scaling.lo - gradient * scaling.raw_lo)
