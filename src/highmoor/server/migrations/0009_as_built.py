"""The plant as built gets tables of its own; what was kept as JSON with the project is read into them.

It named places by what is written on them: a device by its address, a module by its reference designation. Here they
are found once and for all, and named by their ids.
"""

import dataclasses
from typing import Any

import django.db.models.deletion
from django.db import migrations, models

_DIGITS = "0123456789abcdefghijklmnopqrstuvwxyz"


def _rank(n: int) -> str:
    """Ranks in the order of the counter; none ends in the lowest digit."""
    return f"{n:08d}V"


@dataclasses.dataclass
class _Project:
    """One project's ids and rows."""

    apps: Any
    project: Any

    def rows(self, name: str) -> list[Any]:
        model = self.apps.get_model("highmoor", name)
        return list(model.objects.filter(project_id=self.project.pk))

    def id_of(self, row: Any) -> str:
        return str(row.pk).partition(".")[2]

    def make(self, kind: str, prefix: str, /, **values: Any) -> Any:
        self.project.counter += 1
        number, digits = self.project.counter, ""
        while number or not digits:
            number, digit = divmod(number, 36)
            digits = _DIGITS[digit] + digits
        model = self.apps.get_model("highmoor", kind)
        row = model(key=f"{self.project.key}.{prefix}{digits}", project_id=self.project.pk, **values)
        row.save(force_insert=True)
        return row


def _facts(device: dict[str, Any]) -> dict[str, Any]:
    facts = dict(device.get("adapter") or {})
    if "reply_ms" in device:
        facts["reply_ms"] = device["reply_ms"]
    if device.get("line"):
        facts |= device.get("set_to") or {}
        facts["terminated"] = bool(device.get("terminated"))
    watchdog = (device.get("settings") or {}).get("watchdog_ms")
    return facts | ({"watchdog_ms": watchdog} if watchdog is not None else {})


def _network_of(device: dict[str, Any], own: _Project) -> Any:
    """The network a device was on: that of its line's port, or the one of its kind whose stations are in its subnet."""
    networks = {row.pk: row for row in own.rows("Network")}
    if device.get("line"):
        ports = {row.pk: row for row in own.rows("Port")}
        controllers = {own.id_of(row): row.name for row in own.rows("Controller")}
        for network in networks.values():
            port = ports.get(network.port_id)
            if port and f"{controllers.get(port.device, '')} {port.name_key}" == device["line"]:
                return network
        return None
    kind = "ethernet-ip" if device.get("adapter") else "modbus-tcp"
    near = device["address"].rpartition(".")[0]
    for station in own.rows("Station"):
        network = networks[station.network_id]
        if network.kind == kind and station.address.rpartition(".")[0] == near:
            return network
    return None


def _stations_of_kind(own: _Project) -> dict[tuple[str, str], Any]:
    return {(row.network_id, row.address): row for row in own.rows("Station") if row.address}


def _devices(own: _Project, built: dict[str, Any], modules: dict[str, str]) -> None:
    stations = _stations_of_kind(own)
    said: set[str] = set()
    left: list[tuple[Any, dict[str, Any]]] = []
    for device in built.get("devices", []):
        network = _network_of(device, own)
        if network is None:
            continue
        station = stations.get((network.pk, device["address"]))
        if station is None:
            left.append((network, device))
            continue
        said.add(station.pk)
        _device(own, network, device, own.id_of(station), "", modules)
    # One that answers where nobody is drawn stands for one that is drawn and was not found, where there is just one.
    for network, device in left:
        missing = [
            row for row in own.rows("Station")
            if row.network_id == network.pk and row.pk not in said and row.address and not row.partner_id
            ]  # fmt: skip
        same = [row for row in missing if device.get("model", "").split(" ")[0] in row.name.lower()]
        chosen = same[0] if len(same) == 1 else None
        if chosen is not None:
            said.add(chosen.pk)
        _device(
            own, network, device, own.id_of(chosen) if chosen is not None else "", device["address"], modules
        )  # fmt: skip


