"""Edits of structure in the hardware stage: controllers and the modules on their rails."""

from __future__ import annotations

import dataclasses
from collections.abc import Iterator, Sequence
from itertools import pairwise
from typing import Any

from highmoor.core.catalogue.types import DeviceType
from highmoor.core.errors import Refusal
from highmoor.core.hardware.ethernet import parse_address, parse_mask
from highmoor.core.hardware.module_octets import module_octet
from highmoor.core.hardware.mounting import carries_modules, head_type, is_ports, own_rails, rail_slots, slots_of
from highmoor.core.networks.io_link.data import holds
from highmoor.core.plant.change import flattened, with_value
from highmoor.core.plant.fields import identifier_problem
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.ranks import ranks_between
from highmoor.core.plant.rows import Controller, Link, Module, Port, Rail, Task
from highmoor.core.project import edits
from highmoor.core.project.draft import Draft
from highmoor.core.project.fields import fields_of


def add_controller(draft: Draft, edit: edits.AddController) -> None:
    """A controller with the ports, tasks and rail its type gives."""
    device = draft.catalogue.find(edit.type)
    if device is None or device.controller is None:
        raise Refusal(f"{edit.type!r} is not a controller type of this catalogue.", field="type", value=edit.type)
    if edit.firmware is not None and edit.firmware not in device.revisions:
        raise Refusal(
            f"{device.name} comes with firmware {', '.join(device.revisions)}, not {edit.firmware}.",
            field="firmware",
            value=edit.firmware,
        )
    taken = [c.name for c in draft.plant.all(Controller)]
    name = edit.name or draft.free_name("PLC1", taken)
    problem = identifier_problem(name)
    if problem:
        raise Refusal(problem, field="name", value=name)
    facts = device.controller
    places = edit.places if edit.places is not None else facts.slots.places[0]
    if places not in facts.slots.places:
        raise Refusal(f"{device.name} has rails of {facts.slots.places} places.", field="places", value=places)
    controller = Controller(
        draft.new_id("controllers"),
        name,
        device.key,
        edit.firmware or device.revisions[-1],
        draft.last_rank(Controller, None)[0],
    )
    _tag(draft, edit.tag, controller.id)
    draft.put(controller)
    mask = parse_mask(edit.mask) if edit.mask else "255.255.255.0"
    address = parse_address(edit.address) if edit.address else ""
    give_ports(draft, controller.id, device, address, mask)
    for rank, (task, period) in zip(ranks_between("", "", len(facts.tasks)), facts.tasks, strict=True):
        draft.put(Task(draft.new_id("tasks"), controller.id, task, rank, period))
    rail = Rail(draft.new_id("rails"), controller.id, "Local", ranks_between("", "", 1)[0], places)
    _tag(draft, edit.rail_tag, rail.id)
    draft.put(rail)


def give_rail(draft: Draft, head: str, device: DeviceType, modules: Sequence[str] | None = None) -> str:
    """The rail of a station or of a module that carries others, with these modules, or what its file puts there.

    Gives its id. Raises Refusal for what is no module type.
    """
    rail = Rail(draft.new_id("rails"), head, "Rail", ranks_between("", "", 1)[0], slots_of(device).places[-1])
    draft.put(rail)
    addressed = slots_of(device).addressed
    keys = list(_by_file(device)) if modules is None else []
    keys += [(slot if addressed else None, key) for slot, key in enumerate(modules or (), start=1)]
    for rank, (slot, key) in zip(ranks_between("", "", len(keys)), keys, strict=True):
        module = Module(draft.new_id("modules"), rail.id, _module_type(draft, key).key, rank, slot)
        draft.put(module)
        furnish(draft, module)
    return rail.id


