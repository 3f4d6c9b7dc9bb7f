"""Cells of a signal that are settings of the channel it is written to: what its output does on loss of the controller.

`channel.on_loss` is set as any field of a signal is, and stands with the channel: whatever is linked there has it.
"""

from __future__ import annotations

from typing import Any

from highmoor.core.catalogue.types import Catalogue, channel_settings
from highmoor.core.errors import Refusal
from highmoor.core.plant.change import with_value
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Link, Module, Signal
from highmoor.core.project.draft import Draft
from highmoor.core.project.fields import fields_of

CHANNEL = "channel."
ON_LOSS = "channel.on_loss"
CELLS = frozenset({ON_LOSS})


def _channel(plant: Plant, catalogue: Catalogue, signal: Signal, setting: str) -> tuple[Module, str] | None:
    """The first channel a signal is linked to that has such a setting."""
    for i in plant.referring("links", "signal", signal.id):
        link = plant.get(i, Link)
        module = plant.find(link.place)
        device = catalogue.find(module.type) if isinstance(module, Module) else None
        channel = device.channel(link.key) if device else None
        if isinstance(module, Module) and channel and setting in channel.group.defaults:
            return module, channel.key
    return None


def channel_cell(plant: Plant, catalogue: Catalogue, signal: Signal, path: str) -> Any:
    """What is set, None where nothing is or there is no such channel."""
    setting = path.removeprefix(CHANNEL)
    there = _channel(plant, catalogue, signal, setting)
    return channel_settings(there[0].settings, there[1]).get(setting) if there else None


def set_channel_cell(draft: Draft, signal: Signal, path: str, given: Any) -> None:
    """Set it on the channel. Raises Refusal for a signal on none that has it, or for no value of it."""
    setting = path.removeprefix(CHANNEL)
    there = _channel(draft.plant, draft.catalogue, signal, setting) if path in CELLS else None
    if there is None:
        if given in (None, "") and path in CELLS:
            return
        reason = f"{signal.name} is linked to no channel on which this can be set."
        raise Refusal(reason, place=signal.id, field=path, value=given)
    module, key = there
    field = f"settings.channels.{key}.{setting}"
    spec = next((s for s in fields_of(draft.plant, draft.catalogue, module) if s.path == field), None)
    if spec is None:
        raise Refusal(f"The field {path!r} cannot be set here.", place=signal.id, field=path, value=given)
    try:
        value = spec.parse(given)
    except Refusal as refusal:
        raise Refusal(refusal.reason, place=signal.id, field=path, value=given) from None
    draft.put(with_value(module, field, value))
