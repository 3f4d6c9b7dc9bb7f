"""Scanners' devices over HTTP: what differs in one from what is configured, sending, its password, its reset."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC, datetime
from math import ceil
from typing import Literal

from django.http import HttpRequest
from ninja import Router
from pydantic import Field

from highmoor.core.errors import Refusal
from highmoor.core.plant.change import Change
from highmoor.core.plant.rows import Scanner
from highmoor.core.project.draft import Draft
from highmoor.core.project.scanner_device import as_delivered, device_of, differences, into_device, silent
from highmoor.core.project.seal_words import DifferenceInWords, in_words
from highmoor.server import device_passwords
from highmoor.server.api.access import opened, user_of
from highmoor.server.api.editing import answered
from highmoor.server.api.shapes import ClientKey, ClientName, EditOut, Problem, Shape
from highmoor.server.plants import Answer, Asked, OpenPlant

router = Router(tags=["scanners' devices"])
_LABELS = {"send": "Send to {name}", "reset": "Reset {name}", "password": "Password of {name}"}


class DeviceOut(Shape):
    """A scanner's device: `assumed` to be as configured until something is sent, `empty` after a reset, or `sent`.

    `differences` are as it is in the device (`before`) and as it is configured (`now`). `silent` says why it does not
    answer; `locked_s` for how long it takes no password. `factory` is the password it came with, "" where that is gone.
    """

    revision: int
    state: Literal["assumed", "empty", "sent"]
    at: str
    by: str
    silent: str
    differences: list[DifferenceInWords]
    factory: str
    locked_s: int


class DeviceIn(Shape):
    """`send` what is configured, give a new `password`, or `reset` it at the device itself, which asks for none."""

    do: Literal["send", "password", "reset"]
    password: str = Field(default="", max_length=500)
    new_password: str = Field(default="", max_length=500)
    client: ClientName
    client_key: ClientKey


@router.get("/plants/{key}/scanners/{scanner_id}/device", response={200: DeviceOut, 422: Problem},
            operation_id="scanner_device")  # fmt: skip
def scanner_device(request: HttpRequest, key: str, scanner_id: str) -> DeviceOut:
    """What is in a scanner's device beside what is configured."""
    held = opened(request, key)
    with held.lock:
        scanner = held.plant.get(scanner_id, Scanner)
        built = device_of(held.plant, scanner.id)
        own = device_passwords.has_own(held.project, scanner.id)
        locked = device_passwords.TRIES.left_s((held.project.pk, scanner.id))
        return DeviceOut(
            revision=held.revision, state="assumed" if built is None else "sent" if built.copy else "empty",
            at=built.at if built else "", by=built.by if built else "",
            silent=silent(held.plant, held.analysis.catalogue, scanner), differences=_differences(held, scanner),
            factory="" if own else device_passwords.factory_password(scanner), locked_s=ceil(locked),
        )  # fmt: skip


def _differences(held: OpenPlant, scanner: Scanner) -> list[DifferenceInWords]:
    built = device_of(held.plant, scanner.id)
    if built is None:
        return []
    lines = in_words(held.analysis, differences(held.plant, held.analysis.catalogue, scanner, built))
    # What is not set and what is set as usual are the same in a device.
    return [line for line in lines if line.before != line.now]


def open_of_devices(held: OpenPlant, controller: str) -> Iterator[str]:
    """What of its scanners' devices is not in order, in words."""
    for scanner in held.plant.children(Scanner, controller):
        if not device_passwords.has_own(held.project, scanner.id):
            yield f"{scanner.name}: has its factory password"
        found = len(_differences(held, scanner))
        if found:
            things = "1 thing is" if found == 1 else f"{found} things are"
            yield f"{scanner.name}: {things} not as configured in the device"


@router.post("/plants/{key}/scanners/{scanner_id}/device", response={200: EditOut, 422: Problem},
             operation_id="do_at_scanner_device")  # fmt: skip
def do_at_scanner_device(request: HttpRequest, key: str, scanner_id: str, wanted: DeviceIn) -> EditOut:
    """Send what is configured to a scanner's device, give it another password, or reset it."""
    held, user = opened(request, key, "edit"), user_of(request)
    # The password goes no further: neither into the journal nor into what tells one request from another.
    asked = Asked.of(user, wanted.client, wanted.client_key, "scanner device", scanner_id, wanted.do)
    with held.lock:
        scanner = held.plant.get(scanner_id, Scanner)
        quiet = silent(held.plant, held.analysis.catalogue, scanner)
        known = held.repeated(asked)
    if known is not None:
        return answered(held, known, request)
    if wanted.do != "reset":
        if quiet:
            raise Refusal(f"{scanner.name} does not answer: {quiet}.", place=scanner.id)
        _by_password(held, scanner, wanted)
    return answered(held, _done(held, scanner, wanted, asked), request)


def _by_password(held: OpenPlant, scanner: Scanner, wanted: DeviceIn) -> None:
    """Raises Refusal for a wrong password, and while its factory one has not gone."""
    project, new = held.project, wanted.new_password
    device_passwords.check(project, scanner, wanted.password)
    if not new and wanted.do == "password":
        raise Refusal("Type its new password.", field="new_password")
    if not new and not device_passwords.has_own(project, scanner.id):
        raise Refusal("Its factory password has to go: give it another.", field="new_password")
    if new:
        reason = device_passwords.problem(scanner, new)
        if reason:
            raise Refusal(reason, field="new_password")
        device_passwords.give(project, scanner, new)


def _done(held: OpenPlant, scanner: Scanner, wanted: DeviceIn, asked: Asked) -> Answer:
    label = _LABELS[wanted.do].format(name=scanner.name)
    if wanted.do == "password":
        return Answer(held.revision, Change(), {}, label, document="built")
    at, by = datetime.now(UTC).strftime("%Y-%m-%dT%H:%MZ"), asked.user.get_username()

    def make() -> tuple[Draft, str]:
        draft = Draft(held.plant, held.catalogue)
        row = held.plant.get(scanner.id, Scanner)
        (into_device if wanted.do == "send" else as_delivered)(draft, row, at=at, by=by)
        return draft, label

    answer = held.record(asked, make, document="built")
    if wanted.do == "reset":
        device_passwords.forget(held.project, scanner)
    return answer