def _by_file(device: DeviceType) -> Iterator[tuple[int | None, str]]:
    """What a file puts behind its device: by slot where modules are addressed so."""
    in_slots = [(slot.number, slot.default) for slot in device.slots if slot.default]
    # What takes one module of one kind has it.
    only = device.modules if len(device.modules) == 1 and device.limits.modules == 1 else ()
    fixed = [module.key for module in device.modules if module.preset] or [module.key for module in only]
    if slots_of(device).addressed:
        yield from ((number, f"{device.key}/{key}") for number, key in in_slots)
    else:
        yield from ((None, f"{device.key}/{key}") for key in [key for _, key in in_slots] or fixed)


def furnish(draft: Draft, module: Module) -> None:
    """What a module of its type brings along: its ports, and a rail where it carries others; else none."""
    device = draft.catalogue.find(module.type)
    if device is None:
        return
    give_ports(draft, module.id, device)
    rails = own_rails(draft.plant, module.id)
    if not carries_modules(device):
        draft.remove([rail.id for rail in rails])
    elif not rails:
        give_rail(draft, module.id, device)


def give_ports(draft: Draft, owner: str, device: DeviceType, address: str = "", mask: str = "255.255.255.0") -> None:
    """The ports of a type, those that are there already kept; the first new Ethernet port gets the address."""
    there = {port.key: port for port in draft.plant.children(Port, owner)}
    for rank, spec in zip(ranks_between("", "", len(device.ports)), device.ports, strict=True):
        if spec.key in there:
            draft.put(dataclasses.replace(there[spec.key], rank=rank))
            continue
        own = address if spec.on.has_ip else ""
        draft.put(Port(draft.new_id("ports"), owner, spec.key, rank, address=own, mask=mask))
        address = "" if own else address
    known = {spec.key for spec in device.ports}
    draft.remove([port.id for port in there.values() if port.key not in known])


def _tag(draft: Draft, tag: str | None, row_id: str) -> None:
    if tag:
        draft.tags[tag] = row_id


def _rail_of(draft: Draft, ref: str) -> tuple[Rail, bool]:
    """The rail, and whether its slots are addressed."""
    rail = draft.plant.get(draft.resolve(ref), Rail)
    return rail, rail_slots(rail, head_type(draft.plant, rail, draft.catalogue.find)).addressed


def _module_type(draft: Draft, key: str) -> DeviceType:
    device = draft.catalogue.find(key)
    if device is None or device.kind not in ("module", "feed-in", "cover"):
        raise Refusal(f"{key!r} is not a module type of this catalogue.", field="type", value=key)
    return device


def insert_modules(draft: Draft, edit: edits.InsertModules) -> None:
    """New modules; on a full rail with computed slots a cover at the end makes room."""
    rail = draft.plant.get(draft.resolve(edit.rail), Rail)
    device = _module_type(draft, edit.type)
    arriving = [Module(draft.new_id("modules"), rail.id, device.key, "V") for _ in range(edit.count)]
    place_modules(draft, rail, arriving, edit.before, edit.slot)
    for module in arriving:
        furnish(draft, module)
    _tag(draft, edit.tag, arriving[0].id)


def place_modules(draft: Draft, rail: Rail, arriving: list[Module], before_ref: str | None, slot: int | None) -> None:
    """Modules new to the plant onto a rail: before a module, in a slot, or behind the last."""
    _, addressed = _rail_of(draft, rail.id)
    modules = draft.plant.children(Module, rail.id)
    before = draft.resolve(before_ref) if before_ref else None
    if addressed:
        arriving = [dataclasses.replace(module, rail=rail.id, slot=None) for module in arriving]
        first = slot or _slot_before(draft, modules, before)
        if first is None:
            _seat_free(draft, rail, arriving)
        else:
            _seat(draft, rail, arriving, first)
        return
    if slot is not None:
        before = modules[slot - 1].id if 0 < slot <= len(modules) else None
    covers = all(_is_cover(draft, module) for module in arriving)
    if before is None and not covers:
        before = _first_closing_cover(draft, modules)
    ranks = draft.ranks_before(modules, before, len(arriving))
    draft.put(
        *(
            dataclasses.replace(module, rail=rail.id, rank=rank, slot=None)
            for module, rank in zip(arriving, ranks, strict=True)
        )
    )
    if not covers:
        _give_up_covers(draft, rail)


