"""Acyclic requests of the program: a record of a station read or written, by slot and index.

Source: IEC 61158-6-3, DP-V1, services of class 1 (MSAC1). One reads where its exchange goes in, and writes where it
goes out.
"""

from __future__ import annotations

from dataclasses import dataclass

from highmoor.core.networks.fieldbus import Fact
from highmoor.core.networks.line import Line
from highmoor.core.networks.on_demand import OnDemand, on_demand
from highmoor.core.networks.profibus_dp.settings import DpStation, dp_station, whole_in
from highmoor.core.networks.profibus_dp.telegrams import ACYCLIC_OCTETS_AT_MOST
from highmoor.core.numbers import shown

OCTETS_USUAL = 4


@dataclass(frozen=True, slots=True)
class Request(OnDemand):
    """A request as it is asked: of which slot (0: the station itself), for which index (None: not said yet)."""

    slot: int
    index: int | None
    octets: int
    station: DpStation

    @property
    def writes(self) -> bool:
        """Whether it writes."""
        return not self.answer


def request_of(line: Line) -> Request:
    """The request a connection stands for, with defaults filled in."""
    return line.once(_request)


def _request(line: Line) -> Request:
    own, wanted = line.connection.settings, on_demand(line)
    index = whole_in(own, "index", None)
    typed = next((whole_in(x.settings, "octets", None) for x in line.exchanges if x.id == wanted.leads), None)
    octets = OCTETS_USUAL if typed is None else min(max(typed, 0), ACYCLIC_OCTETS_AT_MOST)
    return Request(
        wanted.trigger, wanted.period_ms, wanted.timeout_ms, wanted.send, wanted.answer,
        whole_in(own, "slot", 0) or 0, index, octets, dp_station(line),
    )  # fmt: skip


def record_text(request: Request) -> str:
    """The record as people write it."""
    index = "no index yet" if request.index is None else f"index {request.index}"
    return f"slot {request.slot}, {index}"


def problem(request: Request) -> tuple[str, str]:
    """Why nothing would come of it, behind the setting that says so; both "" where nothing speaks against it."""
    station = request.station
    if station.device is not None and station.device.modules and station.fact("c1_read_write_supp") != 1:
        return "slot", "its file says that it takes no acyclic requests (C1_Read_Write_supp)"
    if request.index is None:
        return "index", "nobody has said for which index"
    most = station.fact("c1_max_data_len")
    if isinstance(most, int) and request.octets > most:
        return "octets", f"its file allows {most} octets (C1_Max_Data_Len), {request.octets} are set"
    if not request.octets:
        return "octets", "no octets are written" if request.writes else "there is no room for the answer"
    return "", ""


def request_facts(line: Line) -> tuple[Fact, ...]:
    """What is asked of whom."""
    request = request_of(line)
    return (
        Fact("Writes" if request.writes else "Reads", record_text(request), f"{request.octets} octets at most"),
        Fact("Gives up after", f"{shown(request.timeout_ms)} ms", "between two cycles, one telegram each"),
    )
