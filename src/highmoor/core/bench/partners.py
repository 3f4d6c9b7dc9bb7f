"""Controllers on the bench that answer other controllers out of their own images."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from highmoor.core.analysis.engine import Analysis
from highmoor.core.bench.clock import VirtualClock
from highmoor.core.bench.controller import SimulatedController
from highmoor.core.networks.alive import Device
from highmoor.core.networks.ethernet_ip.adapter import Adapter
from highmoor.core.networks.ethernet_ip.as_configured import adapter_as_configured
from highmoor.core.networks.ethernet_ip.settings import agreement, is_request
from highmoor.core.networks.fieldbus import Line
from highmoor.core.networks.modbus.health import kind_of
from highmoor.core.networks.modbus.server import RegisterServer
from highmoor.core.networks.modbus.settings import ExchangeSettings, reply_ms
from highmoor.core.networks.modbus_tcp.bench import TcpServer
from highmoor.core.networks.partners import ports_of_controller
from highmoor.core.plant.rows import Connection, Exchange, Network, Station
from highmoor.core.signals.image import Area

# How long a controller takes to answer another one, ms.
REPLY_MS = 2.0


@dataclass(slots=True)
class ImageWords:
    """Registers or coils that are octets of an image: address → (image, octet, bit), registers high octet first."""

    bits: int
    places: dict[int, tuple[bytearray, int, int]] = field(default_factory=dict)

    def get(self, address: int, default: int, /) -> int:
        """What stands at an address; the default where nothing does."""
        place = self.places.get(address)
        if place is None:
            return default
        image, octet, bit = place
        return int.from_bytes(image[octet : octet + 2], "big") if self.bits == 16 else image[octet] >> bit & 1

    def __setitem__(self, address: int, value: int, /) -> None:
        place = self.places.get(address)
        if place is None:
            return
        image, octet, bit = place
        if self.bits == 16:
            image[octet : octet + 2] = (value & 0xFFFF).to_bytes(2, "big")
        else:
            image[octet] = image[octet] | 1 << bit if value else image[octet] & ~(1 << bit)


def partners_serving(
    analysis: Analysis, controllers: Mapping[str, SimulatedController], clock: VirtualClock
) -> dict[tuple[str, str], Device]:
    """Every controller that another one asks, by fieldbus and by each address of its own ports."""
    lines: dict[tuple[str, str], list[Line]] = {}
    plant = analysis.plant
    for station in plant.all(Station):
        network: Network | None = plant.find(station.network)
        if network and station.partner and station.partner in controllers:
            for connection in plant.children(Connection, station.id):
                exchanges = tuple(plant.children(Exchange, connection.id))
                lines.setdefault((network.kind, station.partner), []).append(Line(station, connection, exchanges))
    serving: dict[tuple[str, str], Device] = {}
    for (kind, partner), asked in lines.items():
        ports = ports_of_controller(plant, partner)
        if kind not in _MAKERS or not ports:
            continue
        made = _MAKERS[kind](analysis, controllers[partner], asked, clock, ports[0].address)
        serving.update({(kind, port.address): made for port in ports})
    return serving


def _far(
    analysis: Analysis, partner: SimulatedController, exchange: Exchange, *, back: bool = False
) -> tuple[bytearray, int, int] | None:
    """Where an exchange's other end lies, or that of what goes back: image, first octet, octets."""
    area: Area = "out" if (exchange.direction == "in") != back else "in"
    item = analysis.result("controller.image", partner.id).item(exchange.id, area)
    image = partner.image_out if area == "out" else partner.image_in
    return (image, item.offset, item.octets) if item else None


def _modbus(analysis: Analysis, partner: SimulatedController, lines: list[Line], _: VirtualClock, __: str) -> Device:
    # No slower than those who ask count with.
    server = RegisterServer(min(REPLY_MS, *(reply_ms(line.station) for line in lines)))
    words = {area: ImageWords(1 if area < 2 else 16) for area in server.areas}
    for exchange in (x for line in lines for x in line.exchanges):
        settings = ExchangeSettings.of(exchange)
        own = words[settings.function.area]
        for first, back in ((settings.address, False), (settings.write_address, True)):
            far = _far(analysis, partner, exchange, back=back)
            if far is None:
                continue
            image, octet, octets = far
            for n in range(8 * octets // own.bits if back else min(settings.count, 8 * octets // own.bits)):
                bit = n * own.bits
                own.places[first + n] = (image, octet + bit // 8, bit % 8)
    for line in lines:
        _mirror(line, words)
    server.areas = dict(words)
    server.present = {area: own.places for area, own in words.items()}
    return TcpServer(server)


def _mirror(line: Line, words: Mapping[int, ImageWords]) -> None:
    """A watch is ready-made at both ends: what is written for it is what is read back, without anybody's program."""
    for back in (x for x in line.exchanges if x.direction == "in" and kind_of(x)):
        given = next((x for x in line.exchanges if x.direction == "out" and kind_of(x) == kind_of(back)), None)
        if given is None:
            continue
        written, read = ExchangeSettings.of(given), ExchangeSettings.of(back)
        held = words[written.function.area].places.get(written.address)
        if held:
            words[read.function.area].places[read.address] = held


def _ethernet_ip(
    analysis: Analysis, partner: SimulatedController, lines: list[Line], clock: VirtualClock, address: str
) -> Device:
    """Connection points whose data is the image itself."""
    adapter = Adapter(adapter_as_configured(lines, None), clock, REPLY_MS, address)
    for line in lines:
        if is_request(line.connection):
            continue
        for way in agreement(line).ways:
            exchange = next((x for x in line.exchanges if x.id == way.exchange), None)
            far = _far(analysis, partner, exchange) if exchange else None
            if far is None or way.point is None:
                continue
            image, octet, octets = far
            blocks = adapter.inputs if way.direction == "in" else adapter.outputs
            blocks[way.point] = memoryview(image)[octet : octet + octets]
    return adapter


_MAKERS = {"modbus-tcp": _modbus, "ethernet-ip": _ethernet_ip}