def _is_cover(draft: Draft, module: Module) -> bool:
    device = draft.catalogue.find(module.type)
    return device is not None and device.kind == "cover"


def _first_closing_cover(draft: Draft, modules: list[Module]) -> str | None:
    """ "Behind the last" means before the covers that close the rail."""
    first: str | None = None
    for module in reversed(modules):
        if not _is_cover(draft, module):
            break
        first = module.id
    return first


def _give_up_covers(draft: Draft, rail: Rail) -> None:
    """Covers at the end go while the rail holds more than it has places."""
    modules = draft.plant.children(Module, rail.id)
    surplus = len(modules) - rail.places
    for module in reversed(modules):
        if surplus <= 0 or not _is_cover(draft, module):
            return
        draft.remove([module.id])
        surplus -= 1


def _slot_before(draft: Draft, modules: list[Module], before: str | None) -> int | None:
    return next((m.slot for m in modules if m.id == before), None) if before else None


def _first_free(modules: list[Module], count: int) -> int:
    taken = {m.slot for m in modules}
    slot = 1
    while any(slot + n in taken for n in range(count)):
        slot += 1
    return slot


def _seat(draft: Draft, rail: Rail, arriving: list[Module], first: int) -> None:
    """Seat modules from slot `first` of an addressed rail on; who sits there moves up to the next gap."""
    seated = {m.slot: m for m in draft.plant.children(Module, rail.id) if m.slot is not None}
    for module in arriving:
        seated = {slot: m for slot, m in seated.items() if m.id != module.id}
    slot, queue = first, list(arriving)
    while queue:
        if slot > rail.places:
            word = "port" if is_ports(rail) else "slot"
            raise Refusal(
                f"No free {word} from {first} on: there are {rail.places} {word}s.", place=rail.id, value=first
            )
        displaced = seated.get(slot)
        seated[slot] = dataclasses.replace(queue.pop(0), rail=rail.id, slot=slot)
        if displaced is not None:
            queue.append(displaced)
        slot += 1
    _ranked(draft, seated)


def _seat_free(draft: Draft, rail: Rail, arriving: list[Module]) -> None:
    """Seat modules in the first free slots of an addressed rail; nobody moves."""
    seated = {m.slot: m for m in draft.plant.children(Module, rail.id) if m.slot is not None}
    first = rail_slots(rail, head_type(draft.plant, rail, draft.catalogue.find)).first
    free = [slot for slot in range(first, rail.places + 1) if slot not in seated]
    if len(free) < len(arriving):
        word = "ports" if is_ports(rail) else "slots"
        raise Refusal(f"{len(free)} free {word} are left; {len(arriving)} are needed.", place=rail.id)
    for module in arriving:
        device = draft.catalogue.find(module.type)
        # Where it may stand, if there is such a slot: anywhere else is a finding.
        may = set(device.only_slots) if device else set()
        slot = next((n for n in free if n in may), free[0])
        free.remove(slot)
        seated[slot] = dataclasses.replace(module, slot=slot)
    _ranked(draft, seated)


def _ranked(draft: Draft, seated: dict[int, Module]) -> None:
    """Ranks follow the slots, so that the order of rows is the order on the rail.

    Ranks that rise already are left alone: who does not move is not written.
    """
    order = [seated[slot] for slot in sorted(seated)]
    rising = all(one.rank < other.rank for one, other in pairwise(order))
    ranks = [m.rank for m in order] if rising else ranks_between("", "", len(order))
    draft.put(*(dataclasses.replace(m, rank=rank) for m, rank in zip(order, ranks, strict=True)))


def set_slot(draft: Draft, module: Module, slot: int | None) -> Module:
    """The module in another slot of its addressed rail."""
    rail = draft.plant.get(module.rail, Rail)
    if slot is None:
        raise Refusal("A slot is needed on this rail.", place=module.id, field="slot")
    _seat(draft, rail, [module], slot)
    return draft.plant.get(module.id, Module)


