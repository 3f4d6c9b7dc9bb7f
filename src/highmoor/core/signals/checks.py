"""Checks of signals (SIG-1xx)."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from highmoor.core.analysis.engine import Part, Reader
from highmoor.core.analysis.findings import Check, Finding, finding
from highmoor.core.datatypes import DATA_TYPES, ORDERS
from highmoor.core.numbers import shown
from highmoor.core.plant.fields import identifier_problem
from highmoor.core.plant.rows import Controller, Exchange, Link, Module, Signal
from highmoor.core.signals.beside import BY_KEY
from highmoor.core.signals.holders import ExchangeOctets, ModuleChannels, carried_here, linked_here
from highmoor.core.signals.path import SignalPath, raw_type, taken_bits
from highmoor.core.signals.places import place_of


@dataclass(frozen=True, slots=True)
class ControllerNames:
    """Names used more than once in a controller, folded to lower case, with the signals that bear them."""

    doubled: tuple[tuple[str, tuple[str, ...]], ...]


def _names(reader: Reader, root: str) -> ControllerNames:
    seen: dict[str, list[str]] = {}
    for signal in reader.children(Signal, root):
        seen.setdefault(signal.name.lower(), []).append(signal.id)
    return ControllerNames(tuple((name, tuple(ids)) for name, ids in seen.items() if len(ids) > 1))


PARTS: tuple[Part, ...] = (Part("controller.names", "controllers", _names, shown=ControllerNames),)


def _doubled(result: ControllerNames, reader: Reader, root: str) -> Iterator[Finding]:
    for _, ids in result.doubled:
        for other in ids[1:]:
            signal = reader.row(other, Signal)
            controller = reader.row(root, Controller).name
            yield finding("SIG-101", (other, "name"), ids[0], name=signal.name, controller=controller)


def _bad_name(result: SignalPath, reader: Reader, root: str) -> Iterator[Finding]:
    problem = identifier_problem(reader.row(root, Signal).name)
    if problem:
        yield finding("SIG-102", (root, "name"), problem=problem.rstrip("."))


def _unlinked(result: SignalPath, reader: Reader, root: str) -> Iterator[Finding]:
    if not result.links:
        yield finding("SIG-103", root, name=reader.row(root, Signal).name)


def _nowhere(result: SignalPath, reader: Reader, root: str) -> Iterator[Finding]:
    for link in result.links:
        if link.octet is None and not link.area:
            yield finding("SIG-104", root, link.link, name=reader.row(root, Signal).name, key=link.key)


def _not_carried(result: SignalPath, reader: Reader, root: str) -> Iterator[Finding]:
    """The place is there, but nothing brings its octets into a controller's image."""
    for link in result.links:
        if link.octet is None and link.area:
            yield finding("SIG-111", root, link.link, name=reader.row(root, Signal).name, place=link.label)


def _foreign(result: SignalPath, reader: Reader, root: str) -> Iterator[Finding]:
    """Both ends are there, but in two controllers."""
    signal = reader.row(root, Signal)
    for link in result.links:
        if link.controller and link.controller != signal.controller:
            own, other = (reader.row(i, Controller).name for i in (signal.controller, link.controller))
            yield finding("SIG-112", root, link.link, name=signal.name, own=own, other=other, place=link.label)


def _two_sources(result: SignalPath, reader: Reader, root: str) -> Iterator[Finding]:
    sources = [link for link in result.links if link.access == "reads"]
    for link in sources[1:]:
        name = reader.row(root, Signal).name
        yield finding("SIG-113", root, link.link, name=name, one=sources[0].label, other=link.label)


