"""Two people, any edits, undo and retries: what was answered, what is in memory and what is in the database are one."""

from __future__ import annotations

import secrets
from collections.abc import Iterator
from typing import Any

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from highmoor.core.demo.plant import demo_plant
from highmoor.core.project.exchange_format import export_text
from highmoor.server.models import Entry, Membership, Project
from highmoor.server.plants import forget, open_plant
from highmoor.server.store import create_project, load_plant
from tests.conftest import Api
from tests.core.plants import an_edit

Answer = dict[str, Any]


class Screen:
    """What a tab makes of the answers it hears of, in order, as the front end does."""

    def __init__(self, api: Api, key: str) -> None:
        self.api, self.key = api, key
        told = api.call("get", f"plants/{key}")[1]
        self.revision = told["revision"]
        self.rows = {table: {row["id"]: row for row in rows} for table, rows in told["rows"].items()}
        self.findings = {found["key"]: found for found in api.call("get", f"plants/{key}/findings")[1]["findings"]}

    def hear(self, answer: Answer) -> None:
        # An edit that changes nothing is no step; taking back what is gone already is one.
        assert answer["revision"] in ((self.revision + 1,) if answer["change"] else (self.revision, self.revision + 1))
        self.revision = answer["revision"]
        for step in answer["change"]:
            if step["after"] is None:
                self.rows[step["table"]].pop(step["id"])
            else:
                self.rows[step["table"]][step["id"]] = step["after"]
        for key in answer["findings_gone"]:
            del self.findings[key]
        for found in answer["findings_added"]:
            self.findings[found["key"]] = found

    def is_as_told_anew(self) -> None:
        anew = Screen(self.api, self.key)
        assert self.revision == anew.revision
        for table, rows in anew.rows.items():
            assert self.rows[table] == rows, table
        assert self.findings == anew.findings


def steps(draw: Any, users: list[Api], key: str) -> Iterator[tuple[int, Answer]]:
    """Requests of one or the other: an edit, the same once more, undo and redo of either document."""
    held = open_plant(Project.objects.get(key=key))
    for _ in range(draw(st.integers(1, 6))):
        who = draw(st.sampled_from(users))
        what = draw(st.sampled_from(["edit", "edit", "edit", "undo", "redo"]))
        if what != "edit":
            document = draw(st.sampled_from(["plant", "plant", "built"]))
            yield who.take_back(key, what, rest=draw(st.booleans()), document=document)
            continue
        edit = an_edit(draw, held.plant).model_dump(mode="json")
        # One may have seen an older revision than there is.
        base = max(1, held.revision - draw(st.sampled_from([0, 0, 0, 1, 3])))
        once = secrets.token_hex(8)
        first = who.edit(key, edit, base=base, client_key=once)
        yield first
        if first[0] == 200 and first[1]["change"] and draw(st.booleans()):
            status, again = who.edit(key, edit, base=base, client_key=once)
            assert (status, again["repeated"], again["revision"]) == (200, True, first[1]["revision"])


@settings(max_examples=15, suppress_health_check=list(HealthCheck))
@given(st.data())
def test_answer_memory_and_database_are_one_whatever_is_done(users: dict[str, Any], data: Any) -> None:
    key = f"plant-{secrets.token_hex(6)}"
    project = create_project(demo_plant(), users["ada"], "A plant", key=key)
    Membership.objects.create(project=project, user=users["ben"], role="engineer")
    ada, ben = Api(users["ada"]), Api(users["ben"])
    screen = Screen(ada, key)
    for status, answer in steps(data.draw, [ada, ben], key):
        assert status in (200, 404, 409, 422), answer
        if status == 200:
            screen.hear(answer)
        else:
            assert answer["detail"]
    screen.is_as_told_anew()
    in_memory = export_text(open_plant(project).plant)
    assert export_text(load_plant(Project.objects.get(key=key))) == in_memory
    assert Entry.objects.filter(project=project).count() == screen.revision
    forget()
    screen.is_as_told_anew()
