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
from highmoor.core.plant.rows import Axis, Proof, SafetyPart, table_of
from highmoor.core.project import edits
from highmoor.core.project.draft import Draft


def add_proof(draft: Draft, edit: edits.AddProof) -> None:
    """A record of an axis or a part. Raises Refusal for what such a thing has no records of, fewer than ten readings,
    a test without a result."""
    of: Axis | SafetyPart = draft.plant.get(draft.resolve(edit.of), object)  # type: ignore[assignment]
    kinds = _kinds_of(of)
    if edit.what not in kinds:
        raise Refusal("There are no such records of this.", place=of.id, field="what", value=edit.what)
    by = FieldSpec("by", "Done by", "text").parse(edit.by)
    if not by:
        raise Refusal("Who did it is needed.", place=of.id, field="by")
    if (edit.what == "test") != bool(edit.result):
        raise Refusal("A test passed or failed; nothing else does.", place=of.id, field="result", value=edit.result)
    if (edit.what == "stop-time") != (edit.stop is not None):
        raise Refusal("A stop time is made of readings, and nothing else is.", place=of.id, field="stop")
    row = Proof(
        draft.new_id("proofs"), of.id, edit.what, edit.where, day_of(edit.at),
        draft.last_rank(Proof, of.id)[0], by, edit.result, data=_data(edit),
    )  # fmt: skip
    draft.put(row)
    if edit.tag:
        draft.tags[edit.tag] = row.id


def _kinds_of(of: Any) -> tuple[str, ...]:
    if isinstance(of, Axis):
        return ("stop-time",)
    if isinstance(of, SafetyPart):
        return ("test", "replaced") if of.role == "sensor" else ("stop-time", "replaced")
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
