"""The plant as built: what really stands there, which the configuration need not know.

Places are told by what is written on them: a module by its reference designation (on the rails of the process's
controller first, then on those of stations), a device by its address.
"""

from __future__ import annotations

from typing import Any

from pydantic import BaseModel, ConfigDict, Field

from highmoor.core.networks.ethernet_ip.adapter_facts import AdapterFacts


class _Model(BaseModel):
    model_config = ConfigDict(extra="forbid")


class BuiltModule(_Model):
    """A module as it really stands on a station's rail, with the parameters it runs by."""

    type: str
    designation: str = ""
    settings: dict[str, Any] = {}


class BuiltLine(_Model):
    """A serial line: the controller's port it is on, as it is labelled, and what disturbs it (chance an octet)."""

    port: str
    noise: float = Field(default=0, ge=0, le=1)
    terminated: bool = True


class BuiltDevice(_Model):
    """A device on a network: what it is, where it answers, how long it thinks (ms).

    With an `adapter` it speaks EtherNet/IP, otherwise Modbus.

    `line` names the port of the serial line it is on, "" for Ethernet; `set_to` is what is set at it where that is
    not what the line has (`baud`, `parity`, `stop_bits`, `mode`). `rail` are the modules behind it in slot order;
    such a device gives and takes their data in its registers.
    """

    address: str
    line: str = ""
    set_to: dict[str, Any] = {}
    terminated: bool = False
    type: str = ""
    rail: list[BuiltModule] = []
    adapter: AdapterFacts | None = None
    model: str = "registers"
    reply_ms: float = Field(default=5, ge=0, le=60000)
    settings: dict[str, Any] = {}


class BuiltProcess(_Model):
    """A piece of process with its wires: name of the model's end → `DESIGNATION:chN` of a controller's module."""

    model: str
    controller: str
    wires: dict[str, str] = {}
    settings: dict[str, Any] = {}


class AsBuilt(_Model):
    """Everything that stands there. `seed` makes what is random the same every time."""

    seed: int = 1
    lines: list[BuiltLine] = []
    devices: list[BuiltDevice] = []
    processes: list[BuiltProcess] = []
