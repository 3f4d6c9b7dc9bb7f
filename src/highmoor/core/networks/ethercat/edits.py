"""Edits of EtherCAT networks that are their own: what is written at the start by hand."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from pydantic import TypeAdapter

from highmoor.core.catalogue.ethercat import TRANSITIONS
from highmoor.core.errors import Refusal
from highmoor.core.networks.ethercat.fields import read_index, read_octets
from highmoor.core.networks.ethercat.objects import value_at
from highmoor.core.networks.ethercat.settings import answers, nodes_of, write_key
from highmoor.core.networks.ethercat.values import octets_of
from highmoor.core.networks.fieldbus import Drafting, NetworkEdit
from highmoor.core.networks.lines import plant_lines
from highmoor.core.plant.change import with_value
from highmoor.core.plant.rows import Module, Network, Rail, Station


@dataclass(frozen=True, slots=True)
class NewWrite:
    """Service data for a station or a module, at a step; index and subindex in any base.

    What is written is either `octets` in hex or a `value` as it is typed, in the object's own type.
    """

    node: str
    index: str
    subindex: str
    octets: str = ""
    value: str = ""
    at: str = "PS"


def _write(draft: Drafting, network: Network, wanted: NewWrite) -> None:
    """Of two to one object the last counts. Raises Refusal for who is no device of the network, or what is no write."""
    row: Any = draft.plant.get(draft.resolve(wanted.node))
    if not isinstance(row, Station | Module):
        raise Refusal("Nothing can be written into this.", place=row.id)
    if isinstance(row, Module):
        device = draft.catalogue.find(row.type)
        if device is None or not answers(device):
            raise Refusal("What is written goes to whoever answers for it: choose its station.", place=row.id)
    elif row.network != network.id:
        raise Refusal(f"{row.name} is not on {network.name}.", place=row.id)
    if wanted.at not in TRANSITIONS:
        raise Refusal(f"“{wanted.at[:10]}” is no step: they are {', '.join(TRANSITIONS)}.", value=wanted.at)
    index = read_index(wanted.index, 0xFFFF, "Index")
    sub = read_index(wanted.subindex, 0xFF, "Subindex")
    octets = read_octets(wanted.octets) if not wanted.value else _octets_of(draft, row, index, sub, wanted.value)
    draft.put(with_value(row, f"settings.writes.{write_key(index, sub)}", f"{wanted.at} {octets.hex(' ').upper()}"))


def _octets_of(draft: Drafting, row: Station | Module, index: int, sub: int, typed: str) -> bytes:
    """A value in its object's type; of one that no file describes, in the fewest octets that hold it."""
    head = draft.plant.get(row.rail, Rail).head if isinstance(row, Module) else row.id
    lines = plant_lines(draft.plant, draft.catalogue, draft.plant.get(head, Station))
    node = next((node for line in lines for node in nodes_of(line) if node.id == row.id), None)
    found = value_at(node, index, sub) if node else None
    return octets_of(typed, found.data_type if found else "", found.bits if found else 0)


EDITS = {"write": NetworkEdit(TypeAdapter(NewWrite), _write)}
