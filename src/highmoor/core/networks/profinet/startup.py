"""What is written in a station before its data counts: the records of its submodules, in their order.

Source: IEC 61158-6-10, 4.10 (records), between the connect and the end of parameters.
"""

from __future__ import annotations

from typing import Literal

from highmoor.core.networks.fieldbus import StartupWrite
from highmoor.core.networks.line import Line
from highmoor.core.networks.profinet.settings import io_device
from highmoor.core.networks.profinet.submodules import record_octets
from highmoor.core.plant.rows import Network


def startup(_: Network, line: Line) -> tuple[StartupWrite, ...]:
    """Each record."""
    found = []
    for sub in io_device(line).submodules:
        for record, octets in sub.records:
            usual = record_octets(sub.subslot, record, {})
            source: Literal["file", "setting"] = "file" if octets == usual else "setting"
            found.append(
                StartupWrite(
                    "at connecting", f"slot {sub.slot}.{sub.subslot}, record {record.number}", octets, source,
                    record.label, sub.row,
                )
            )  # fmt: skip
    return tuple(found)
