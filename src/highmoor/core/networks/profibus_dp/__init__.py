"""PROFIBUS DP. Source: IEC 61158 type 3 (-4-3 data link, -6-3 application), IEC 61784-1; files: GSD specification."""

from __future__ import annotations

from highmoor.core.catalogue.media import PROFIBUS
from highmoor.core.networks.addressing import Numbers
from highmoor.core.networks.fieldbus import Fieldbus
from highmoor.core.networks.on_demand import is_request
from highmoor.core.networks.profibus_dp.checks import CHECKS
from highmoor.core.networks.profibus_dp.explain import explain
from highmoor.core.networks.profibus_dp.fields import FIELDS
from highmoor.core.networks.profibus_dp.layout import lay, layout
from highmoor.core.networks.profibus_dp.live import LIVE
from highmoor.core.networks.profibus_dp.offers import apart, connection_kinds, new_connection, new_exchange
from highmoor.core.networks.profibus_dp.parameters import PARTS as OCTET_PARTS
from highmoor.core.networks.profibus_dp.remedies import MENDS
from highmoor.core.networks.profibus_dp.requests import request_facts
from highmoor.core.networks.profibus_dp.settings import DELIVERY_ADDRESS, KIND, LineSettings
from highmoor.core.networks.profibus_dp.startup import startup
from highmoor.core.networks.profibus_dp.strip import PARTS
from highmoor.core.networks.profibus_dp.timing import COLUMNS, frames, timing

FIELDBUS = Fieldbus(
    key=KIND,
    drive_profiles=("profidrive-9", "profidrive-1"),
    name="PROFIBUS DP",
    standard="IEC 61158 type 3",
    medium=PROFIBUS,
    addresses=Numbers(
        0, DELIVERY_ADDRESS, "Address", "126 is the address of delivery, 127 is everybody", first=3,
        given_to=DELIVERY_ADDRESS - 1,
    ),
    generic_type="generic.profibus-dp",
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
    interval_field="settings.cycle_ms",
    interval_on="network",
    live=LIVE,
    explain=explain,
    lay=lay,
    with_modules=True,
    connection_kinds=connection_kinds,
    new_connection=new_connection,
    facts=lambda line: request_facts(line) if is_request(line.connection) else (),
    comes_with=lambda connection: not is_request(connection),
    counted=lambda connection: not is_request(connection),
    startup=startup,
    own_address=lambda network: str(LineSettings.of(network).master),
    apart=apart,
)  # fmt: skip
