"""Safe channels in pairs: how two of them are evaluated, or switched, together.

Sources: ISO 13849-1:2015, 6.2.6 and 6.2.7; IEC 61508-2, 7.4; PLCopen Safety, part 1 (Equivalent, Antivalent).
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Literal

from highmoor.core.catalogue.types import ChannelPlace, DeviceType
from highmoor.core.plant.fields import Choice, FieldSpec
from highmoor.core.plant.rows import Json

Supply = Literal["pulsed", "steady", "external"]
USUAL_DISCREPANCY_MS = 100
_EVALUATIONS = (Choice("1oo2", "both together"), Choice("1oo1", "each alone"))
_KINDS = (Choice("equivalent", "equivalent"), Choice("antivalent", "antivalent"))
_SUPPLIES = (
    Choice("pulsed", "internal, test pulses"),
    Choice("steady", "internal, no pulses"),
    Choice("external", "external"),
)
_ACKNOWLEDGED = (Choice("hand", "by hand"), Choice("self", "by itself"))


@dataclass(frozen=True, slots=True)
class Pair:
    """Two channels of a safe module by number, and how they are taken. Times in ms.

    `together` they give one value, which lies at the first (1oo2), and otherwise each its own (1oo1). Of outputs it is
    switched at both. `by_hand`: after a fault the safe value stays until somebody acknowledges.
    """

    first: int
    second: int
    inward: bool
    together: bool = True
    antivalent: bool = False
    discrepancy_ms: float = USUAL_DISCREPANCY_MS
    filter_ms: float = 0
    supply: Supply = "pulsed"
    cross_circuit: bool = True
    by_hand: bool = True
    pulses: bool = True

    @property
    def key(self) -> str:
        """The channel at which its value lies."""
        return f"ch{self.first}"

    @property
    def channels(self) -> tuple[str, str]:
        """Both channels' keys."""
        return self.key, f"ch{self.second}"

    @property
    def called(self) -> str:
        """What it is called within its module."""
        return f"channels {self.first} and {self.second}"


def pair_settings(settings: Json, key: str) -> Mapping[str, Any]:
    """What is set of a pair; nothing where a file from outside holds something else there."""
    pairs = settings.get("pairs") if settings else None
    own = pairs.get(key) if isinstance(pairs, dict) else None
    return own if isinstance(own, dict) else {}


def pairs_of(device: DeviceType | None, settings: Json) -> tuple[Pair, ...]:
    """The pairs of a module as they are set; none of one that is not safe."""
    if device is None or device.safety is None:
        return ()
    return tuple(_pair(device, settings, first, second) for first, second in device.safety.pairs)


def pair_at(device: DeviceType | None, settings: Json, channel: str) -> Pair | None:
    """The pair that a channel is of, by its key."""
    if device is None or device.safety is None:
        return None
    both = next((two for two in device.safety.pairs if channel in (f"ch{two[0]}", f"ch{two[1]}")), None)
    return _pair(device, settings, *both) if both else None


def channel_label(device: DeviceType, settings: Json, channel: ChannelPlace) -> str:
    """What a channel is called within its module; that of a pair that is evaluated together, with the other."""
    pair = pair_at(device, settings, channel.key) if device.safety else None
    together = pair is not None and pair.together and channel.key == pair.key
    return pair.called if pair and together else f"channel {channel.number}"


def _pair(device: DeviceType, settings: Json, first: int, second: int) -> Pair:
    place = device.channel(f"ch{first}")
    inward = place.group.inward if place else True
    own = pair_settings(settings, f"ch{first}")
    of_module = (
        settings.get("filter_ms", device.default_of("filter_ms")) if settings else device.default_of("filter_ms")
    )
    filter_ms = own.get("filter_ms")
    return Pair(
        first,
        second,
        inward,
        own.get("evaluation", "1oo2") == "1oo2",
        own.get("kind") == "antivalent",
        own.get("discrepancy_ms", USUAL_DISCREPANCY_MS),
        (of_module or 0) if filter_ms is None else filter_ms,
        own.get("supply", "pulsed"),
        own.get("cross_circuit", True) is True,
        own.get("acknowledged", "hand") == "hand",
        own.get("pulses", True) is True,
    )


def pair_fields(device: DeviceType) -> tuple[FieldSpec, ...]:
    """What can be set of each pair of a safe module."""
    if device.safety is None:
        return ()
    return tuple(
        spec
        for first, _ in device.safety.pairs
        if (place := device.channel(f"ch{first}"))
        for spec in (_input_fields(device, place.key) if place.group.inward else _output_fields(place.key))
    )


def _set(pair: str, key: str, label: str, kind: Any, **more: Any) -> FieldSpec:
    return FieldSpec(f"settings.pairs.{pair}.{key}", label, kind, optional=True, channel=pair, section="pair", **more)


def _input_fields(device: DeviceType, pair: str) -> tuple[FieldSpec, ...]:
    delays = next((p.choices for p in device.parameters if p.key == "filter_ms"), ())
    return (
        _set(pair, "evaluation", "Evaluated", "choice", default="1oo2", choices=_EVALUATIONS, term="1oo2, 1oo1"),
        _set(pair, "kind", "Channels are", "choice", default="equivalent", choices=_KINDS,
             hint="Antivalent: one opens as the other closes."),
        _set(pair, "discrepancy_ms", "Discrepancy time", "number", default=USUAL_DISCREPANCY_MS, unit="ms", minimum=1,
             maximum=60_000, hint="So long the channels may differ; longer is a fault."),
        _set(pair, "filter_ms", "Input delay", "choice", source="type",
             choices=tuple(Choice(value, text) for value, text in delays),
             hint="If empty: as the module's input filter."),
        _set(pair, "supply", "Contacts supplied", "choice", default="pulsed", choices=_SUPPLIES),
        _set(pair, "cross_circuit", "Short and cross circuit found", "boolean", default=True,
             hint="By the test pulses of the internal supply."),
        _set(pair, "acknowledged", "After a fault, acknowledged", "choice", default="hand", choices=_ACKNOWLEDGED),
    )  # fmt: skip


def _output_fields(pair: str) -> tuple[FieldSpec, ...]:
    return (
        _set(pair, "evaluation", "Switched", "choice", default="1oo2", choices=_EVALUATIONS, term="1oo2, 1oo1"),
        _set(pair, "pulses", "Test pulses", "boolean", default=True,
             hint="The output is off for an instant, to see that it can be."),
        _set(pair, "acknowledged", "After a fault, acknowledged", "choice", default="hand", choices=_ACKNOWLEDGED),
    )  # fmt: skip
