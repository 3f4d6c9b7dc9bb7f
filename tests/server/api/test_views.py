"""What views are told: every part of any plant has the shape that the front end was generated for."""

from __future__ import annotations

import json
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings

from highmoor.core.analysis.engine import Analysis
from highmoor.core.parts import PARTS
from highmoor.server.answers import as_json
from highmoor.server.api.views import PUBLISHED, PartsOut
from tests.conftest import Api
from tests.core.analysis.test_invariants import DEMO, analyses

ROOTS_AT_MOST = 12


@settings(max_examples=25, suppress_health_check=list(HealthCheck))
@given(analyses())
def test_every_part_of_any_plant_has_its_shape_and_is_json(analysis: Analysis) -> None:
    found = [
        {"part": part.key, "root": root, "result": analysis.result(part.key, root)}
        for part in PARTS
        if part.key in PUBLISHED
        for root in list(analysis.plant.tables[part.table])[:ROOTS_AT_MOST]
    ]
    told = PartsOut.model_validate({"revision": 1, "parts": found}, from_attributes=True).model_dump(mode="json")
    read = json.loads(as_json(told), parse_constant=lambda name: pytest.fail(f"{name} is not JSON"))
    assert [(one["part"], one["root"]) for one in read["parts"]] == [(one["part"], one["root"]) for one in found]
    assert all(
        (one["result"] is None) == (was["result"] is None) for one, was in zip(read["parts"], found, strict=True)
    )


def test_what_is_asked_for_and_is_not_there_is_null_and_what_is_not_shown_is_left_out(ada: Api) -> None:
    rail = next(iter(DEMO.tables["rails"]))
    want = [("rail.power", rail), ("rail.power", "r9zzz"), ("rail.octets", rail), ("no.part", rail)]
    status, answer = ada.call("post", "plants/demo/parts", {"want": want})
    assert status == 200
    assert [(one["part"], one["root"], one["result"] is None) for one in answer["parts"]] == [
        ("rail.power", rail, False),
        ("rail.power", "r9zzz", True),
    ]


def test_an_octet_of_an_image_is_told_by_every_unit_and_what_is_none_is_refused(ada: Api) -> None:
    controller = next(iter(DEMO.tables["controllers"]))
    status, told = ada.call("get", f"plants/demo/image/{controller}/in?octet=0")
    assert status == 200
    assert [one["view"]["address"] for one in told["views"]][7:] == ["%IX0.7", "%IB0", "%IW0"]
    assert (told["now"], told["views"][0]["now"], told["padding"]) == ("", [], 2)
    assert told["values"][0] == {
        **told["values"][0], "name": "Tank1Full", "type": "BOOL", "bit": 0, "bits": 1, "among": [],
    }  # fmt: skip
    for path, expected in ((f"{controller}/in?octet=99999", 422), (f"{controller}/beside", 422), ("c9zz/in", 422)):
        status, answer = ada.call("get", f"plants/demo/image/{path}")
        assert (status, bool(answer["detail"])) == (expected, True)


@pytest.mark.parametrize("want", [[["rail.power"]], "rail.power", [["rail.power", 3]], [["rail.power", "r1"]] * 601])
def test_what_cannot_be_asked_is_refused(ada: Api, want: Any) -> None:
    status, answer = ada.call("post", "plants/demo/parts", {"want": want})
    assert status == 422
    assert answer["detail"]