def _device(
    own: _Project, network: Any, device: dict[str, Any], station: str, address: str, modules: dict[str, str]
) -> None:
    made = own.make(
        "BuiltDevice", "bd", network=own.id_of(network), rank=_rank(own.project.counter), station=station,
        name="" if station else device.get("model", ""), type="" if station else device.get("type", ""),
        address=address, there=True, powered=True, cable=True, rail="own" if device.get("rail") else "configured",
        facts=_facts(device), model="" if device.get("model") == "registers" else device.get("model", ""),
        settings=device.get("settings") or {},
    )  # fmt: skip
    for module in device.get("rail", []):
        own.make(
            "BuiltModule", "bm", device=made, rank=_rank(own.project.counter), type=module["type"],
            module=modules.get(module.get("designation", ""), ""), there=True, settings=module.get("settings") or {},
        )  # fmt: skip


def _processes(own: _Project, built: dict[str, Any], modules: dict[str, str]) -> None:
    for process in built.get("processes", []):
        made = own.make(
            "BuiltProcess", "bp", model=process["model"], rank=_rank(own.project.counter), name="",
            settings=process.get("settings") or {},
        )  # fmt: skip
        for end, place in (process.get("wires") or {}).items():
            designation, _, channel = place.rpartition(":")
            if designation in modules:
                own.make(
                    "BuiltWire", "bw", process=made, end=end, module=modules[designation], channel=channel,
                    rank=_rank(own.project.counter),
                )  # fmt: skip


def _read_into_tables(apps: Any, _: Any) -> None:
    for project in apps.get_model("highmoor", "Project").objects.exclude(as_built={}):
        own = _Project(apps, project)
        modules = {row.designation: own.id_of(row) for row in own.rows("Module") if row.designation}
        lines = {line["port"]: line for line in project.as_built.get("lines", [])}
        for port, line in lines.items():
            network = _network_of({"line": port, "address": ""}, own)
            if network is not None and (line.get("noise") or line.get("terminated") is False):
                settings = {key: line[key] for key in ("noise", "terminated") if key in line}
                own.make(
                    "BuiltLine", "bl", network=own.id_of(network), rank=_rank(own.project.counter), settings=settings
                )  # fmt: skip
        _devices(own, project.as_built, modules)
        _processes(own, project.as_built, modules)
        project.save(update_fields=["counter"])


def _fields(**more: Any) -> list[tuple[str, Any]]:
    return [
        ("key", models.CharField(max_length=80, primary_key=True, serialize=False)),
        *more.items(),
        ("project", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, to="highmoor.project")),
    ]


def _text(most: int) -> Any:
    return models.CharField(max_length=most)


def _owner(target: str) -> Any:
    return models.ForeignKey(on_delete=django.db.models.deletion.DO_NOTHING, to=f"highmoor.{target}")


class Migration(migrations.Migration):
    dependencies = [("highmoor", "0008_sockets")]

    operations = [
        migrations.AddField("entry", "document", models.CharField(default="plant", max_length=8)),
        migrations.CreateModel(
            "BuiltLine", _fields(network=_text(48), rank=_text(400), settings=models.JSONField()),
            options={"abstract": False},
        ),
        migrations.CreateModel(
            "BuiltDevice",
            _fields(
                network=_text(48), rank=_text(400), station=_text(48), name=_text(200), type=_text(300),
                address=_text(80), there=models.BooleanField(), powered=models.BooleanField(),
                cable=models.BooleanField(), rail=_text(10), facts=models.JSONField(), model=_text(80),
                settings=models.JSONField(),
            ),
            options={"abstract": False},
        ),
        migrations.CreateModel(
            "BuiltModule",
            _fields(
                rank=_text(400), type=_text(300), module=_text(48), there=models.BooleanField(),
                settings=models.JSONField(), device=_owner("builtdevice"),
            ),
            options={"abstract": False},
        ),
        migrations.CreateModel(
            "BuiltProcess",
            _fields(model=_text(80), rank=_text(400), name=_text(200), settings=models.JSONField()),
            options={"abstract": False},
        ),
        migrations.CreateModel(
            "BuiltWire",
            _fields(
                end=_text(80), module=_text(48), channel=_text(40), rank=_text(400), process=_owner("builtprocess")
            ),
            options={"abstract": False},
        ),
        migrations.RunPython(_read_into_tables, migrations.RunPython.noop),
        migrations.RemoveField("project", "as_built"),
    ]  # fmt: skip
