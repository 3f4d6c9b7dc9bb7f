"""What really stands in the demo: devices with a process behind them, contacts and transmitters as they are held."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from highmoor.core.plant.rows import BuiltDevice, BuiltProcess, BuiltWire, Module
from highmoor.core.project.draft import Draft


def standing(draft: Draft, network: str, **values: Any) -> None:
    """A device on a network."""
    rank = draft.last_rank(BuiltDevice, None)[0]
    draft.put(BuiltDevice(draft.new_id("built_devices"), network, rank, **values))


def held(draft: Draft, name: str, wired: Mapping[str, Mapping[str, float]]) -> None:
    """Contacts and transmitters, by the designation of their module and by channel, as they stand."""
    modules = {module.designation: module.id for module in draft.plant.all(Module)}
    values = {f"{at}:{key}": value for at, channels in wired.items() for key, value in channels.items()}
    made, rank = draft.new_id("built_processes"), draft.last_rank(BuiltProcess, None)[0]
    settings = {f"w{n}": value for n, value in enumerate(values.values())}
    draft.put(BuiltProcess(made, "held", rank, name, settings))
    for n, place in enumerate(values):
        designation, _, channel = place.partition(":")
        wire, rank = draft.new_id("built_wires"), draft.last_rank(BuiltWire, made)[0]
        draft.put(BuiltWire(wire, made, f"w{n}", modules[designation], channel, rank))
