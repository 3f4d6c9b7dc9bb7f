"""Edits of records: one more, one that does not hold. They are never changed, and go with what they are about alone."""

from __future__ import annotations

import dataclasses
from collections.abc import Sequence
from typing import Any

from highmoor.core.days import day_of
from highmoor.core.errors import Refusal
from highmoor.core.figures.safety.stop_time import stop_time
from highmoor.core.numbers import exact
from highmoor.core.plant.fields import FieldSpec
from highmoor.core.plant.rows import Axis, Proof, SafetyPart, Situation, table_of
from highmoor.core.project import edits
from highmoor.core.project.draft import Draft
from highmoor.core.safety.fault_plan import FAULTS
from highmoor.core.safety.record_fields import read_places
from highmoor.core.safety.seal.plain import PlainSight
from highmoor.core.safety.seal.rests import rests_on


def add_proof(draft: Draft, edit: edits.AddProof) -> None:
    """A record of an axis, a part or a situation.

    Raises Refusal for what such a thing has no records of, fewer than ten readings, a test without a result, a walk to
    nowhere.
    """
    of: Axis | SafetyPart | Situation = draft.plant.get(draft.resolve(edit.of), object)  # type: ignore[assignment]
    kinds = _kinds_of(of)
    if edit.what not in kinds:
        raise Refusal("There are no such records of this.", place=of.id, field="what", value=edit.what)
    by = FieldSpec("by", "Done by", "text").parse(edit.by)
    if not by:
        raise Refusal("Who did it is needed.", place=of.id, field="by")
    if (edit.what in ("test", "fault")) != bool(edit.result):
        raise Refusal("A test passed or failed; nothing else does.", place=of.id, field="result", value=edit.result)
    for what, given, wants in (
        ("stop-time", edit.stop, "A stop time is made of readings"), ("walk", edit.walk, "A walk is made of places"),
        ("fault", edit.fault or None, "A fault is one of the plan"),
    ):  # fmt: skip
        if (edit.what == what) != (given is not None):
            raise Refusal(f"{wants}, and nothing else is.", place=of.id, field=what)
    if edit.fault and edit.fault not in FAULTS:
        raise Refusal("There is no such fault in the plan.", place=of.id, field="fault", value=edit.fault)
    result = edit.result
    if edit.walk is not None:
        if not edit.walk.places:
            raise Refusal("Nowhere was walked to.", place=of.id, field="walk")
        result = "passed" if all(one.seen for one in edit.walk.places) else "failed"
    data = _data(edit)
    data["rests_on"] = rests_on(PlainSight(draft.plant, draft.catalogue), of)
    row = Proof(
        draft.new_id("proofs"), of.id, edit.what, edit.where, day_of(edit.at),
        draft.last_rank(Proof, of.id)[0], by, result, data=data,
    )  # fmt: skip
    draft.put(row)
    if edit.tag:
        draft.tags[edit.tag] = row.id


def _kinds_of(of: Any) -> tuple[str, ...]:
    if isinstance(of, Axis):
        return ("stop-time",)
    if isinstance(of, SafetyPart):
        return ("test", "replaced", "fault") if of.role == "sensor" else ("stop-time", "replaced", "fault")
    if isinstance(of, Situation):
        return ("walk",)
    return ()


def _data(edit: edits.AddProof) -> dict[str, Any]:
    data: dict[str, Any] = {}
    if edit.note:
        data["note"] = FieldSpec("note", "Note", "note").parse(edit.note)
    if edit.stop is not None:
        stop_time([exact(value) for value in edit.stop.readings_ms])
        words = edit.stop.model_dump(exclude={"readings_ms"})
        data["readings_ms"] = edit.stop.readings_ms
        data |= {key: FieldSpec(key, key, "text").parse(text) for key, text in words.items() if text}
    if edit.walk is not None:
        data["output"], data["piece_mm"] = edit.walk.output, edit.walk.piece_mm
        data["places"] = read_places([[one.x, one.y, one.seen] for one in edit.walk.places])
    if edit.fault:
        data["fault"] = FieldSpec("fault", "Fault", "text").parse(edit.fault)
    return data


def void_proof(draft: Draft, edit: edits.VoidProof) -> None:
    """Raises Refusal without a reason, and for one that was voided before."""
    row = draft.plant.get(draft.resolve(edit.id), Proof)
    reason = FieldSpec("voided", "The reason", "note").parse(edit.reason)
    if not reason:
        raise Refusal("A reason is needed.", place=row.id, field="reason")
    if row.voided:
        raise Refusal("This record was voided before.", place=row.id)
    draft.put(dataclasses.replace(row, voided=reason))


def refuse_if_record(draft: Draft, ids: Sequence[str]) -> None:
    """Raises Refusal for a record that would go without what it is about."""
    rows: list[Any] = [draft.plant.get(i, object) for i in ids]
    for row in rows:
        table = table_of(row)
        owner = table.owner
        if owner and table.refs[owner].record and getattr(row, owner) not in ids:
            raise Refusal("A record stays: void it, and say why.", place=row.id)
