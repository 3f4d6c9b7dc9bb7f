"""Edits of how axes are commanded: profiles, and the words of a drive as signals of the program."""

from __future__ import annotations

from dataclasses import replace

from highmoor.core.errors import Refusal
from highmoor.core.motion.profiles import BASES, Word, words_of
from highmoor.core.motion.words import Carried, Spot, spot_of
from highmoor.core.plant.rows import (
    Axis,
    CommandProfile,
    Connection,
    Exchange,
    Link,
    Signal,
    Station,
    Task,
    Use,
)
from highmoor.core.project import edits
from highmoor.core.project.draft import Draft
from highmoor.core.project.signal_edits import End
from highmoor.core.project.signal_names import SignalNames
from highmoor.core.project.wires import bus_of_station, wire_of
from highmoor.core.signals.at import At


def add_command_profile(draft: Draft, edit: edits.AddCommandProfile) -> None:
    """A profile behind the last. Raises Refusal for a base that is none."""
    row = _profile(draft, edit.base, edit.name)
    if edit.tag:
        draft.tags[edit.tag] = row.id


def _profile(draft: Draft, key: str, name: str | None = None) -> CommandProfile:
    base = BASES.get(key)
    if base is None:
        raise Refusal(f"A profile is made from one of {', '.join(BASES)}, not “{key[:40]}”.", value=key)
    every = draft.plant.all(CommandProfile)
    called = name or draft.free_name(base.label, (row.name for row in every), of_type=True)
    rank = draft.last_rank(CommandProfile, None)[0]
    row = CommandProfile(draft.new_id("command_profiles"), called, base.key, rank)
    draft.put(row)
    return row


def name_words(draft: Draft, edit: edits.NameWords) -> None:
    """Signals for the words of an axis. Raises Refusal for an axis without a drive on a network, and where none stands
    where the profile has it."""
    axis = draft.plant.get(draft.resolve(edit.axis), Axis)
    drive = draft.plant.find(axis.drive)
    if not isinstance(drive, Station):
        raise Refusal(f"{axis.name} has no drive on a network: there are no words.", place=axis.id, field="drive")
    profile = _meant(draft, edit, axis, drive)
    if axis.profile != profile.id:
        draft.put(replace(axis, profile=profile.id))
    carried = _carried(draft, drive)
    ends = {one.exchange: End.all_at(draft, one.exchange) for one in carried}
    used = {use.role: use for use in draft.plant.children(Use, axis.id)}
    names, found = SignalNames(draft, axis.controller), 0
    for word in words_of(profile):
        spot = spot_of(word, carried)
        if spot is None or (word.optional and not edit.optional and word.role not in used):
            continue
        found += 1
        if word.role in used:
            continue
        signal = _there(draft, spot, word) or _made(draft, axis, word, names, ends[spot.exchange](spot.key))
        rank = draft.last_rank(Use, axis.id)[0]
        draft.put(Use(draft.new_id("uses"), axis.id, signal, word.role, rank))
    if not found:
        raise Refusal(
            f"{drive.name} exchanges nothing where {profile.name} has its words: add its exchanges, or choose another "
            "profile.", place=axis.id, field="profile",
        )  # fmt: skip


def _meant(draft: Draft, edit: edits.NameWords, axis: Axis, drive: Station) -> CommandProfile:
    """The profile that was named, or the axis's own, or one of the base that was named or is usual."""
    if edit.profile:
        return draft.plant.get(draft.resolve(edit.profile), CommandProfile)
    if axis.profile and not edit.base:
        return draft.plant.get(axis.profile, CommandProfile)
    bus = bus_of_station(draft.plant, drive)
    positioned, turning = bus.drive_profiles if bus else ("words", "words")
    base = edit.base or (turning if axis.kind == "speed" else positioned)
    known = next((row for row in draft.plant.all(CommandProfile) if row.base == base), None)
    return known or _profile(draft, base)


def _carried(draft: Draft, drive: Station) -> list[Carried]:
    found = []
    for connection in draft.plant.children(Connection, drive.id):
        for exchange in draft.plant.children(Exchange, connection.id):
            wire = wire_of(draft.plant, draft.catalogue, exchange)
            if wire is not None:
                found.append(Carried(exchange.id, exchange.direction, wire))
    return found


def _there(draft: Draft, spot: Spot, word: Word) -> str | None:
    """A signal that is linked there already."""
    for link_id in draft.plant.referring("links", "place", spot.exchange):
        link = draft.plant.get(link_id, Link)
        if link.key == spot.key and At.of(link).way == "data":
            signal = draft.plant.get(link.signal, Signal)
            if (signal.type == "BOOL") == (word.type == "BOOL"):
                return signal.id
    return None


def _made(draft: Draft, axis: Axis, word: Word, names: SignalNames, end: End) -> str:
    name = names.new(f"{axis.name} {word.label}")
    rank = draft.last_rank(Signal, axis.controller)[0]
    # An axis is commanded from the quickest task there is.
    tasks = sorted(draft.plant.children(Task, axis.controller), key=_period)
    task = tasks[0].id if tasks else None
    signal = Signal(draft.new_id("signals"), axis.controller, name, word.type, rank, task=task)
    draft.put(signal, end.link(draft, signal.id, 0, None))
    return signal.id


def _period(task: Task) -> float:
    return float(task.period_ms)
