"""Figures over HTTP, with the contracts of the command line."""

from __future__ import annotations

import json
from decimal import Decimal
from typing import Any

from django.http import Http404, HttpRequest, HttpResponse
from ninja import Router

from highmoor.core.errors import Refusal
from highmoor.core.figures.listing import FIGURES, answer
from highmoor.server.api.shapes import Shape

router = Router(tags=["figures"])
_OCTETS_AT_MOST = 256 * 1024
_CASES_AT_MOST = 1000


class FigureOut(Shape):
    name: str
    summary: str
    keys: list[str]


@router.get("/compute", response=list[FigureOut], operation_id="figures")
def figures(request: HttpRequest) -> list[FigureOut]:
    """All figures."""
    return [FigureOut(name=f.name, summary=f.summary, keys=list(f.shape)) for f in FIGURES.values()]


@router.post(
    "/compute/{name}",
    response=dict[str, Any],
    operation_id="compute",
    openapi_extra={"requestBody": {"content": {"application/json": {"schema": {}}}}},
)
def compute(request: HttpRequest, name: str) -> HttpResponse:
    """One case, or an array of them; numbers are meant by their decimal text. Refused input is answered 422."""
    if name not in FIGURES:
        raise Http404
    if len(request.body) > _OCTETS_AT_MOST:
        raise Refusal(f"At most {_OCTETS_AT_MOST // 1024} KB can be computed at once.")
    try:
        given = json.loads(request.body, parse_float=Decimal, parse_constant=_no_constant)
    except (ValueError, RecursionError):
        raise Refusal("The input is not JSON.") from None
    if isinstance(given, list) and len(given) > _CASES_AT_MOST:
        raise Refusal(f"{len(given)} cases; at most {_CASES_AT_MOST} can be computed at once.")
    result: Any = [answer(name, case) for case in given] if isinstance(given, list) else answer(name, given)
    status = 422 if isinstance(result, dict) and "refused" in result else 200
    return HttpResponse(json.dumps(result), status=status, content_type="application/json")


def _no_constant(name: str) -> float:
    raise ValueError(name)
