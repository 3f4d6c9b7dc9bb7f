"""Hall cell: the germination hall's EtherNet/IP network on HALL's first port."""

from __future__ import annotations

from typing import Any

from highmoor.core.demo.builder import Builder
from highmoor.core.demo.on_ports import add_bed_sensors
from highmoor.core.plant.rows import Connection, Controller, Exchange, Network, Port, Station
from highmoor.core.project import edits

# What the files say, for a catalogue that has not read them: points, octets and header of both ways.
_BY_HAND: dict[str, dict[str, dict[str, Any]]] = {
    "cv7.eds": {"in": {"point": 101, "octets": 8}, "out": {"point": 100, "octets": 4}},
    "pm8.eds": {"in": {"point": 101, "octets": 290}, "out": {"point": 102, "octets": 42}},
    "ws3.eds": {"in": {"point": 100, "octets": 8}, "out": {"point": 101, "octets": 2}},
}
_PERCENT = {"raw_lo": -10000, "raw_hi": 10000, "lo": -100, "hi": 100, "raw_type": "INT"}
_HUNDREDTHS = {"raw_lo": 0, "raw_hi": 10000, "lo": 0, "hi": 100, "raw_type": "UINT"}


def add_hall_cell(build: Builder) -> None:
    """Two gallery fan drives, the beds' IO-Link master, a weigh head without a file, the aisle's area scanner."""
    hall = build.find(Controller, name="HALL")
    port = build.find(Port, device=hall.id, key="A")
    made = build.do(edits.AddNetwork(fieldbus="ethernet-ip", port=port.id, name="Hall cell", tag="$n"))
    build.do(edits.SetFields(ids=[made["$n"]], values={"settings.numbering": "20 + n"}))
    for n in (1, 2):
        _station(build, f"Gallery fan {n}", "cv7.eds", f"10.20.4.{20 + n}", f"=GF{n}", "Turner gallery")
    _station(build, "Bed sensors", "pm8.eds", "10.20.4.30", "=BS1", "Germination hall, column C4")
    _station(build, "Weigh head", "", "10.20.4.40", "=WH1", "Bin outlet")
    _station(build, "Aisle scanner", "ws3.eds", "10.20.4.50", "=AS1", "Turner aisle, north end")
    _cables(build)
    _weigh_head(build)
    _ramp_request(build)
    _signals(build)


def _station(build: Builder, name: str, file: str, address: str, designation: str, location: str) -> None:
    network = build.find(Network, name="Hall cell").id
    build.do(
        edits.Batch(
            edits=[
                edits.AddStation(
                    network=network, type=build.types.get(file), name=name, address=address, tag="$s"
                ),
                edits.SetFields(ids=["$s"], values={"designation": designation, "location": location}),
            ]
        )
    )  # fmt: skip
    if file not in build.types:
        for direction, settings in _BY_HAND.get(file, {}).items():
            values = {f"settings.{key}": value for key, value in settings.items()}
            build.do(edits.SetFields(ids=[_way(build, name, direction)], values=values))


def _cables(build: Builder) -> None:
    """A star off one switch; the weigh head hangs behind the sensors' master, which has two sockets."""
    network = build.find(Network, name="Hall cell").id
    names = ("Gallery fan 1", "Gallery fan 2", "Bed sensors", "Aisle scanner")
    star = [build.find(Station, name=name).id for name in names]
    put = edits.AddStation(network=network, type="tarnfell.es-8", name="Hall switch", tag="$w")
    switch = build.do(
        edits.Batch(
            edits=[
                put,
                edits.SetFields(ids=["$w"], values={"designation": "=SW1", "location": "Cabinet +H1"}),
                edits.SetFields(ids=star, values={"upstream": "$w"}),
            ]
        )
    )["$w"]
    build.do(edits.MoveStations(ids=[switch], before=star[0]))
    lengths = {"Hall switch": 3, "Gallery fan 1": 62, "Gallery fan 2": 71, "Bed sensors": 38, "Aisle scanner": 54}
    for name, metres in lengths.items():
        build.do(edits.SetFields(ids=[build.find(Station, name=name).id], values={"settings.length_m": metres}))
    behind = {"upstream": star[2], "settings.length_m": 12}
    build.do(edits.SetFields(ids=[build.find(Station, name="Weigh head").id], values=behind))


