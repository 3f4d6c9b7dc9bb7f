"""Requests of the program on the bench: an object read or written through the device's mailbox, beside the cycle."""

from __future__ import annotations

from collections.abc import Callable, Generator
from dataclasses import dataclass
from typing import Any

from highmoor.core.networks.alive import Clock, Memory
from highmoor.core.networks.ethercat.asking import Asker, Failed, Talk
from highmoor.core.networks.ethercat.bring_up import mailbox_octets, spelled_abort, through_mailbox
from highmoor.core.networks.ethercat.explain import INIT, SHUT, abort_in_16
from highmoor.core.networks.ethercat.mailbox import Aborted, MailboxError, reading, writing
from highmoor.core.networks.ethercat.requests import Request, request_of
from highmoor.core.networks.ethercat.rounds import NodeLive
from highmoor.core.networks.line import BenchLine
from highmoor.core.networks.requester import Came, Requester
from highmoor.core.numbers import shown

_NS_A_MS = 1_000_000
# Protocol time-out (ETG.1000.6, table 41).
_TIMED_OUT = 0x05040000
_FOR_EVER_MS = 1e9


@dataclass(frozen=True, slots=True)
class _Asks:
    """A line's object, asked for by the network's controller. `live`: who answers, as he is seen; None for nobody."""

    asker: Asker
    live: NodeLive | None
    request: Request

    def __call__(self, data: bytes, sent: Callable[[bytes], None], came: Callable[[Came], None]) -> None:
        live, waits = self.live, self.request.timeout_ms
        why = "nobody is there who could answer" if live is None or not live.found else ""
        if live is not None and not why and live.state == INIT:
            why = f"it is in Init, where its mailbox is shut: {live.text}"
        if live is None or why or self.request.index is None:
            came(Came(SHUT, why or "nobody has said for which object"))
            return
        if waits > 0:
            late = Came(abort_in_16(_TIMED_OUT), f"no answer within {shown(waits)} ms")
            self.asker.clock.at(self.asker.clock.now_ns + int(waits * _NS_A_MS), lambda: came(late), priority=1)
        self.asker.run(live.alone(self._asking(live, data, sent)), came)

    def _asking(self, live: NodeLive, data: bytes, sent: Callable[[bytes], None]) -> Talk[Came]:
        request, node = self.request, live.node
        assert request.index is not None
        service = (
            writing(request.index, request.subindex, data, mailbox_octets(node)) if request.writes
            else reading(request.index, request.subindex)
        )  # fmt: skip
        heard: list[bytes] = []
        waits = request.timeout_ms if request.timeout_ms > 0 else _FOR_EVER_MS
        try:
            found = yield from through_mailbox(node, live.address, _told(service, sent, heard), waits)
        except Aborted as aborted:
            return Came(abort_in_16(aborted.code), spelled_abort(aborted.code), response=b"".join(heard))
        except (Failed, MailboxError) as failed:
            return Came(SHUT, str(failed), response=b"".join(heard))
        return Came(data=found, response=b"".join(heard))


def _told(
    service: Generator[bytes, bytes, bytes], sent: Callable[[bytes], None], heard: list[bytes]
) -> Generator[bytes, bytes, bytes]:
    """The service itself, what goes to and fro told: of several segments the first question and the last answer."""
    question = next(service)
    sent(question)
    while True:
        heard[:] = [(yield question)]
        try:
            question = service.send(heard[0])
        except StopIteration as end:
            told: bytes = end.value
            return told


def begin_requests(
    clock: Clock, memory: Memory, asker: Asker, lines: list[BenchLine], nodes: dict[Any, NodeLive]
) -> None:
    """Let every request of a network wait for its trigger, each for the one before it where it is one of a chain."""
    before: Requester | None = None
    for line in lines:
        request = request_of(line.line)
        live = nodes.get(request.node.id) if request.node else None
        octets = request.octets if request.writes else 0
        made = Requester(clock, memory, line, octets, request.octets - octets, _Asks(asker, live, request))
        made.begin(before)
        memory.at_stop.append(made.stop)
        before = made
