"""What views show: parts of the analysis, forms, what fits, remedies, the catalogue."""

from __future__ import annotations

import dataclasses
import re
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Annotated, Any, Literal, Union

from django.http import HttpRequest
from ninja import Query, Router
from pydantic import Field, create_model

from highmoor.core.analysis.engine import Part
from highmoor.core.errors import Gone
from highmoor.core.networks.address_plan import AddressField, address_plan
from highmoor.core.networks.silence import timing_with_silent
from highmoor.core.numbers import parse_number
from highmoor.core.parts import PARTS
from highmoor.core.plant.change import value_at
from highmoor.core.plant.fields import FieldSection, FieldSpec
from highmoor.core.plant.rows import Station
from highmoor.core.project.built_edits import built_row
from highmoor.core.project.draft import Draft
from highmoor.core.project.edits import Edit, SetFields
from highmoor.core.project.feasible import GivenUp, Turn, Window, feasible_window
from highmoor.core.project.fields import fields_of
from highmoor.core.project.quicker import quicker
from highmoor.core.project.remedies import remedy_of
from highmoor.core.project.reporting import label_of
from highmoor.core.signals.characteristic import characteristic
from highmoor.core.signals.conversion import forms
from highmoor.core.signals.together import Together, together
from highmoor.server.api.access import opened
from highmoor.server.api.shapes import Problem, Shape
from highmoor.server.plants import OpenPlant

router = Router(tags=["views"])


class _PartOut(Shape):
    root: str


def _shape(part: Part) -> type[Shape]:
    """What a part's result looks like to a view, by the part's own word."""
    name = "".join(word.capitalize() for word in re.split(r"[.-]", part.key))
    shown: Any = (part.shown | None, ...)
    literal: Any = Literal[part.key]
    made: Any = create_model(f"{name}Out", __base__=_PartOut, part=(literal, ...), result=shown)
    return made  # type: ignore[no-any-return]


_SHAPES = {part.key: _shape(part) for part in PARTS if part.shown is not None}
PUBLISHED = frozenset(_SHAPES)
PartOut: Any = Annotated[Union[tuple(_SHAPES.values())], Field(discriminator="part")]  # noqa: UP007
NetworkCourseOut: Any = _SHAPES["network.course"]


class PartsIn(Shape):
    """Parts wanted, as (part, root) pairs."""

    want: list[tuple[str, str]] = Field(max_length=600)


class PartsOut(Shape):
    revision: int
    parts: list[PartOut]


class AddressPlanOut(Shape):
    revision: int
    fields: list[AddressField]


@router.get("/plants/{key}/addresses", response=AddressPlanOut, operation_id="addresses")
def addresses(request: HttpRequest, key: str, room: Annotated[int, Query(ge=1, le=254)] = 1) -> AddressPlanOut:
    """All addresses of the plant by field, with the first free stretch for `room` more."""
    held = opened(request, key)
    with held.lock:
        return AddressPlanOut(revision=held.revision, fields=address_plan(held.plant, room))


@router.post("/plants/{key}/parts", response=PartsOut, operation_id="parts")
def parts(request: HttpRequest, key: str, wanted: PartsIn) -> PartsOut:
    """Results of the analysis; null where a root is gone."""
    held = opened(request, key)
    with held.lock:
        found = [
            {"part": part, "root": root, "result": held.analysis.result(part, root)}
            for part, root in wanted.want
            if part in PUBLISHED
        ]
        return PartsOut.model_validate({"revision": held.revision, "parts": found}, from_attributes=True)


class ChoiceOut(Shape):
    value: Any
    label: str
    disabled: str


class FieldOut(Shape):
    """A field of a form: what it is, what it holds, what else it could."""

    path: str
    label: str
    kind: Literal["text", "note", "identifier", "integer", "number", "choice", "boolean", "special"]
    value: Any = None
    default: Any = None
    is_default: bool
    unit: str
    choices: list[ChoiceOut]
    term: str
    hint: str
    source: str
    optional: bool
    restart: bool
    disabled: str
    beside: str
    channel: str
    section: FieldSection
    window: bool


