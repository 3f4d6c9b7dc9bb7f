"""How answers are written as JSON: quickly, and whatever is in them."""

from __future__ import annotations

import json
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
        # What the quick way cannot write: integers beyond 64 bits, objects of the framework.
        return json.dumps(body, ensure_ascii=False, cls=_Encoder).encode()


class _Encoder(NinjaJSONEncoder):
    def default(self, value: Any) -> Any:
        """Rows as what they hold."""
        fields = getattr(value, "__dataclass_fields__", None)
        return {name: getattr(value, name) for name in fields} if fields else super().default(value)


def answered_as_json(body: Any) -> HttpResponse:
    """An answer written straight to JSON: what is long is not checked once more on its way out."""
    return HttpResponse(as_json(body), content_type="application/json")


class Renderer(BaseRenderer):
    """What writes the answers of all other routes."""

    media_type = "application/json"

    def render(self, request: HttpRequest, data: Any, *, response_status: int) -> bytes:
        """The octets of an answer that was checked against its shape."""
        return as_json(data)
