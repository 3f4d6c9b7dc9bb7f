"""A controller's seal: what it covers now, and what of that is another than when it was sealed."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from typing import Any, Literal

from highmoor.core.analysis.engine import Part, Reader
from highmoor.core.analysis.findings import Check, Finding, finding
from highmoor.core.plant.rows import Controller, Seal
from highmoor.core.safety.seal.plain import ReaderSight
from highmoor.core.safety.seal.results import results_of
from highmoor.core.safety.seal.tree import Covering, Item, Tree, tree_of

SealState = Literal["nothing", "open", "whole", "broken"]


@dataclass(frozen=True, slots=True)
class DeviceSeal:
    """A device with the hash of all of it that is sealed, and whether that is the one it was sealed with; `row` is the
    row it is, "" for one that is gone."""

    name: str
    row: str
    hash: str
    rows: int
    state: Literal["new", "whole", "broken", "gone"]


@dataclass(frozen=True, slots=True)
class Unlike:
    """Something that is another than when it was sealed: values as they are sealed (JSON), "" for none."""

    device: str
    at: str
    field: str
    before: str
    now: str
    row: str


@dataclass(frozen=True, slots=True)
class SealKept:
    """The last seal: when, by whom, of which revision; what was open then, whether whoever sealed had edited last, and
    whether it came with a file and was not made here."""

    id: str
    at: str
    by: str
    revision: int
    fingerprint: str
    open: tuple[str, ...]
    edited_last: bool
    brought: bool


@dataclass(frozen=True, slots=True)
class SealTold:
    """`alike` are rows that nothing tells apart: with them nothing can be sealed."""

    state: SealState
    fingerprint: str
    devices: tuple[DeviceSeal, ...]
    differences: tuple[Unlike, ...]
    alike: tuple[str, ...]
    kept: SealKept | None


def covered(reader: Reader, controller: str) -> Tree:
    """All that a seal of a controller covers."""
    tree: Tree | None = reader.part("controller.covered", controller)
    return tree or tree_of(())


def _covered(reader: Reader, root: str) -> Tree:
    controller = reader.row(root, Controller)
    items = list(Covering(ReaderSight(reader)).of_controller(controller))
    return tree_of([*items, *results_of(reader, controller)] if items else [])


def last_seal(seals: Iterable[Seal]) -> Seal | None:
    """The one that counts."""
    return max(seals, key=lambda one: (one.revision, one.at, len(one.id), one.id), default=None)


def _sealed(reader: Reader, root: str) -> SealTold:
    tree = covered(reader, root)
    now, own = tree.devices(), tree.by_device()
    seal = last_seal(reader.children(Seal, root))
    if seal is None:
        devices = tuple(_device(name, hashed, own[name], "new") for name, hashed in now.items())
        return SealTold("open" if now else "nothing", tree.fingerprint() if now else "", devices, (), tree.alike, None)
    kept = tuple(Item(*one) for one in seal.data.get("items", ()))
    was = tree_of(kept).devices()
    fingerprint = tree.fingerprint()
    devices = tuple(
        _device(name, now.get(name, ""), own.get(name, []), _state(now.get(name), was.get(name)))
        for name in dict.fromkeys((*now, *was))
    )
    # By the fingerprint, whatever was kept beside it.
    whole = fingerprint == seal.fingerprint
    differences = () if whole else tuple(differences_of(kept, tree.items))
    return SealTold("whole" if whole else "broken", fingerprint, devices, differences, tree.alike, _kept(seal))


def _kept(seal: Seal) -> SealKept:
    return SealKept(
        seal.id, seal.at, seal.by, seal.revision, seal.fingerprint, tuple(seal.data.get("open", ())),
        seal.data.get("edited_last") is True, seal.data.get("brought") is True,
    )  # fmt: skip


def _state(now: str | None, was: str | None) -> Literal["new", "whole", "broken", "gone"]:
    if now is None:
        return "gone"
    if was is None:
        return "new"
    return "whole" if now == was else "broken"


def _device(name: str, hashed: str, own: list[Item], state: Any) -> DeviceSeal:
    row = next((one.row for one in own if not one.at), "")
    return DeviceSeal(name, row, hashed, len({one.at for one in own}), state)


def differences_of(was: Iterable[Item], now: Iterable[Item]) -> Iterator[Unlike]:
    """What is another, and what is only before or only now, by device and place."""
    before = {(one.device, one.at, one.field): one for one in was}
    after = {(one.device, one.at, one.field): one for one in now}
    for place in sorted({*before, *after}):
        old, new = before.get(place), after.get(place)
        if old is None or new is None or old.value != new.value:
            row = new.row if new else old.row if old else ""
            yield Unlike(*place, old.value if old else "", new.value if new else "", row)


def _broken(result: SealTold, reader: Reader, root: str) -> Iterator[Finding]:
    if result.state != "broken" or result.kept is None:
        return
    own = f"controller {reader.value(root, Controller, 'name')}"
    names = list(dict.fromkeys(
        one.at.split(", ")[0] if one.at and one.device == own else one.device for one in result.differences
    ))  # fmt: skip
    told = ", ".join(names[:3]) + (f" and {len(names) - 3} more" if len(names) > 3 else "")
    yield finding("SAF-401", root, name=reader.value(root, Controller, "name"), day=result.kept.at[:10],
                  by=result.kept.by, what=told or "its fingerprint")  # fmt: skip


PARTS: tuple[Part, ...] = (
    Part("controller.covered", "controllers", _covered, stage="safety"),
    Part("controller.seal", "controllers", _sealed, shown=SealTold, stage="safety"),
)

SEAL_CHECKS: tuple[Check, ...] = (
    Check(
        "SAF-401", "controller.seal", "safety", "warning", "Seal broken",
        "{name}: not as {by} sealed it on {day}: {what}.",
        "What was assessed is not what is configured. Take the change back, or have it assessed and sealed anew.",
        _broken,
    ),
)  # fmt: skip