def _misfit(result: SignalPath, reader: Reader, root: str) -> Iterator[Finding]:
    signal = reader.row(root, Signal)
    data_type = DATA_TYPES.get(signal.type)
    if data_type is None:
        yield finding("SIG-105", (root, "type"), name=signal.name, problem=f"{signal.type} is not an elementary type")
        return
    for link in result.links:
        row = reader.row(link.link, Link)
        if link.octet is None:
            continue
        problem = ""
        if (data_type.bits == 1) != (link.place_bits == 1):
            own = "1 bit" if data_type.bits == 1 else f"{data_type.bits} bits"
            problem = f"{signal.type} has {own}, {link.label} has {link.place_bits}"
        elif link.bits > link.room:
            problem = f"{link.bits} bits do not fit into the {link.room} there are from {link.label} on"
        elif row.scaling is None and link.bits < link.place_bits:
            problem = f"{signal.type} takes {link.bits} of the {link.place_bits} bits of {link.label}"
        elif data_type.family == "real" and row.scaling is None and link.place_bits == 16 and link.room == 16:
            problem = f"{link.label} holds a 16-bit count; a {signal.type} needs a scaling to be made of it"
        elif row.order not in ORDERS:
            problem = f"{row.order} is not an octet order"
        if problem:
            yield finding("SIG-105", (root, "type"), link.link, name=signal.name, problem=problem)


def _direction(result: SignalPath, reader: Reader, root: str) -> Iterator[Finding]:
    for link in result.links:
        if link.area and link.access != ("reads" if link.area == "in" else "writes"):
            name = reader.row(root, Signal).name
            yield finding("SIG-107", root, (link.link, "access"), name=name, access=link.access, place=link.label)


def _late(result: SignalPath, reader: Reader, root: str) -> Iterator[Finding]:
    if result.asked_ms is not None and result.hops and result.worst_ms > result.asked_ms:
        slowest = max((hop for hop in result.hops if hop.field), key=lambda hop: hop.worst_ms, default=result.hops[0])
        yield finding(
            "SIG-108",
            (root, "asked_ms"),
            name=reader.row(root, Signal).name,
            worst=shown(result.worst_ms, 4),
            asked=shown(result.asked_ms),
            slowest=slowest.label,
        )


def _scaling(result: SignalPath, reader: Reader, root: str) -> Iterator[Finding]:
    for link in result.links:
        scaling = reader.row(link.link, Link).scaling
        if not scaling:
            continue
        no_raw = scaling.get("raw_lo", 0) == scaling.get("raw_hi", 0)
        if no_raw or scaling.get("lo", 0) == scaling.get("hi", 0):
            what = "raw" if no_raw else "engineering"
            yield finding("SIG-109", (link.link, "scaling"), root, name=reader.row(root, Signal).name, what=what)


def _format(result: SignalPath, reader: Reader, root: str) -> Iterator[Finding]:
    """A raw span other than the channel's own number format is the classic wrong factor."""
    for facts in result.links:
        link = reader.row(facts.link, Link)
        module = reader.find(link.place) if link.scaling else None
        device = reader.type(module.type) if isinstance(module, Module) else None
        channel = device.channel(link.key) if device else None
        chosen = channel.range(module.settings) if channel and isinstance(module, Module) else None
        if chosen is None or link.scaling is None:
            continue
        own = (link.scaling.get("raw_lo", 0), link.scaling.get("raw_hi", 0))
        if own != (chosen.raw_low, chosen.raw_high):
            yield finding(
                "SIG-110",
                (link.id, "scaling"),
                root,
                name=reader.row(root, Signal).name,
                own=f"{shown(own[0])} … {shown(own[1])}",
                format=f"{chosen.raw_low} … {chosen.raw_high}",
                range=chosen.label,
            )


def _overlap(result: ModuleChannels | ExchangeOctets, reader: Reader, root: str) -> Iterator[Finding]:
    if isinstance(result, ModuleChannels) and not result.out_octets:
        return
    here = [(*pair, place_of(reader, root, at)) for at, pairs in linked_here(reader, root).items() for pair in pairs]
    if isinstance(result, ExchangeOctets):
        here += carried_here(reader, reader.row(root, Exchange))
    # Each end and each way of an exchange has octets of its own, and what stands beside the data lies in none of them.
    taken: dict[tuple[bool, str], list[tuple[int, int, Link, Signal]]] = {}
    for link, signal, place in here:
        raw = raw_type(signal, place, link)
        # What an exchange brings is compared with all else that is in the exchange.
        if place and place.area == "out" and raw and place.carrier in ("", root):
            where = (place.far, place.kind if place.kind in BY_KEY else "")
            entry = (place.bit, place.bit + taken_bits(raw, place), link, signal)
            taken.setdefault(where, []).append(entry)
    for entries in taken.values():
        for one, other in _overlapping(entries):
            yield finding("SIG-106", one.id, other.id, root, one=one.name, other=other.name)


