"""House: what the three controllers tell one another, asked by HALL; the kiln's air in quick packets besides."""

from __future__ import annotations

from typing import Any

from highmoor.core.demo.builder import Builder
from highmoor.core.plant.rows import Controller, Exchange, Network, Port, Signal
from highmoor.core.project import edits

_TENTHS = {"raw_lo": 0, "raw_hi": 1000, "lo": 0, "hi": 100, "raw_type": "INT"}


def add_house(build: Builder) -> None:
    """HALL tells both the batch and its permits, and reads temperatures and permits of theirs."""
    hall = build.find(Controller, name="HALL")
    port = build.find(Port, device=hall.id, key="A")
    steps: list[Any] = [edits.AddNetwork(fieldbus="modbus-tcp", port=port.id, name="House", tag="$n")]
    for name, place in (("STEEP", "Steep house"), ("KILN", "Kiln")):
        partner = build.find(Controller, name=name)
        tag = name.lower()
        steps += [
            edits.AddStation(network="$n", partner=partner.id, tag=f"${tag}", connection_tag=f"${tag}k"),
            edits.SetFields(ids=[f"${tag}"], values={"location": place, "settings.reply_ms": 2}),
            edits.AddExchange(
                connection=f"${tag}k", name=f"From {name}",
                settings={"function": 3, "address": 100, "count": 6, "period_ms": 200, "timeout_ms": 150},
            ),
            edits.AddExchange(
                connection=f"${tag}k", name=f"To {name}",
                settings={"function": 16, "address": 200, "count": 4, "period_ms": 500, "timeout_ms": 150},
            ),
        ]  # fmt: skip
    build.do(edits.Batch(edits=steps))
    alive = edits.AddWatch(
        connection=_connection(build, "STEEP"), watch="beat", write="@300", read="@300", period_ms=1000
    )
    build.do(alive)
    _quick_air(build)
    _told(build, "STEEP", [("SteepWater", "r0", "REAL", "°C", _TENTHS), ("SteepEmpty", "r1.0", "BOOL", "", None)])
    _told(build, "KILN", [("KilnAir", "r0", "REAL", "°C", _TENTHS), ("KilnReady", "r1.0", "BOOL", "", None)])


def _connection(build: Builder, partner: str) -> str:
    exchange: Exchange = build.find(Exchange, name=f"From {partner}")
    return exchange.connection


def _quick_air(build: Builder) -> None:
    """Over EtherNet/IP, for the fan that follows it."""
    kiln, hall = (build.find(Controller, name=name).id for name in ("KILN", "HALL"))
    name = "Air of the kiln"
    build.do(
        edits.AddTransfer(
            source=kiln, destination=hall, fieldbus="ethernet-ip", octets=4, interval_ms=50, name=name,
        )
    )  # fmt: skip
    network = build.find(Network, name="HALL and others")
    build.do(edits.SetFields(ids=[network.id], values={"name": "Quick air"}))
    place = build.find(Exchange, name=name).id
    for owner, signal, key in (("KILN", "KilnAirNow", "fo0"), ("HALL", "AirOfKiln", "o0")):
        build.run(owner, signal, 1, place, key, type="REAL", unit="°C", scaling=dict(_TENTHS))


def _told(build: Builder, partner: str, read: list[tuple[str, str, str, str, Any]]) -> None:
    """The same value under a name of its own at each end: what is read, and the batch and the permit that are told."""
    from_, to = (build.find(Exchange, name=f"{way} {partner}").id for way in ("From", "To"))
    for name, key, kind, unit, scaling in read:
        build.run(partner, f"{name}Out", 1, from_, f"f{key}", type=kind, unit=unit, scaling=scaling)
        build.run("HALL", name, 1, from_, key, type=kind, unit=unit, scaling=scaling)
    batch = build.find(Signal, name="BatchNumber")
    build.do(edits.LinkSignal(signal=batch.id, place=to, key="r0", also=True))
    build.run(partner, "BatchOfHall", 1, to, "fr0", type="UDINT")
    build.run("HALL", f"{partner.capitalize()}Permit", 1, to, "r2.0", type="BOOL")
    build.run(partner, "PermitOfHall", 1, to, "fr2.0", type="BOOL")
