"""Parameters in a device, read and written by their paths (get and set one attribute, CIP volume 1, appendix A-4)."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from highmoor.core.catalogue.types import Parameter
from highmoor.core.datatypes import DATA_TYPES, decode, encode
from highmoor.core.networks.alive import Clock, ParameterTold
from highmoor.core.networks.ethernet_ip.adapter import IDENTITY_OBJECT, INTERFACE_CONFIGURATION, RESET
from highmoor.core.networks.ethernet_ip.messages import Asked, routed
from highmoor.core.networks.ethernet_ip.replies import refusal_of, reply_in
from highmoor.core.networks.ethernet_ip.session import Session
from highmoor.core.networks.ethernet_ip.settings import hops_to
from highmoor.core.networks.live import RunAct
from highmoor.core.networks.media import Host
from highmoor.core.plant.rows import Station

_ANSWER_MS = 2000
_GET, _SET = 0x0E, 0x10


def access(
    clock: Clock, medium: Host, station: Station, parameter: Parameter, value: float | None,
    done: Callable[[ParameterTold], None],
) -> None:  # fmt: skip
    """One request by the parameter's path, in a session of its own; a device that is silent is noticed after 2 s."""
    path, kind = _path(parameter), DATA_TYPES.get(parameter.data_type)
    if path is None or kind is None:
        done(ParameterTold(False, "the file gives no path, or no type that is known"))
        return
    data = b"" if value is None else encode(value, kind, "DCBA")
    session = Session(clock, medium, station.address)

    def answered(frame: bytes | None) -> None:
        session.end()
        if frame is None:
            done(ParameterTold(False, f"no answer within {_ANSWER_MS} ms"))
            return
        reply = reply_in(frame)
        if reply is None or reply.status:
            done(ParameterTold(False, refusal_of(reply)))
            return
        got = reply.data if value is None else data
        known = 8 * len(got) == kind.bits
        text = "read" if value is None else "written"
        done(ParameterTold(True, text, decode(got, kind, "DCBA") if known else None, got))

    message = routed(Asked(_GET if value is None else _SET, path, data), hops_to(station), _ANSWER_MS)
    session.ask(message, _ANSWER_MS, lambda _: None, answered)


def _path(parameter: Parameter) -> bytes | None:
    try:
        return bytes.fromhex(parameter.path) or None
    except ValueError:
        return None


def reset(kind: int, says: str) -> RunAct:
    """A reset of the identity object of a kind: 0 as if its power had been away, 2 with factory settings but for its
    address (CIP volume 1, 5-2.3.3)."""

    def run(clock: Clock, medium: Host, __: Any, at: str, _: str, done: Callable[[ParameterTold], None]) -> None:
        session = Session(clock, medium, at)

        def answered(frame: bytes | None) -> None:
            session.end()
            reply = reply_in(frame) if frame is not None else None
            if reply is not None and not reply.status:
                done(ParameterTold(True, says))
            else:
                none = f"no answer within {_ANSWER_MS} ms"
                done(ParameterTold(False, none if frame is None else refusal_of(reply)))

        session.ask(Asked(RESET, IDENTITY_OBJECT, bytes([kind])), _ANSWER_MS, lambda _: None, answered)

    return run


def set_address(
    clock: Clock, medium: Host, __: Any, at: str, value: str, done: Callable[[ParameterTold], None]
) -> None:
    """The interface configuration with another address, all else as the device has it (CIP volume 2, 5-4.3.2.5)."""
    session = Session(clock, medium, at)
    path = INTERFACE_CONFIGURATION

    def ended(frame: bytes | None) -> bytes | None:
        reply = reply_in(frame) if frame is not None else None
        if reply is not None and not reply.status:
            return reply.data
        session.end()
        done(ParameterTold(False, refusal_of(reply) if frame is not None else f"no answer within {_ANSWER_MS} ms"))
        return None

    def written(frame: bytes | None) -> None:
        if ended(frame) is not None:
            session.end()
            done(ParameterTold(True, f"it has the address {value} now"))

    def read(frame: bytes | None) -> None:
        own = ended(frame)
        if own is not None:
            # Addresses stand low octet first here.
            data = bytes(reversed([int(part) for part in value.split(".")])) + own[4:]
            session.ask(Asked(_SET, path, data), _ANSWER_MS, lambda _: None, written)

    session.ask(Asked(_GET, path), _ANSWER_MS, lambda _: None, read)
