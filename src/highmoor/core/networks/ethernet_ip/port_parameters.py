"""Parameters of devices on an IO-Link master's ports, asked through it: a class of the maker's own, an instance a port.

A request holds index and subindex, low octet first, and for writing the octets; an error of the device comes back as
an extended status of 16#1F (CIP volume 1, appendix B).
"""

from __future__ import annotations

import struct
from collections.abc import Callable

from highmoor.core.figures.cip import path
from highmoor.core.networks.alive import Clock
from highmoor.core.networks.ethernet_ip.acceptance import Refused
from highmoor.core.networks.ethernet_ip.messages import Answered, Asked, routed
from highmoor.core.networks.ethernet_ip.paths import ReadPath
from highmoor.core.networks.ethernet_ip.replies import refusal_of, reply_in
from highmoor.core.networks.ethernet_ip.session import Session
from highmoor.core.networks.ethernet_ip.settings import hops_to
from highmoor.core.networks.io_link.parameters import PortAnswer, PortAsk, Served
from highmoor.core.networks.media import Host
from highmoor.core.plant.fields import FieldSpec
from highmoor.core.plant.rows import Json, Rail, Station

READ, WRITE = 0x4B, 0x4C
_ANSWER_MS, _MAKERS_OWN = 5000, 0x1F
_HINT = "A class of its maker's own, with an instance a port; its manual names it."


def port_fields(row: Rail, _: object) -> tuple[FieldSpec, ...]:
    """By which class and services a master is asked for parameters of what hangs on its ports."""
    return (
        FieldSpec("settings.parameter_class", "Parameters by class", "integer", minimum=1, maximum=0xFFFF,
                  optional=True, hint=_HINT),
        FieldSpec("settings.read_service", "Service that reads", "integer", default=READ, minimum=1, maximum=127,
                  optional=True),
        FieldSpec("settings.write_service", "Service that writes", "integer", default=WRITE, minimum=1, maximum=127,
                  optional=True),
    )  # fmt: skip


def port_answer(asked: Asked, where: ReadPath, ports: Served) -> Answered:
    """What a master answers for one of its ports. Raises Refused."""
    if asked.service not in (READ, WRITE):
        raise Refused(0x08)
    if len(asked.data) < 3:
        raise Refused(0x13)
    index, subindex = struct.unpack_from("<HB", asked.data)
    octets = asked.data[3:] if asked.service == WRITE else None
    answer = ports(PortAsk(where.instance or 0, index, subindex, octets))
    if answer.error:
        raise Refused(_MAKERS_OWN, answer.error)
    return Answered(asked.service, 0, (), answer.octets)


def ask_port(
    clock: Clock, medium: Host, station: Station, settings: Json, ask: PortAsk,
    done: Callable[[PortAnswer | str], None],
) -> None:  # fmt: skip
    """One request in a session of its own; a master that is silent is noticed after 5 s."""
    by_class = settings.get("parameter_class")
    if not isinstance(by_class, int):
        done("nobody says by which class its master is asked: set it with the ports")
        return
    service = settings.get("read_service" if ask.octets is None else "write_service")
    usual = READ if ask.octets is None else WRITE
    data = struct.pack("<HB", ask.index, ask.subindex) + (ask.octets or b"")
    session = Session(clock, medium, station.address)

    def answered(frame: bytes | None) -> None:
        session.end()
        reply = reply_in(frame)
        if frame is None:
            done(f"no answer within {_ANSWER_MS} ms")
        elif reply is not None and reply.status == _MAKERS_OWN and reply.extended:
            done(PortAnswer(reply.extended[0]))
        elif reply is None or reply.status:
            done(refusal_of(reply))
        else:
            done(PortAnswer(0, reply.data))

    message = routed(
        Asked(service if isinstance(service, int) else usual, path(by_class, ask.port), data), hops_to(station),
        _ANSWER_MS,
    )  # fmt: skip
    session.ask(message, _ANSWER_MS, lambda _: None, answered)
