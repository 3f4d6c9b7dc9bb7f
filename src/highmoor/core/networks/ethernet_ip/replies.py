"""What an answer of a device says: the message in its frame, its code, its refusal in words."""

from __future__ import annotations

from highmoor.core.networks.ethernet_ip.encapsulation import Encapsulated, EncapsulationError, unconnected_message
from highmoor.core.networks.ethernet_ip.explain import told
from highmoor.core.networks.ethernet_ip.messages import Answered


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
    """Why an answer is none to go on with, in words with what stands behind the status; "" for a good one."""
    if reply is None:
        return "no answer to it"
    if not reply.status:
        return ""
    words = reply.extended
    return f"refused, {told(reply.status, words[0] if words else None)}{_behind(words)}"


def _behind(words: tuple[int, ...]) -> str:
    """The figures that a device sends along with some statuses (CIP volume 1, 3-5.6)."""
    if len(words) >= 2 and words[0] in (0x0109, 0x0127, 0x0128):
        return f"; {words[1]} octets are expected"
    if len(words) >= 6 and words[0] == 0x0112:
        out, into = words[2] | words[3] << 16, words[4] | words[5] << 16
        return f"; {out / 1000:g} ms to it and {into / 1000:g} ms from it would be taken"
    return ""
