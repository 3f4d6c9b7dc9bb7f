"""All values of a device named in one step: a signal for each that its file names and nobody has named yet."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import asdict, replace

from highmoor.core.datatypes import DATA_TYPES
from highmoor.core.errors import Refusal
from highmoor.core.hardware.mounting import root_of
from highmoor.core.hardware.ports import controller_of_port
from highmoor.core.networks.blocks import Block
from highmoor.core.networks.wire import WireField, scale_of
from highmoor.core.plant.rows import Connection, Controller, Exchange, Link, Module, Network, Rail, Signal, Station
from highmoor.core.project import edits
from highmoor.core.project.draft import Draft
from highmoor.core.project.signal_edits import End
from highmoor.core.project.signal_names import SignalNames, identifier_of
from highmoor.core.project.wires import blocks_behind, blocks_of, wire_of
from highmoor.core.signals.at import At

_NOTE_AT_MOST = 2000


def name_values(draft: Draft, edit: edits.NameValues) -> None:
    """Signals of the controller that exchanges with it, called by the prefix and what its file calls each.

    Raises Refusal for a device of which no file names anything, for one nobody exchanges with, and where all are named.
    """
    row = draft.plant.get(draft.resolve(edit.of), object)
    head = _head(draft, row)
    if head is None:
        raise Refusal("The values of a device on a network are named: of a station, or of a module.", value=edit.of)
    owner = _owner(draft, head)
    if owner is None:
        raise Refusal(f"{head.name} is not on a controller's port: nobody would own the signals.", place=head.id)
    called = edit.prefix.strip() or _called(draft, row, head)
    places = list(_places(draft, row))
    if not places:
        raise Refusal(f"No file names a value of {called}: name them one by one.", place=head.id)
    names = SignalNames(draft, owner.id)
    joint = f"{identifier_of(called)}." if edit.structured else ""
    made = [_named(draft, owner.id, (joint, called), end, pieces, names) for end, pieces in places]
    if not any(made):
        raise Refusal(f"Every value of {called} has a signal already.", place=head.id)


def _head(draft: Draft, row: object) -> Station | Controller | None:
    """The station a row belongs to, or the controller on whose rail what it hangs on sits."""
    if isinstance(row, Exchange):
        return draft.plant.get(draft.plant.get(row.connection, Connection).station, Station)
    if isinstance(row, Module):
        return root_of(draft.plant.find, draft.plant.get(row.rail, Rail)).row
    return row if isinstance(row, Station) else None


def _owner(draft: Draft, head: Station | Controller) -> Controller | None:
    """The controller that exchanges with a station; of its own rail itself."""
    if isinstance(head, Controller):
        return head
    network: Network | None = draft.plant.find(head.network)
    return controller_of_port(draft.plant.find, draft.plant.find(network.port)) if network else None


def _called(draft: Draft, row: object, head: Station | Controller) -> str:
    if not isinstance(row, Module):
        return head.name
    device = draft.catalogue.find(row.type)
    return row.designation.strip("-+=") or (device.called if device else head.name)


def _places(draft: Draft, row: object) -> Iterator[tuple[End, Sequence[WireField]]]:
    """Whatever of a row holds values that a file names, with those values."""
    exchanges = [row] if isinstance(row, Exchange) else []
    modules = [row] if isinstance(row, Module) else []
    if isinstance(row, Station):
        exchanges = [x for k in draft.plant.children(Connection, row.id) for x in draft.plant.children(Exchange, k.id)]
        modules = [m for rail in draft.plant.children(Rail, row.id) for m in draft.plant.children(Module, rail.id)]
    for exchange in exchanges:
        wire = wire_of(draft.plant, draft.catalogue, exchange)
        named = _by_file(wire.pieces if wire else ())
        if named:
            yield End.of(draft, exchange.id, named[0].key), named
    by_holder: dict[str, list[Block]] = {}
    if isinstance(row, Station):
        for block in blocks_behind(draft.plant, draft.catalogue, row) if modules else ():
            by_holder.setdefault(block.holder, []).append(block)
    elif isinstance(row, Module):
        by_holder[row.id] = blocks_of(draft.plant, draft.catalogue, row)
    for module in modules:
        own = by_holder.get(module.id, [])
        named = _by_file([piece for block in own for piece in block.pieces])
        if named:
            yield End.in_blocks(module, own, named[0].key), named


def _by_file(pieces: Sequence[WireField]) -> list[WireField]:
    return [piece for piece in pieces if piece.data_type in DATA_TYPES]


def _named(
    draft: Draft, controller: str, called: tuple[str, str], end: End, pieces: Sequence[WireField], names: SignalNames
) -> int:
    """How many were made; `called` says of what they are members ("" for nothing), and what their device is called."""
    member_of, device = called
    links = (draft.plant.get(i, Link) for i in draft.plant.referring("links", "place", end.place.id))
    # A value of which bits are named is named as well.
    keys = {link.key for link in links if At.of(link).way == "data"}
    keys |= {key.partition(".")[0] for key in keys}
    free = [piece for piece in pieces if piece.key not in keys]
    ranks = draft.last_rank(Signal, controller, len(free)) if free else []
    for piece, rank in zip(free, ranks, strict=True):
        name = names.free(member_of + identifier_of(piece.label)) if member_of else names.new(f"{device} {piece.label}")
        scale = scale_of(piece)
        kind = "REAL" if scale else piece.data_type
        signal = Signal(
            draft.new_id("signals"), controller, name, kind, rank, unit=piece.unit, note=piece.text[:_NOTE_AT_MOST]
        )
        draft.put(signal, replace(end, at=At(piece.key)).link(draft, signal.id, 0, asdict(scale) if scale else None))
    return len(free)
