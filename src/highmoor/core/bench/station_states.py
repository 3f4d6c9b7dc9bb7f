"""What is seen of stations on the bench: each with its exchanges, its parameters, what it hears."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import asdict, dataclass, field, replace
from typing import Any

from highmoor.core.bench.diagnoses import DiagnosisLog, Noted
from highmoor.core.bench.labels import Label
from highmoor.core.catalogue.meaning import meaning
from highmoor.core.catalogue.types import Catalogue, DeviceType
from highmoor.core.errors import Refusal
from highmoor.core.hardware.mounting import modules_behind
from highmoor.core.hardware.parameters import parameter_field
from highmoor.core.networks import fieldbus_of
from highmoor.core.networks.alive import Clock, ExchangeLive, ParameterTold
from highmoor.core.networks.diagnosis import Diagnosis
from highmoor.core.networks.fieldbus import Fieldbus
from highmoor.core.networks.live import Direction, NetworkTold, NodeTold
from highmoor.core.networks.parked import is_parked
from highmoor.core.networks.positions import addressed
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Connection, Exchange, Network, Station

_PARAMETERS_AT_MOST = 200


@dataclass(frozen=True, slots=True)
class StationStanding:
    """What is known of a station's device: whether its cable is in and it has power, what it tells of itself."""

    plugged: bool
    powered: bool
    told: Sequence[Diagnosis]
    label: Label
    row: str = ""


