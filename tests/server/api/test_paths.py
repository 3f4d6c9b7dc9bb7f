"""What follows from a signal's path, through the API."""

from __future__ import annotations

import pytest

from tests.conftest import Api


def test_two_signals_together_and_what_makes_one_quicker(ada: Api, plant: str) -> None:
    rows = ada.call("get", "plants/demo")[1]["rows"]
    hall = next(c["id"] for c in rows["controllers"] if c["name"] == "HALL")
    ids = {s["name"]: s["id"] for s in rows["signals"] if s["controller"] == hall}
    where = f"plants/demo/signals/{ids['HumidifierHumidity']}"
    status, told = ada.call("get", f"{where}/together?other={ids['Tank1Level']}&per_s=2,5")
    assert (status, told["kind"], told["unit"]) == (200, "moments", "%")
    assert told["error"] == pytest.approx(2.5 * told["skew_ms"] / 1000)
    status, told = ada.call("get", f"{where}/together?other={ids['Tank1FillValve']}")
    assert (status, told["kind"], bool(told["hops"])) == (200, "reaction", True)
    for query, wanted in (
        (f"other={ids['HumidifierHumidity']}", 422), ("other=g999999", 422), ("", 422),
        (f"other={ids['Tank1Level']}&per_s=x", 422),
    ):  # fmt: skip
        status, told = ada.call("get", f"{where}/together?{query}")
        assert status == wanted, told
    status, told = ada.call("get", f"{where}/quicker")
    assert status == 200
    found = told["found"]
    assert found["worst_ms"] < found["before_ms"]
    assert ada.edit("demo", found["edit"])[0] == 200
    path = ada.call("post", "plants/demo/parts", {"want": [["signal.path", ids["HumidifierHumidity"]]]})[1]
    assert path["parts"][0]["result"]["worst_ms"] == found["worst_ms"]
