"""Whatever is sent, the answer is a problem that says why, never a breakdown; and nothing is changed by it."""

from __future__ import annotations

import json
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from highmoor.server.api import api
from highmoor.server.live.hub import merged
from highmoor.server.models import Entry
from tests.conftest import Api
from tests.server.api.test_access import WRITES, filled, routes

JUNK: list[Any] = [None, 7, "x", [], {}, {"edit": None}, {"edit": {"kind": "nonsense"}}, {"want": 5}, {"role": 1}]


@pytest.mark.parametrize(("method", "path"), [r for r in routes() if r[0] in WRITES and "session" not in r[1]])
def test_junk_is_answered_with_a_problem(method: str, path: str, ada: Api) -> None:
    for body in JUNK:
        send = getattr(ada.client, method)
        response = send(f"/api/{filled(path)}", data=json.dumps(body), content_type="application/json")
        assert response.status_code < 500, response.content
        if response.status_code >= 400:
            problem = json.loads(response.content)
            assert problem.get("refused") or (problem["status"] == response.status_code and problem["detail"])
        if method == "delete":
            return


VALUES = st.none() | st.booleans() | st.integers(-9, 2**70) | st.text(max_size=6) | st.lists(st.integers(), max_size=2)
_BATCH = api.get_openapi_schema()["components"]["schemas"]["Batch"]
KINDS = sorted(_BATCH["properties"]["edits"]["items"]["discriminator"]["mapping"])
KEYS = """ids id rail type values before slot count fieldbus network controller pattern signal place key connection
settings tag types ids count names leave_out start step clip into""".split()


@settings(max_examples=150, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(data=st.data())
def test_any_edit_is_tried_out_or_refused(data: Any, ada: Api) -> None:
    rows = ada.call("get", "plants/demo")[1]["rows"]
    ids = [rows[name][0]["id"] for name in rows if rows[name]]
    value = VALUES | st.sampled_from(ids) | st.lists(st.sampled_from(ids), min_size=1, max_size=3)
    edit = {
        "kind": data.draw(st.sampled_from(KINDS)),
        **data.draw(st.dictionaries(st.sampled_from(KEYS), value, max_size=5)),
    }
    status, body = ada.call("post", "plants/demo/preview", {"edit": edit})
    assert status in (200, 400, 422), body
    assert Entry.objects.count() == 1


def test_a_body_too_large_or_no_json_is_refused(ada: Api) -> None:
    path = "/api/plants/demo/preview"
    assert ada.client.post(path, data="{", content_type="application/json").status_code == 400
    deep = "[" * 100_000
    assert ada.client.post(path, data=deep, content_type="application/json").status_code < 500
    assert ada.client.post("/api/compute/scale", data=deep, content_type="application/json").status_code == 422


def test_live_values_that_wait_are_merged_and_the_later_one_counts() -> None:
    more = {"r": [None, None], "e": ["", ""]}
    first = {"t": 1, "i": ["a", "b"], "v": [1, 2], "q": ["good", "good"], **more}
    second = {"t": 2, "i": ["b", "c"], "v": [3, 4], "q": ["old", "good"], "r": [7, None], "e": ["1 mA", ""]}
    both = {"t": 2, "i": ["a", "b", "c"], "v": [1, 3, 4], "q": ["good", "old", "good"]}
    assert merged(first, second) == {**both, "r": [None, 7, None], "e": ["", "1 mA", ""]}


def test_many_rows_in_one_edit_are_stored_in_parts(ada: Api) -> None:
    rows = ada.call("get", "plants/demo")[1]["rows"]
    owner, before = rows["controllers"][0]["id"], len(rows["signals"])
    edit = {"kind": "add-signals", "controller": owner, "pattern": "Many{n}", "count": 1500}
    status, answer = ada.edit("demo", edit)
    assert status == 200, answer
    assert len(answer["change"]) == 1500
    assert ada.take_back("demo")[0] == 200
    assert len(ada.call("get", "plants/demo")[1]["rows"]["signals"]) == before
    too_many = {"kind": "batch", "edits": [{**edit, "pattern": f"A{n}_{{n}}", "count": 2000} for n in range(11)]}
    status, problem = ada.edit("demo", too_many)
    assert (status, "20000 objects" in problem["detail"]) == (422, True)
