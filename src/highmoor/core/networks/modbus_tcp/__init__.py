"""Modbus TCP. Source: Modbus Messaging on TCP/IP Implementation Guide 1.0b."""

from __future__ import annotations

from highmoor.core.catalogue.media import ETHERNET
from highmoor.core.networks.addressing import IPV4
from highmoor.core.networks.fieldbus import Fieldbus, Transfers
from highmoor.core.networks.modbus.claims import claims
from highmoor.core.networks.modbus.every_check import CHECKS
from highmoor.core.networks.modbus.explain import explain
from highmoor.core.networks.modbus.layout import layout
from highmoor.core.networks.modbus.maps import MAP
from highmoor.core.networks.modbus.rail import PARTS as RAIL_PARTS
from highmoor.core.networks.modbus.rail import lay
from highmoor.core.networks.modbus.rail_data import UNIT_OCTETS
from highmoor.core.networks.modbus.remedies import MENDS
from highmoor.core.networks.modbus.settings import NEW_EXCHANGE_FIELDS, new_exchange
from highmoor.core.networks.modbus.transfers import transfer
from highmoor.core.networks.modbus.watches import WATCHES
from highmoor.core.networks.modbus_tcp.live import LIVE
from highmoor.core.networks.modbus_tcp.settings import FIELDS
from highmoor.core.networks.modbus_tcp.timing import COLUMNS, frames, timing

FIELDBUS = Fieldbus(
    key="modbus-tcp",
    name="Modbus TCP",
    standard="Modbus Messaging on TCP/IP 1.0b",
    medium=ETHERNET,
    addresses=IPV4,
    generic_type="generic.modbus-tcp",
    fields=FIELDS,
    new_exchange_fields=NEW_EXCHANGE_FIELDS,
    new_exchange=new_exchange,
    layout=layout,
    timing=timing,
    frames=frames,
    reference_title="From reference",
    columns=COLUMNS,
    parts=RAIL_PARTS,
    checks=CHECKS,
    mends=MENDS,
    live=LIVE,
    explain=explain,
    lay=lay,
    unit_octets=UNIT_OCTETS,
    transfers=Transfers("From reference", transfer),
    watches=WATCHES,
    map=MAP,
    connections_at_most=lambda facts: facts.modbus_tcp_connections,
    claims=claims,
)
