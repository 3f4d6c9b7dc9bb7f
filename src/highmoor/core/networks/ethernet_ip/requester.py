"""Requests on demand of EtherNet/IP on the bench: a message of the controller's session, its status in words."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from highmoor.core.errors import Refusal
from highmoor.core.networks.alive import Clock, Memory
from highmoor.core.networks.ethernet_ip.messages import OPEN_TIMEOUT_MS, Asked, routed
from highmoor.core.networks.ethernet_ip.replies import code_of, refusal_of, reply_in
from highmoor.core.networks.ethernet_ip.requests import request_of
from highmoor.core.networks.ethernet_ip.session import Session
from highmoor.core.networks.ethernet_ip.settings import hops_to
from highmoor.core.networks.line import BenchLine, Line
from highmoor.core.networks.requester import Came, Requester
from highmoor.core.numbers import shown

_NO_PATH, _NO_ANSWER = 0x04, 0x0204


@dataclass(frozen=True, slots=True)
class _Asks:
    """A line's service, asked for over a session."""

    session: Session
    line: Line

    def __call__(self, data: bytes, sent: Callable[[bytes], None], came: Callable[[Came], None]) -> None:
        request = request_of(self.line)
        try:
            message = Asked(request.service, request.path, data)
        except Refusal as refusal:
            came(Came(_NO_PATH, f"not asked: {refusal.reason}"))
            return
        waits = request.timeout_ms
        message = routed(message, hops_to(self.line.station), waits or OPEN_TIMEOUT_MS)
        self.session.ask(message, waits, sent, lambda frame: came(_came(frame, waits)))


def _came(frame: bytes | None, waited_ms: float) -> Came:
    if frame is None:
        return Came(_NO_ANSWER, f"no answer within {shown(waited_ms)} ms")
    reply = reply_in(frame)
    if reply is None or reply.status:
        return Came(code_of(reply), refusal_of(reply), response=frame)
    return Came(data=reply.data, response=frame)


def requester(clock: Clock, memory: Memory, session: Session, bench_line: BenchLine) -> Requester:
    """What makes a line's request."""
    request = request_of(bench_line.line)
    asks = _Asks(session, bench_line.line)
    return Requester(clock, memory, bench_line, request.send_octets, request.answer_octets, asks)
