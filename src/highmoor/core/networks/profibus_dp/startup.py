"""What is written in a station before its data counts: its parameters, and the configuration that it checks.

Source: IEC 61158-6-3: Set_Prm and Chk_Cfg, behind a first diagnosis and before a second.
"""

from __future__ import annotations

from typing import Literal

from highmoor.core.networks.fieldbus import StartupWrite
from highmoor.core.networks.line import Line
from highmoor.core.networks.on_demand import is_request
from highmoor.core.networks.profibus_dp.bus import bus_of
from highmoor.core.networks.profibus_dp.settings import DpStation, dp_station
from highmoor.core.networks.profibus_dp.telegrams import set_prm
from highmoor.core.plant.rows import Network


def prm_of(station: DpStation, min_tsdr: int) -> bytes:
    """The data of its Set_Prm."""
    own = station.own
    return set_prm(
        station.ident, station.watchdog, min_tsdr, own.group, station.user_prm, sync=own.sync, freeze=own.freeze
    )


def startup(network: Network, line: Line) -> tuple[StartupWrite, ...]:
    """Both telegrams' data."""
    if is_request(line.connection):
        return ()
    station = dp_station(line)
    modules = [m.type.called if m.type else "as typed" for m in station.modules]
    source: Literal["own", "setting"] = "own" if station.device is None or not station.device.modules else "setting"
    return (
        StartupWrite(
            "first", "Set_Prm", prm_of(station, bus_of(network, (line,)).min_tsdr), source,
            f"watchdog, ident number, {len(station.user_prm)} octets of its own and its modules'",
        ),
        StartupWrite("then", "Chk_Cfg", station.configuration, source, ", ".join(modules) or "no modules"),
    )  # fmt: skip