def _way(build: Builder, station: str, direction: str) -> str:
    """The exchange of a station's first connection in one direction."""
    connection = build.plant.children(Connection, build.find(Station, name=station).id)[0]
    exchange: Exchange = build.find(Exchange, connection=connection.id, direction=direction)
    return exchange.id


def _weigh_head(build: Builder) -> None:
    """By hand from its manual; that it wants the 4-octet header stands on another page of it."""
    into = {"settings.point": 100, "settings.octets": 6, "settings.rpi_ms": 50}
    out = {"settings.point": 150, "settings.octets": 2, "settings.rpi_ms": 100, "settings.header": False}
    build.do(edits.SetFields(ids=[_way(build, "Weigh head", "in")], values=into))
    build.do(edits.SetFields(ids=[_way(build, "Weigh head", "out")], values=out))


def _ramp_request(build: Builder) -> None:
    """The first fan's acceleration time, asked every five seconds."""
    fan = build.find(Station, name="Gallery fan 1").id
    tags = build.do(edits.AddConnection(station=fan, connection="request", tag="$k"))
    asked = {"settings.class": 15, "settings.instance": 7, "settings.attribute": 1}
    build.do(
        edits.SetFields(ids=[tags["$k"]], values={**asked, "settings.trigger": "period", "settings.period_ms": 5000})
    )
    answer = build.find(Exchange, connection=tags["$k"]).id
    build.do(edits.SetFields(ids=[answer], values={"name": "Ramp", "settings.octets": 2}))
    build.run("HALL", "GalleryFan1Ramp", 1, answer, "o0", type="REAL", unit="s",
              scaling={"raw_lo": 0, "raw_hi": 6000, "lo": 0, "hi": 600, "raw_type": "UINT"})  # fmt: skip


def _signals(build: Builder) -> None:
    for n in (1, 2):
        fan = f"Gallery fan {n}"
        into, out = _way(build, fan, "in"), _way(build, fan, "out")
        build.run("HALL", f"GalleryFan{n}Running", 1, into, "o0.1", type="BOOL")
        build.run("HALL", f"GalleryFan{n}Fault", 1, into, "o0.2", type="BOOL")
        build.run("HALL", f"GalleryFan{n}Speed", 1, into, "o2", type="REAL", unit="%", scaling=_PERCENT)
        build.run("HALL", f"GalleryFan{n}Current", 1, into, "o4", type="REAL", unit="A", scaling=_HUNDREDTHS)
        build.run("HALL", f"GalleryFan{n}FaultCode", 1, into, "o6", type="USINT")
        build.run("HALL", f"GalleryFan{n}Good", 1, into, "status", type="BOOL")
        build.run("HALL", f"GalleryFan{n}Start", 1, out, "o0.0", type="BOOL")
        build.run("HALL", f"GalleryFan{n}Reset", 1, out, "o0.2", type="BOOL")
        build.run("HALL", f"GalleryFan{n}Setpoint", 1, out, "o2", type="REAL", unit="%",
                  scaling={**_PERCENT, "clamp": True})  # fmt: skip
    add_bed_sensors(build)
    weigh_in, weigh_out = _way(build, "Weigh head", "in"), _way(build, "Weigh head", "out")
    build.run("HALL", "BinWeight", 1, weigh_in, "o0", type="UDINT", unit="g")
    build.run("HALL", "BinSteady", 1, weigh_in, "o4.0", type="BOOL")
    build.run("HALL", "BinFull", 1, weigh_in, "o4.1", type="BOOL")
    build.run("HALL", "WeighHeadGood", 1, weigh_in, "status", type="BOOL")
    build.run("HALL", "BinZero", 1, weigh_out, "o0.0", type="BOOL")
    build.run("HALL", "BinFill", 1, weigh_out, "o0.1", type="BOOL")
    aisle = _way(build, "Aisle scanner", "in")
    build.run("HALL", "AisleOutput{n}", 2, aisle, "o0.0", type="BOOL")
    build.run("HALL", "AisleWarningClear", 1, aisle, "o0.2", type="BOOL")
    build.run("HALL", "AisleSituation", 1, aisle, "o2", type="USINT")
    build.run("HALL", "AisleNearest", 1, aisle, "o4", type="UINT", unit="mm")
