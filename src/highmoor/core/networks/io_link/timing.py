"""How often a port's data is exchanged, and how long it is on the wire (IEC 61131-9, A.3 and B.1.3)."""

from __future__ import annotations

from fractions import Fraction

from highmoor.core.catalogue.types import DeviceType
from highmoor.core.errors import Refusal
from highmoor.core.figures.io_link import cycle_time_ms, cycle_time_octet
from highmoor.core.networks.io_link.data import data_of, mode_of
from highmoor.core.numbers import exact
from highmoor.core.plant.rows import Json

# Until a manual or a file says more: COM2.
USUAL_BITRATE = 38400
# In bit times: a UART frame; at most between the master's frames, between the device's, and before it answers (A.3.3,
# formula A.6).
_FRAME_BITS, _MASTER_GAP, _DEVICE_GAP, _ANSWER = 11, 1, 3, 10
# Command and check octet of the master, check octet of the device, and one octet on request (A.2.6, type 2).
_MASTER_OCTETS, _DEVICE_OCTETS = 2, 2


def message_ms(in_octets: int, out_octets: int, bitrate: int) -> Fraction:
    """The longest a message with so much process data takes, ms."""
    sent, answered = _MASTER_OCTETS + out_octets, _DEVICE_OCTETS + in_octets
    gaps = _ANSWER + (sent - 1) * _MASTER_GAP + (answered - 1) * _DEVICE_GAP
    return Fraction(1000 * ((sent + answered) * _FRAME_BITS + gaps), bitrate)


def port_message_ms(device: DeviceType, settings: Json) -> Fraction:
    """The same of a device as it is set; nothing for what only switches."""
    if mode_of(device) != "data":
        return Fraction(0)
    data = data_of(device, settings)
    bitrate = device.io_link.bitrate if device.io_link else USUAL_BITRATE
    return message_ms(data.in_octets, data.out_octets, bitrate)


def least_cycle_ms(device: DeviceType, settings: Json) -> Fraction:
    """The shortest cycle that can be: the device's own, and none below what its message takes."""
    own = Fraction(device.io_link.least_cycle_us, 1000) if device.io_link else Fraction(0)
    return max(own, port_message_ms(device, settings))


def cycle_ms(device: DeviceType, settings: Json) -> Fraction:
    """How often a port's data is exchanged: as set, else as often as can be; as a cycle time can be told.

    A pin that only switches is read at once, here 0.
    """
    if mode_of(device) != "data":
        return Fraction(0)
    given = settings.get("cycle_ms")
    wanted = exact(given) if isinstance(given, int | float) and given > 0 else Fraction(0)
    try:
        return cycle_time_ms(cycle_time_octet(max(wanted, least_cycle_ms(device, settings))))
    except Refusal:
        return cycle_time_ms(191)
