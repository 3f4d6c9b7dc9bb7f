"""Requests on demand, whatever their fieldbus: what starts one, after how long it is given up, what it carries."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal, TypeGuard

from highmoor.core.networks.line import Line
from highmoor.core.networks.line_time import ExchangeTiming
from highmoor.core.plant.fields import Choice, FieldSpec
from highmoor.core.plant.rows import Connection

REQUEST = "request"
PERIOD_MS = 1000.0
TIMEOUT_MS = 2000.0
Trigger = Literal["edge", "period", "after"]


@dataclass(frozen=True, slots=True)
class OnDemand:
    """What all requests have. Times in ms (`timeout_ms` 0: it waits for ever); areas by their exchange, "" for none."""

    trigger: Trigger
    period_ms: float
    timeout_ms: float
    send: str
    answer: str

    @property
    def leads(self) -> str:
        """The exchange whose start bit asks: that of the answer, or of what is sent where nothing is taken."""
        return self.answer or self.send


def is_request(connection: Connection) -> bool:
    """Whether a connection stands for a request on demand."""
    return connection.settings.get("kind") == REQUEST


def on_demand(line: Line) -> OnDemand:
    """The request a connection stands for, with defaults filled in."""
    own: dict[str, Any] = line.connection.settings
    out, into = (next((x.id for x in line.exchanges if x.direction == way), "") for way in ("out", "in"))
    trigger, period, timeout = own.get("trigger"), own.get("period_ms"), own.get("timeout_ms")
    return OnDemand(
        trigger if trigger in ("edge", "period", "after") else "edge",
        float(period) if _is_number(period) and period > 0 else PERIOD_MS,
        float(timeout) if _is_number(timeout) else TIMEOUT_MS,
        out, into,
    )  # fmt: skip


def _is_number(value: Any) -> TypeGuard[float]:
    return isinstance(value, int | float) and not isinstance(value, bool)


_KIND = FieldSpec("settings.kind", "Kind", "choice", made=True, choices=(Choice(REQUEST, "request"),))


def trigger_fields(line: Line) -> tuple[FieldSpec, ...]:
    """When it is asked, and how long it waits."""
    period = FieldSpec(
        "settings.period_ms", "Period", "number", default=PERIOD_MS, unit="ms", minimum=1, maximum=86_400_000
    )
    return (
        FieldSpec(
            "settings.trigger", "Asked", "choice", default="edge",
            choices=(
                Choice("edge", "when the start bit rises"),
                Choice("period", "every period"),
                Choice("after", "when the request before it has been answered"),
            ),
        ),
        *((period,) if on_demand(line).trigger == "period" else ()),
        FieldSpec(
            "settings.timeout_ms", "Time-out", "number", default=TIMEOUT_MS, unit="ms", minimum=0, maximum=3_600_000,
            hint="0 waits for ever.",
        ),
        _KIND,
    )  # fmt: skip


def asked_timing(line: Line) -> list[ExchangeTiming]:
    """A request takes no part in the cycle; it is as old as its trigger, and gives up after its time-out."""
    wanted = on_demand(line)
    period = wanted.period_ms if wanted.trigger == "period" else 0.0
    return [
        ExchangeTiming(exchange.id, period, 0.0, 0, 0, 0.0, wanted.timeout_ms, 0.0, 0.0) for exchange in line.exchanges
    ]
