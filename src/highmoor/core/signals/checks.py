"""Checks of signals (SIG-1xx)."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction

from highmoor.core.analysis.engine import Part, Reader
from highmoor.core.analysis.findings import Check, Finding, finding
from highmoor.core.catalogue.types import AnalogueRange
from highmoor.core.datatypes import DATA_TYPES, ORDERS, DataType
from highmoor.core.numbers import exact, shown
from highmoor.core.plant.rows import Controller, Link, Module, Signal
from highmoor.core.plant.variables import variable_problem
from highmoor.core.signals.at import At
from highmoor.core.signals.beside import BY_KEY
from highmoor.core.signals.electrical import electrical_at
from highmoor.core.signals.linked import HolderLinks
from highmoor.core.signals.places import Place, in_words, place_of_link
from highmoor.core.signals.programs import ControllerPrograms
from highmoor.core.signals.response import AskedResponse
from highmoor.core.signals.scaling import Scaling
from highmoor.core.signals.shapes import Mixed, of_structures
from highmoor.core.signals.values import literal_value


@dataclass(frozen=True, slots=True)
class ControllerSignals:
    """What is to be seen of a controller's signals without looking where they lead, each by the ids it concerns.

    `doubled` are those that bear one name (folded to lower case), the first and each other; `unspeakable` those whose
    name the program cannot have, `untyped` whose type is none; `unlinked` lead nowhere, `two_sources` are read from
    several places (their links), `unfit` begin with what their type cannot hold, `mixed` are two things by their names.
    """

    doubled: tuple[tuple[str, ...], ...]
    unspeakable: tuple[str, ...]
    untyped: tuple[str, ...]
    unlinked: tuple[str, ...]
    two_sources: tuple[tuple[str, tuple[str, ...]], ...]
    unfit: tuple[str, ...]
    mixed: tuple[Mixed, ...]


def _signals(reader: Reader, root: str) -> ControllerSignals:
    """All at once: a single pass over thousands costs less than a thousandth of it for each."""
    seen: dict[str, list[str]] = {}
    unspeakable, untyped, unlinked, several, unfit = [], [], [], [], []
    links = reader.index(Link, "signal")
    programs: ControllerPrograms | None = reader.part("controller.programs", root)
    used = programs.used if programs else frozenset()
    for signal in reader.children(Signal, root):
        seen.setdefault(signal.name.lower(), []).append(signal.id)
        if variable_problem(signal.name):
            unspeakable.append(signal.id)
        if signal.type not in DATA_TYPES:
            untyped.append(signal.id)
        elif signal.initial and literal_value(signal.initial, DATA_TYPES[signal.type]) is None:
            unfit.append(signal.id)
        own = links.get(signal.id)
        if not own:
            # What begins with something is what the program is to run by.
            if not signal.initial and signal.id not in used:
                unlinked.append(signal.id)
        elif len(own) > 1:
            sources = tuple(link for link in own if reader.row(link, Link).access == "reads")
            if len(sources) > 1:
                several.append((signal.id, sources))
    doubled = tuple(tuple(ids) for ids in seen.values() if len(ids) > 1)
    mixed = of_structures(reader.children(Signal, root)).mixed
    return ControllerSignals(
        doubled, tuple(unspeakable), tuple(untyped), tuple(unlinked), tuple(several), tuple(unfit), mixed
    )


PARTS: tuple[Part, ...] = (Part("controller.signals", "controllers", _signals, stage="signals"),)


def _doubled(result: ControllerSignals, reader: Reader, root: str) -> Iterator[Finding]:
    for first, *others in result.doubled:
        for other in others:
            signal = reader.row(other, Signal)
            controller = reader.row(root, Controller).name
            yield finding("SIG-101", (other, "name"), first, name=signal.name, controller=controller)


def _bad_name(result: ControllerSignals, reader: Reader, root: str) -> Iterator[Finding]:
    for signal in result.unspeakable:
        problem = variable_problem(reader.row(signal, Signal).name) or ""
        yield finding("SIG-102", (signal, "name"), problem=problem.rstrip("."))


def _unfit(result: ControllerSignals, reader: Reader, root: str) -> Iterator[Finding]:
    for each in result.unfit:
        signal = reader.row(each, Signal)
        yield finding("SIG-116", (each, "initial"), name=signal.name, initial=signal.initial, type=signal.type)


def _mixed(result: ControllerSignals, reader: Reader, root: str) -> Iterator[Finding]:
    for each in result.mixed:
        one, other = (reader.row(signal, Signal).name for signal in (each.signal, each.other))
        yield finding("SIG-115", (each.signal, "name"), each.other, why=each.why, one=one, other=other)


def _unlinked(result: ControllerSignals, reader: Reader, root: str) -> Iterator[Finding]:
    for signal in result.unlinked:
        yield finding("SIG-103", signal, name=reader.row(signal, Signal).name)


def _untyped(result: ControllerSignals, reader: Reader) -> Iterator[Finding]:
    for each in result.untyped:
        signal = reader.row(each, Signal)
        problem = f"{signal.type} is not an elementary type"
        yield finding("SIG-105", (signal.id, "type"), name=signal.name, problem=problem)


def _two_sources(result: ControllerSignals, reader: Reader, root: str) -> Iterator[Finding]:
    for signal, (first, *others) in result.two_sources:
        name = reader.row(signal, Signal).name
        for other in others:
            one, two = (_label(reader, place_of_link(reader, reader.row(link, Link))) for link in (first, other))
            yield finding("SIG-113", signal, other, name=name, one=one, other=two)


def _label(reader: Reader, place: Place | None) -> str:
    return in_words(reader, place)[0] if place else "nowhere"


def _nowhere(result: HolderLinks, reader: Reader, root: str) -> Iterator[Finding]:
    for linked in result.links:
        if linked.place is None:
            link, name = linked.link, reader.row(linked.link.signal, Signal).name
            yield finding("SIG-104", link.signal, link.id, name=name, key=At.of(link).word)


def _not_carried(result: HolderLinks, reader: Reader, root: str) -> Iterator[Finding]:
    """The place is there, but nothing brings its octets into a controller's image."""
    for linked in result.links:
        if linked.place and not linked.held:
            link, place = linked.link, _label(reader, linked.place)
            yield finding("SIG-111", link.signal, link.id, name=reader.row(link.signal, Signal).name, place=place)


