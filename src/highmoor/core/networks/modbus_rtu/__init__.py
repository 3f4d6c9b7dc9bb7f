"""Modbus on a serial line. Source: Modbus over Serial Line Specification and Implementation Guide 1.02."""

from __future__ import annotations

from highmoor.core.catalogue.media import RS485
from highmoor.core.networks.addressing import Numbers
from highmoor.core.networks.fieldbus import Fieldbus
from highmoor.core.networks.modbus.claims import claims
from highmoor.core.networks.modbus.every_check import CHECKS as MODBUS_CHECKS
from highmoor.core.networks.modbus.explain import explain
from highmoor.core.networks.modbus.layout import layout
from highmoor.core.networks.modbus.maps import MAP
from highmoor.core.networks.modbus.watches import WATCHES
from highmoor.core.networks.modbus_rtu.checks import CHECKS
from highmoor.core.networks.modbus_rtu.live import LIVE
from highmoor.core.networks.modbus_rtu.remedies import MENDS
from highmoor.core.networks.modbus_rtu.settings import FIELDS, NEW_FIELDS, new_exchange
from highmoor.core.networks.modbus_rtu.timing import COLUMNS, frames, timing
from highmoor.core.networks.modbus_rtu.wiring import route

FIELDBUS = Fieldbus(
    key="modbus-rtu",
    name="Modbus RTU",
    standard="Modbus over Serial Line 1.02",
    medium=RS485,
    addresses=Numbers(1, 247, "Station number", "0 is everybody, 248–255 are reserved", everybody=0),
    generic_type="generic.modbus-rtu",
    fields=FIELDS,
    new_exchange_fields=NEW_FIELDS,
    new_exchange=new_exchange,
    layout=layout,
    timing=timing,
    frames=frames,
    reference_title="From reference",
    columns=COLUMNS,
    parts=(),
    checks=(*MODBUS_CHECKS, *CHECKS),
    mends=MENDS,
    live=LIVE,
    explain=explain,
    route=route,
    watches=WATCHES,
    map=MAP,
    claims=claims,
)
