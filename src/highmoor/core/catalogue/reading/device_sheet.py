"""A device sheet: what somebody entered by hand of a device that has no description file, as a file of ours (JSON)."""

from __future__ import annotations

import json
import re
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from highmoor.core.catalogue.choices import ConnectionChoice, ExchangeChoice, Span
from highmoor.core.catalogue.reading.description import Description, Problems, Unreadable, Vendor
from highmoor.core.catalogue.sizes import Unit, octets_of
from highmoor.core.catalogue.types import DeviceType
from highmoor.core.errors import Refusal

FAMILY = "device-sheet"
READER_VERSION = 1
FORMAT = "highmoor-device-sheet"


class SheetExchange(BaseModel):
    """One direction, seen from the controller; `size` counts in `unit`."""

    model_config = ConfigDict(extra="forbid")

    direction: Literal["in", "out"]
    size: int | str
    unit: Unit = "octets"
    point: int | None = Field(None, ge=0, le=2**32 - 1)
    interval_ms: float | None = Field(None, gt=0, le=3_600_000)


class DeviceSheet(BaseModel):
    """A device as its manual tells it."""

    model_config = ConfigDict(extra="forbid")

    format: Literal["highmoor-device-sheet"] = FORMAT  # type: ignore[assignment]
    version: Literal[1] = 1
    maker: str = Field("", max_length=200)
    model: str = Field(min_length=1, max_length=200)
    order_number: str = Field("", max_length=200)
    revision: str = Field("1.0", max_length=40)
    summary: str = Field("", max_length=400)
    fieldbus: str = Field(min_length=1, max_length=40)
    exchanges: list[SheetExchange] = Field(max_length=64)


def looks_like(text: str) -> bool:
    """Whether a text is a device sheet."""
    return FORMAT in text[:2000]


def read(text: str, encoding: str = "") -> Description:
    """The device of a sheet. Raises Unreadable with the first thing that does not fit."""
    try:
        sheet = DeviceSheet.model_validate(json.loads(text))
    except RecursionError:
        raise Unreadable("The JSON is nested too deeply.") from None
    except ValidationError as error:
        first = error.errors(include_url=False)[0]
        where = ".".join(str(part) for part in first["loc"])
        raise Unreadable(f"The device sheet does not fit at {where or 'its top'}: {first['msg'].lower()}.") from None
    except ValueError as error:
        raise Unreadable(f"The file is no JSON: {error}.") from None
    slug = re.sub(r"[^a-z0-9]+", "-", f"{sheet.maker} {sheet.model}".lower()).strip("-")[:80] or "unnamed"
    exchanges = tuple(_exchange(exchange) for exchange in sheet.exchanges)
    device = DeviceType(
        key=f"{FAMILY}.{sheet.fieldbus}.{slug}",
        kind="device",
        name=sheet.model,
        order_number=sheet.order_number,
        maker=sheet.maker,
        vendor_id=0,
        summary=sheet.summary,
        revisions=(sheet.revision,),
        fieldbus=sheet.fieldbus,
        connections=(_connection(exchanges),) if exchanges else (),
    )
    return Description(FAMILY, Vendor(None, sheet.maker), (device,), Problems().all(), (), "1", encoding)


def _connection(exchanges: tuple[ExchangeChoice, ...]) -> ConnectionChoice:
    return ConnectionChoice("connection1", "By hand", "", ("exclusive owner",), ("cyclic",), (1,), "", exchanges)


def _exchange(given: SheetExchange) -> ExchangeChoice:
    try:
        octets = octets_of(given.size, given.unit)
    except Refusal as refusal:
        raise Unreadable(refusal.reason) from None
    us = None if given.interval_ms is None else round(given.interval_ms * 1000)
    return ExchangeChoice(
        given.direction,
        "",
        given.point,
        Span.fixed(octets),
        True,
        False,
        "modeless",
        (),
        (),
        Span(us, None, us),
    )


def sheet_text(given: dict[str, Any]) -> str:
    """The file of a sheet, the same for the same entries. Raises Unreadable for what does not fit."""
    try:
        sheet = DeviceSheet.model_validate(given)
    except ValidationError as error:
        first = error.errors(include_url=False)[0]
        where = ".".join(str(part) for part in first["loc"])
        raise Unreadable(f"The entry at {where or 'the top'} does not fit: {first['msg'].lower()}.") from None
    return json.dumps(sheet.model_dump(mode="json"), ensure_ascii=False, indent=1) + "\n"
