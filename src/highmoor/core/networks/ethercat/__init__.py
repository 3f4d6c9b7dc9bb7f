"""EtherCAT. Source: IEC 61158 type 12 (ETG.1000), ETG.2000 (device description), ETG.5001 (devices with slots)."""

from __future__ import annotations

from highmoor.core.catalogue.media import ETHERCAT
from highmoor.core.networks.addressing import Positions
from highmoor.core.networks.ethercat.checks import CHECKS
from highmoor.core.networks.ethercat.edits import EDITS
from highmoor.core.networks.ethercat.explain import explain
from highmoor.core.networks.ethercat.fields import FIELDS
from highmoor.core.networks.ethercat.frames import frames
from highmoor.core.networks.ethercat.layout import lay, layout
from highmoor.core.networks.ethercat.live import LIVE
from highmoor.core.networks.ethercat.objects import PARTS as OBJECT_PARTS
from highmoor.core.networks.ethercat.offers import apart, connection_kinds, new_connection, new_exchange
from highmoor.core.networks.ethercat.process_data import PARTS as DATA_PARTS
from highmoor.core.networks.ethercat.remedies import MENDS
from highmoor.core.networks.ethercat.requests import request_facts
from highmoor.core.networks.ethercat.ruler import PARTS
from highmoor.core.networks.ethercat.settings import KIND, answers
from highmoor.core.networks.ethercat.startup import startup
from highmoor.core.networks.ethercat.timing import COLUMNS, timing
from highmoor.core.networks.fieldbus import Fieldbus
from highmoor.core.networks.on_demand import is_request

FIELDBUS = Fieldbus(
    key=KIND,
    drive_profiles=("cia402", "cia402"),
    name="EtherCAT",
    standard="IEC 61158 type 12",
    medium=ETHERCAT,
    addresses=Positions("Position"),
    generic_type="generic.ethercat",
    fields=FIELDS,
    new_exchange_fields=(),
    new_exchange=new_exchange,
    layout=layout,
    timing=timing,
    frames=frames,
    reference_title="Of",
    columns=COLUMNS,
    parts=(*PARTS, *OBJECT_PARTS, *DATA_PARTS),
    checks=CHECKS,
    mends=MENDS,
    interval_field="settings.cycle_ms",
    interval_on="network",
    live=LIVE,
    explain=explain,
    lay=lay,
    with_modules=True,
    counts=answers,
    connection_kinds=connection_kinds,
    new_connection=new_connection,
    facts=lambda line: request_facts(line) if is_request(line.connection) else (),
    comes_with=lambda connection: not is_request(connection),
    counted=lambda connection: not is_request(connection),
    startup=startup,
    apart=apart,
    edits=EDITS,
)
