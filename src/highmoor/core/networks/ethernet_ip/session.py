"""A controller's TCP connection to a device, with its session: opened when it is first needed, kept, ended.

Source: CIP volume 2, 2-4.4 (RegisterSession), 2-3.5 (sender context).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from highmoor.core.networks.alive import Clock
from highmoor.core.networks.ethernet_ip.encapsulation import (
    REGISTER_SESSION,
    SEND_RR_DATA,
    TCP_PORT,
    UNREGISTER_SESSION,
    VERSION,
    Encapsulated,
    EncapsulationError,
    unconnected,
)
from highmoor.core.networks.ethernet_ip.messages import Asked
from highmoor.core.networks.media import Host, TcpEnd

_NS_A_MS = 1_000_000
# Called with the frame that was sent, and with the one that answers it (None: nobody did in time).
Sent = Callable[[bytes], None]
Answer = Callable[[bytes | None], None]


@dataclass(slots=True, eq=False)
class _Message:
    asked: Asked
    sent: Sent
    answer: Answer
    over: bool = False


@dataclass(slots=True)
class Session:
    """One connection to one address. A message sent while it is being opened goes when it is open."""

    clock: Clock
    host: Host
    address: str
    _end: TcpEnd | None = None
    _handle: int = 0
    _context: int = 0
    _waiting: list[_Message] = field(default_factory=list)
    _unanswered: dict[int, _Message] = field(default_factory=dict)
    _ending: bool = False

    def ask(self, asked: Asked, timeout_ms: float, sent: Sent, answer: Answer) -> None:
        """Send a message; `answer` is called once, with None when nobody answers within the time-out (0: for ever)."""
        message = _Message(asked, sent, answer)
        if timeout_ms > 0:
            give_up = self.clock.now_ns + int(timeout_ms * _NS_A_MS)
            self.clock.at(give_up, lambda: self._given_up(message), priority=1)
        end = self._end or self._connected()
        if end is None:
            # Nothing goes out where no connection stands.
            return
        if self._handle:
            self._transmit(end, message)
        else:
            self._waiting.append(message)

    def end(self) -> None:
        """End the session when what was asked is answered; no answer comes to that itself."""
        self._ending = True
        if self._unanswered:
            return
        if self._end and self._handle:
            self._end.send(Encapsulated(UNREGISTER_SESSION, self._handle, b"").encode())
        self._over()

    def _over(self) -> None:
        """The TCP connection is no more."""
        end, self._end = self._end, None
        self._handle, self._waiting, self._unanswered = 0, [], {}
        if end:
            end.close()

    def _connected(self) -> TcpEnd | None:
        end = self._end = self.host.connect(self.address, TCP_PORT)
        if end:
            end.on(self._heard, self._over)
            # Protocol version 1, no options.
            end.send(self._frame(REGISTER_SESSION, VERSION.to_bytes(2, "little") + bytes(2)))
        return end

    def _heard(self, octets: bytes) -> None:
        try:
            frame = Encapsulated.decode(octets)
        except EncapsulationError:
            return
        if frame.command == REGISTER_SESSION:
            self._registered(frame.session)
            return
        message = self._unanswered.pop(frame.context, None)
        if message and not message.over:
            message.over = True
            message.answer(octets)
        if self._ending:
            self.end()

    def _registered(self, handle: int) -> None:
        self._handle = handle
        waiting, self._waiting = self._waiting, []
        for message in waiting:
            if self._end and not message.over:
                self._transmit(self._end, message)

    def _frame(self, command: int, data: bytes) -> bytes:
        self._context += 1
        return Encapsulated(command, self._handle, data, context=self._context).encode()

    def _transmit(self, end: TcpEnd, message: _Message) -> None:
        if not end.whole:
            return
        frame = self._frame(SEND_RR_DATA, unconnected(message.asked.encode()))
        message.sent(frame)
        self._unanswered[self._context] = message
        end.send(frame)

    def _given_up(self, message: _Message) -> None:
        if message.over:
            return
        message.over = True
        self._unanswered = {context: other for context, other in self._unanswered.items() if other is not message}
        if self._end and not (self._end.whole and self._handle):
            # A connection over which nothing comes any more is given up with what was asked.
            self._over()
        message.answer(None)
        if self._ending:
            self.end()
