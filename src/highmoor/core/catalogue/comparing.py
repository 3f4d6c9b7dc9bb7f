"""Device types side by side: what is told of each, line by line, so that differences stand out.

The same lines serve the comparison of two types and the differences of two revisions of one file.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from highmoor.core.catalogue.choices import ConnectionChoice, ExchangeChoice, ModuleChoice, Span
from highmoor.core.catalogue.types import DeviceType, Parameter
from highmoor.core.numbers import shown

Lines = dict[str, str]


@dataclass(frozen=True, slots=True)
class Difference:
    """One line in which types differ; "" where a type has no such line."""

    label: str
    values: tuple[str, ...]


def differences(devices: list[DeviceType]) -> list[Difference]:
    """The lines in which the types are not all alike, in the order of the first that has them."""
    told = [lines_of(device) for device in devices]
    labels = dict.fromkeys(label for lines in told for label in lines)
    rows = [Difference(label, tuple(lines.get(label, "") for lines in told)) for label in labels]
    return [row for row in rows if len(set(row.values)) > 1]


def lines_of(device: DeviceType) -> Lines:
    """Everything a type says that an engineer compares, as label → text."""
    lines: Lines = {
        "Name": device.name,
        "Maker": device.maker,
        "Order number": device.order_number,
        "Revision": ", ".join(device.revisions),
        "Fieldbus": device.fieldbus,
        "Octets in": _octets(footprint(device).in_octets),
        "Octets out": _octets(footprint(device).out_octets),
    }
    for label, value, unit in (
        ("Width", device.width_mm, "mm"),
        ("Heat", device.heat_w, "W"),
        ("Internal supply drawn", device.bus_current_ma, "mA"),
        ("Internal supply given", device.bus_supply_ma, "mA"),
        ("Field supply given", device.field_limit_ma, "mA"),
        ("Conversion", device.conversion_ms, "ms"),
        ("Cyclic connections", device.limits.cyclic_connections, ""),
        ("Packets a second", device.limits.packets_per_s, ""),
        ("Shortest interval", (device.limits.min_interval_us or 0) / 1000, "ms"),
        ("Modules", device.limits.modules, ""),
    ):
        if value:
            lines[label] = f"{shown(value)} {unit}".strip()
    if device.limits.baud_rates:
        lines["Baud rates"] = ", ".join(_baud(rate) for rate in device.limits.baud_rates)
    for group in device.channels:
        lines[f"Channels {group.kind}"] = f"{group.count} × {group.data_type}"
    lines.update(_of_connections(device.connections))
    lines.update(_of_modules(device.modules))
    lines.update(_of_parameters(device.parameters))
    for register in device.registers:
        lines[f"{register.reference} {register.label}"] = f"{register.data_type} {register.unit}".strip()
    return lines


@dataclass(frozen=True, slots=True)
class Footprint:
    """What a type takes: octets each way at most, the shortest interval in µs, connections, mA; None: not said."""

    in_octets: int
    out_octets: int
    interval_us: int | None
    connections: int | None
    bus_ma: int


def footprint(device: DeviceType) -> Footprint:
    """The footprint, from channels, from the largest of its connections, or from its registers and limits."""
    into, out = device.in_octets, device.out_octets
    for connection in device.connections:
        for exchange in connection.exchanges:
            octets = exchange.octets.default or exchange.octets.maximum or 0
            if exchange.direction == "in":
                into = max(into, octets)
            else:
                out = max(out, octets)
    if device.registers:
        into = max(into, 2 * sum(r.registers for r in device.registers if r.access != "write" and r.bit in (None, 0)))
        out = max(out, 2 * sum(r.registers for r in device.registers if r.access != "read" and r.bit in (None, 0)))
    if device.modules:
        into = max(into, device.limits.in_octets or max(module.in_octets for module in device.modules))
        out = max(out, device.limits.out_octets or max(module.out_octets for module in device.modules))
    return Footprint(
        into, out, device.limits.min_interval_us, device.limits.cyclic_connections or device.limits.connections,
        device.bus_current_ma,
    )  # fmt: skip


def _of_connections(connections: Iterable[ConnectionChoice]) -> Lines:
    lines: Lines = {}
    for connection in connections:
        lines[f"Connection {connection.label}"] = ", ".join(connection.applications)
        for exchange in connection.exchanges:
            lines[f"{connection.label}, {exchange.term or exchange.direction}"] = _exchange(exchange)
        if connection.configuration:
            lines[f"{connection.label}, configuration"] = f"{_span(connection.configuration.octets)} octets"
    return lines


def _exchange(exchange: ExchangeChoice) -> str:
    point = "" if exchange.point is None else f" at point {exchange.point}"
    every = exchange.interval_us
    interval = "" if every.minimum is None else f", from {shown(every.minimum / 1000)} ms"
    return f"{_span(exchange.octets)} octets{point}, {exchange.format}{interval}"


def _of_modules(modules: Iterable[ModuleChoice]) -> Lines:
    return {f"Module {m.label}": f"{m.in_octets} octets in, {m.out_octets} out" for m in modules}


def _of_parameters(parameters: Iterable[Parameter]) -> Lines:
    return {f"Parameter {p.label}": _parameter(p) for p in parameters}


def _parameter(parameter: Parameter) -> str:
    ends = "" if parameter.minimum is None else f"{parameter.minimum} … {parameter.maximum}"
    choices = f"{len(parameter.choices)} choices" if parameter.choices else ""
    default = "" if parameter.default is None else f"default {parameter.default}"
    return ", ".join(part for part in (parameter.data_type, choices or ends, default, parameter.unit) if part)


def _span(span: Span) -> str:
    if span.minimum == span.maximum:
        return "?" if span.maximum is None else str(span.maximum)
    return f"{span.minimum} … {span.maximum}"


def _octets(octets: int) -> str:
    words = shown(octets / 2)
    return f"{octets} ({words} word{'' if words == '1' else 's'} of 16 bits)" if octets else "0"


def _baud(rate: int) -> str:
    return f"{shown(rate / 1_000_000)} M" if rate >= 1_000_000 else f"{shown(rate / 1000)} k"
