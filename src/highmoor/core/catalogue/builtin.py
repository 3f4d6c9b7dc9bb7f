"""The built-in types: the invented maker Tarnfell Automation's controllers and modules, and generic devices."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

from highmoor.core.catalogue.safety import SafetyFacts
from highmoor.core.catalogue.types import (
    AnalogueRange,
    Catalogue,
    Channels,
    ControllerFacts,
    DeviceType,
    Dial,
    ModulesTold,
    NetworkPort,
    OutputGroup,
    Parameter,
    PulsePair,
    RepeaterFacts,
    Slots,
    SwitchFacts,
    Wiring,
)
from highmoor.core.datatypes import SAFE_TYPE
from highmoor.core.figures.profibus_cycle import RATES

TARNFELL = "Tarnfell Automation"
TARNFELL_ID = 0xFAD0
# What the serial ports can, bit/s.
BAUDS = (1200, 2400, 4800, 9600, 19200, 38400, 57600, 115200)

_FILTER = Parameter(
    "filter_ms",
    "Input filter",
    3,
    choices=((0.1, "0.1 ms"), (1, "1 ms"), (3, "3 ms"), (10, "10 ms")),
    unit="ms",
    hint="Longer rejects contact bounce, shorter sees shorter events.",
)
_ON_LOSS = Parameter(
    "on_loss",
    "On loss of controller",
    "off",
    choices=(("off", "switch off"), ("hold", "hold last")),
)
_ON_LOSS_ANALOGUE = Parameter(
    "on_loss",
    "On loss of controller",
    "hold",
    choices=(("off", "go to low end"), ("hold", "hold last")),
)
_FUSE = Parameter(
    "fuse_a",
    "Fuse",
    10,
    choices=((2, "2 A"), (4, "4 A"), (6.3, "6.3 A"), (10, "10 A")),
    unit="A",
    hint="The fuse in front of this feed-in; the group may draw no more.",
)
_SUPERVISE = Parameter(
    "supervise",
    "Wire supervision",
    True,
    choices=((True, "on"), (False, "off")),
    hint="NAMUR NE 43 limits; on 4–20 mA a broken wire is 0 mA.",
)


def _range_choice(ranges: tuple[AnalogueRange, ...]) -> Parameter:
    return Parameter(
        "range",
        "Signal kind",
        ranges[0].key,
        choices=tuple((r.key, r.label) for r in ranges),
        restart=True,
        hint="The module takes a new range after a restart of its head.",
    )


_AI_CURRENT = (
    AnalogueRange("4-20mA", "4–20 mA", "mA", 4, 20, 0, 30000, -7500, 32767),
    AnalogueRange("0-20mA", "0–20 mA", "mA", 0, 20, 0, 30000, 0, 32767),
)
_AI_TEMPERATURE = (
    # IEC 60751: 0.385 % of the resistance at 0 °C a kelvin.
    AnalogueRange("pt100", "Pt100, 0.1 °C", "°C", -200, 850, -2000, 8500, -32768, 32767, 0.385),
    AnalogueRange("pt1000", "Pt1000, 0.1 °C", "°C", -200, 850, -2000, 8500, -32768, 32767, 3.85),
)
_KELVINS = "0.1 °C"
# IEC 60584-1: as far as the module linearises them.
_AI_THERMOCOUPLES = tuple(
    AnalogueRange(f"type-{key.lower()}", f"Type {key}, {_KELVINS}", "°C", low, high, 10 * low, 10 * high, -32768, 32767)
    for key, low, high in (("K", -200, 1370), ("J", -200, 1200), ("T", -200, 400), ("N", -200, 1300), ("S", 0, 1700))
)
_AI_EITHER = (
    AnalogueRange("0-10V", "0–10 V", "V", 0, 10, 0, 30000, 0, 32767),
    AnalogueRange("10V", "±10 V", "V", -10, 10, -30000, 30000, -32768, 32767),
    AnalogueRange("1-5V", "1–5 V", "V", 1, 5, 0, 30000, -7500, 32767),
    *_AI_CURRENT,
    # In direct units the count is the millivolts or microamperes at the terminals.
    AnalogueRange("0-10V-mV", "0–10 V in mV", "V", 0, 10, 0, 10000, 0, 10922),
    AnalogueRange("10V-mV", "±10 V in mV", "V", -10, 10, -10000, 10000, -10922, 10922),
    AnalogueRange("1-5V-mV", "1–5 V in mV", "V", 1, 5, 1000, 5000, 0, 5368),
    AnalogueRange("4-20mA-uA", "4–20 mA in µA", "mA", 4, 20, 4000, 20000, 0, 21475),
    AnalogueRange("0-20mA-uA", "0–20 mA in µA", "mA", 0, 20, 0, 20000, 0, 21844),
)
_AO_RANGES = (
    AnalogueRange("4-20mA", "4–20 mA", "mA", 4, 20, 0, 30000, 0, 32767),
    AnalogueRange("0-10V", "0–10 V", "V", 0, 10, 0, 30000, 0, 32767),
)


def _single(count: int) -> tuple[str, ...]:
    return tuple(f"X{{slot}}:{n + 1}" for n in range(count))


def _paired(count: int) -> tuple[str, ...]:
    return tuple(f"X{{slot}}:{2 * n + 1}, X{{slot}}:{2 * n + 2}" for n in range(count))


def _module(
    name: str, order: str, summary: str, *, width: float, heat: float, draws: int, **facts: object
) -> DeviceType:
    return DeviceType(
        key=f"tarnfell.{name.lower()}",
        kind=facts.pop("kind", "module"),  # type: ignore[arg-type]
        name=name,
        order_number=order,
        maker=TARNFELL,
        vendor_id=TARNFELL_ID,
        summary=summary,
        revisions=facts.pop("revisions", ("1.4",)),  # type: ignore[arg-type]
        width_mm=width,
        heat_w=heat,
        bus_current_ma=draws,
        **facts,  # type: ignore[arg-type]
    )


# Fieldbus key → what a device of it is called, and its summary; sizes are entered by hand from the manual.
_GENERIC = {
    "ethernet-ip": ("EtherNet/IP adapter", "Any EtherNet/IP adapter, its points and sizes entered by hand"),
    "profibus-dp": ("PROFIBUS DP slave", "Any PROFIBUS DP slave, its identifiers entered by hand"),
    "profinet": ("PROFINET device", "Any PROFINET device, its submodules entered by hand"),
    "ethercat": ("EtherCAT device", "Any EtherCAT device, its process data entered by hand"),
    "canopen": ("CANopen node", "Any CANopen node, its mapping entered by hand"),
    "modbus-rtu": ("Modbus RTU slave", "Any Modbus RTU slave, its exchanges entered by hand"),
    "modbus-tcp": ("Modbus TCP server", "Any Modbus TCP server, its exchanges entered by hand from its manual"),
}


def _generic() -> tuple[DeviceType, ...]:
    return tuple(
        DeviceType(
            key=f"generic.{fieldbus}",
            kind="device",
            name=name,
            order_number="",
            maker="generic",
            vendor_id=0,
            summary=summary,
            revisions=("1.0",),
            fieldbus=fieldbus,
        )
        for fieldbus, (name, summary) in _GENERIC.items()
    )


# What a port of an IO-Link master does where no file says more of what is plugged in.
_ON_PORTS: tuple[tuple[str, str, Literal["data", "DI", "DO"], str], ...] = (
    ("io-link", "IO-Link device", "data", "Any IO-Link device, the size of its data from its manual"),
    ("port-di", "Digital input", "DI", "A switch or a sensor on pin 4 of a port, without IO-Link"),
    ("port-do", "Digital output", "DO", "A valve or a lamp on pin 4 of a port, without IO-Link"),
)


def _on_ports() -> tuple[DeviceType, ...]:
    return tuple(
        DeviceType(
            key=f"generic.{key}", kind="module", name=name, order_number="", maker="generic", vendor_id=0,
            summary=summary, revisions=(), fieldbus="io-link", port_mode=mode,
        )
        for key, name, mode, summary in _ON_PORTS
    )  # fmt: skip


_REPEATER = DeviceType(
    key="tarnfell.pr-2",
    kind="repeater",
    name="PR-2",
    order_number="TF-PR2",
    maker=TARNFELL,
    vendor_id=TARNFELL_ID,
    summary="PROFIBUS repeater, joins two segments, a terminator on either side",
    revisions=("1.1",),
    width_mm=45,
    heat_w=1.2,
    repeater=RepeaterFacts(delay_bits=3),
)


def _switches() -> tuple[DeviceType, ...]:
    rows = (("es-5", 5, False, "plain"), ("es-8", 8, False, "plain"), ("es-8s", 8, True, "snoops on multicast"),
            ("es-16s", 16, True, "snoops on multicast"))  # fmt: skip
    return tuple(
        DeviceType(
            key=f"tarnfell.{key}",
            kind="switch",
            name=key.upper(),
            order_number=f"TF-{key.upper()}",
            maker=TARNFELL,
            vendor_id=TARNFELL_ID,
            summary=f"Ethernet switch, {sockets} sockets, {words}",
            revisions=("1.0",),
            width_mm=30 + 4 * sockets,
            heat_w=1.5 + 0.3 * sockets,
            switch=SwitchFacts(sockets, snoops, ring=("client", "manager") if snoops else ()),
        )
        for key, sockets, snoops, words in rows
    )


def _rs485(key: str) -> NetworkPort:
    return NetworkPort(key, f"RS-485 {key}", "rs-485", BAUDS)


_TYPES: tuple[DeviceType, ...] = (
    DeviceType(
        key="tarnfell.tf-42",
        kind="controller",
        name="TF-42",
        order_number="TF-42-E2",
        maker=TARNFELL,
        vendor_id=TARNFELL_ID,
        summary="Controller with two Ethernet ports and one of EtherCAT, safety-capable",
        revisions=("3.2", "3.3", "3.4"),
        width_mm=90,
        heat_w=9.5,
        bus_supply_ma=1700,
        field_limit_ma=6000,
        bus_cycle_ms=1,
        ports=(
            NetworkPort("A", "Ethernet A"),
            NetworkPort("B", "Ethernet B"),
            NetworkPort("E", "EtherCAT", "ethercat"),
            _rs485("S"),
        ),
        controller=ControllerFacts(
            slots=Slots(addressed=False, covers=True, places=(8, 12, 16)),
            alignment_octets=4,
            image_octets=16384,
            tasks=(("Fast", 10), ("Slow", 100)),
            modbus_tcp_connections=32,
            cip_connections=256,
            cip_packets_per_s=5000,
            profinet_stations=128,
        ),
        safety=SafetyFacts(pfh=4.2e-9, level="e", category="4", telegram_ms=3, transit_ms=1),
    ),
    DeviceType(
        key="tarnfell.tf-21",
        kind="controller",
        name="TF-21",
        order_number="TF-21-E1",
        maker=TARNFELL,
        vendor_id=TARNFELL_ID,
        summary="Compact controller with one Ethernet port, 8 addressed slots",
        revisions=("2.8", "2.9"),
        width_mm=60,
        heat_w=5.5,
        bus_supply_ma=1100,
        field_limit_ma=4000,
        bus_cycle_ms=2,
        ports=(NetworkPort("A", "Ethernet A"), _rs485("S")),
        controller=ControllerFacts(
            slots=Slots(addressed=True, covers=False, places=(8,)),
            alignment_octets=2,
            image_octets=4096,
            tasks=(("Main", 20),),
            modbus_tcp_connections=8,
            cip_connections=32,
            cip_packets_per_s=1000,
            profinet_stations=32,
        ),
    ),
    _module(
        "DI-16",
        "TF-DI16-24",
        "16 digital inputs 24 V DC, sinking, type 3",
        width=24,
        heat=1.6,
        draws=90,
        product_code=0x11,
        channels=(Channels("DI", 16, 1, "BOOL", _single(16), wiring=Wiring("sinking", 3, load_ma=15)),),
        parameters=(_FILTER,),
    ),
    _module(
        "DO-16",
        "TF-DO16-05",
        "16 digital outputs 24 V DC, 0.5 A, sourcing",
        width=24,
        heat=2.4,
        draws=140,
        product_code=0x12,
        channels=(
            Channels(
                "DO",
                16,
                1,
                "BOOL",
                _single(16),
                parameters=(_ON_LOSS,),
                wiring=Wiring(
                    "sourcing",
                    load_ma=120,
                    rating_ma=500,
                    drop_v=0.5,
                    groups=(OutputGroup(0, 7, 2000), OutputGroup(8, 15, 2000)),
                    pulses=(PulsePair(0, 1, 20_000), PulsePair(2, 3, 20_000), PulsePair(14, 15, 20_000)),
                ),
            ),
        ),
    ),
    _module(
        "AI-8",
        "TF-AI8-C",
        "8 analogue inputs, current",
        width=24,
        heat=2.1,
        draws=310,
        product_code=0x13,
        revisions=("2.0",),
        conversion_ms=4,
        channels=(
            Channels(
                "AI",
                8,
                16,
                "INT",
                _paired(8),
                ranges=_AI_CURRENT,
                parameters=(_range_choice(_AI_CURRENT), _SUPERVISE),
                wiring=Wiring(load_ma=25, burden_ohm=120),
            ),
        ),
    ),
    _module(
        "AI-4T",
        "TF-AI4-T",
        "4 analogue inputs, resistance thermometers",
        width=24,
        heat=1.2,
        draws=210,
        product_code=0x14,
        revisions=("1.1",),
        conversion_ms=80,
        channels=(
            Channels(
                "AI",
                4,
                16,
                "INT",
                _paired(4),
                ranges=_AI_TEMPERATURE,
                parameters=(_range_choice(_AI_TEMPERATURE), _SUPERVISE),
            ),
        ),
    ),
    _module(
        "AI-4K",
        "TF-AI4-K",
        "4 analogue inputs, thermocouples",
        width=24,
        heat=1.2,
        draws=220,
        product_code=0x1E,
        conversion_ms=120,
        channels=(
            Channels(
                "AI",
                4,
                16,
                "INT",
                _paired(4),
                ranges=_AI_THERMOCOUPLES,
                parameters=(_range_choice(_AI_THERMOCOUPLES), _SUPERVISE),
            ),
        ),
    ),
    _module(
        "AI-4V",
        "TF-AI4-CV",
        "4 analogue inputs, voltage or current, in counts or in direct units",
        width=24,
        heat=1.6,
        draws=240,
        product_code=0x1F,
        conversion_ms=4,
        channels=(
            Channels(
                "AI",
                4,
                16,
                "INT",
                _paired(4),
                ranges=_AI_EITHER,
                parameters=(_range_choice(_AI_EITHER), replace(_SUPERVISE, default=False)),
                wiring=Wiring(load_ma=25, burden_ohm=250),
            ),
        ),
    ),
    _module(
        "AO-4",
        "TF-AO4-CV",
        "4 analogue outputs, current or voltage",
        width=24,
        heat=2.6,
        draws=260,
        product_code=0x15,
        revisions=("2.1",),
        conversion_ms=2,
        channels=(
            Channels(
                "AO",
                4,
                16,
                "INT",
                _paired(4),
                ranges=_AO_RANGES,
                parameters=(_range_choice(_AO_RANGES), _ON_LOSS_ANALOGUE),
                wiring=Wiring(load_ma=30),
            ),
        ),
    ),
    _module(
        "SI-8",
        "TF-SI8-24",
        "8 safe digital inputs",
        width=24,
        heat=1.9,
        draws=230,
        product_code=0x16,
        needs_safety=True,
        channels=(Channels("SI", 8, 1, SAFE_TYPE, _single(8), wiring=Wiring("sinking", 3, load_ma=15)),),
        parameters=(_FILTER,),
        safety=SafetyFacts(
            pfh=8e-10,
            level="e",
            category="4",
            worst_ms=5,
            ack_ms=1,
            pairs=((0, 1), (2, 3), (4, 5), (6, 7)),
            both_off=True,
            pulse_ms=0.8,
        ),
    ),
    _module(
        "SO-4",
        "TF-SO4-2A",
        "4 safe digital outputs, 2 A",
        width=24,
        heat=2.8,
        draws=190,
        product_code=0x17,
        needs_safety=True,
        only_after=("tarnfell.si-8",),
        channels=(
            Channels(
                "SO",
                4,
                1,
                SAFE_TYPE,
                _single(4),
                wiring=Wiring("sourcing", load_ma=200, rating_ma=2000, drop_v=0.5, groups=(OutputGroup(0, 3, 4000),)),
            ),
        ),
        safety=SafetyFacts(
            pfh=1.1e-9, level="e", category="4", worst_ms=2, ack_ms=1, pairs=((0, 1), (2, 3)), pulse_ms=0.6
        ),
    ),
    _module(
        "SER-2",
        "TF-SER2",
        "Serial card, 2 × RS-485",
        width=24,
        heat=1.1,
        draws=160,
        product_code=0x18,
        at_most=2,
        only_slots=tuple(range(1, 13)),
        ports=(_rs485("1"), _rs485("2")),
    ),
    _module(
        "PB-1",
        "TF-PB1",
        "PROFIBUS DP master card",
        width=24,
        heat=2.4,
        draws=340,
        product_code=0x1C,
        at_most=1,
        only_slots=tuple(range(1, 13)),
        ports=(NetworkPort("P", "PROFIBUS", "profibus", tuple(RATES), stations=96, octets=2048),),
    ),
    _module(
        "FI-12",
        "TF-FI12",
        "Internal feed-in, starts a new supply of 1200 mA",
        width=12,
        heat=1.8,
        draws=0,
        product_code=0x19,
        kind="feed-in",
        bus_supply_ma=1200,
    ),
    _module(
        "DO-8N",
        "TF-DO8-N05",
        "8 digital outputs 24 V DC, 0.5 A, sinking",
        width=12,
        heat=1.4,
        draws=80,
        product_code=0x1A,
        revisions=("1.2",),
        channels=(
            Channels(
                "DO",
                8,
                1,
                "BOOL",
                _single(8),
                parameters=(_ON_LOSS,),
                wiring=Wiring(
                    "sinking",
                    load_ma=100,
                    rating_ma=500,
                    drop_v=0.4,
                    groups=(OutputGroup(0, 7, 3000),),
                    pulses=(PulsePair(0, 1, 100_000), PulsePair(2, 3, 100_000)),
                ),
            ),
        ),
    ),
    _module(
        "FF-10",
        "TF-FF10",
        "Field feed-in, begins a field supply group of up to 10 A",
        width=12,
        heat=0.6,
        draws=10,
        product_code=0x1B,
        kind="feed-in",
        field_limit_ma=10_000,
        parameters=(_FUSE,),
    ),
    DeviceType(
        key="tarnfell.tc-16",
        kind="device",
        name="TC-16",
        order_number="TC-16-MT",
        maker=TARNFELL,
        vendor_id=TARNFELL_ID,
        summary="Coupler for a remote rail, Modbus TCP server",
        revisions=("1.6", "1.7"),
        width_mm=48,
        heat_w=3.2,
        bus_supply_ma=900,
        bus_cycle_ms=2,
        field_limit_ma=4000,
        fieldbus="modbus-tcp",
        dial=Dial("rotary-10", 3),
        modules_told=ModulesTold(area=3, first=0x1000),
        rail=Slots(addressed=False, covers=False, places=(4, 8, 16)),
    ),
    _module("CV-1", "TF-CV1", "Cover for an unused slot", width=24, heat=0, draws=0, kind="cover", revisions=("1.0",)),
    *_generic(),
    *_on_ports(),
    *_switches(),
    _REPEATER,
)

BUILTIN = Catalogue.of(_TYPES)
