"""A controller's image: one stretch of it with what is linked there, and any of its octets by every unit."""

from __future__ import annotations

from typing import Literal

from django.http import HttpRequest
from ninja import Router

from highmoor.core.analysis.engine import Reader
from highmoor.core.errors import HighmoorError
from highmoor.core.plant.rows import Controller
from highmoor.core.signals.image import ImageItem
from highmoor.core.signals.image_views import ImageValue, View, item_at, meant, values_in, views_at
from highmoor.server.api.access import opened
from highmoor.server.api.shapes import Problem, Shape
from highmoor.server.live.bench_host import BENCHES

router = Router(tags=["views"])


class SaidOut(Shape):
    """What octets say, by a kind of number."""

    kind: str
    text: str


class ViewNowOut(Shape):
    """The same octets by one unit, and what they say now; nothing where the bench does not run."""

    view: View
    now: list[SaidOut]


class ImageHereOut(Shape):
    """The stretch an octet lies in, with its values; `now` are its octets in capital hex pairs, "" where the bench does
    not run or has it in another size."""

    revision: int
    offset: int
    octets: int
    padding: int
    values: list[ImageValue]
    views: list[ViewNowOut]
    now: str


@router.get(
    "/plants/{key}/image/{controller}/{area}",
    response={200: ImageHereOut, 422: Problem},
    operation_id="image_here",
)
def image_here(
    request: HttpRequest, key: str, controller: str, area: Literal["in", "out"], octet: int = 0
) -> ImageHereOut:
    """Around an octet of a controller's image."""
    held = opened(request, key)
    with held.lock:
        held.plant.get(controller, Controller)
        reader, revision = Reader(held.analysis), held.revision
        item = item_at(reader, controller, area, octet)
        values, views = values_in(reader, controller, item), views_at(reader, controller, area, octet)
    now = _now(key, controller, item)
    return ImageHereOut(
        revision=revision, offset=item.offset, octets=item.octets, padding=item.padding, values=list(values),
        views=[ViewNowOut(view=view, now=_said(view, item, now)) for view in views], now=now.hex(" ").upper(),
    )  # fmt: skip


def _now(key: str, controller: str, item: ImageItem) -> bytes:
    running = BENCHES.get(key)
    if running is None or not running.running:
        return b""
    try:
        octets = running.octets(controller, item.holder, item.area)
    except HighmoorError:
        # It ended while it was asked.
        return b""
    return octets if len(octets) == item.octets else b""


def _said(view: View, item: ImageItem, now: bytes) -> list[SaidOut]:
    if not now:
        return []
    first = view.bit // 8 - item.offset
    order = view.values[0].order if view.values else view.order
    octets = now[first : first + max(view.bits // 8, 1)]
    return [SaidOut(kind=kind, text=text) for kind, text in meant(octets, view.bits, view.bit % 8, order)]