def seat_copy(draft: Draft, original: Module, copy: Module) -> None:
    """Give a copied module its place: the next slot where slots are addressed, a cover's where they are full."""
    rail, addressed = _rail_of(draft, original.rail)
    if addressed:
        _seat(draft, rail, [copy], (original.slot or 0) + 1)
    else:
        _give_up_covers(draft, rail)


def move_modules(draft: Draft, edit: edits.MoveModules) -> None:
    """Modules, in the order given, to another place."""
    rail, addressed = _rail_of(draft, edit.rail)
    moving = [draft.plant.get(draft.resolve(i), Module) for i in dict.fromkeys(edit.ids)]
    ids = {m.id for m in moving}
    staying = [m for m in draft.plant.children(Module, rail.id) if m.id not in ids]
    before = draft.resolve(edit.before) if edit.before else None
    if addressed:
        first = edit.slot or _slot_before(draft, staying, before) or _first_free(staying, len(moving))
        _seat(draft, rail, moving, first)
        return
    if edit.slot is not None:
        before = staying[edit.slot - 1].id if 0 < edit.slot <= len(staying) else None
    if before in ids:
        before = _next_staying(draft.plant, rail, ids, before)
    at = next((n for n, m in enumerate(staying) if m.id == before), len(staying))
    wanted = [*(m.id for m in staying[:at]), *(m.id for m in moving), *(m.id for m in staying[at:])]
    if wanted == [m.id for m in draft.plant.children(Module, rail.id)]:
        return
    ranks = draft.ranks_before(staying, before, len(moving))
    draft.put(*(dataclasses.replace(m, rail=rail.id, rank=r, slot=None) for m, r in zip(moving, ranks, strict=True)))


def _next_staying(plant: Plant, rail: Rail, moving: set[str], before: str | None) -> str | None:
    order = [m.id for m in plant.children(Module, rail.id)]
    behind = order[order.index(before) :] if before in order else []
    return next((i for i in behind if i not in moving), None)


def replace_module(draft: Draft, edit: edits.ReplaceModule) -> None:
    """Another type in place; settings the new type does not know fall away, links to channels it lacks go."""
    module = draft.plant.get(draft.resolve(edit.id), Module)
    device = _module_type(draft, edit.type)
    replaced = dataclasses.replace(module, type=device.key, settings={})
    replaced = _with_known_settings(draft, module, replaced)
    on_port = is_ports(draft.plant.get(module.rail, Rail))
    lost = _lost_on_port(draft, replaced, device) if on_port else _lost_links(draft, module, device)
    if lost:
        draft.remove(lost)
    draft.put(replaced)
    furnish(draft, replaced)


def _with_known_settings(draft: Draft, old: Module, new: Module) -> Module:
    known = {spec.path: spec for spec in fields_of(draft.plant, draft.catalogue, new)}
    for path, value in flattened(old).items():
        spec = known.get(path)
        if not path.startswith("settings.") or spec is None:
            continue
        try:
            new = with_value(new, path, spec.parse(value))
        except Refusal:
            continue
    return new


def _lost_on_port(draft: Draft, replaced: Module, device: DeviceType) -> list[str]:
    """Links to bits that what is plugged in then does not have."""
    links = (draft.plant.get(i, Link) for i in draft.plant.referring("links", "place", replaced.id))
    return [link.id for link in links if not holds(device, replaced.settings, link.key)]


def _lost_links(draft: Draft, module: Module, device: DeviceType) -> list[str]:
    """Links whose channel the new type lacks, or has the other way round or in another size."""
    old = draft.catalogue.find(module.type)
    lost = []
    for link_id in draft.plant.referring("links", "place", module.id):
        link: Any = draft.plant.find(link_id)
        before = old.channel(link.key) if old else None
        after = device.channel(link.key)
        same = after is not None and (
            before is None or (before.group.inward == after.group.inward and before.group.bits == after.group.bits)
        )
        if not same and module_octet(device, link.key) is None:
            lost.append(link_id)
    return lost
