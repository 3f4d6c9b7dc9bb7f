"""A controller's TCP connection to a device, with its session: opened when it is first needed, kept, ended.

Source: CIP volume 2, 2-4.4 (RegisterSession), 2-3.5 (sender context).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from highmoor.core.networks.alive import Clock, Wire
from highmoor.core.networks.ethernet_ip.adapter import Adapter, Hear
from highmoor.core.networks.ethernet_ip.encapsulation import (
    REGISTER_SESSION,
    SEND_RR_DATA,
    UNREGISTER_SESSION,
    VERSION,
    Encapsulated,
    EncapsulationError,
    unconnected,
)
from highmoor.core.networks.ethernet_ip.messages import Asked
from highmoor.core.networks.ethernet_ip.served import TCP_PORT, Served

_NS_A_MS = 1_000_000
# Called with the frame that was sent, and with the one that answers it (None: nobody did in time).
Sent = Callable[[bytes], None]
Answer = Callable[[bytes | None], None]


@dataclass(slots=True, eq=False)
class _Message:
    asked: Asked
    sent: Sent
    answer: Answer
    hear: Hear | None
    over: bool = False


@dataclass(slots=True)
class Session:
    """One connection to one address. A message sent while it is being opened goes when it is open."""

    clock: Clock
    wire: Wire
    address: str
    _served: Served | None = None
    _link: int = 0
    _handle: int = 0
    _context: int = 0
    _waiting: list[_Message] = field(default_factory=list)
    _unanswered: int = 0
    _ending: bool = False
    _came: int = 0

    def ask(self, asked: Asked, timeout_ms: float, sent: Sent, answer: Answer, hear: Hear | None = None) -> None:
        """Send a message; `answer` is called once, with None when nobody answers within the time-out (0: for ever)."""
        message = _Message(asked, sent, answer, hear)
        if timeout_ms > 0:
            give_up = self.clock.now_ns + int(timeout_ms * _NS_A_MS)
            self.clock.at(give_up, lambda: self._given_up(message), priority=1)
        device = self._device()
        if device is None:
            # Nothing goes out where no connection stands.
            return
        if self._served is None or not self._served.open:
            self._connect(device)
        if self._handle:
            self._transmit(message)
        else:
            self._waiting.append(message)

    def end(self) -> None:
        """End the session when what was asked is answered; no answer comes to that itself."""
        self._ending = True
        if self._unanswered:
            return
        served, handle = self._served, self._handle
        if served and handle and self._device():
            frame = Encapsulated(UNREGISTER_SESSION, handle, b"").encode()
            self._told(frame, to_device=True)
            served.answer(frame)
        self._over()

    def _over(self) -> None:
        """The TCP connection is no more."""
        self._served, self._handle, self._waiting, self._unanswered = None, 0, [], 0
        if self._link:
            self.wire.closed(self._link)
            self._link = 0

    def _device(self) -> Adapter | None:
        device = self.wire.reached(self.address)
        return device if isinstance(device, Adapter) else None

    def _connect(self, device: Adapter) -> None:
        device.sessions += 1
        self._served, self._handle = Served(device, device.sessions), 0
        self._link = self.wire.opened(self.address, TCP_PORT)
        served = self._served
        # Protocol version 1, no options.
        frame = self._frame(REGISTER_SESSION, VERSION.to_bytes(2, "little") + bytes(2))
        self._told(frame, to_device=True)
        self.clock.at(self.clock.now_ns + int(device.reply_ms * _NS_A_MS), lambda: self._registered(served, frame))

    def _registered(self, served: Served, frame: bytes) -> None:
        if self._device() is None or served is not self._served:
            return
        answer = served.answer(frame)
        if answer is None:
            return
        self._told(answer, to_device=False)
        self._handle = Encapsulated.decode(answer).session
        self._idle_from_now(served)
        waiting, self._waiting = self._waiting, []
        for message in waiting:
            if not message.over:
                self._transmit(message)

    def _frame(self, command: int, data: bytes) -> bytes:
        self._context += 1
        return Encapsulated(command, self._handle, data, context=self._context).encode()

    def _transmit(self, message: _Message) -> None:
        served, device = self._served, self._device()
        if served is None or device is None:
            return
        frame = self._frame(SEND_RR_DATA, unconnected(message.asked.encode()))
        message.sent(frame)
        self._unanswered += 1
        self._told(frame, to_device=True)
        arrives = self.clock.now_ns + int(device.reply_ms * _NS_A_MS)
        self.clock.at(arrives, lambda: self._arrived(served, frame, message))

    def _arrived(self, served: Served, frame: bytes, message: _Message) -> None:
        # A cable pulled meanwhile takes the frame, or its answer, with it.
        if self._device() is None or served is not self._served:
            return
        answer = served.answer(frame, message.hear)
        if answer is None:
            return
        self._told(answer, to_device=False)
        self._idle_from_now(served)
        try:
            mine = Encapsulated.decode(answer).context == Encapsulated.decode(frame).context
        except EncapsulationError:
            return
        self._unanswered -= 1
        if mine and not message.over:
            message.over = True
            message.answer(answer)
        if self._ending:
            self.end()

    def _idle_from_now(self, served: Served) -> None:
        """The device ends a connection on which nothing came for its time; what is asked later opens another."""
        self._came += 1
        came, idle_s = self._came, served.adapter.facts.idle_s

        def ended() -> None:
            if served is self._served and came == self._came and not self._unanswered:
                served.open = False
                self._over()

        if idle_s > 0:
            self.clock.at(self.clock.now_ns + int(idle_s * 1000 * _NS_A_MS), ended)

    def _given_up(self, message: _Message) -> None:
        if message.over:
            return
        message.over = True
        if self._device() is None:
            # A connection over which nothing comes any more is given up with what was asked.
            self._over()
        message.answer(None)

    def _told(self, frame: bytes, *, to_device: bool) -> None:
        self.wire.carried(self._link, frame, to_device=to_device)
