"""Modbus on a serial line on the bench: servers that hear every frame with their own settings.

What a device makes of a frame depends on both ends: another rate or mode gives framing errors, another parity or number
of stop bits parity errors, and neither is answered.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Annotated, Any, cast

from pydantic import Field, TypeAdapter

from highmoor.core.catalogue.types import DeviceType
from highmoor.core.figures.modbus_rtu import Parity
from highmoor.core.networks.alive import Clock
from highmoor.core.networks.diagnosis import Diagnosis
from highmoor.core.networks.line import Line
from highmoor.core.networks.live import Direction, Facts, Live, Seat, problem_of
from highmoor.core.networks.media import Heard, LineEnd
from highmoor.core.networks.modbus.built import NS_A_MS, REPLY_FIELD, ServerFacts, facts_of, server_of
from highmoor.core.networks.modbus.explain import DAMAGED, SILENT, likely
from highmoor.core.networks.modbus.models import MODELS
from highmoor.core.networks.modbus.octets import exchange_octets
from highmoor.core.networks.modbus.pdu import ModbusError
from highmoor.core.networks.modbus.server import RegisterServer
from highmoor.core.networks.modbus_rtu.bench import go_live
from highmoor.core.networks.modbus_rtu.frame import Mode, SerialFrame
from highmoor.core.networks.modbus_rtu.scan import SCANS
from highmoor.core.networks.modbus_rtu.settings import BAUDS, LineSettings, agreed_fields, line_settings
from highmoor.core.networks.modbus_rtu.timing import silence_ms
from highmoor.core.plant.fields import FieldSpec
from highmoor.core.plant.rows import Network, Station


@dataclass(frozen=True, slots=True, kw_only=True)
class SerialFacts(ServerFacts):
    """A server as it is set at the device, and whether it has its terminating resistor."""

    baud: Annotated[int, Field(ge=min(BAUDS), le=max(BAUDS))] = 19200
    parity: Parity = "even"
    stop_bits: Annotated[int, Field(ge=1, le=2)] = 1
    mode: Mode = "rtu"
    terminated: bool = False


FACTS: TypeAdapter[SerialFacts] = TypeAdapter(SerialFacts)


@dataclass(slots=True)
class SerialServer:
    """A server on a line; counts what it hears."""

    server: RegisterServer
    station: int
    on: LineSettings
    clock: Clock
    end: LineEnd
    frames: int = 0
    framing_errors: int = 0
    parity_errors: int = 0
    checksum_errors: int = 0

    def told(self) -> Sequence[Diagnosis]:
        """What its counters say."""
        return [
            Diagnosis(what, f"it counts {n} {what} errors", "warning", settings=settings)
            for what, n, settings in (
                ("framing", self.framing_errors, ("networks.settings.baud", "networks.settings.mode")),
                ("parity", self.parity_errors, ("networks.settings.parity", "networks.settings.stop_bits")),
                ("check sum", self.checksum_errors, ("stations.settings.terminated",)),
            )
            if n
        ]

    def heard(self, heard: Heard) -> None:
        """A frame on the line; one for this station is answered when it has thought and the line has been silent."""
        self.frames += 1
        on = self.on
        if heard.on.baud != on.baud or heard.on.mode != on.mode:
            self.framing_errors += 1
            return
        if (heard.on.parity, heard.on.stop_bits) != (on.parity, on.stop_bits):
            self.parity_errors += 1
            return
        try:
            frame = SerialFrame.decode(heard.octets, on.mode)
        except ModbusError:
            self.checksum_errors += 1
            return
        if frame.station not in (self.station, 0):
            return
        answer = SerialFrame(self.station, self.server.answer_unit(frame.pdu)).encode(on.mode)
        if frame.station:
            waits_ms = max(self.server.reply_ms, float(silence_ms(on)))
            self.clock.at(self.clock.now_ns + int(waits_ms * NS_A_MS), lambda: self._answer(answer))

    def _answer(self, octets: bytes) -> None:
        self.end.transmit(octets, self.on)


def _as_configured(network: Network, station: Station | None, _: Sequence[Line], device: DeviceType | None) -> Facts:
    on = line_settings(network, station)
    facts: dict[str, Any] = {"baud": on.baud, "parity": on.parity, "stop_bits": on.stop_bits, "mode": on.mode}
    if station is not None:
        facts["terminated"] = station.settings.get("terminated") is True
    return {**facts_of(station, device), **facts}


def _device(seat: Seat) -> SerialServer:
    facts = FACTS.validate_python(dict(seat.facts))
    end = cast("LineEnd", seat.medium)
    on = LineSettings(facts.mode, facts.baud, facts.parity, facts.stop_bits)
    station = int(seat.address) if seat.address.isdecimal() else -1
    made = SerialServer(server_of(facts, seat.rail, seat.clock), station, on, seat.clock, end)
    end.terminated = facts.terminated
    end.on(made.heard)
    return made


def _likely(code: int, direction: Direction) -> tuple[str, ...]:
    """Who does not answer, or not well, may hear the line with other settings."""
    line = ("networks.settings.baud", "networks.settings.parity") if code in (SILENT, DAMAGED) else ()
    return (*likely(code, direction), *line, *(("stations.settings.terminated",) if code == DAMAGED else ()))


def _as_fact(spec: FieldSpec) -> FieldSpec:
    return replace(
        spec, path=spec.path.replace("settings.", "facts."), optional=True, default=None, hint="", source="own"
    )


LIVE = Live(
    octets=exchange_octets,
    likely=_likely,
    master=go_live, as_configured=_as_configured, device=_device, problem=problem_of(FACTS), models=MODELS, scans=SCANS,
    fields=(
        REPLY_FIELD,
        *(_as_fact(spec) for spec in agreed_fields("own", None)),
        FieldSpec("facts.terminated", "Terminating resistor", "boolean", optional=True),
    ),
)  # fmt: skip
