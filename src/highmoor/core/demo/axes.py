"""The demo's axes: the turner's three, the sample table's arms and wrist, the gallery's fans, the dispenser."""

from __future__ import annotations

from typing import Any

from highmoor.core.demo.builder import Builder
from highmoor.core.plant.rows import Axis, ChainLink, Controller, Station, Task, Use
from highmoor.core.project import edits

_SERVO = {"counts": 2**20, "absolute_turns": 4096, "torque_constant": 0.52}
_LIMITS = ("stop_minus", "switch_minus", "soft_minus", "soft_plus", "switch_plus", "stop_plus")


def add_axes(build: Builder) -> None:
    """Axes of those drives that are there."""
    stations = {station.name: station.id for station in build.plant.all(Station)}
    if "LIFT" in stations:
        _carriage(build, stations["CARRIAGE"])
        _lift(build, stations["LIFT"])
        _augers(build, stations["AUGERS"])
        for n in (1, 2, 3):
            _arm(build, f"ARM{n}", stations[f"Arm {n}"])
        _wrist(build, stations["Wrist"])
        _picker(build)
    for n in (1, 2):
        if f"Gallery fan {n}" in stations:
            _fan(build, f"FAN{n}", stations[f"Gallery fan {n}"])
    _words(build)
    _dispenser(build)


def _words(build: Builder) -> None:
    """The words of all drives as signals; the fans' drives have bits of their own."""
    fans = build.do(edits.AddCommandProfile(base="cip-20-70", name="Gallery fan", tag="$p"))["$p"]
    own = {"run": "0.0", "reset": "0.2", "fault": "0.2", "running": "0.1"}
    values: dict[str, Any] = {f"settings.words.{role}": at for role, at in own.items()}
    # By their manual 10 000 is the rated speed.
    share = {"settings.speed_is": "share", "settings.speed_full": 10_000}
    build.do(edits.SetFields(ids=[fans], values={**values, **share}))
    for axis in build.plant.all(Axis):
        profile = fans if axis.kind == "speed" else None
        build.do(edits.NameWords(axis=axis.id, profile=profile))
    fast = build.find(Task, controller=build.find(Controller, name="HALL").id, name="Fast")
    moved = {axis.id for axis in build.plant.all(Axis) if axis.kind != "speed"}
    words = [use.signal for use in build.plant.all(Use) if use.of in moved]
    if words:
        build.do(edits.SetFields(ids=words, values={"task": fast.id}))


def _axis(build: Builder, kind: Any, name: str, drive: str, links: dict[str, dict[str, Any]], **settings: Any) -> str:
    """An axis with what is set of its links, by their kinds."""
    hall = build.find(Controller, name="HALL").id
    axis = build.do(edits.AddAxis(controller=hall, axis=kind, name=name, drive=drive, tag="$a"))["$a"]
    there = {link.kind: link.id for link in build.plant.children(ChainLink, axis)}
    gone = [row_id for link, row_id in there.items() if link not in links]
    steps: list[Any] = [edits.Remove(ids=gone)] if gone else []
    for link, values in links.items():
        if link not in there:
            steps.append(edits.AddChainLink(axis=axis, link=link, tag=f"${link}"))  # type: ignore[arg-type]
        ids = [there.get(link, f"${link}")]
        steps.append(edits.SetFields(ids=ids, values={f"settings.{key}": value for key, value in values.items()}))
    steps.append(edits.SetFields(ids=[axis], values={f"settings.{key}": value for key, value in settings.items()}))
    build.do(edits.Batch(edits=steps))
    return axis


def _cycle(build: Builder, axis: str, *moves: tuple[str, float, float, str]) -> None:
    """Moves one after the other: name, distance, how long it then waits, and what holds it."""
    for name, to, wait, held in moves:
        values = {"settings.to": to, "settings.wait_s": wait, "settings.wait_on": held}
        build.do(
            edits.Batch(
                edits=[edits.AddMove(axis=axis, name=name, tag="$m"), edits.SetFields(ids=["$m"], values=values)]
            )
        )


def _carriage(build: Builder, drive: str) -> None:
    axis = _axis(
        build, "linear", "CARRIAGE", drive,
        {
            "motor": {**_SERVO, "inertia": 0.0042, "rated_rpm": 3000, "rated_nm": 9.5, "peak_nm": 28, "brake_nm": 12,
                      "brake_ms": 40},
            "gear": {"motor_turns": 10, "load_turns": 1, "efficiency": 94, "play_deg": 0.05, "inertia": 0.0003},
            "pinion": {"teeth": 20, "module_mm": 5, "efficiency": 92, "inertia": 0.02},
            "load": {"mass_kg": 2400, "friction_n": 620},
        },
        **dict(zip(_LIMITS, (0, 300, 600, 45_400, 45_700, 46_000), strict=True)),
        cam=320, speed=400, acceleration=400, jerk=1600, gain=20, following=30, window=1,
    )  # fmt: skip
    _cycle(build, axis, ("South", 44_800, 20, "motor"), ("North", -44_800, 60, "motor"))