def _foreign(result: HolderLinks, reader: Reader, root: str) -> Iterator[Finding]:
    """Both ends are there, but in two controllers."""
    for linked in result.links:
        link, there = linked.link, linked.place.controller if linked.place else ""
        if there and linked.place and there != reader.value(link.signal, Signal, "controller"):
            signal = reader.row(link.signal, Signal)
            own, other = (reader.row(controller, Controller).name for controller in (signal.controller, there))
            place = _label(reader, linked.place)
            yield finding("SIG-112", signal.id, link.id, name=signal.name, own=own, other=other, place=place)


def _misfit(result: HolderLinks | ControllerSignals, reader: Reader, root: str) -> Iterator[Finding]:
    if isinstance(result, ControllerSignals):
        yield from _untyped(result, reader)
        return
    for linked in result.links:
        link, data_type = linked.link, DATA_TYPES.get(reader.value(linked.link.signal, Signal, "type"))
        if data_type is None or linked.place is None or not linked.held:
            continue
        told = _misfit_of(data_type, linked.bits, linked.place, link)
        if told:
            name, problem = reader.row(link.signal, Signal).name, told.replace("{place}", _label(reader, linked.place))
            yield finding("SIG-105", (link.signal, "type"), link.id, name=name, problem=problem)


def _misfit_of(data_type: DataType, bits: int, place: Place, link: Link) -> str:
    """Why a signal's type does not go with its place, "" where it does."""
    if (data_type.bits == 1) != (place.bits == 1):
        own = "1 bit" if data_type.bits == 1 else f"{data_type.bits} bits"
        return f"{data_type.name} has {own}, {{place}} has {place.bits}"
    if bits > place.room:
        return f"{bits} bits do not fit into the {place.room} there are from {{place}} on"
    if link.scaling is None and bits < place.bits:
        return f"{data_type.name} takes {bits} of the {place.bits} bits of {{place}}"
    if data_type.family == "real" and link.scaling is None and place.bits == 16 and place.room == 16:
        return f"{{place}} holds a 16-bit count; a {data_type.name} needs a scaling to be made of it"
    if link.order not in ORDERS:
        return f"{link.order} is not an octet order"
    return ""


