"""Seals over HTTP: what a controller's seal covers, what is another since, and sealing."""

from __future__ import annotations

from datetime import UTC, datetime

from django.http import HttpRequest, HttpResponse
from django.template.loader import render_to_string
from ninja import Router
from pydantic import Field

from highmoor.core.errors import Refusal
from highmoor.core.plant.rows import Controller
from highmoor.core.project.seal_words import DifferenceInWords, in_words
from highmoor.core.project.sealing import open_proofs
from highmoor.core.safety.seal.parts import SealTold
from highmoor.server.api.access import member, opened, user_of
from highmoor.server.api.editing import answered
from highmoor.server.api.problems import Forbidden
from highmoor.server.api.scanner_devices import open_of_devices
from highmoor.server.api.shapes import ClientKey, ClientName, EditOut, Problem, Shape
from highmoor.server.plants import Asked, OpenPlant
from highmoor.server.report.facts import facts_of
from highmoor.server.signing_in import TooMany, signed_in

router = Router(tags=["seals"])
_MAY_SEAL = ("owner", "assessor")
_EDITS_AT_MOST = 100


class SinceOut(Shape):
    """An edit since the seal that has to do with what is another now."""

    revision: int
    author: str
    time: datetime
    label: str
    rows: list[str]


class SealOut(Shape):
    """A controller's seal. `may` says whether who asks may seal, `asks` whether a password is asked for it."""

    revision: int
    told: SealTold
    differences: list[DifferenceInWords]
    since: list[SinceOut]
    open: list[str]
    may: bool
    asks: bool


class SealIn(Shape):
    controller: str = Field(max_length=48)
    password: str = Field(default="", max_length=500)
    client: ClientName
    client_key: ClientKey


@router.get("/plants/{key}/seals/{controller}", response={200: SealOut, 422: Problem}, operation_id="seal")
def seal(request: HttpRequest, key: str, controller: str) -> SealOut:
    """What a seal of a controller covers, and what of that is another than when it was sealed last."""
    held = opened(request, key)
    _, role = member(request, key)
    with held.lock:
        held.plant.get(controller, Controller)
        told: SealTold | None = held.analysis.result("controller.seal", controller)
        if told is None:
            raise Refusal("The seal could not be computed; the findings say where.", place=controller)
        return SealOut(
            revision=held.revision, told=told, differences=in_words(held.analysis, told.differences),
            since=_since(held, told), open=_open(held, controller), may=role in _MAY_SEAL,
            asks=user_of(request).has_usable_password(),
        )  # fmt: skip


def _open(held: OpenPlant, controller: str) -> list[str]:
    return [*open_proofs(held.analysis, controller), *open_of_devices(held, controller)]


def _since(held: OpenPlant, told: SealTold) -> list[SinceOut]:
    """The edits that what is another comes from: of its rows, or of those that it follows from."""
    if told.kept is None or not told.differences:
        return []
    rows: set[str] = set()
    for one in told.differences:
        rows.add(one.row)
        if one.field.startswith("result."):
            part = "function.told" if held.plant.tables["functions"].get(one.row) else "situation.told"
            rows |= held.analysis.rows_behind(part, one.row)
    found = held.since(told.kept.revision, rows - {""})
    return [
        SinceOut(revision=e.revision, author=e.author.username if e.author else "", time=e.time, label=e.label,
                 rows=sorted({row["id"] for row in e.change} & rows))
        for e in found[:_EDITS_AT_MOST]
    ]  # fmt: skip


@router.get("/plants/{key}/seals/{controller}/report", operation_id="safety_report")
def report(request: HttpRequest, key: str, controller: str) -> HttpResponse:
    """The safety report of a controller as a page that stands by itself: nothing is fetched, no script runs."""
    held = opened(request, key)
    with held.lock:
        row = held.plant.get(controller, Controller)
        context = {
            "facts": facts_of(held.analysis, row, _open(held, controller)), "plant": held.project.name,
            "revision": held.revision,
            "at": datetime.now(UTC).strftime("%Y-%m-%d %H:%M UTC"), "by": user_of(request).get_username(),
        }  # fmt: skip
    answer = HttpResponse(render_to_string("safety_report.html", context))
    answer["Content-Security-Policy"] = "default-src 'none'; style-src 'unsafe-inline'"
    answer["Cache-Control"] = "no-store"
    return answer


@router.post("/plants/{key}/seals", response={200: EditOut, 422: Problem}, operation_id="make_seal")
def make_seal(request: HttpRequest, key: str, wanted: SealIn) -> EditOut:
    """Seal a controller as it is now. Asks the password again, so that nobody seals at another's desk."""
    held = opened(request, key)
    _, role = member(request, key)
    if role not in _MAY_SEAL:
        raise Forbidden(f"As {role} you cannot seal: that is for an assessor, or the owner.")
    user = user_of(request)
    if user.has_usable_password():
        try:
            known = signed_in(request, user.get_username(), wanted.password)
        except TooMany:
            raise Forbidden("Too many wrong passwords; try again in five minutes.") from None
        if known is None or known.pk != user.pk:
            raise Refusal("The password is not right.", field="password")
    # The password goes no further: neither into the journal nor into what tells one request from another.
    asked = Asked.of(user, wanted.client, wanted.client_key, "seal", wanted.controller)
    at = datetime.now(UTC).strftime("%Y-%m-%dT%H:%MZ")
    with held.lock:
        also_open = tuple(open_of_devices(held, wanted.controller))
        return answered(held, held.seal(asked, wanted.controller, at, also_open), request)
