"""How answers are written as JSON: quickly, and whatever is in them."""

from __future__ import annotations

import json
import math
from typing import Any

import orjson
from django.http import HttpRequest, HttpResponse
from ninja.renderers import BaseRenderer
from ninja.responses import NinjaJSONEncoder


def as_json(body: Any) -> bytes:
    """The octets of anything the API answers with; rows may be in it as they are."""
    try:
        return orjson.dumps(body)
    except TypeError:
        # What the quick way cannot write: integers beyond 64 bits, half characters, objects of the framework.
        return json.dumps(_plain(body), cls=NinjaJSONEncoder).encode()


def _plain(value: Any) -> Any:
    """Rows as what they hold, and what is no number as null, as the quick way has it."""
    if isinstance(value, float):
        return value if math.isfinite(value) else None
    if isinstance(value, dict):
        return {key: _plain(one) for key, one in value.items()}
    if isinstance(value, list | tuple):
        return [_plain(one) for one in value]
    fields = getattr(value, "__dataclass_fields__", None)
    return {name: _plain(getattr(value, name)) for name in fields} if fields else value


def answered_as_json(body: Any) -> HttpResponse:
    """An answer written straight to JSON: what is long is not checked once more on its way out."""
    return HttpResponse(as_json(body), content_type="application/json")


class Renderer(BaseRenderer):
    """What writes the answers of all other routes."""

    media_type = "application/json"

    def render(self, request: HttpRequest, data: Any, *, response_status: int) -> bytes:
        """The octets of an answer that was checked against its shape."""
        return as_json(data)
