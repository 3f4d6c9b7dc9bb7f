"""Which participants of Ethernet hang together, by the cables that are in and the devices that have power."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field


@dataclass(slots=True)
class Cabling:
    """Nodes (ids of ports, stations, built devices) with a cable each to the one above; `joined` are one with another.

    A node that is `unpowered` passes nothing on, and of one that is `out` its own cable is not plugged.
    """

    above: dict[str, str] = field(default_factory=dict)
    joined: list[tuple[str, str]] = field(default_factory=list)
    out: set[str] = field(default_factory=set)
    unpowered: set[str] = field(default_factory=set)
    # Called after every change.
    told: Callable[[], None] = lambda: None
    _piece: dict[str, str] | None = None

    def lay(self, node: str, upper: str) -> None:
        """A cable from the one above."""
        self.above[node] = upper
        self._changed()

    def join(self, one: str, other: str) -> None:
        """Two names for one place, or a cable that nobody pulls."""
        self.joined.append((one, other))
        self._changed()

    def put(self, node: str, *, plugged: bool, powered: bool) -> None:
        """Whether a node's own cable is in and it has power."""
        for group, member in ((self.out, not plugged), (self.unpowered, not powered)):
            (group.add if member else group.discard)(node)
        self._changed()

    def _changed(self) -> None:
        self._piece = None
        self.told()

    def together(self, one: str, other: str) -> bool:
        """Whether what one sends gets to the other."""
        if self._piece is None:
            self._piece = self._pieces()
        dark = self.unpowered
        return one not in dark and other not in dark and self._piece.get(one, one) == self._piece.get(other, other)

    def _pieces(self) -> dict[str, str]:
        """By node, one that stands for all that hang together with it."""
        chief: dict[str, str] = {}

        def of(node: str) -> str:
            way = []
            while (upper := chief.get(node, node)) != node:
                way.append(node)
                node = upper
            for passed in way:
                chief[passed] = node
            return node

        for one, other in self._whole():
            chief.setdefault(one, one)
            chief.setdefault(other, other)
            chief[of(one)] = of(other)
        return {node: of(node) for node in chief}

    def _whole(self) -> Iterable[tuple[str, str]]:
        cables = [(node, upper) for node, upper in self.above.items() if node not in self.out]
        return [pair for pair in (*cables, *self.joined) if self.unpowered.isdisjoint(pair)]
