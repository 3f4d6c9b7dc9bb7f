"""What an edit would take from signals: links that go with what it removes, or lead to nothing afterwards."""

from __future__ import annotations

from highmoor.core.catalogue.types import Catalogue
from highmoor.core.errors import Refusal
from highmoor.core.hardware.module_octets import module_octet
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Link, Module, Signal
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.project.wires import blocks_of


def signals_lost(plant: Plant, catalogue: Catalogue, edit: edits.Edit) -> tuple[str, ...]:
    """The names of signals that lose a link, in order; none for an edit that is refused."""
    try:
        made = apply(plant, catalogue, edit)
    except Refusal:
        return ()
    changed = set(made.change.ids())
    names = []
    for link in plant.all(Link):
        if link.place in changed and _leads(plant, catalogue, link):
            kept = made.plant.find(link.id) is not None and _leads(made.plant, catalogue, link)
            names += [] if kept else [plant.get(link.signal, Signal).name]
    return tuple(dict.fromkeys(names))


def _leads(plant: Plant, catalogue: Catalogue, link: Link) -> bool:
    """Whether a link to a module leads to something that it has; elsewhere nothing is asked."""
    module = plant.find(link.place)
    if not isinstance(module, Module):
        return module is not None
    device = catalogue.find(module.type)
    if device is not None and device.channels:
        return device.channel(link.key) is not None or module_octet(device, link.key) is not None
    blocks = blocks_of(plant, catalogue, module)
    return any(block.named(key) for block in blocks for key in (link.key, link.key.rpartition(".")[0]))