def _overlapping(taken: list[tuple[int, int, Link, Signal]]) -> Iterator[tuple[Signal, Signal]]:
    """Pairs of signals that write the same bits."""
    taken.sort(key=lambda entry: (entry[0], entry[1], entry[2].id))
    reaching: list[tuple[int, Signal]] = []
    for begin, end, _, signal in taken:
        reaching = [(to, other) for to, other in reaching if to > begin]
        for _, other in reaching:
            if other.id != signal.id:
                yield signal, other
        reaching.append((end, signal))


CHECKS: tuple[Check, ...] = (
    Check(
        "SIG-101", "controller.names", "signals", "error", "One name, two signals",
        "{name} is used twice in {controller}; capital and small letters do not tell names apart.",
        "The program could not tell which of the two is meant.", _doubled, "IEC 61131-3, 6.1.2",
    ),
    Check(
        "SIG-102", "signal.path", "signals", "error", "Name the program cannot use",
        "{problem}.", "Names of signals are identifiers of the programming languages.", _bad_name, "IEC 61131-3, 6.1.2",
    ),
    Check(
        "SIG-103", "signal.path", "signals", "note", "Signal without a link",
        "{name} is linked to nothing.", "It keeps its initial value; nothing in the field moves it.", _unlinked,
    ),
    Check(
        "SIG-104", "signal.path", "signals", "error", "Linked to a place that is not there",
        "{name} is linked to {key}, which its module or exchange does not have.",
        "The type was changed, or the exchange made shorter, after the link was made.", _nowhere,
    ),
    Check(
        "SIG-111", "signal.path", "signals", "warning", "Data that reaches no controller",
        "{name}: the data of {place} is in no controller's image.",
        "A remote rail's data comes by its station's exchanges, a network's by the port it is on; here one is missing.",
        _not_carried,
    ),
    Check(
        "SIG-112", "signal.path", "signals", "error", "Data of another controller",
        "{name} belongs to {own}, but the data of {place} is in the image of {other}.",
        "A program sees its own controller's image only; what another one has must be transferred.", _foreign,
    ),
    Check(
        "SIG-105", "signal.path", "signals", "error", "Type does not fit the place",
        "{name}: {problem}.", "A value read with the wrong size takes bits of its neighbour.", _misfit,
        "IEC 61131-3, 6.4.2",
    ),
    Check(
        "SIG-106", ("module.channels", "exchange.octets"), "signals", "error", "Two writers of one place",
        "{one} and {other} write the same bits.",
        "The one the task writes last wins, silently. One bit has one writer.", _overlap,
    ),
    Check(
        "SIG-107", "signal.path", "signals", "error", "Wrong direction",
        "{name} {access} {place}, where data goes the other way.",
        "An input cannot be written, an output's own state is not read from the field.", _direction,
    ),
    Check(
        "SIG-108", "signal.path", "signals", "warning", "Slower than asked",
        "{name} takes {worst} ms at worst, {asked} ms are asked. The largest part that can change is {slowest}.",
        "An event may be seen later than the process can tolerate.", _late,
    ),
    Check(
        "SIG-113", "signal.path", "signals", "error", "Two sources of one signal",
        "{name} is read from {one} and from {other}.",
        "It can be written to several places but has its value from one: the second is not read.", _two_sources,
    ),
    Check(
        "SIG-109", "signal.path", "signals", "error", "Scaling without a span",
        "{name}: both {what} ends of its scaling are the same.", "Nothing can be scaled over a span of zero.",
        _scaling,
    ),
    Check(
        "SIG-110", "signal.path", "signals", "warning", "Raw span is not the channel's",
        "{name} is scaled over {own}, but the channel counts {format} for {range}.",
        "The engineering value is off by the ratio of the two spans.", _format,
    ),
)  # fmt: skip
