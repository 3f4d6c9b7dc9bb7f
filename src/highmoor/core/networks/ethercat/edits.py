"""Edits of EtherCAT networks that are their own: what is written at the start by hand."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from pydantic import TypeAdapter

from highmoor.core.catalogue.ethercat import TRANSITIONS
from highmoor.core.errors import Refusal
from highmoor.core.networks.ethercat.fields import read_index, read_octets
from highmoor.core.networks.ethercat.settings import answers, write_key
from highmoor.core.networks.fieldbus import Drafting, NetworkEdit
from highmoor.core.plant.change import with_value
from highmoor.core.plant.rows import Module, Network, Station


@dataclass(frozen=True, slots=True)
class NewWrite:
    """Service data for a station or a module, at a step; index and subindex in any base, octets in hex."""

    node: str
    index: str
    subindex: str
    octets: str
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
    value = f"{wanted.at} {read_octets(wanted.octets).hex(' ').upper()}"
    draft.put(with_value(row, f"settings.writes.{write_key(index, sub)}", value))


EDITS = {"write": NetworkEdit(TypeAdapter(NewWrite), _write)}
