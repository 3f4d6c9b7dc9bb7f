"""Checks of serial Modbus lines (NET-22x)."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator

from highmoor.core.analysis.engine import Reader
from highmoor.core.analysis.findings import Check, Finding, finding
from highmoor.core.hardware.ports import port_label, port_spec
from highmoor.core.networks.line_time import RouteFacts, Timing
from highmoor.core.networks.modbus_rtu.settings import StationWiring, line_settings
from highmoor.core.networks.modbus_rtu.wiring import LOADS_AT_MOST, TAP_AT_MOST_M
from highmoor.core.numbers import shown
from highmoor.core.plant.rows import Exchange, Network, Port, Station

KEY = "modbus-rtu"
Find = Callable[[Timing, Reader, str], Iterator[Finding]]
_AGREED = (("baud", "rate"), ("parity", "parity"), ("stop_bits", "stop bits"), ("mode", "mode"))


def _laid(reader: Reader, network: Network) -> RouteFacts:
    facts: RouteFacts = reader.part("network.route", network.id)
    return facts


def _on_lines(find: Callable[[Timing, Reader, Network, list[Station]], Iterator[Finding]]) -> Find:
    def found(result: Timing, reader: Reader, root: str) -> Iterator[Finding]:
        yield from find(result, reader, reader.row(root, Network), reader.children(Station, root))

    return found


def _overload(result: Timing, reader: Reader, network: Network, stations: list[Station]) -> Iterator[Finding]:
    if result.load > 1:
        yield finding("NET-221", network.id, name=network.name, percent=shown(100 * result.load, 4))


def _disagree(result: Timing, reader: Reader, network: Network, stations: list[Station]) -> Iterator[Finding]:
    line = line_settings(network)
    for station in stations:
        own = line_settings(network, station)
        for key, label in _AGREED:
            if getattr(own, key) != getattr(line, key):
                yield finding(
                    "NET-222", (station.id, f"settings.{key}"), network.id, name=station.name, what=label,
                    own=str(getattr(own, key)), line=str(getattr(line, key)), network=network.name,
                )  # fmt: skip


def _ends(result: Timing, reader: Reader, network: Network, stations: list[Station]) -> Iterator[Finding]:
    nodes = _laid(reader, network).nodes
    names = {s.id: s.name for s in stations}
    for end in (nodes[0], nodes[-1]) if len(nodes) > 1 else ():
        if not end.terminated:
            place = (end.station or network.id, "settings.terminated")
            yield finding("NET-223", place, name=names.get(end.station, "The port"))


def _middle(result: Timing, reader: Reader, network: Network, stations: list[Station]) -> Iterator[Finding]:
    names = {s.id: s.name for s in stations}
    for node in _laid(reader, network).nodes[1:-1]:
        if node.terminated:
            yield finding("NET-224", (node.station, "settings.terminated"), network.id, name=names[node.station])


def _bias(result: Timing, reader: Reader, network: Network, stations: list[Station]) -> Iterator[Finding]:
    count = sum(node.biased for node in _laid(reader, network).nodes)
    if stations and count != 1:
        told = "nothing holds it" if count == 0 else f"{count} points hold it"
        yield finding("NET-225", (network.id, "settings.biased"), name=network.name, told=told)


def _loads(result: Timing, reader: Reader, network: Network, stations: list[Station]) -> Iterator[Finding]:
    loads = _laid(reader, network).loads
    if loads > LOADS_AT_MOST:
        yield finding("NET-226", network.id, name=network.name, loads=shown(loads), most=LOADS_AT_MOST)


def _length(result: Timing, reader: Reader, network: Network, stations: list[Station]) -> Iterator[Finding]:
    facts = _laid(reader, network)
    if facts.length_m > facts.length_at_most_m:
        yield finding(
            "NET-227", (network.id, "settings.baud"), name=network.name, length=shown(facts.length_m),
            most=shown(facts.length_at_most_m, 3), baud=line_settings(network).baud,
        )  # fmt: skip


def _taps(result: Timing, reader: Reader, network: Network, stations: list[Station]) -> Iterator[Finding]:
    for station in stations:
        tap = StationWiring.of(station).tap_m
        if tap > TAP_AT_MOST_M:
            yield finding("NET-228", (station.id, "settings.tap_m"), name=station.name, tap=shown(tap))


def _ten_bits(result: Timing, reader: Reader, network: Network, stations: list[Station]) -> Iterator[Finding]:
    line = line_settings(network)
    if line.parity == "none" and line.stop_bits == 1:
        yield finding("NET-229", (network.id, "settings.stop_bits"), name=network.name, written=line.written)


def _rate(result: Timing, reader: Reader, network: Network, stations: list[Station]) -> Iterator[Finding]:
    port: Port | None = reader.find(network.port)
    spec = port_spec(reader.find, reader.type, port)
    baud = line_settings(network).baud
    if port and spec and spec.bauds and baud not in spec.bauds:
        yield finding("NET-230", (network.id, "settings.baud"), port=port_label(reader.find, port), baud=baud)


def _silence(result: Timing, reader: Reader, network: Network, stations: list[Station]) -> Iterator[Finding]:
    """One silent station makes others miss a whole period: told once a line, at the request that suffers most."""
    if result.load > 1 or not result.silent:
        return
    late = {e.exchange: math.inf if e.late_one_silent_ms is None else e.late_one_silent_ms for e in result.exchanges}
    suffering = [
        e
        for e in result.exchanges
        if e.period_ms and late[e.exchange] > e.period_ms and late[e.exchange] > (e.worst_late_ms or 0)
    ]
    if suffering:
        worst = max(suffering, key=lambda e: late[e.exchange] / e.period_ms)
        latest = late[worst.exchange]
        told = (
            "is never asked again"
            if latest == math.inf
            else f"comes up to {shown(latest, 3)} ms late"
            if result.whole_one_silent
            else f"falls behind for ever, {shown(latest, 3)} ms and more"
        )
        yield finding(
            "NET-231", network.id, silent=result.silent, name=reader.row(worst.exchange, Exchange).name, told=told,
            period=shown(worst.period_ms), count=len(suffering),
        )  # fmt: skip


CHECKS: tuple[Check, ...] = (
    Check(
        "NET-221", "network.timing", "networks", "error", "More asked than the line can carry",
        "{name} would have to be busy {percent} % of the time: its periods cannot be kept.",
        "One request goes after the other; together they take longer than their periods.",
        _on_lines(_overload),
    ),
    Check(
        "NET-222", "network.timing", "networks", "error", "Both ends do not agree",
        "{name} is set to {what} {own}, {network} to {line}.",
        "A device hears only framing or parity errors from a line that is set otherwise, and never answers.",
        _on_lines(_disagree), "Modbus over Serial Line 1.02, 2.5.1",
    ),
    Check(
        "NET-223", "network.timing", "networks", "warning", "End of the line without its resistor",
        "{name} is an end of the line and has no terminating resistor.",
        "What is sent comes back from an open end and disturbs what follows, the more the faster the line.",
        _on_lines(_ends), "Modbus over Serial Line 1.02, 3.4.5",
    ),
    Check(
        "NET-224", "network.timing", "networks", "warning", "Resistor in the middle of the line",
        "{name} has its terminating resistor in, but stands in the middle.",
        "Resistors belong at both ends and nowhere else: one more loads the line so that levels become too small.",
        _on_lines(_middle), "Modbus over Serial Line 1.02, 3.4.5",
    ),
    Check(
        "NET-225", "network.timing", "networks", "warning", "Idle level of the line",
        "{name}: {told} at its level while nobody sends; exactly one point should.",
        "Without it noise looks like characters; with several the line is loaded too much.",
        _on_lines(_bias), "Modbus over Serial Line 1.02, 3.4.6",
    ),
    Check(
        "NET-226", "network.timing", "networks", "error", "Too many loads on the line",
        "{name} carries {loads} unit loads, bias included; a segment takes {most}.",
        "The drivers cannot hold the levels any more; a repeater begins a new segment.",
        _on_lines(_loads), "TIA/EIA-485-A",
    ),
    Check(
        "NET-227", "network.timing", "networks", "warning", "Line too long for its rate",
        "{name} is {length} m long; at {baud} bit/s {most} m are allowed.",
        "The longer the cable, the more the edges are rounded: a slower rate reaches further.",
        _on_lines(_length), "Modbus over Serial Line 1.02, 3.4.2",
    ),
    Check(
        "NET-228", "network.timing", "networks", "warning", "Tap line too long",
        "{name} hangs on a tap of {tap} m; up to 20 m are allowed.",
        "A tap reflects like an open end.",
        _on_lines(_taps), "Modbus over Serial Line 1.02, 3.4.2",
    ),
    Check(
        "NET-229", "network.timing", "networks", "note", "Ten bits a character",
        "{name} is set to {written}: without parity the standard wants a second stop bit.",
        "Many devices are used to it, and it works where both ends agree; strict devices refuse it.",
        _on_lines(_ten_bits), "Modbus over Serial Line 1.02, 2.5.1",
    ),
    Check(
        "NET-230", "network.timing", "networks", "error", "Rate the port does not have",
        "{port} cannot send at {baud} bit/s.",
        "The port would refuse the setting.",
        _on_lines(_rate),
    ),
    Check(
        "NET-231", "network.timing", "networks", "warning", "One silent station stops the others",
        "When {silent} is silent, {name} {told}; its period is {period} ms"
        " ({count} of the line's requests miss a period).",
        "Every attempt waits its whole time-out while all others wait behind it.",
        _on_lines(_silence),
    ),
)  # fmt: skip
