"""Objects in devices on the bench: what was read and written of each, one device at a time."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass, field
from typing import Any

from highmoor.core.errors import Refusal
from highmoor.core.networks.alive import Clock
from highmoor.core.networks.live import ObjectAccess, ObjectAsk, ObjectTold

# Who answers for a row: how its objects are reached, and its master.
Reached = Callable[[str], tuple[ObjectAccess, Any] | None]


@dataclass(slots=True)
class _Under:
    """Values that are being read or written in a device."""

    asked: int
    done: int = 0
    stopped: bool = False


@dataclass(slots=True)
class ObjectsInDevices:
    """What is known of objects, by row and by index and subindex; `news` is what has not been told yet."""

    clock: Clock
    reached: Reached
    news: list[dict[str, Any]] = field(default_factory=list)
    _under: dict[str, _Under] = field(default_factory=dict)

    def read(self, row: str, key: str = "") -> None:
        """Read a value, or with no key all that its file describes. Raises Refusal where nobody can be asked."""
        access, master = self._reach(row)
        asks = [_parsed(key)] if key else access.readable(master, row)
        if not asks:
            raise Refusal("Its file describes no object.", place=row)
        self._ask(row, access, master, asks)

    def write(self, row: str, key: str, typed: str) -> None:
        """Write a value as it was typed. Raises Refusal for what is none, or where nobody can be asked."""
        access, master = self._reach(row)
        at = _parsed(key)
        octets = access.octets(master, row, at.index, at.subindex, typed)
        self._ask(row, access, master, [ObjectAsk(at.index, at.subindex, octets)])

    def stop(self, row: str) -> None:
        """No more than what is asked already."""
        under = self._under.get(row)
        if under:
            under.stopped = True

    def under_way(self) -> dict[str, dict[str, int]]:
        """Where something is being asked: how many values, how many of them are known."""
        return {
            row: {"asked": one.asked, "done": one.done}
            for row, one in self._under.items()
            if one.done < one.asked and not one.stopped
        }

    def _reach(self, row: str) -> tuple[ObjectAccess, Any]:
        found = self.reached(row)
        if found is None:
            raise Refusal("It has no objects that can be reached here.", place=row)
        if row in self.under_way():
            raise Refusal("It is being read: wait until that is done, or stop it.", place=row)
        return found

    def _ask(self, row: str, access: ObjectAccess, master: Any, asks: Sequence[ObjectAsk]) -> None:
        under = _Under(len(asks))

        def told(ask: ObjectAsk, seen: ObjectTold) -> bool:
            under.done += 1
            self._tell(row, access, master, ask, seen)
            return not under.stopped

        access.ask(master, row, asks, told)
        self._under[row] = under

    def _tell(self, row: str, access: ObjectAccess, master: Any, ask: ObjectAsk, seen: ObjectTold) -> None:
        forms = access.forms(master, row, ask.index, ask.subindex, seen.octets) if seen.good else None
        self.news.append(
            {
                "row": row,
                "key": f"{ask.index:04X}:{ask.subindex:02X}",
                "good": seen.good,
                "text": seen.text,
                "forms": asdict(forms) if forms else None,
                "at_s": self.clock.now_ns / 1e9,
            }
        )


def _parsed(key: str) -> ObjectAsk:
    index, colon, sub = key.partition(":")
    try:
        return ObjectAsk(int(index, 16), int(sub, 16) if colon else 0)
    except ValueError:
        raise Refusal(f"“{key[:20]}” is no index and subindex.", field="key", value=key) from None
