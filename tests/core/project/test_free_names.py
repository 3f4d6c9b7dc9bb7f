"""A name that is taken counts on as it was written."""

from __future__ import annotations

import pytest

from highmoor.core.project.draft import free_name


@pytest.mark.parametrize(
    ("wanted", "used", "free"),
    [
        ("Fan", set(), "Fan"), ("Fan", {"fan"}, "Fan2"), ("Fan1", {"fan1", "fan2"}, "Fan3"),
        ("Situation 1", {"situation 1"}, "Situation 2"), ("Hall fan", {"hall fan"}, "Hall fan 2"), ("7", {"7"}, "72"),
    ],
)  # fmt: skip
def test_the_next_one(wanted: str, used: set[str], free: str) -> None:
    assert free_name(wanted, used) == free


def test_the_number_of_a_type_is_none_that_counts() -> None:
    assert free_name("DO-16", {"do-16"}, of_type=True) == "DO-16 2"