def _lift(build: Builder, drive: str) -> None:
    axis = _axis(
        build, "linear", "LIFT", drive,
        {
            "motor": {**_SERVO, "inertia": 0.0002, "rated_rpm": 6000, "rated_nm": 1.27, "peak_nm": 3.8, "brake_nm": 2.5,
                      "brake_ms": 25},
            "gear": {"motor_turns": 4, "load_turns": 1, "efficiency": 95},
            "screw": {"lead_mm": 10, "efficiency": 85, "inertia": 0.001, "play_mm": 0.02},
            "load": {"mass_kg": 300, "incline_deg": 90},
        },
        **dict(zip(_LIMITS, (-100, -50, 0, 400, 450, 500), strict=True)),
        cam=60, speed=200, acceleration=500, gain=50, following=8, window=0.05, index_turn=0.42, peak_a=9.5,
        capacitance_uf=820, bus_v=560, bus_most_v=780, resistor_w=60, home_method=1, home_fast=60,
    )  # fmt: skip
    _cycle(build, axis, ("Up", 400, 1, "motor"), ("Down", -400, 2, "brake"))


def _augers(build: Builder, drive: str) -> None:
    _axis(
        build, "endless", "AUGERS", drive,
        {
            "motor": {**_SERVO, "inertia": 0.0009, "rated_rpm": 3000, "rated_nm": 7.2, "peak_nm": 21},
            "gear": {"motor_turns": 4, "load_turns": 1, "efficiency": 95},
            "load": {"inertia": 0.06, "friction_nm": 18},
        },
        speed=720, acceleration=720, window=0.5, drive_digits=3,
    )  # fmt: skip


def _arm(build: Builder, name: str, drive: str) -> None:
    _axis(
        build, "rotary", name, drive,
        {
            "motor": {**_SERVO, "inertia": 0.00004, "rated_rpm": 4500, "rated_nm": 0.64, "peak_nm": 1.9,
                      "brake_nm": 1.3, "brake_ms": 20},
            "gear": {"motor_turns": 20, "load_turns": 1, "efficiency": 96, "play_deg": 0.02},
            "load": {"inertia": 0.011},
        },
        **dict(zip(_LIMITS, (-50, -40, -30, 80, 90, 100), strict=True)),
        cam=12, speed=360, acceleration=14_400, reaction_ms=1, gain=200, window=0.1, peak_a=4.2, quick_ramp=18_000,
        encoder_offset={"ARM1": 12.4, "ARM2": -31.86, "ARM3": 103.2}[name],
    )  # fmt: skip


def _wrist(build: Builder, drive: str) -> None:
    _axis(
        build, "endless", "WRIST", drive,
        {
            "motor": {**_SERVO, "inertia": 0.00002, "rated_rpm": 5000, "rated_nm": 0.32, "peak_nm": 0.96},
            "gear": {"motor_turns": 8, "load_turns": 1, "efficiency": 94},
            "load": {"inertia": 0.0004},
        },
        speed=720, acceleration=7200, window=0.2, peak_a=2.1, quick_ramp=14_400, encoder_offset=0,
    )  # fmt: skip


def _picker(build: Builder) -> None:
    """The sample table's robot; its work is the tray with the germination samples."""
    axes = {axis.name: axis.id for axis in build.plant.all(Axis)}
    hall = build.find(Controller, name="HALL").id
    joints: Any = {"arm1": axes["ARM1"], "arm2": axes["ARM2"], "arm3": axes["ARM3"], "wrist": axes["WRIST"]}
    add = edits.AddRobot(controller=hall, robot="arms-200-460-wrist", name="PICKER", joints=joints, tag="$r")
    values = {
        "frame_x": 20, "frame_y": 0, "frame_z": -470, "frame_turn": 30, "work_x": 200, "work_y": 160, "work_z": 60,
        "from_x": -90, "from_y": -60, "from_z": 10, "to_x": 90, "to_y": 60, "to_z": 50, "to_turn": 90,
        "line_speed": 1500, "line_acceleration": 15_000,
    }  # fmt: skip
    settings = edits.SetFields(ids=["$r"], values={f"settings.{key}": value for key, value in values.items()})
    build.do(edits.Batch(edits=[add, settings]))


def _dispenser(build: Builder) -> None:
    """Pulses from the last two outputs of the hall's first output module: 3 200 a turn of 5 mm."""
    axis = _axis(
        build, "linear", "DISPENSER", build.at("-K3"),
        {
            "stepper": {"step_angle_deg": 1.8, "microsteps": 16, "inertia": "54 g cm²", "driver": "sd-2",
                        "rated_a": 0.6, "current_a": 0.5, "start_hz": 1800, "hold_nm": 0.4, "peak_nm": 0.18,
                        "rated_rpm": 600},
            "screw": {"lead_mm": 5, "efficiency": 60},
            "load": {"mass_kg": 1.5, "friction_n": 4},
        },
        soft_minus=0, soft_plus=120, stop_minus=-3, stop_plus=123, speed=30, acceleration=200,
    )  # fmt: skip
    build.do(edits.SetFields(ids=[axis], values={"key": "ch14"}))
    uses = {"settings.channels.ch14.use": "pulse", "settings.channels.ch15.use": "direction"}
    build.do(edits.SetFields(ids=[build.at("-K3")], values={**uses, "settings.channels.ch14.frequency_hz": 19_200}))


def _fan(build: Builder, name: str, drive: str) -> None:
    _axis(
        build, "speed", name, drive,
        {
            "motor": {"counts": 1024, "inertia": 0.012, "rated_rpm": 1460, "rated_nm": 26, "peak_nm": 52},
            "load": {"inertia": 0.9, "friction_nm": 4},
        },
        speed=1460, acceleration=120,
    )  # fmt: skip
