"""What is written in a device of EtherNet/IP when a connection is opened: its configuration assembly.

It travels in the request itself, as the data segment at the end of its path (CIP volume 1, 3-5.5.1.10 and C-1.4.5.2).
"""

from __future__ import annotations

from highmoor.core.networks.ethernet_ip.settings import agreement
from highmoor.core.networks.fieldbus import StartupWrite
from highmoor.core.networks.line import Line
from highmoor.core.networks.on_demand import is_request
from highmoor.core.plant.rows import Network


def startup(_: Network, line: Line) -> tuple[StartupWrite, ...]:
    """One write, where there is anything to be configured."""
    told = None if is_request(line.connection) else agreement(line)
    if told is None or not told.configuration:
        return ()
    own = line.connection.settings
    typed = bool(own.get("config_data"))
    changed = sum(value is not None for value in (own.get("parameters") or {}).values())
    reason = (
        "octets typed by hand" if typed
        else f"its parameters, {changed} of them set here" if changed else "its parameters as its file has them"
    )  # fmt: skip
    return (
        StartupWrite(
            "with the request that opens the connection", f"assembly {told.config_point}", told.configuration,
            "own" if typed else "setting" if changed else "file", reason,
        ),
    )  # fmt: skip