def _direction(result: HolderLinks, reader: Reader, root: str) -> Iterator[Finding]:
    for linked in result.links:
        link = linked.link
        if linked.place and link.access != ("reads" if linked.place.area == "in" else "writes"):
            name, place = reader.row(link.signal, Signal).name, _label(reader, linked.place)
            yield finding("SIG-107", link.signal, (link.id, "access"), name=name, access=link.access, place=place)


def _late(result: tuple[AskedResponse, ...], reader: Reader, root: str) -> Iterator[Finding]:
    for told in result:
        if told.worst_ms > told.asked_ms:
            yield finding(
                "SIG-108", (told.signal, "asked_ms"), name=told.name, worst=shown(told.worst_ms, 4),
                asked=shown(told.asked_ms), slowest=told.slowest,
            )  # fmt: skip


def _scaling(result: HolderLinks, reader: Reader, root: str) -> Iterator[Finding]:
    for linked in result.links:
        scaling = Scaling.of(linked.link.scaling)
        if scaling and scaling.problem:
            signal = reader.row(linked.link.signal, Signal)
            yield finding("SIG-109", (linked.link.id, "scaling"), signal.id, name=signal.name, problem=scaling.problem)


def _rooted_twice(result: HolderLinks, reader: Reader, root: str) -> Iterator[Finding]:
    for linked in result.links:
        scaling = linked.link.scaling or {}
        if scaling.get("kind") == "root" and scaling.get("rooted"):
            name = reader.row(linked.link.signal, Signal).name
            yield finding("SIG-114", (linked.link.id, "scaling.kind"), linked.link.signal, name=name)


def _format(result: HolderLinks, reader: Reader, root: str) -> Iterator[Finding]:
    """A raw span other than the channel's own number format is the classic wrong factor; but from 2 to 10 V of 0 to
    10 V somebody has meant."""
    module = reader.row(root, Module)
    device = reader.type(module.type)
    for linked in result.links if device else ():
        link = linked.link
        chosen = device.range_at(link.key, module.settings) if link.scaling and device else None
        if chosen is None or link.scaling is None:
            continue
        own = (link.scaling.get("raw_lo", 0), link.scaling.get("raw_hi", 0))
        if own != (chosen.raw_low, chosen.raw_high) and not all(_meant(chosen, end) for end in own):
            yield finding(
                "SIG-110",
                (link.id, "scaling"),
                link.signal,
                name=reader.row(link.signal, Signal).name,
                own=f"{shown(own[0])} … {shown(own[1])}",
                format=f"{chosen.raw_low} … {chosen.raw_high}",
                range=chosen.label,
            )


# Of volts, milliamperes and degrees: what a data sheet gives an end in.
_ROUND = Fraction(1, 2)


def _meant(channel: AnalogueRange, raw: float) -> bool:
    """Whether a count is a round value at the terminals, within what the channel nominally measures."""
    if not min(channel.raw_min, channel.raw_low) <= raw <= max(channel.raw_max, channel.raw_high):
        return False
    electrical = electrical_at(channel, raw)
    return exact(channel.low) <= electrical <= exact(channel.high) and electrical % _ROUND == 0


def _overlap(result: HolderLinks, reader: Reader, root: str) -> Iterator[Finding]:
    # Each end and each way of an exchange has octets of its own, and what stands beside the data lies in none of them.
    taken: dict[tuple[bool, str], list[_Taken]] = {}
    for linked in (*result.links, *result.carried):
        place = linked.place
        # What an exchange brings is compared with all else that is in the exchange.
        if place and place.area == "out" and linked.bits and place.carrier in ("", root):
            where = (place.far, place.kind if place.kind in BY_KEY else "")
            for first, bits in place.taken(linked.bits):
                taken.setdefault(where, []).append((first, first + bits, linked.link.id, linked.link.signal))
    for entries in taken.values():
        for one, other in dict.fromkeys(_overlapping(entries)):
            name, others = (reader.row(signal, Signal).name for signal in (one, other))
            yield finding("SIG-106", one, other, root, one=name, other=others)


# First bit, the one behind the last, link and signal of what is written.
_Taken = tuple[int, int, str, str]


