"""Modbus TCP on the bench: servers reached over TCP, controllers that serve, and what stands behind."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Annotated

from pydantic import Field, TypeAdapter

from highmoor.core.catalogue.types import DeviceType
from highmoor.core.networks.alive import Clock
from highmoor.core.networks.diagnosis import Diagnosis
from highmoor.core.networks.line import Line
from highmoor.core.networks.live import Facts, Live, Seat, Serving, problem_of
from highmoor.core.networks.media import Host, TcpEnd
from highmoor.core.networks.modbus.built import NS_A_MS, REPLY_FIELD, ServerFacts, facts_of, server_of
from highmoor.core.networks.modbus.explain import likely
from highmoor.core.networks.modbus.models import MODELS
from highmoor.core.networks.modbus.octets import exchange_octets
from highmoor.core.networks.modbus.pdu import ModbusError
from highmoor.core.networks.modbus.server import RegisterServer
from highmoor.core.networks.modbus.serving import image_server
from highmoor.core.networks.modbus_tcp.bench import go_live
from highmoor.core.networks.modbus_tcp.frame import Frame
from highmoor.core.networks.modbus_tcp.scan import SCANS
from highmoor.core.networks.modbus_tcp.settings import PORT, ConnectionSettings
from highmoor.core.plant.fields import FieldSpec
from highmoor.core.plant.rows import Network, Station


@dataclass(frozen=True, slots=True, kw_only=True)
class TcpFacts(ServerFacts):
    """A server and the TCP port at which it listens."""

    port: Annotated[int, Field(ge=1, le=65535)] = PORT


FACTS: TypeAdapter[TcpFacts] = TypeAdapter(TcpFacts)


@dataclass(slots=True)
class TcpServer:
    """A server reached over TCP: frames in, frames out after its time to think."""

    server: RegisterServer
    clock: Clock

    def told(self) -> Sequence[Diagnosis]:
        """It counts nothing."""
        return ()

    def attach(self, host: Host, port: int) -> None:
        """Take connections at a port."""
        host.listen(port, self._accept)

    def _accept(self, end: TcpEnd) -> None:
        end.on(lambda octets: self._heard(end, octets))

    def _heard(self, end: TcpEnd, octets: bytes) -> None:
        answer = self.answer(octets)
        if answer is not None:
            self.clock.at(self.clock.now_ns + int(self.server.reply_ms * NS_A_MS), lambda: _send(end, answer))

    def answer(self, octets: bytes) -> bytes | None:
        """The octets that answer a frame; None for what is no frame."""
        try:
            frame = Frame.decode(octets)
        except ModbusError:
            return None
        return Frame(frame.transaction, frame.unit, self.server.answer_unit(frame.pdu)).encode()


def _send(end: TcpEnd, octets: bytes) -> None:
    end.send(octets)


def _as_configured(_: Network, station: Station | None, lines: Sequence[Line], device: DeviceType | None) -> Facts:
    port = next((ConnectionSettings.of(line.connection).port for line in lines), PORT)
    return {**facts_of(station, device), "port": port}


def _device(seat: Seat) -> TcpServer:
    facts = FACTS.validate_python(dict(seat.facts))
    made = TcpServer(server_of(facts, seat.rail, seat.clock), seat.clock)
    made.attach(seat.medium, facts.port)
    return made


def _serve(serving: Serving) -> None:
    server = TcpServer(image_server(serving), serving.clock)
    for port in {PORT, *(ConnectionSettings.of(line.connection).port for line in serving.lines)}:
        for host in serving.hosts:
            server.attach(host, port)


LIVE = Live(
    octets=exchange_octets,
    likely=likely,
    master=go_live, as_configured=_as_configured, device=_device, problem=problem_of(FACTS), serve=_serve,
    fields=(
        REPLY_FIELD,
        FieldSpec("facts.port", "Listens at TCP port", "integer", minimum=1, maximum=65535, optional=True,
            show=lambda _: "",
        ),
    ),
    models=MODELS, scans=SCANS,
)  # fmt: skip
