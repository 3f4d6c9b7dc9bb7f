"""The parameters of modules and their channels as fields, from the device type."""

from __future__ import annotations

from highmoor.core.catalogue.types import DeviceType, Parameter
from highmoor.core.plant.fields import Choice, FieldSpec
from highmoor.core.plant.rows import Module


def module_fields(module: Module, device: DeviceType) -> tuple[FieldSpec, ...]:
    """Fields for the module's own parameters and for those of every channel."""
    own = tuple(_spec(parameter, f"settings.{parameter.key}", "") for parameter in device.parameters)
    channels = tuple(
        _spec(parameter, f"settings.channels.{place.key}.{parameter.key}", f"Channel {place.number}: ")
        for place in device.each_channel()
        for parameter in place.group.parameters
    )
    return own + channels


def _spec(parameter: Parameter, path: str, prefix: str) -> FieldSpec:
    return FieldSpec(
        path,
        prefix + parameter.label,
        "choice" if parameter.choices else "number",
        default=parameter.default,
        unit="" if parameter.choices else parameter.unit,
        minimum=parameter.minimum,
        maximum=parameter.maximum,
        choices=tuple(Choice(value, label) for value, label in parameter.choices),
        hint=parameter.hint,
        source="type",
        optional=True,
        restart=parameter.restart,
    )