class FormOut(Shape):
    id: str
    label: str
    fields: list[FieldOut]


def _field(spec: FieldSpec, row: Any) -> FieldOut:
    own = value_at(row, spec.path)
    return described(spec, spec.default if own is None else own)


def described(spec: FieldSpec, value: Any) -> FieldOut:
    """A field as a form shows it, with the value it holds."""
    return FieldOut(
        path=spec.path,
        label=spec.label,
        kind=spec.kind,
        value=value,
        default=spec.default,
        is_default=value == spec.default,
        unit=spec.unit,
        choices=[ChoiceOut(**dataclasses.asdict(choice)) for choice in spec.choices],
        term=spec.term,
        hint=spec.hint,
        source=spec.source,
        optional=spec.optional,
        restart=spec.restart,
        disabled=spec.disabled,
        beside=spec.beside(value),
        channel=spec.channel,
        section=spec.section,
        window=spec.window and not spec.disabled,
    )


@router.get("/plants/{key}/fields/{row_id}", response=FormOut, operation_id="fields")
def fields(request: HttpRequest, key: str, row_id: str) -> FormOut:
    """The form of an object."""
    held = opened(request, key)
    with held.lock:
        row = held.plant.find(row_id)
        if row is None:
            raise Gone("This object is not there (any more).", place=row_id)
        specs = fields_of(held.plant, held.catalogue, row)
        label = label_of(held.plant, row_id, held.catalogue.find)
        shown = [_field(spec, row) for spec in specs if not spec.made]
        return FormOut(id=row_id, label=label, fields=shown)


@router.get("/plants/{key}/built/{row_id}", response={200: FormOut, 422: Problem}, operation_id="built_fields")
def built_fields(request: HttpRequest, key: str, row_id: str) -> FormOut:
    """The form of what stands at a station, on a network's medium or in a module's place, as built."""
    held = opened(request, key)
    with held.lock:
        draft = Draft(held.plant, held.catalogue)
        row = built_row(draft, row_id)
        specs = fields_of(draft.plant, held.catalogue, row)
        label = label_of(held.plant, row_id, held.catalogue.find)
        return FormOut(id=row_id, label=label, fields=[_field(spec, row) for spec in specs])


def turns(held: OpenPlant, row_id: str) -> Turn:
    """The plant's lock a value at a time, as long as it is the plant of now and has this row."""
    revision = held.revision

    @contextmanager
    def turn() -> Iterator[None]:
        with held.lock:
            if held.revision != revision:
                raise GivenUp
            if held.plant.find(row_id) is None:
                raise Gone("This object is not there (any more).", place=row_id)
            yield

    return turn


@router.get(
    "/plants/{key}/signals/{signal_id}/together",
    response={200: Together, 422: Problem},
    operation_id="together",
)
def together_with(
    request: HttpRequest, key: str, signal_id: str, other: str = "", per_s: Annotated[str, Query(max_length=40)] = ""
) -> Together:
    """What two signals of a program have to do with each other in time; `per_s` is how fast the first one changes."""
    held = opened(request, key)
    with held.lock:
        return together(held.analysis, signal_id, other, parse_number(per_s) if per_s.strip() else None)


class QuickerOut(Shape):
    """The change that makes a path quickest; null where there is none, or the plant changed meanwhile."""

    label: str
    edit: SetFields
    before_ms: float
    worst_ms: float


class QuickestOut(Shape):
    found: QuickerOut | None


@router.get("/plants/{key}/signals/{signal_id}/quicker", response=QuickestOut, operation_id="quicker")
def quicker_path(request: HttpRequest, key: str, signal_id: str) -> QuickestOut:
    """What of a signal's path can be changed most: values are tried on the whole plant, and nothing is kept."""
    held = opened(request, key)
    try:
        found = quicker(held.analysis, signal_id, turns(held, signal_id))
    except GivenUp:
        found = None
    told = QuickerOut(**{name: getattr(found, name) for name in QuickerOut.model_fields}) if found else None
    return QuickestOut(found=told)


class WindowOut(Shape):
    """How far a choice of time may go; null where the field has no window."""

    window: Window | None


