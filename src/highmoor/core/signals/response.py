"""Responses as a whole: what the program asks of its signals, and the slowest of those that travel over a network."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from highmoor.core.analysis.engine import Headline, Part, Reader
from highmoor.core.networks.lines import asked_lines
from highmoor.core.plant.rows import Link, Network, Signal
from highmoor.core.signals.hops import Hop, delay_ms, hops_at
from highmoor.core.signals.linked import HolderLinks
from highmoor.core.signals.path import SignalPath
from highmoor.core.signals.places import Place


@dataclass(frozen=True, slots=True)
class AskedResponse:
    """A signal that has to be there within `asked_ms`: how late it is at worst, and the hop that takes longest."""

    signal: str
    name: str
    worst_ms: float
    asked_ms: float
    slowest: str


def _asked(reader: Reader, root: str) -> tuple[AskedResponse, ...]:
    """The signals of a controller of which a response is asked, where they are linked."""
    found = []
    for signal in reader.children(Signal, root):
        if signal.asked_ms is None:
            continue
        path: SignalPath | None = reader.part("signal.path", signal.id)
        if path and path.hops:
            slowest = max((hop for hop in path.hops if hop.field), key=_worst_ms, default=path.hops[0])
            found.append(AskedResponse(signal.id, signal.name, path.worst_ms, signal.asked_ms, slowest.label))
    return tuple(found)


def _worst_ms(hop: Hop) -> float:
    return hop.worst_ms


def _asked_headlines(result: tuple[AskedResponse, ...], reader: Reader, root: str) -> Iterator[Headline]:
    for told in result:
        label = f"{told.name}, worst response"
        yield Headline(told.signal, "worst", label, told.worst_ms, "ms", told.asked_ms, "less")


@dataclass(frozen=True, slots=True)
class SlowestPath:
    """The signal that is slowest of all that travel over a network, ms at worst."""

    signal: str
    name: str
    worst_ms: float


def _slowest(reader: Reader, root: str) -> SlowestPath | None:
    """None for a network that brings no signal."""
    slowest: SlowestPath | None = None
    for line in asked_lines(reader, root):
        for exchange in line.exchanges:
            for signal, worst in _worst_of(reader, exchange.id):
                if slowest is None or worst > slowest.worst_ms:
                    slowest = SlowestPath(signal, reader.row(signal, Signal).name, worst)
    return slowest


def _worst_of(reader: Reader, exchange: str) -> Iterator[tuple[str, float]]:
    """Those signals of an exchange with their worst ms that may be its slowest."""
    for signal, place in reader.part("exchange.kinds", exchange):
        if place is None:
            path: SignalPath = reader.part("signal.path", signal)
            yield signal, path.worst_ms
        else:
            yield signal, delay_ms(hops_at(reader, reader.row(signal, Signal), place))[1]


def _kinds(reader: Reader, root: str) -> tuple[tuple[str, Place | None], ...]:
    """Of the signals of an exchange that come or go in the same way the first, with its place, and all that are linked
    elsewhere as well: those are as slow as their longest way."""
    links: HolderLinks = reader.part("exchange.links", root)
    linked = reader.index(Link, "signal")
    found: dict[tuple[str | None, str, str] | str, tuple[str, Place | None]] = {}
    for each in links.links:
        signal, place = each.link.signal, each.place
        if place is None:
            continue
        if len(linked.get(signal, ())) > 1:
            found[signal] = (signal, None)
        else:
            task, controller = (reader.value(signal, Signal, name) for name in ("task", "controller"))
            task = task or reader.item("controller.tasks", controller, signal)
            found.setdefault((task, controller, place.area), (signal, place))
    return tuple(found.values())


def _slowest_headlines(result: SlowestPath | None, reader: Reader, root: str) -> Iterator[Headline]:
    if result:
        name = reader.row(root, Network).name
        yield Headline(root, "slowest", f"Slowest path over {name}", result.worst_ms, "ms", None, "less")


PARTS: tuple[Part, ...] = (
    Part("controller.asked", "controllers", _asked, _asked_headlines, stage="signals"),
    Part("exchange.kinds", "exchanges", _kinds, asked=True),
    Part("network.slowest", "networks", _slowest, _slowest_headlines, shown=SlowestPath),
)
