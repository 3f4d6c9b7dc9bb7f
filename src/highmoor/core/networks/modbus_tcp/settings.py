"""What Modbus TCP adds to Modbus: port and unit of a connection."""

from __future__ import annotations

from dataclasses import dataclass

from highmoor.core.networks.fieldbus import Around, FieldsOf
from highmoor.core.networks.modbus.settings import exchange_fields, station_fields
from highmoor.core.plant.fields import FieldSpec
from highmoor.core.plant.rows import Connection, Network

PORT = 502
UNIT = 255


@dataclass(frozen=True, slots=True)
class ConnectionSettings:
    """TCP port and unit id of a connection; 255 is what a device without anything behind it wants."""

    port: int
    unit: int

    @classmethod
    def of(cls, connection: Connection) -> ConnectionSettings:
        return cls(connection.settings.get("port", PORT), connection.settings.get("unit", UNIT))


def _connection_fields(_: Connection, __: Around) -> tuple[FieldSpec, ...]:
    return (
        FieldSpec(
            "settings.port", "TCP port", "integer", default=PORT, minimum=1, maximum=65535, optional=True,
            hint="502 unless the device's manual says otherwise.",
        ),
        FieldSpec(
            "settings.unit", "Unit id", "integer", default=UNIT, minimum=0, maximum=255, optional=True,
            term="unit identifier",
            hint="255 for the device itself; 1–247 for a station behind a gateway.",
        ),
    )  # fmt: skip


def _network_fields(_: Network, __: Around) -> tuple[FieldSpec, ...]:
    return ()


FIELDS: dict[str, FieldsOf] = {
    "networks": _network_fields,
    "stations": station_fields,
    "connections": _connection_fields,
    "exchanges": exchange_fields,
}
