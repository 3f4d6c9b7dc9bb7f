"""What records and seals are made of: all of it is made with them, and nothing is set later."""

from __future__ import annotations

import re
from typing import Any

from highmoor.core.catalogue.types import Catalogue
from highmoor.core.days import day_of
from highmoor.core.errors import Refusal
from highmoor.core.figures.safety.stop_time import stop_time
from highmoor.core.numbers import exact
from highmoor.core.plant.fields import Choice, FieldSpec
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Proof, Seal

_LONG_MS = 600_000
_PROOF_KINDS = ("stop-time", "test", "replaced", "walk", "fault")
_CONDITIONS = ("speed", "load", "direction", "started_by", "instrument", "note", "fault", "rests_on")
_SEALED_AT_MOST, _PLACES_AT_MOST, _FAR_MM = 200_000, 2000, 100_000


def read_places(given: Any) -> list[list[Any]]:
    """Where it was tried: x and y in mm, and whether that was seen. Raises Refusal for anything else."""
    places: list[list[Any]] = given if isinstance(given, list) else []
    if len(places) > _PLACES_AT_MOST or not all(_is_place(one) for one in places):
        raise Refusal("A place that was tried has x, y and whether it was seen.", value="places")
    return places


def _is_place(given: Any) -> bool:
    if not isinstance(given, list) or len(given) != 3:
        return False
    return all(type(one) in (int, float) and abs(one) <= _FAR_MM for one in given[:2]) and isinstance(given[2], bool)


def _items(given: Any) -> list[list[str]]:
    """What a seal was made of, five texts each. Raises Refusal for what no seal could have stored."""
    items: list[list[str]] = given if isinstance(given, list) else []
    if len(items) > _SEALED_AT_MOST or not all(
        isinstance(one, list) and len(one) == 5 and all(isinstance(text, str) for text in one) for one in items
    ):
        raise Refusal("What was sealed is a list of five texts each.", value="items")
    return items


def _texts(given: Any) -> list[str]:
    texts: list[str] = given if isinstance(given, list) else []
    if len(texts) > _SEALED_AT_MOST or not all(isinstance(text, str) for text in texts):
        raise Refusal("These are texts.", value="open")
    return texts


def _fingerprint(given: Any) -> str:
    text = str(given)
    if not re.fullmatch(r"[0-9a-f]{64}", text):
        raise Refusal("A fingerprint has 64 hexadecimal digits.", value=given)
    return text


def _instant(given: Any) -> str:
    text = str(given)
    day_of(text[:10])
    if not re.fullmatch(r".{10}T([01]\d|2[0-3]):[0-5]\dZ", text):
        raise Refusal("When it was is a day and a time in UTC: 2026-11-30T14:05Z.", value=given)
    return text


def seal_fields(plant: Plant, catalogue: Catalogue, row: Seal) -> tuple[FieldSpec, ...]:
    """All of a seal is made with it."""
    return (
        FieldSpec("at", "On", "text", read=_instant, made=True),
        FieldSpec("by", "Sealed by", "text", made=True),
        FieldSpec("revision", "Revision", "integer", minimum=0, maximum=2**53, made=True, counted=True),
        FieldSpec("fingerprint", "Fingerprint", "text", read=_fingerprint, made=True),
        FieldSpec("data.items", "What was sealed", "special", read=_items, made=True),
        FieldSpec("data.open", "Open then", "special", read=_texts, made=True),
        FieldSpec("data.edited_last", "By who edited last", "boolean", made=True),
        FieldSpec("data.brought", "Came with a file", "boolean", made=True),
    )


def _readings(given: Any) -> list[float]:
    """Of a stop time, each in ms. Raises Refusal for what no record could have stored."""
    readings: list[float] = given if isinstance(given, list) else []
    if not all(type(one) in (int, float) and abs(one) <= _LONG_MS for one in readings):
        raise Refusal("Readings are a list of numbers.", value=given)
    stop_time([exact(one) for one in readings])
    return readings


def proof_fields(plant: Plant, catalogue: Catalogue, row: Proof) -> tuple[FieldSpec, ...]:
    """All of a record is made with it."""
    kinds = tuple(Choice(key, key) for key in _PROOF_KINDS)
    readings = FieldSpec("data.readings_ms", "Readings", "special", unit="ms", read=_readings, made=True)
    if row.kind == "stop-time" and "readings_ms" not in row.data:
        raise ValueError("a stop time without readings")
    return (
        FieldSpec("kind", "Record of", "choice", choices=kinds, made=True),
        FieldSpec("where", "Where", "choice", choices=(Choice("bench", "bench"), Choice("site", "site")), made=True),
        FieldSpec("at", "On", "text", read=day_of, made=True),
        FieldSpec("by", "Done by", "text", made=True),
        FieldSpec("result", "Result", "choice", default="", optional=True, made=True,
                  choices=(Choice("passed", "passed"), Choice("failed", "failed"))),
        FieldSpec("voided", "Voided", "note", default="", optional=True, made=True),
        readings,
        FieldSpec("data.places", "Tried at", "special", unit="mm", read=read_places, made=True),
        FieldSpec("data.output", "Output", "integer", minimum=1, maximum=16, made=True),
        FieldSpec("data.piece_mm", "Test piece", "number", unit="mm", minimum=1, maximum=1000, made=True),
        *(FieldSpec(f"data.{key}", key, "note", optional=True, made=True) for key in _CONDITIONS),
    )  # fmt: skip
