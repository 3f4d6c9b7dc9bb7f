"""A device on a port on the bench: what is in it, what its master has kept of it, what it tells by itself."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from highmoor.core.bench.labels import serial_number
from highmoor.core.bench.port_standing import StandingPort
from highmoor.core.catalogue.types import Catalogue, DeviceType
from highmoor.core.networks.diagnosis import Diagnosis
from highmoor.core.networks.io_link.data import mode_of
from highmoor.core.networks.io_link.parameters import NO_DEVICE, Parameters, PortAnswer, PortAsk
from highmoor.core.plant.rows import Json


@dataclass(slots=True)
class PortDevice:
    """The device, its parameters where a file describes them, and the parameters its master keeps (data storage)."""

    standing: StandingPort
    type: DeviceType
    parameters: Parameters | None
    kept: dict[int, bytes] = field(default_factory=dict)

    @classmethod
    def of(cls, standing: StandingPort, device: DeviceType) -> PortDevice:
        """As it stands: with what was written in it, else as it is delivered; then with what its master kept."""
        own = standing.own
        serial = serial_of(standing)
        if device.io_link is None:
            return cls(standing, device, None)
        made = cls(standing, device, Parameters(device.io_link, serial, _octets(_values(own).get(_which(own)))))
        variant = next((v for v in device.io_link.variants if v.key == standing.settings.get("variant")), None)
        if variant and variant.condition and made.parameters and not own.get("values"):
            # What is chosen of its process data was set in it when it was put into service.
            held = variant.condition
            made.parameters.write(held.index, held.subindex, bytes([held.value & 0xFF]))
        made._store(own)
        return made

    def _store(self, own: Json) -> None:
        """Data storage (IEC 61131-9, 11.4): a device that has other values than its master kept is given those."""
        rule = self.standing.settings.get("storage", "both")
        if self.parameters is None or not self.parameters.device.data_storage or rule == "off":
            return
        self.kept = _octets(own.get("kept")) or self.parameters.stored()
        self.parameters.restore(self.kept)

    def asked(self, ask: PortAsk) -> PortAnswer:
        """A parameter read or written."""
        if self.parameters is None:
            return PortAnswer(NO_DEVICE)
        if ask.octets is None:
            return self.parameters.read(ask.index, ask.subindex)
        answer = self.parameters.write(ask.index, ask.subindex, ask.octets)
        if not answer.error and self.standing.settings.get("storage", "both") == "both" and self.kept:
            self.kept = self.parameters.stored()
        return answer

    def keeps(self) -> Mapping[str, Any]:
        """What is to be remembered of it, as the plant as built has it."""
        values = self.parameters.values if self.parameters else {}
        told = {**_values(self.standing.own), _which(self.standing.own): _spelled(values)}
        return {"settings.values": told, "settings.kept": _spelled(self.kept)}

    def data_settings(self) -> Json:
        """What decides which process data it has: its own parameters, whatever is configured."""
        facts = self.type.io_link
        if facts is None or self.parameters is None or len(facts.variants) < 2:
            return self.standing.settings
        variant = facts.variant(self.parameters.counts())
        return {**self.standing.settings, "variant": variant.key if variant else ""}

    def told(self) -> list[Diagnosis]:
        """The event it tells now."""
        code = self.standing.own.get("event")
        events = self.type.io_link.events if self.type.io_link else ()
        found = next((one for one in events if one.code == code), None)
        if found is None:
            return []
        port = self.standing.port
        text = ". ".join(part.rstrip(".") for part in (found.label, found.text) if part)
        return [
            Diagnosis(f"port {port}.{found.code}", f"port {port}: {text}", found.severity, self.standing.module,
                      "", f"16#{found.code:04X}")
        ]  # fmt: skip


def operates(catalogue: Catalogue, standing: StandingPort) -> bool:
    """Whether a master operates what is plugged in: it is what is meant, or is not looked at (IEC 61131-9, 11.2.5)."""
    there, meant = catalogue.find(standing.type), catalogue.find(standing.meant)
    if there is None or meant is None or mode_of(there) != mode_of(meant):
        return False
    rule = standing.settings.get("validation", "type")
    if rule == "none" or mode_of(meant) != "data":
        return True
    if rule == "identical" and standing.settings.get("serial") not in (None, "", serial_of(standing)):
        return False
    return there.key == meant.key or identity(there) == identity(meant, standing.settings)


def refusal(catalogue: Catalogue, standing: StandingPort) -> Diagnosis | None:
    """What a master tells of a port on which nothing operates."""
    port = standing.port
    there, meant = catalogue.find(standing.type), catalogue.find(standing.meant)
    if there is None or meant is None:
        text = f"port {port}: nothing answers"
    elif operates(catalogue, standing):
        return None
    elif identity(there) == identity(meant, standing.settings) and mode_of(there) == mode_of(meant):
        meant_serial = standing.settings.get("serial")
        text = f"port {port}: another one of its type, serial number {serial_of(standing)} instead of {meant_serial}"
    else:
        (vendor, device), (other, wanted) = identity(there), identity(meant, standing.settings)
        text = (
            f"port {port}: another device is plugged in, vendor ID {vendor}, device ID {device} "
            f"instead of {other}, {wanted}"
        )
    return Diagnosis(f"port {port}", text, "error", standing.module, settings=("modules.type",))


def identity(device: DeviceType, settings: Json | None = None) -> tuple[object, object]:
    """Vendor and device ID: of its file, or as they are set where there is none."""
    if device.io_link is None:
        return (settings or {}).get("vendor_id"), (settings or {}).get("device_id")
    return device.vendor_id, device.product_code


def serial_of(standing: StandingPort) -> str:
    """The number that no other device has: another one for each that has replaced it."""
    replaced = standing.own.get("replaced")
    return f"{serial_number(standing.module) + (replaced if isinstance(replaced, int) else 0):08X}"


def _which(own: Json) -> str:
    replaced = own.get("replaced")
    return str(replaced if isinstance(replaced, int) else 0)


def _values(own: Json) -> dict[str, Any]:
    values = own.get("values")
    return values if isinstance(values, dict) else {}


def _octets(told: Any) -> dict[int, bytes]:
    """Parameters as they are kept, by index in hex; what is none is passed over."""
    found: dict[int, bytes] = {}
    for index, octets in told.items() if isinstance(told, dict) else ():
        try:
            found[int(index)] = bytes.fromhex(octets)
        except (TypeError, ValueError):
            continue
    return found


def _spelled(values: Mapping[int, bytes]) -> dict[str, str]:
    return {str(index): octets.hex() for index, octets in values.items()}
