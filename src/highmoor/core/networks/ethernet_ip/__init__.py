"""EtherNet/IP. Source: CIP Networks Library, volume 1 (common industrial protocol) and volume 2 (on Ethernet)."""

from __future__ import annotations

from highmoor.core.catalogue.media import ETHERNET
from highmoor.core.networks.addressing import IPV4
from highmoor.core.networks.ethernet_ip.agreed import PARTS as AGREED
from highmoor.core.networks.ethernet_ip.checks import CHECKS
from highmoor.core.networks.ethernet_ip.claims import claims
from highmoor.core.networks.ethernet_ip.explain import explain
from highmoor.core.networks.ethernet_ip.facts import facts
from highmoor.core.networks.ethernet_ip.fields import FIELDS
from highmoor.core.networks.ethernet_ip.frames import frames
from highmoor.core.networks.ethernet_ip.layout import layout
from highmoor.core.networks.ethernet_ip.live import LIVE
from highmoor.core.networks.ethernet_ip.load import KIND, PARTS
from highmoor.core.networks.ethernet_ip.offers import apart, connection_kinds, new_connection, new_exchange, offers
from highmoor.core.networks.ethernet_ip.remedies import MENDS
from highmoor.core.networks.ethernet_ip.request_checks import CHECKS as REQUEST_CHECKS
from highmoor.core.networks.ethernet_ip.startup import startup
from highmoor.core.networks.ethernet_ip.timing import COLUMNS, timing
from highmoor.core.networks.ethernet_ip.transfers import transfer
from highmoor.core.networks.fieldbus import Fieldbus, Transfers
from highmoor.core.networks.on_demand import is_request

FIELDBUS = Fieldbus(
    key=KIND,
    drive_profiles=("words", "cip-20-70"),
    name="EtherNet/IP",
    standard="CIP volumes 1 and 2",
    medium=ETHERNET,
    addresses=IPV4,
    generic_type="generic.ethernet-ip",
    fields=FIELDS,
    new_exchange_fields=(),
    new_exchange=new_exchange,
    layout=layout,
    timing=timing,
    frames=frames,
    columns=COLUMNS,
    parts=(*PARTS, *AGREED),
    checks=(*CHECKS, *REQUEST_CHECKS),
    mends=MENDS,
    interval_field="settings.rpi_ms",
    live=LIVE,
    explain=explain,
    connection_kinds=connection_kinds,
    new_connection=new_connection,
    facts=facts,
    startup=startup,
    offers=offers,
    apart=apart,
    counted=lambda connection: not is_request(connection),
    transfers=Transfers("Connection point", transfer),
    connections_at_most=lambda types: types.cip_connections or None,
    claims=claims,
)
