"""What streams are sent: everything to whoever shows a plant, in order; of what is news while it is new, the last."""

from __future__ import annotations

import asyncio
import json
import math
from collections.abc import Iterator
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from highmoor.server.live.hub import COLUMNS, Hub, Subscriber, encode, merged

Event = tuple[str, str | None, Any]


@pytest.fixture
def loop() -> Iterator[asyncio.AbstractEventLoop]:
    made = asyncio.new_event_loop()
    yield made
    made.close()


def stream(loop: asyncio.AbstractEventLoop, user: str, *plants: str, session: str = "") -> Subscriber:
    return Subscriber(f"stream of {user}", user, session, set(plants), loop)


def heard(subscriber: Subscriber, event: str) -> list[Any]:
    return [data for name, _, data in subscriber.take() if name == event]


def live(t: float, **values: Any) -> dict[str, Any]:
    columns = {column: [f"{value}{column}" for value in values.values()] for column in COLUMNS}
    return {"t": t, "i": list(values), **columns}


def as_rows(data: dict[str, Any]) -> dict[str, tuple[Any, ...]]:
    return dict(zip(data["i"], zip(*(data[column] for column in COLUMNS), strict=True), strict=True))


NEWS = st.lists(st.dictionaries(st.sampled_from("abcde"), st.integers(0, 9), min_size=0), min_size=1, max_size=6)


@given(NEWS)
def test_values_that_wait_are_one_set_in_which_the_latest_counts(news: list[dict[str, int]]) -> None:
    waiting = live(0, **news[0])
    for n, values in enumerate(news[1:], start=1):
        waiting = merged(waiting, live(n, **values))
    expected: dict[str, int] = {}
    for values in news:
        expected.update(values)
    assert as_rows(waiting) == {key: tuple(f"{value}{column}" for column in COLUMNS) for key, value in expected.items()}
    assert waiting["t"] == len(news) - 1
    assert len(set(waiting["i"])) == len(waiting["i"])


def test_slots_hold_the_last_of_each_plant_and_are_empty_once_taken(loop: asyncio.AbstractEventLoop) -> None:
    one = stream(loop, "ada", "malt", "mill")
    one.set_live("malt", live(1, a=1))
    one.set_live("malt", live(2, a=2, b=3))
    one.set_live("mill", live(5, c=4))
    one.set_state("malt", {"time_s": 1})
    one.set_state("malt", {"time_s": 2})
    one.send("revision", {"revision": 7}, "malt:7")
    events = one.take()
    assert [(name, data.get("plant")) for name, _, data in events] == [
        ("revision", None), ("live", "malt"), ("live", "mill"), ("state", "malt"),
    ]  # fmt: skip
    assert events[0][1] == "malt:7"
    assert as_rows(events[1][2])["a"] == ("2v", "2q", "2r", "2e")
    assert events[3][2]["bench"] == {"time_s": 2}
    assert one.take() == []


def test_who_cannot_keep_up_begins_anew(loop: asyncio.AbstractEventLoop) -> None:
    one = stream(loop, "ada", "malt")
    for n in range(500):
        one.send("revision", {"revision": n})
    assert len(one.queue) == 500
    one.send("revision", {"revision": 500})
    one.send("revision", {"revision": 501})
    assert [(name, data) for name, _, data in one.take()] == [
        ("reset", {"reason": "too far behind"}),
        ("revision", {"revision": 501}),
    ]


def test_an_event_reaches_whoever_shows_its_plant_and_nobody_else(loop: asyncio.AbstractEventLoop) -> None:
    hub = Hub()
    ada, ben = stream(loop, "ada", "malt", "mill"), stream(loop, "ben", "mill")
    for one in (ada, ben):
        hub.add(one)
    for one in (ada, ben):
        one.take()
    hub.publish("malt", "bench", {"plant": "malt"})
    hub.publish("mill", "revision", {"plant": "mill", "revision": 2}, "mill:2")
    assert [name for name, _, _ in ada.take()] == ["bench", "revision"]
    assert [(name, i) for name, i, _ in ben.take()] == [("revision", "mill:2")]
    assert set(hub.of_plant("mill")) == {ada, ben}
    assert hub.of_plant("no plant") == []


def test_who_is_here_is_told_as_people_come_and_go(loop: asyncio.AbstractEventLoop) -> None:
    hub = Hub()
    ada, ben, again = stream(loop, "ada", "malt"), stream(loop, "ben", "malt"), stream(loop, "ada", "malt")
    hub.add(ada)
    hub.add(ben)
    hub.add(again)
    assert [told["users"] for told in heard(ada, "presence")] == [["ada"], ["ada", "ben"], ["ada", "ben"]]
    hub.remove(ben)
    hub.remove(again)
    assert [told["users"] for told in heard(ada, "presence")] == [["ada"], ["ada"]]


def test_streams_end_with_membership_session_and_server(loop: asyncio.AbstractEventLoop) -> None:
    hub = Hub()
    ada, ben = stream(loop, "ada", "malt", session="s1"), stream(loop, "ben", "malt", session="s2")
    anonymous = stream(loop, "cleo", "malt")
    for one in (ada, ben, anonymous):
        hub.add(one)
    hub.member_gone("malt", "ben")
    assert [one.closed for one in (ada, ben, anonymous)] == [False, True, False]
    assert heard(ben, "gone") == [{"plant": "malt"}]
    hub.end_session("")
    assert not anonymous.closed
    hub.end_session("s1")
    assert ada.closed
    assert not anonymous.closed
    hub.plant_gone("malt")
    assert heard(anonymous, "gone") == [{"plant": "malt"}]
    hub.close_all()
    assert anonymous.closed


def test_whatever_is_queued_wakes_the_stream(loop: asyncio.AbstractEventLoop) -> None:
    one = stream(loop, "ada", "malt")
    for act in (
        lambda: one.send("alive", {}),
        lambda: one.set_live("malt", live(1)),
        lambda: one.set_state("malt", {}),
        one.close,
    ):
        one.wake.clear()
        act()
        loop.run_until_complete(asyncio.sleep(0))
        assert one.wake.is_set()


def test_a_stream_whose_loop_is_over_takes_no_harm() -> None:
    over = asyncio.new_event_loop()
    one = stream(over, "ada", "malt")
    over.close()
    one.send("alive", {})
    assert [name for name, _, _ in one.take()] == ["alive"]


@pytest.mark.parametrize(
    "data", [{"v": [1.5, None, True]}, {"v": [math.inf, math.nan]}, {"text": "line\nbreak\r and \u2028"}, {"n": 2**70}]
)
def test_an_event_is_one_block_of_lines_and_strict_json(data: dict[str, Any]) -> None:
    """WHATWG HTML, 9.2.6: fields a line each, ended by an empty one."""
    text = encode("live", "malt:7", data).decode()
    assert text.endswith("\n\n")
    lines = text[:-2].split("\n")
    assert lines[:2] == ["event: live", "id: malt:7"]
    assert len(lines) == 3
    assert "\r" not in text
    told = json.loads(lines[2].removeprefix("data: "), parse_constant=lambda name: pytest.fail(f"{name} is not JSON"))
    plain = {"v": [None, None]} if math.inf in data.get("v", []) else data
    assert told == plain
    assert encode("alive", None, {}).decode().startswith("event: alive\ndata: ")
