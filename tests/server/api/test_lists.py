"""A list read, compared, taken and given out again, through the API."""

from __future__ import annotations

import io
from typing import Any

from openpyxl import load_workbook

from tests.conftest import Api, Upload

TEXT = "Tag no.;Service;Unit;Range;Rev\n99-LT-001;Level;m;0-3,2;A\n99-LT-002;=Level;m;;A\n"


def read(api: Api, text: str | bytes, name: str = "list.csv") -> tuple[int, dict[str, Any]]:
    return api.call("post", "plants/demo/lists", Upload(name, text if isinstance(text, bytes) else text.encode()))


def issue(api: Api, sheet: dict[str, Any], **more: Any) -> dict[str, Any]:
    headings = [{"text": one["text"], "key": one["key"]} for one in sheet["headings"]]
    controller = api.call("get", "plants/demo")[1]["rows"]["controllers"][0]["id"]
    known = {"of": sheet["of"], "name": sheet["name"], "controller": controller, "headings": headings}
    return {**known, "rows": sheet["rows"], **more}


def test_a_list_comes_in_and_goes_out_with_its_own_columns(ada: Api, plant: str) -> None:
    status, sheet = read(ada, TEXT)
    assert status == 200
    assert [one["key"] for one in sheet["headings"]] == ["tag", "text", "unit", "range", "x1"]
    status, told = ada.call("post", "plants/demo/lists/issue", issue(ada, sheet))
    assert [(one["kind"], one["name"]) for one in told["differences"]] == [("new", "T99_LT_001"), ("new", "T99_LT_002")]
    ids = [one["id"] for one in told["differences"]]
    status, answer = ada.edit("demo", {"kind": "take-list", **issue(ada, sheet), "taken": ids})
    assert status == 200, answer
    rows = ada.call("get", "plants/demo")[1]["rows"]
    of = next(row["id"] for row in rows["lists"] if row["name"] == "list.csv")
    out = ada.client.get(f"/api/plants/demo/lists/{of}.csv")
    assert out.headers["Content-Disposition"] == 'attachment; filename="list.csv"'
    lines = out.content.decode("utf-8-sig").splitlines()
    assert lines == [
        "Tag no.,Service,Unit,Range,Rev", "99-LT-001,Level,m,0 … 3.2,A", "99-LT-002,'=Level,m,,A",
    ]  # fmt: skip
    # What went out changes nothing when it comes back, and is known as the list it is.
    sheet = read(ada, out.content)[1]
    assert sheet["of"] == of
    assert ada.call("post", "plants/demo/lists/issue", issue(ada, sheet))[1]["differences"] == []
    workbook = ada.client.get(f"/api/plants/demo/lists/{of}.xlsx").content
    cell = load_workbook(io.BytesIO(workbook)).worksheets[0]["B3"]
    assert (cell.value, cell.data_type) == ("=Level", "s")
    assert ada.client.get(f"/api/plants/demo/lists/{of}.exe").status_code == 404
    assert ada.client.get("/api/plants/demo/lists/i99999.csv").status_code == 404


def test_what_cannot_be_read_or_taken_is_said_and_nothing_is_kept(ada: Api, plant: str) -> None:
    before = ada.call("get", "plants/demo")[1]["rows"]
    assert read(ada, b"PK\x03\x04")[0] == 422
    sheet = read(ada, TEXT)[1]
    for more, reason in (
        ({"headings": [{"text": "Service", "key": "text"}]}, "Say which column has the tags"),
        ({"of": "i99999"}, "i99999"),
        ({"names": "{x}"}, "is no column"),
    ):
        status, body = ada.call("post", "plants/demo/lists/issue", issue(ada, sheet, **more))
        assert (status in (404, 409, 410, 422), reason in body["detail"]) == (True, True), body
    status, body = ada.edit("demo", {"kind": "take-list", **issue(ada, sheet), "taken": ["new gone"]})
    assert (status, "changed meanwhile" in body["detail"]) == (422, True)
    status, body = ada.edit(
        "demo", {"kind": "take-list", **issue(ada, sheet, controller=None), "taken": ["new 99-lt-001"]}
    )
    assert (status, "which controller" in body["detail"]) == (422, True)
    assert ada.call("get", "plants/demo")[1]["rows"] == before
