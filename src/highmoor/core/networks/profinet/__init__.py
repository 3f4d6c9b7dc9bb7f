"""PROFINET IO, real time class 1. Source: IEC 61158-5-10, -6-10, IEC 61784-2; files: GSDML specification."""

from __future__ import annotations

from highmoor.core.catalogue.media import ETHERNET
from highmoor.core.networks.addressing import IPV4
from highmoor.core.networks.fieldbus import Fieldbus
from highmoor.core.networks.profinet.checks import CHECKS
from highmoor.core.networks.profinet.explain import explain
from highmoor.core.networks.profinet.fields import FIELDS
from highmoor.core.networks.profinet.layout import lay, layout
from highmoor.core.networks.profinet.live import LIVE
from highmoor.core.networks.profinet.offers import apart, new_connection, new_exchange
from highmoor.core.networks.profinet.overview import PARTS
from highmoor.core.networks.profinet.parameters import PARTS as OCTET_PARTS
from highmoor.core.networks.profinet.remedies import MENDS
from highmoor.core.networks.profinet.settings import KIND, LineSettings
from highmoor.core.networks.profinet.startup import startup
from highmoor.core.networks.profinet.timing import COLUMNS, frames, timing
from highmoor.core.plant.rows import Network


def _handed_out(network: Network) -> tuple[str, str]:
    own = LineSettings.of(network)
    return own.first, own.last


FIELDBUS = Fieldbus(
    key=KIND,
    drive_profiles=("profidrive-9", "profidrive-1"),
    name="PROFINET IO",
    standard="IEC 61158 type 10",
    medium=ETHERNET,
    addresses=IPV4,
    generic_type="generic.profinet",
    fields=FIELDS,
    new_exchange_fields=(),
    new_exchange=new_exchange,
    layout=layout,
    timing=timing,
    frames=frames,
    reference_title="Of",
    columns=COLUMNS,
    parts=(*PARTS, *OCTET_PARTS),
    checks=CHECKS,
    mends=MENDS,
    interval_field="settings.update_ms",
    interval_on="station",
    live=LIVE,
    explain=explain,
    lay=lay,
    beside=True,
    with_modules=True,
    new_connection=new_connection,
    comes_with=lambda _: True,
    startup=startup,
    apart=apart,
    handed_out=_handed_out,
    connections_at_most=lambda types: types.profinet_stations or None,
)
