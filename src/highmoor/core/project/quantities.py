"""The quantity list: how many of each type are fitted, how many lie in stock, and what is to be ordered."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass

from highmoor.core.catalogue.types import Catalogue
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Controller, Module, Spare, Station


@dataclass(frozen=True, slots=True)
class Quantity:
    """One type: fitted in the plant, in stock, and both together. `known` is False for a type nobody describes."""

    type: str
    name: str
    order_number: str
    maker: str
    kind: str
    known: bool
    fitted: int
    spares: int

    @property
    def total(self) -> int:
        """What has to be bought in all."""
        return self.fitted + self.spares


def quantities(plant: Plant, catalogue: Catalogue) -> list[Quantity]:
    """Every type that is fitted or in stock, by maker and order number."""
    fitted: Counter[str] = Counter()
    for rows in (plant.all(Controller), plant.all(Station), plant.all(Module)):
        fitted.update(row.type for row in rows)
    spares = {spare.type: spare.count for spare in plant.all(Spare)}
    lines = []
    for key in dict.fromkeys([*fitted, *spares]):
        device = catalogue.find(key)
        lines.append(
            Quantity(
                key,
                device.name if device else key,
                device.order_number if device else "",
                device.maker if device else "",
                device.kind if device else "unknown",
                device is not None,
                fitted[key],
                spares.get(key, 0),
            )
        )
    return sorted(lines, key=lambda line: (line.maker.lower(), line.order_number, line.name))
