"""The tuple of fieldbuses: add a folder, name it here and it reaches checks, forms, timing and the bench."""

from __future__ import annotations

from highmoor.core.networks.ethercat import FIELDBUS as ETHERCAT
from highmoor.core.networks.ethernet_ip import FIELDBUS as ETHERNET_IP
from highmoor.core.networks.fieldbus import Fieldbus
from highmoor.core.networks.modbus_rtu import FIELDBUS as MODBUS_RTU
from highmoor.core.networks.modbus_tcp import FIELDBUS as MODBUS_TCP
from highmoor.core.networks.profibus_dp import FIELDBUS as PROFIBUS_DP
from highmoor.core.networks.profinet import FIELDBUS as PROFINET

FIELDBUSES: tuple[Fieldbus, ...] = (MODBUS_RTU, MODBUS_TCP, ETHERNET_IP, ETHERCAT, PROFIBUS_DP, PROFINET)


def fieldbus_of(kind: str, known: tuple[Fieldbus, ...] | None = None) -> Fieldbus | None:
    """The fieldbus by its key, None when this version has none by that name."""
    return next((bus for bus in (FIELDBUSES if known is None else known) if bus.key == kind), None)