def _overlapping(taken: list[_Taken]) -> Iterator[tuple[str, str]]:
    """Pairs of signals that write the same bits."""
    taken.sort()
    reaching: list[tuple[int, str]] = []
    for begin, end, _, signal in taken:
        reaching = [(to, other) for to, other in reaching if to > begin]
        for _, other in reaching:
            if other != signal:
                yield signal, other
        reaching.append((end, signal))


_LINKS = ("module.links", "exchange.links")

CHECKS: tuple[Check, ...] = (
    Check(
        "SIG-101", "controller.signals", "signals", "error", "One name, two signals",
        "{name} is used twice in {controller}; capital and small letters do not tell names apart.",
        "The program could not tell which of the two is meant.", _doubled, "IEC 61131-3, 6.1.2",
    ),
    Check(
        "SIG-102", "controller.signals", "signals", "error", "Name the program cannot use",
        "{problem}.", "Names of signals are identifiers of the programming languages.", _bad_name, "IEC 61131-3, 6.1.2",
    ),
    Check(
        "SIG-115", "controller.signals", "signals", "error", "Two things by one name",
        "{why}, by {other} and {one}.",
        "What a variable is made of follows from its signals' names: they have to agree.", _mixed,
        "IEC 61131-3, 6.4.4",
    ),
    Check(
        "SIG-116", "controller.signals", "signals", "error", "Initial value its type cannot hold",
        "{name} is {type} and would begin with {initial}.", "The program could not be translated.", _unfit,
        "IEC 61131-3, 6.5.1",
    ),
    Check(
        "SIG-103", "controller.signals", "signals", "note", "Signal without a link",
        "{name} is linked to nothing.", "It has no initial value either: nothing in the field moves it.", _unlinked,
    ),
    Check(
        "SIG-104", _LINKS, "signals", "error", "Linked to a place that is not there",
        "{name} is linked to {key}, which its module or exchange does not have.",
        "The type was changed, or the exchange made shorter, after the link was made.", _nowhere,
    ),
    Check(
        "SIG-111", _LINKS, "signals", "warning", "Data that reaches no controller",
        "{name}: the data of {place} is in no controller's image.",
        "A remote rail's data comes by its station's exchanges, a network's by the port it is on; here one is missing.",
        _not_carried,
    ),
    Check(
        "SIG-112", _LINKS, "signals", "error", "Data of another controller",
        "{name} belongs to {own}, but the data of {place} is in the image of {other}.",
        "A program sees its own controller's image only; what another one has must be transferred.", _foreign,
    ),
    Check(
        "SIG-105", ("controller.signals", *_LINKS), "signals", "error", "Type does not fit the place",
        "{name}: {problem}.", "A value read with the wrong size takes bits of its neighbour.", _misfit,
        "IEC 61131-3, 6.4.2",
    ),
    Check(
        "SIG-106", _LINKS, "signals", "error", "Two writers of one place",
        "{one} and {other} write the same bits.",
        "The one the task writes last wins, silently. One bit has one writer.", _overlap,
    ),
    Check(
        "SIG-107", _LINKS, "signals", "error", "Wrong direction",
        "{name} {access} {place}, where data goes the other way.",
        "An input cannot be written, an output's own state is not read from the field.", _direction,
    ),
    Check(
        "SIG-108", "controller.asked", "signals", "warning", "Slower than asked",
        "{name} takes {worst} ms at worst, {asked} ms are asked. The largest part that can change is {slowest}.",
        "An event may be seen later than the process can tolerate.", _late,
    ),
    Check(
        "SIG-113", "controller.signals", "signals", "error", "Two sources of one signal",
        "{name} is read from {one} and from {other}.",
        "It can be written to several places but has its value from one: the second is not read.", _two_sources,
    ),
    Check(
        "SIG-109", _LINKS, "signals", "error", "Scaling that cannot be applied",
        "{name} cannot be scaled: {problem}.", "Until then its value is the raw count.",
        _scaling,
    ),
    Check(
        "SIG-114", _LINKS, "signals", "error", "The root taken twice",
        "{name}: its transmitter takes the root, and so does its scaling.",
        "At half of the flow 71 % are shown.", _rooted_twice,
    ),
    Check(
        "SIG-110", "module.links", "signals", "warning", "Raw span is not the channel's",
        "{name} is scaled over {own}, but the channel counts {format} for {range}.",
        "The engineering value is off by the ratio of the two spans.", _format,
    ),
)  # fmt: skip
