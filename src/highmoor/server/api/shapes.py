"""The shapes of the API that more than one route speaks of; rows come straight from the core's tables."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, create_model

from highmoor.core.plant import rows
from highmoor.core.project.edits import Edit


class Shape(BaseModel):
    """What is asked or answered; made of dictionaries, or of objects with the same attributes."""

    model_config = ConfigDict(from_attributes=True)


class FindingOut(Shape):
    key: str
    code: str
    stage: Literal["hardware", "networks", "signals", "safety", "motion", "live", "handover"]
    severity: Literal["error", "warning", "note"]
    title: str
    text: str
    reason: str
    standard: str
    where: str
    places: list[PlaceOut]


class PlaceOut(Shape):
    id: str
    field: str


_TABLES: dict[str, Any] = {name: (list[table.row], ...) for name, table in rows.TABLES.items()}  # type: ignore[name-defined]
RowsOut: Any = create_model("RowsOut", __base__=Shape, __doc__="All rows of a plant by table.", **_TABLES)


class StepOut(Shape):
    """What undo or redo would do next."""

    revision: int
    label: str


class TakeBackState(Shape):
    undo: StepOut | None = None
    redo: StepOut | None = None


class TakeBackStates(Shape):
    """The same for each of the two documents."""

    plant: TakeBackState
    built: TakeBackState


class PlantOut(Shape):
    """A plant as a view needs it to begin with; `configured` is the last revision that changed what is configured."""

    key: str
    name: str
    role: Literal["owner", "engineer", "assessor", "reader"]
    revision: int
    configured: int
    rows: RowsOut
    steps: TakeBackStates


class FindingsOut(Shape):
    """All findings, as of a revision."""

    revision: int
    findings: list[FindingOut]


class RowChange(Shape):
    """One row's change: `before` and `after` are whole rows, null for none."""

    table: str
    id: str
    before: dict[str, Any] | None = None
    after: dict[str, Any] | None = None


# Never cut: what does not fit is refused, so that two keys that begin alike are two keys.
ClientName = Annotated[str, Field(min_length=1, max_length=48)]
ClientKey = Annotated[str, Field(min_length=1, max_length=64)]
Revision = Annotated[int, Field(ge=0, lt=2**53)]


class EditIn(Shape):
    """An edit made while looking at revision `base`. `client_key` makes a retry harmless: an edit under a key that the
    user has used before is answered as it was the first time, and refused when it is another edit."""

    base: Revision
    client: ClientName
    client_key: ClientKey
    label: str = Field(max_length=300)
    edit: Edit


class TakeBackIn(Shape):
    """Undo or redo; `rest` takes back what can be and leaves what others changed since."""

    client: ClientName
    client_key: ClientKey
    rest: bool = False
    document: rows.Document = "plant"


class EditOut(Shape):
    revision: int
    document: rows.Document
    change: list[RowChange]
    tags: dict[str, str]
    findings_added: list[FindingOut]
    findings_gone: list[str]
    stale: list[list[str]]
    steps: TakeBackStates
    repeated: bool


class OverlapOut(Shape):
    """A field that was written since, with both values."""

    id: str
    field: str
    label: str
    theirs: Any = None
    yours: Any = None
    author: str
    revision: int


class Problem(Shape):
    """RFC 9457, with what a form or a conflict view needs."""

    type: str
    title: str
    status: int
    detail: str
    place: str | None = None
    field: str | None = None
    value: str | int | float | bool | None = None
    overlaps: list[OverlapOut] | None = None
    faults: list[dict[str, str]] | None = None
