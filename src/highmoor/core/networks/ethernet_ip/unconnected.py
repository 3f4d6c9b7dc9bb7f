"""A message to a device outside of any connection: within a session, over TCP port 44818."""

from __future__ import annotations

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


def framed(device: Adapter | None, message: Asked) -> bytes:
    """The frame that carries a message, within a session of the device; where there is none, its session is 0."""
    # Protocol version 1, no options.
    session = device.answer(Encapsulated(REGISTER_SESSION, 0, bytes([1, 0, 0, 0])).encode()) if device else None
    handle = Encapsulated.decode(session).session if session else 0
    return Encapsulated(SEND_RR_DATA, handle, unconnected(message.encode())).encode()


def reply_in(frame: bytes | None) -> Answered | None:
    """The answer that a frame carries, None where it carries none."""
    if frame is None:
        return None
    try:
        return Answered.decode(unconnected_message(Encapsulated.decode(frame).data))
    except EncapsulationError:
        return None


def code_of(reply: Answered | None) -> int:
    """The error code of an answer: the general status, or for a refused connection the extended one; 0 is good."""
    if reply is None:
        return 0x0204
    return reply.extended[0] if reply.status == 1 and reply.extended else reply.status


def refusal_of(reply: Answered | None) -> str:
    """Why an answer is none to go on with, in words; "" for a good one."""
    if reply is None:
        return "no answer to it"
    if reply.status:
        return f"refused, {told(reply.status, reply.extended[0] if reply.extended else None)}"
    return ""
