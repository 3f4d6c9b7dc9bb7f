"""Parameters in a device, read and written by their paths (get and set one attribute, CIP volume 1, appendix A-4)."""

from __future__ import annotations

from collections.abc import Callable

from highmoor.core.catalogue.types import Parameter
from highmoor.core.datatypes import DATA_TYPES, decode, encode
from highmoor.core.networks.ethernet_ip.adapter import Adapter
from highmoor.core.networks.ethernet_ip.encapsulation import (
    REGISTER_SESSION,
    SEND_RR_DATA,
    Encapsulated,
    EncapsulationError,
    unconnected,
    unconnected_message,
)
from highmoor.core.networks.ethernet_ip.explain import told
from highmoor.core.networks.ethernet_ip.messages import Answered, Asked
from highmoor.core.networks.fieldbus import Clock, ParameterTold, Wire

_NS_A_MS = 1_000_000
_ANSWER_MS = 2000
_GET, _SET = 0x0E, 0x10


def access(
    clock: Clock, wire: Wire, address: str, parameter: Parameter, value: float | None,
    done: Callable[[ParameterTold], None],
) -> None:  # fmt: skip
    """One request by the parameter's path; a device that is silent is noticed after two seconds."""
    path, kind = _path(parameter), DATA_TYPES.get(parameter.data_type)
    if path is None or kind is None:
        done(ParameterTold(False, "the file gives no path, or no type that is known"))
        return
    data = b"" if value is None else encode(value, kind, "DCBA")
    message = Asked(_GET if value is None else _SET, path, data).encode()
    device = wire.reached(address)
    session = device.answer(Encapsulated(REGISTER_SESSION, 0, bytes([1, 0, 0, 0])).encode()) if device else None
    if not isinstance(device, Adapter) or session is None:
        clock.at(
            clock.now_ns + _ANSWER_MS * _NS_A_MS,
            lambda: done(ParameterTold(False, f"no answer within {_ANSWER_MS} ms")),
        )
        return
    octets = Encapsulated(SEND_RR_DATA, Encapsulated.decode(session).session, unconnected(message)).encode()

    def arrived() -> None:
        answer = device.answer(octets)
        try:
            reply = Answered.decode(unconnected_message(Encapsulated.decode(answer).data)) if answer else None
        except EncapsulationError:
            reply = None
        if reply is None or reply.status:
            done(ParameterTold(False, f"refused, {told(reply.status, None)}" if reply else "no answer to it"))
            return
        got = reply.data if value is None else data
        known = 8 * len(got) == kind.bits
        text = "read" if value is None else "written"
        done(ParameterTold(True, text, decode(got, kind, "DCBA") if known else None, got))

    clock.at(clock.now_ns + int(2 * device.reply_ms * _NS_A_MS), arrived)


def _path(parameter: Parameter) -> bytes | None:
    try:
        return bytes.fromhex(parameter.path) or None
    except ValueError:
        return None
