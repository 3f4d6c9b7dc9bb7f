"""What a fieldbus meets on the bench beside the medium: a clock, a controller's image; and what it tells of itself."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Literal, Protocol

from highmoor.core.catalogue.types import Parameter
from highmoor.core.plant.rows import Station


class Clock(Protocol):
    """Virtual time of the bench in ns; what is due is called in order of time, priority and asking."""

    @property
    def now_ns(self) -> int: ...

    def at(self, time_ns: int, action: Callable[[], None], priority: int = 0) -> None: ...


class Memory(Protocol):
    """A simulated controller's image as a fieldbus master may use it."""

    @property
    def id(self) -> str:
        """The controller's own id in the plant."""

    image_in: bytearray
    image_out: bytearray
    # Called in order when the controller stops.
    at_stop: list[Callable[[], None]]

    def fresh(self) -> int:
        """A number from 1 on that this controller has not used yet, over all its networks."""
        ...

    def set_code(self, exchange: str, code: int) -> None:
        """What came of an exchange: 0 is good, and sets its status bit."""
        ...

    def set_running(self, exchange: str, running: bool) -> None:
        """Whether it has been asked and not been answered yet."""
        ...

    def set_length(self, exchange: str, octets: int) -> None:
        """How many octets of data it carried the last time, 0 for a failure."""
        ...

    def set_state(self, exchange: str, state: int) -> None:
        """The state of its device, by its fieldbus's numbers."""
        ...

    def started(self, exchange: str) -> bool:
        """Its start bit, as the program last wrote it."""
        ...


@dataclass(slots=True)
class ExchangeLive:
    """An exchange as it goes on the bench: the last octets both ways and what came of them. Times in ns.

    `data` is what it last carried well, without what its fieldbus wraps around it.
    """

    exchange: str
    name: str
    state: Literal["waiting", "good", "bad"] = "waiting"
    text: str = "not asked yet"
    # Asked when the program wants it, so that nobody waits for it to be asked.
    on_demand: bool = False
    request: bytes = b""
    response: bytes = b""
    data: bytes = b""
    last_good_ns: int | None = None
    transactions: int = 0
    failures: int = 0
    # The latest it was begun after it had been due.
    late_ns: int = 0
    # Octets of the controller's image, from and up to, that came and do not count: who gave them says so.
    doubtful: tuple[tuple[int, int], ...] = ()
    # Brings what is told up to now, where that is not done at every exchange; whoever looks calls it before.
    refresh: Callable[[], None] = lambda: None

    def left_to_the_program(self) -> None:
        """It is asked when the program wants it."""
        self.on_demand, self.text = True, "on demand, not asked yet"


@dataclass(frozen=True, slots=True)
class ParameterTold:
    """What came of reading or writing a parameter in a device: its raw value (None: not known), its octets."""

    good: bool
    text: str
    value: float | int | None = None
    octets: bytes = b""


class ParameterAccess(Protocol):
    """Reads a parameter in a station (`value` None) or writes it; `done` is told what came of it, later."""

    def __call__(
        self, clock: Clock, medium: Any, station: Station, parameter: Parameter, value: float | None,
        done: Callable[[ParameterTold], None],
    ) -> None: ...  # fmt: skip