@dataclass(slots=True)
class StationStates:
    """The stations of a plant as they go; `code` gives what came last of an exchange, `standing` tells of devices."""

    plant: Plant
    catalogue: Catalogue
    clock: Clock
    exchanges: dict[str, ExchangeLive]
    code: Callable[[str], int]
    standing: Callable[[str], StationStanding]
    told: Callable[[Network], NetworkTold | None]
    log: DiagnosisLog = field(default_factory=DiagnosisLog)
    _parameters: dict[str, dict[str, tuple[ParameterTold, int]]] = field(default_factory=dict)

    def all(self) -> list[dict[str, Any]]:
        """Each station with its exchanges: state, words, last octets both ways."""
        return [
            self._station(network, station, nodes)
            for network in self.plant.all(Network)
            for nodes in [self._nodes(network)]
            for station in self._stations(network)
        ]

    def networks(self) -> list[dict[str, Any]]:
        """What is counted of whole networks, of those whose controllers tell."""
        told = ((network, self.told(network)) for network in self.plant.all(Network))
        return [{"id": network.id, "facts": [asdict(fact) for fact in seen.facts]} for network, seen in told if seen]

    def _nodes(self, network: Network) -> dict[str, NodeTold]:
        seen = self.told(network)
        return {node.row: node for node in seen.nodes} if seen else {}

    def _stations(self, network: Network) -> list[Station]:
        stations = self.plant.children(Station, network.id)
        return addressed(fieldbus_of(network.kind), self.plant, self.catalogue.find, stations)

    def _station(self, network: Network, station: Station, nodes: Mapping[str, NodeTold]) -> dict[str, Any]:
        lives = [
            self.exchanges[x.id]
            for connection in self.plant.children(Connection, station.id)
            for x in self.plant.children(Exchange, connection.id)
            if x.id in self.exchanges
        ]
        for live in lives:
            live.refresh()
        bus = fieldbus_of(network.kind)
        device = self.catalogue.find(station.type)
        standing = self.standing(station.id)
        here = list(self._here(station, nodes)) if nodes else []
        state, text = self._state(station, device, standing, lives, [node for _, node in here])
        return {
            "id": station.id,
            "name": station.name,
            "address": station.address,
            "state": state,
            "text": text,
            "cable": standing.plugged,
            "power": standing.powered,
            "parked": is_parked(station),
            # A broadcast goes to everybody: it is nobody whose cable could be pulled.
            "everybody": bus is not None and bus.addresses.is_everybody(station.address),
            "parameters": self._told_parameters(network, station, device),
            "diagnoses": [
                _noted(noted)
                for noted in self.log.now(self.clock.now_ns / 1e9, station.id, self._told(bus, standing, lives, nodes))
            ],
            "mac": standing.label.mac,
            "serial": standing.label.serial,
            "exchanges": [_exchange(live) for live in lives],
            "nodes": [_node(name, node) for name, node in here],
        }

    def _here(self, station: Station, nodes: Mapping[str, NodeTold]) -> Iterator[tuple[str, NodeTold]]:
        """A station and the modules behind it that answer for themselves, with what people call them."""
        if station.id in nodes:
            yield station.name, nodes[station.id]
        for module in modules_behind(self.plant, station.id):
            if module.id in nodes:
                device = self.catalogue.find(module.type)
                kind = device.called if device else ""
                yield " ".join(part for part in (module.designation, kind) if part), nodes[module.id]

    def gone(self) -> list[dict[str, Any]]:
        """What was wrong and is no more, the last first."""
        return [_noted(noted) for noted in reversed(self.log.gone)]

    def _told(
        self, bus: Fieldbus | None, standing: StationStanding, lives: Sequence[ExchangeLive],
        nodes: Mapping[str, NodeTold],
    ) -> Sequence[Diagnosis]:  # fmt: skip
        """What the controller tells of its exchanges, then what the device tells of itself."""
        failed = [live for live in lives if live.state == "bad"]
        codes = {live.exchange: self.code(live.exchange) for live in failed}
        return [
            *(
                Diagnosis(
                    live.exchange, live.text, place=live.exchange, code=_spelled(codes[live.exchange]),
                    settings=bus.live.likely(codes[live.exchange], self._direction(live)) if bus else (),
                )
                for live in failed
            ),
            *standing.told,
            *(nodes[standing.row].told if standing.row in nodes else ()),
        ]  # fmt: skip

    def _direction(self, live: ExchangeLive) -> Direction:
        return self.plant.get(live.exchange, Exchange).direction

    def _state(
        self, station: Station, device: DeviceType | None, standing: StationStanding, lives: Sequence[ExchangeLive],
        nodes: Sequence[NodeTold],
    ) -> tuple[str, str]:  # fmt: skip
        if is_parked(station):
            return "waiting", "switched off"
        if device and device.passes_on:
            if not standing.powered:
                return "bad", "it has no power"
            return ("good", "passes on") if standing.plugged else ("bad", "its cable is out")
        bad = [live for live in lives if live.state == "bad"]
        if bad:
            return "bad", bad[0].text
        # Whose data comes, and who exchanges nothing, is looked at all the same.
        worst = next((node for node in nodes if not node.good), None)
        if worst is not None:
            return "bad", worst.text
        if nodes and not lives:
            return "good", "nothing to exchange"
        cyclic = [live for live in lives if not live.on_demand]
        if any(live.state == "waiting" for live in cyclic) or not any(live.state == "good" for live in lives):
            unasked = (
                "nothing asked yet" if cyclic else "asked when the program wants it" if lives else "nothing to ask"
            )
            return "waiting", unasked
        return "good", "good"

    def _told_parameters(self, network: Network, station: Station, device: DeviceType | None) -> list[dict[str, Any]]:
        """A device's parameters that can be reached over its network, with what was last read of each."""
        bus = fieldbus_of(network.kind)
        if bus is None or bus.live.parameters is None or device is None or device.kind != "device":
            return []
        seen = self._parameters.get(station.id, {})
        told = []
        for parameter in [p for p in device.parameters if p.path][:_PARAMETERS_AT_MOST]:
            last, at_ns = seen.get(parameter.key, (ParameterTold(True, ""), 0))
            told.append(
                {
                    "key": parameter.key,
                    "label": parameter.label,
                    "path": parameter.path,
                    "usual": meaning(parameter, parameter.default) or str(parameter.default),
                    "writable": parameter.access != "read",
                    "good": last.good,
                    "text": last.text,
                    "value": last.value,
                    "meaning": meaning(parameter, last.value),
                    "octets": last.octets.hex(" ").upper(),
                    "at_s": at_ns / 1e9 if last.text else None,
                }
            )
        return told

    def parameter(self, medium: Any, station: str, key: str, value: Any = None) -> None:
        """Read a parameter in a device, or write it. Raises Refusal for what cannot be reached or is no value."""
        row = self.plant.get(station, Station)
        network = self.plant.get(row.network, Network)
        bus, device = fieldbus_of(network.kind), self.catalogue.find(row.type)
        parameter = next((p for p in device.parameters if p.key == key), None) if device else None
        if bus is None or bus.live.parameters is None or parameter is None or medium is None:
            raise Refusal(f"{row.name} has no parameter {key} that can be reached here.", place=station)
        raw = None if value is None else parameter_field(replace(parameter, access="read-write"), key).parse(value)

        def done(told: ParameterTold) -> None:
            self._parameters.setdefault(station, {})[key] = (told, self.clock.now_ns)

        done(ParameterTold(True, "asked"))
        bus.live.parameters(self.clock, medium, row, parameter, raw, done)


def _node(name: str, node: NodeTold) -> dict[str, Any]:
    """What it says of itself stands among the diagnoses."""
    return {"name": name, **{key: value for key, value in asdict(node).items() if key != "told"}}


def _spelled(code: int) -> str:
    """In whole octets."""
    return f"{code:0{2 if code < 0x100 else 4}X}"


def _noted(noted: Noted) -> dict[str, Any]:
    return {
        "station": noted.station, "came_s": noted.came_s, "went_s": noted.went_s,
        **{key: getattr(noted.diagnosis, key) for key in ("key", "text", "severity", "place", "channel", "code")},
        "settings": list(noted.diagnosis.settings),
    }  # fmt: skip


def _exchange(live: ExchangeLive) -> dict[str, Any]:
    return {
        "id": live.exchange,
        "name": live.name,
        "state": live.state,
        "text": live.text,
        "request": live.request.hex(" ").upper(),
        "response": live.response.hex(" ").upper(),
        "data": live.data.hex(" ").upper(),
        "last_good_s": None if live.last_good_ns is None else live.last_good_ns / 1e9,
        "transactions": live.transactions,
        "failures": live.failures,
    }
