"""What a record rests on: the things it was done with, whose change makes it worth nothing.

Names and addresses are left out: a door that is called otherwise is still the door that was tested.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from highmoor.core.hardware.safe_pairs import pair_at
from highmoor.core.plant.rows import Axis, Module, SafetyPart, Situation, table_of_id
from highmoor.core.safety.seal.canonical import digest
from highmoor.core.safety.seal.paths import Sees
from highmoor.core.safety.seal.tree import Covering, Item

_NAMES = frozenset({"name", "address"})
# What is only reckoned with: a figure of a data sheet, or the stop time that a record is itself taken over into.
_RECKONED = frozenset(
    f"settings.{key}"
    for key in ("stop_ms", "worst_ms", "pfh", "level", "b10d", "category", "dc", "beta", "ccf", "check_months")
)
# Their paths have names in them.
_PATHS = frozenset({"device", "drive", "zone", "situation", "signal"})
# Of these what stands where tells one from the other; of all else there is one.
_MANY = frozenset({"zones", "situations", "zone_uses", "plan_shapes", "chain_links"})


def rests_on(sees: Sees, of: SafetyPart | Axis | Situation) -> str:
    """The hash of what a record of this rests on (SHA-256): of a part with the pair it is wired to and what it is; of
    an axis with all it moves; of a situation with the whole scanner."""
    covering = Covering(sees)
    if isinstance(of, Axis):
        items: Iterable[Item] = covering.of_axis(of)
    elif isinstance(of, SafetyPart):
        items = _of_part(sees, of, covering.of_part(of))
    else:
        scanner = sees.find(of.scanner)
        items = covering.of_scanner(scanner) if scanner is not None else ()
    left_out = _NAMES | _RECKONED | _PATHS if not isinstance(of, Situation) else _NAMES
    return digest(sorted(_text(item) for item in items if item.field not in left_out))


def _text(item: Item) -> str:
    table = table_of_id(item.row)
    of = table.name if table else "type"
    # Of a place on a rail, the slot; whose rail it is has a name.
    value = item.value.partition(", ")[2] if item.field == "place" else item.value
    return "\n".join((of, item.at if of in _MANY else "", item.field, value))


def _of_part(sees: Sees, part: SafetyPart, items: Iterable[Item]) -> Iterator[Item]:
    """Of a module only the pair that the part is wired to."""
    module = sees.find(part.place)
    device = sees.type(module.type) if isinstance(module, Module) else None
    pair = pair_at(device, module.settings, part.key) if isinstance(module, Module) and device is not None else None
    own = f"settings.pairs.{pair.key if pair else part.key}."
    for item in items:
        if not item.field.startswith("settings.pairs.") or item.field.startswith(own):
            yield item
