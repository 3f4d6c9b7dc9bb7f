"""A Modbus server as it is built, whatever carries its frames: what it is, its modules, its watchdog."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Annotated, Any

from pydantic import Field

from highmoor.core.catalogue.types import DeviceType
from highmoor.core.networks.alive import Clock
from highmoor.core.networks.live import DeviceRail
from highmoor.core.networks.modbus.identification import Identification
from highmoor.core.networks.modbus.server import RegisterServer, coupler
from highmoor.core.networks.modbus.settings import REPLY_MS, WATCHDOG_MS, reply_ms, watchdog_ms
from highmoor.core.plant.fields import FieldSpec
from highmoor.core.plant.rows import Station

NS_A_MS = 1_000_000
REPLY_FIELD = FieldSpec(
    "facts.reply_ms", "Answers after", "number", unit="ms", minimum=0, maximum=60_000, optional=True
)


@dataclass(frozen=True, slots=True, kw_only=True)
class ServerFacts:
    """A server as it is built: ms it thinks, ms a coupler waits for the next write (0: for ever).

    `maker`, `product` and `revision` are what it tells of itself, nothing where there is none of them; a coupler tells
    of its modules from input register `modules_at` on.
    """

    reply_ms: Annotated[float, Field(ge=0, le=60_000)] = REPLY_MS
    watchdog_ms: Annotated[float, Field(ge=0, le=3_600_000)] = WATCHDOG_MS
    maker: str = ""
    product: str = ""
    revision: str = ""
    modules_at: Annotated[int, Field(ge=0, le=65535)] | None = None


def facts_of(station: Station | None, device: DeviceType | None) -> dict[str, Any]:
    """What any server is as configured: as its station says, and as its type tells of itself."""
    facts: dict[str, Any] = {}
    if station is not None:
        facts |= {"reply_ms": reply_ms(station), "watchdog_ms": watchdog_ms(station.settings)}
    if device is not None and device.order_number:
        newest = device.revisions[-1] if device.revisions else ""
        facts |= {"maker": device.maker, "product": device.order_number, "revision": newest}
        facts["modules_at"] = device.modules_told.first if device.modules_told else None
    return facts


def server_of(facts: ServerFacts, rail: DeviceRail | None, clock: Clock) -> RegisterServer:
    """Registers that a model stands behind, or those of a rail's modules, let go of when nobody writes any more."""
    if rail is None:
        server = RegisterServer(facts.reply_ms)
    else:
        told = (facts.modules_at, rail.idents) if facts.modules_at is not None else None
        server = coupler(facts.reply_ms, rail.image_in, rail.image_out, told)
    if facts.maker or facts.product:
        server.identification = Identification(facts.maker, facts.product, facts.revision)
    if rail is not None and facts.watchdog_ms:
        server.written = _Watchdog(clock, rail.let_go, int(facts.watchdog_ms * NS_A_MS)).fed
    return server


@dataclass(slots=True)
class _Watchdog:
    """Acts when nobody has written for a time, ns."""

    clock: Clock
    let_go: Callable[[], None]
    waits_ns: int
    _fed_ns: int = 0

    def fed(self) -> None:
        """Somebody wrote: the time begins anew."""
        self._fed_ns = self.clock.now_ns
        self.clock.at(self._fed_ns + self.waits_ns, self._look)

    def _look(self) -> None:
        if self.clock.now_ns >= self._fed_ns + self.waits_ns:
            self.let_go()
