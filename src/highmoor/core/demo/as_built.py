"""Skelder Maltings as built: what stands there and how it is wired."""

from __future__ import annotations

from collections.abc import Mapping

from highmoor.core.bench.as_built import AsBuilt, BuiltDevice, BuiltLine, BuiltModule, BuiltProcess
from highmoor.core.networks.ethernet_ip.adapter_facts import AdapterFacts, AdapterPoint


def _tank(n: int) -> BuiltProcess:
    return BuiltProcess(
        model="tank",
        controller="HALL",
        wires={
            "level": f"-K4:ch{n}",
            "temperature": f"-K5:ch{n}",
            "full": f"-K1:ch{n}",
            "fill": f"-K3:ch{n}",
            "drain": f"-K3:ch{4 + n}",
        },
        settings={"level_m": (1.42, 0.61, 2.2, 2.9)[n]},
    )


def _bed(n: int) -> BuiltProcess:
    damper = {"damper": f"-K6:ch{n}"} if n < 3 else {}
    return BuiltProcess(
        model="bed",
        controller="HALL",
        wires={"co2": f"-K4:ch{4 + n}", **damper},
        settings={"co2_percent": (0.88, 1.4, 1.15, 0.7)[n]},
    )


def _held(controller: str, values: Mapping[str, float]) -> BuiltProcess:
    wires = {f"w{n}": place for n, place in enumerate(values)}
    return BuiltProcess(
        model="held",
        controller=controller,
        wires=wires,
        settings={f"w{n}": value for n, value in enumerate(values.values())},
    )


def _fan_drive(address: str) -> BuiltDevice:
    """A CV-7 as it stands in the gallery."""
    # 10 s up, 20 s down, ramp down on loss of command; 11.2 A on the plate, 1460 1/min, 4 kHz.
    kept = {7: "6400", 8: "C800", 9: "01", 10: "6004", 11: "B405", 12: "01"}
    ramps = {f"20 0F 24 {n:02X} 30 01": value for n, value in kept.items()}
    facts = AdapterFacts(
        vendor=64209, device_type=2, product=75, revision="3.1", name="CV-7 fan drive",
        points=(
            AdapterPoint(100, "out", 4, header=True), AdapterPoint(101, "in", 8),
            AdapterPoint(193, "out", role="input only"),
        ),
        config_point=102, config_octets=7, rpi_least_ms=5, attributes=ramps,
    )  # fmt: skip
    return BuiltDevice(address=address, adapter=facts, model="fan drive", reply_ms=3)


def _hall_cell() -> list[BuiltDevice]:
    sensors = AdapterFacts(
        vendor=64211, device_type=12, product=408, revision="1.2", name="PM-8 IO-Link master",
        points=(
            AdapterPoint(102, "out", 42, header=True), AdapterPoint(101, "in", 290),
            AdapterPoint(193, "out", role="input only"), AdapterPoint(194, "out", role="listen only"),
        ),
        config_point=103, config_octets=9, connections=5, rpi_least_ms=10,
    )  # fmt: skip
    # The weigh head wants the 4-octet header that the configuration leaves out.
    weigh_head = AdapterFacts(
        vendor=64300, device_type=43, product=7, revision="1.4", name="Weigh head",
        points=(AdapterPoint(150, "out", 2, header=True), AdapterPoint(100, "in", 6)), connections=2, rpi_least_ms=10,
    )  # fmt: skip
    # The scanner was delivered one minor revision older than its file.
    scanner = AdapterFacts(
        vendor=64212, device_type=43, product=31, revision="2.3", name="WS-3 area scanner",
        points=(
            AdapterPoint(101, "out", 2, header=True), AdapterPoint(100, "in", 8),
            AdapterPoint(254, "out", role="input only"),
        ),
        config_point=102, connections=2, rpi_least_ms=20,
    )  # fmt: skip
    return [
        _fan_drive("10.20.4.21"),
        # Somebody gave the second fan drive the address of a spare.
        _fan_drive("10.20.4.59"),
        BuiltDevice(address="10.20.4.30", adapter=sensors, model="io-link master", reply_ms=4),
        BuiltDevice(address="10.20.4.40", adapter=weigh_head, model="weigh head", reply_ms=12),
        BuiltDevice(address="10.20.4.50", adapter=scanner, model="area scanner", reply_ms=5),
    ]


AS_BUILT = AsBuilt(
    seed=42,
    lines=[BuiltLine(port="KILN S")],
    devices=[
        BuiltDevice(address="1", line="KILN S", model="burner", reply_ms=5),
        *(
            BuiltDevice(
                address=str(10 + n),
                line="KILN S",
                model="moisture",
                reply_ms=5,
                # Somebody set the third to 9600 bit/s: the configuration does not know.
                set_to={"baud": 9600} if n == 3 else {},
                terminated=n == 4,
                settings={"moisture": 11.5 + n / 2},
            )
            for n in range(1, 5)
        ),
        *_hall_cell(),
        BuiltDevice(address="10.20.9.20", model="humidifier", reply_ms=8),
        BuiltDevice(address="10.20.9.21", model="compressor", reply_ms=6),
        BuiltDevice(
            address="10.20.9.22",
            type="tarnfell.tc-16",
            reply_ms=4,
            rail=[
                BuiltModule(type="tarnfell.di-16", designation="-K1W"),
                BuiltModule(type="tarnfell.ai-8", designation="-K2W"),
                BuiltModule(type="tarnfell.do-8n", designation="-K3W"),
            ],
        ),
    ],
    processes=[
        *(_tank(n) for n in range(4)),
        *(_bed(n) for n in range(4)),
        BuiltProcess(
            model="tank",
            controller="HALL",
            wires={"level": "-K2W:ch0", "full": "-K1W:ch2", "fill": "-K3W:ch0"},
            settings={"level_m": 2.1},
        ),
        _held("HALL", {"-K1W:ch0": 1, "-K2W:ch1": 11.84}),
        _held("HALL", {f"-K1:ch{n}": 1 for n in range(4, 12)} | {f"-K7:ch{n}": 1 for n in range(8)}),
        _held(
            "STEEP",
            {"-K1S:ch0": 1, "-K1S:ch3": 1, "-K3S:ch0": 11.2, "-K3S:ch1": 4, "-K3S:ch2": 9.6, "-K3S:ch3": 4}
            | {"-K4S:ch0": 13.8, "-K4S:ch1": 14.1},
        ),
        _held(
            "KILN",
            {"-K1N:ch0": 1, "-K1N:ch1": 1, "-K3N:ch0": 12.4, "-K3N:ch1": 5.9}
            | {"-K4N:ch0": 82.5, "-K4N:ch1": 81.9, "-K4N:ch2": 41.2, "-K4N:ch3": 40.8},
        ),
    ],
)
