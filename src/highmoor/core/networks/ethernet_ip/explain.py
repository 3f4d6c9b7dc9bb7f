"""Status codes of CIP in words, each with the setting it points at.

Source: CIP volume 1, B-1 (general status), 3-5.6 (extended status of a connection request).
"""

from __future__ import annotations

from highmoor.core.networks.live import Direction

GENERAL: dict[int, str] = {
    0x00: "good",
    0x01: "the connection was refused",
    0x02: "the device has nothing left to do it with: fewer connections or smaller data",
    0x03: "a value of the request is not valid",
    0x04: "the path's segments are not understood: look at class, instance, attribute",
    0x05: "the path leads nowhere: class or instance is not there in this device",
    0x06: "only a part was sent",
    0x07: "the connection was lost",
    0x08: "the service is not there in this device",
    0x09: "an attribute's value is not valid",
    0x0A: "an attribute of the list has an error",
    0x0B: "it is in that state already",
    0x0C: "the device's state does not allow it",
    0x0D: "the object is there already",
    0x0E: "the attribute cannot be set",
    0x0F: "no right to do this",
    0x10: "the device's state does not allow it",
    0x11: "the answer is too long for one packet",
    0x13: "too few data: look at the size of what is sent",
    0x14: "the attribute is not there: look at its number",
    0x15: "too many data: look at the size of what is sent",
    0x16: "the object is not there",
    0x1E: "a service within it failed",
    0x1F: "the maker's own error",
    0x20: "a parameter is not valid",
    0x26: "the path's size is not right",
}
EXTENDED: dict[int, str] = {
    0x0100: "this connection is open already: it has not timed out at the device yet",
    0x0103: "transport class or trigger is not supported",
    0x0106: "another controller owns these outputs: look who else commands the device",
    0x0107: "the connection to be closed is not there",
    0x0108: "the connection's parameters are not valid: look at the application type and at the time-out",
    0x0109: "wrong size: look at the octets of both ways, and at the 4-octet header",
    0x0110: "the device has not been configured: it wants configuration data",
    0x0111: "the packet interval is not supported: take a longer one",
    0x0112: "the packet interval is not acceptable: take a shorter one",
    0x0113: "the device has no connection left",
    0x0114: "another vendor or product than configured: look at the device type, or at the identity rule",
    0x0115: "another kind of device than configured: look at the device type",
    0x0116: "another revision than configured: look at the revision asked for, or at the identity rule",
    0x0117: "a connection point is wrong: look at the points of both ways",
    0x0118: "the configuration path is wrong: look at the configuration point",
    0x0119: "there is no other connection to listen to",
    0x011A: "the data at this point has no more room for somebody who hears it: look who else listens",
    0x0123: "O→T is sent in a way the device does not take",
    0x0124: "T→O is expected in a way the device does not send: look at multicast or to this controller",
    0x0126: "wrong size of the configuration data",
    0x0127: "wrong size O→T: look at the octets to the device and at the 4-octet header",
    0x0128: "wrong size T→O: look at the octets from the device and at the 4-octet header",
    0x0203: "the connection has timed out",
    0x0204: "no answer to the request",
    0x0311: "the path names a port that is not there: look at the ports on the way",
    0x0312: "the path names a link address where nothing is: look at the ports on the way",
    0x0315: "a segment of the path is not valid",
}


_SIZES = ("exchanges.settings.octets", "exchanges.settings.header")
_IDENTITY = ("stations.settings.identity", "stations.settings.revision")
# Which settings a status speaks of; without the 01 that stands before the extended status of a refusal.
_LIKELY: dict[int, tuple[str, ...]] = {
    0x0106: ("connections.settings.application",),
    0x0108: ("connections.settings.application", "connections.settings.multiplier"),
    0x0109: _SIZES,
    0x0110: ("connections.settings.config_data",),
    0x0111: ("exchanges.settings.rpi_ms",),
    0x0112: ("exchanges.settings.rpi_ms",),
    0x0114: _IDENTITY,
    0x0115: _IDENTITY,
    0x0116: _IDENTITY,
    0x0117: ("exchanges.settings.point",),
    0x0118: ("connections.settings.config_point",),
    0x0119: ("connections.settings.application",),
    0x0123: ("exchanges.settings.transfer",),
    0x0124: ("exchanges.settings.transfer",),
    0x0126: ("connections.settings.config_data",),
    0x0127: _SIZES,
    0x0128: _SIZES,
    0x0204: ("stations.address",),
    0x0311: ("stations.settings.route",),
    0x0312: ("stations.settings.route",),
}


# Those of them that are about one direction alone.
_ABOUT: dict[int, Direction] = {0x0123: "out", 0x0124: "in", 0x0127: "out", 0x0128: "in"}


def likely(code: int, direction: Direction) -> tuple[str, ...]:
    """The settings that a status speaks of."""
    extended = code & 0xFFFF
    return _LIKELY.get(extended, ()) if _ABOUT.get(extended, direction) == direction else ()


def explain(code: int) -> str:
    """A status as a sentence; a refusal of a connection is given by its extended status, with or without 0x01 before.

    Extended statuses of the connection manager begin at 0x0100, so that none is taken for a general one.
    """
    if code >> 16 == 0x01 or code > 0xFF:
        extended = code & 0xFFFF
        return EXTENDED.get(extended, f"refused with extended status 16#{extended:04X}, which the standard leaves open")
    return GENERAL.get(code, f"status 16#{code:02X}, which the standard leaves open")


def told(status: int, extended: int | None) -> str:
    """A status with its numbers and its sentence: `01/0127: wrong size …`."""
    if status == 0x01 and extended is not None:
        return f"01/{extended:04X}: {explain(0x010000 | extended)}"
    return f"{status:02X}: {explain(status)}"