@router.get("/plants/{key}/windows/{row_id}", response=WindowOut, operation_id="window")
def window(request: HttpRequest, key: str, row_id: str, path: str = "") -> WindowOut:
    """The feasible window of a field: values are tried on the whole plant, and nothing is kept.

    Edits have their turn between two values; one that is saved meanwhile ends it, for it will be asked for anew.
    """
    held = opened(request, key)
    try:
        return WindowOut(window=feasible_window(held.analysis, row_id, path, turns(held, row_id)))
    except GivenUp:
        return WindowOut(window=None)


@router.get("/plants/{key}/silence/{station_id}", response=NetworkCourseOut, operation_id="silence")
def silence(request: HttpRequest, key: str, station_id: str) -> NetworkCourseOut:
    """A station's network in time while that station does not answer."""
    held = opened(request, key)
    with held.lock:
        result = timing_with_silent(held.analysis, station_id)
        network = held.plant.get(station_id, Station).network
    return NetworkCourseOut(part="network.course", root=network, result=result)


class FormsOut(Shape):
    """A value as counts, at the terminals in `unit` (null without an analogue channel), and in the signal's unit."""

    raw: float
    electrical: float | None
    unit: str
    value: float
    says: str


@router.get("/plants/{key}/forms/{signal_id}", response={200: FormsOut, 422: Problem}, operation_id="forms")
def value_forms(
    request: HttpRequest, key: str, signal_id: str, form: str = "raw", typed: Annotated[str, Query(max_length=60)] = "0"
) -> FormsOut:
    """One value in its three forms, from whichever of them was typed."""
    held = opened(request, key)
    with held.lock:
        return FormsOut.model_validate(forms(held.analysis, signal_id, form, typed), from_attributes=True)


class PointOut(Shape):
    """A count and its value."""

    raw: float
    value: float


class SpanOut(Shape):
    """From one count to another."""

    low: float
    high: float


class MarkedCountOut(Shape):
    """A count that means something."""

    raw: float
    label: str


class ErrorOut(Shape):
    """What a measurement errs by: in the signal's unit, in % of the span, and where it works in % of the reading."""

    error: float
    percent: float
    works_at: float | None
    of_reading: float | None


class CharacteristicOut(Shape):
    """A scaling drawn: points of count and value, its nominal span within the counts there can be, what they mean.

    `resolution` is what one count is (null where that differs from place to place), `bits` how many the span has,
    `text` the same as Structured Text, `problem` why nothing can be drawn.
    """

    kind: str
    unit: str
    points: list[PointOut]
    nominal: SpanOut
    counts: SpanOut
    marks: list[MarkedCountOut]
    resolution: float | None
    bits: float
    text: str
    problem: str
    error: ErrorOut | None


@router.get(
    "/plants/{key}/characteristic/{link_id}",
    response={200: CharacteristicOut, 422: Problem},
    operation_id="characteristic",
)
def drawn_scaling(request: HttpRequest, key: str, link_id: str) -> CharacteristicOut:
    """How the scaling of a link looks."""
    held = opened(request, key)
    with held.lock:
        return CharacteristicOut.model_validate(characteristic(held.analysis, link_id), from_attributes=True)


class RemedyOut(Shape):
    """What mends a finding, and by what hand; without an edit only hands can do it."""

    label: str
    hand: str
    restart: bool
    edit: Edit | None = None


class RemediesOut(Shape):
    remedies: dict[str, RemedyOut]


@router.get("/plants/{key}/remedies", response=RemediesOut, operation_id="remedies")
def remedies(request: HttpRequest, key: str, finding: Annotated[list[str], Query()]) -> RemediesOut:
    """Remedies for findings by their keys; those without one are left out."""
    held = opened(request, key)
    told: dict[str, RemedyOut] = {}
    with held.lock:
        for name in finding[:100]:
            found = held.analysis.findings.get(name)
            remedy = remedy_of(held.analysis, found) if found else None
            if remedy:
                told[name] = RemedyOut(label=remedy.label, hand=remedy.hand, restart=remedy.restart, edit=remedy.edit)
    return RemediesOut(remedies=told)
