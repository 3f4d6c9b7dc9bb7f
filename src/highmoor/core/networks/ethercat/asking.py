"""Questions beside the cycle, in frames of their own: written as generators that are sent what came back."""

from __future__ import annotations

from collections.abc import Callable, Generator, Sequence
from dataclasses import dataclass
from typing import Any, Protocol, TypeAlias, TypeVar

from highmoor.core.networks.alive import Clock
from highmoor.core.networks.ethercat import datagrams as d
from highmoor.core.networks.ethercat.passing import Passing

# What a controller's port shows as its own (locally administered).
SOURCE = bytes.fromhex("020000000001")


@dataclass(frozen=True, slots=True)
class Wait:
    """Ask nothing for so long."""

    ns: int


@dataclass(slots=True)
class Several:
    """Questions in one frame, at most `TOGETHER`; `told` is what came back of each, empty where the frame was lost."""

    questions: Sequence[d.Sent]
    told: Sequence[d.Sent] = ()


# So few that a cyclic frame that waits for theirs does so for some 20 µs.
TOGETHER = 12

T = TypeVar("T")
Talk: TypeAlias = Generator["d.Sent | Several | Wait", "d.Sent | None", T]
Asking: TypeAlias = Talk[object]


class Failed(Exception):
    """It cannot be brought up: why, in words; the AL status code and the state it is in where it told."""

    def __init__(self, text: str, code: int = 0, state: int = 0) -> None:
        super().__init__(text)
        self.text, self.code, self.state = text, code, state


class Line(Protocol):
    """The controller's side of a medium on the fly."""

    def send(
        self, octets: bytes, alter: Any, back: Callable[[bytes | None], None],
        straight: Callable[[int], bool] | None = None,
    ) -> int: ...  # fmt: skip


@dataclass(slots=True)
class Asker:
    """Whoever asks over a line; nothing more once he has `stopped`."""

    clock: Clock
    line: Line
    passing: Passing
    lost: int = 0
    stopped: bool = False
    _number: int = 0

    def run(self, asking: Asking, done: Callable[[Any], None] = lambda _: None) -> None:
        """Ask on until it has no more questions; `done` is given what it found, or why it failed."""
        self._next(asking, done, None)

    def _next(self, asking: Asking, done: Callable[[Any], None], told: d.Sent | None) -> None:
        if self.stopped:
            return
        try:
            wanted = asking.send(told)
        except StopIteration as end:
            done(end.value)
            return
        except Failed as failed:
            done(failed)
            return
        if isinstance(wanted, Wait):
            self.clock.at(self.clock.now_ns + wanted.ns, lambda: self._next(asking, done, None))
            return
        questions = wanted.questions if isinstance(wanted, Several) else (wanted,)
        sent = []
        for one in questions:
            self._number = self._number % 255 + 1
            sent.append(d.Sent(one.command, self._number, one.address, one.data))

        def back(octets: bytes | None) -> None:
            came = d.decode(octets) if octets else []
            if not came:
                self.lost += 1
            if isinstance(wanted, Several):
                wanted.told = came
                self._next(asking, done, None)
            else:
                self._next(asking, done, came[0] if came else None)

        self.line.send(d.encode(SOURCE, sent), self.passing.alter, back)
