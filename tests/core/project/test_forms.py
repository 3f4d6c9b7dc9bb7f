"""What a form shows: every field told apart by its name."""

from __future__ import annotations

from collections import Counter
from typing import Any

import pytest

from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.catalogue.types import Catalogue
from highmoor.core.errors import Refusal
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Controller, Link, Module
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.project.fields import fields_of
from tests.core.analysis.test_every_check import DEMO
from tests.core.hardware import test_remote_rail as remote
from tests.core.networks import test_partners as partners
from tests.core.networks.ethernet_ip import test_ethernet_ip as ethernet
from tests.core.networks.modbus_rtu import test_modbus_rtu as serial
from tests.core.plants import hall


def test_no_two_fields_of_a_form_share_a_name() -> None:
    plants: list[tuple[Plant, Catalogue]] = [
        (DEMO, BUILTIN),
        (ethernet.cell(*({"type": key} for key in ("cv7", "pm8", "ws3")), ethernet.BY_HAND), ethernet.LIBRARY),
        (ethernet.cell({**ethernet.BY_HAND, "more": [{"kind": "request"}]}), BUILTIN),
        (serial.on_a_line(*serial.GOOD, module="ser-2"), BUILTIN),
        (partners.told("ethernet-ip", "in"), BUILTIN),
        (remote.signals_everywhere(remote.carried(remote.coupled("di-16", "ai-8", "do-16"))), BUILTIN),
    ]
    for plant, catalogue in plants:
        for row in plant.rows():
            shown = Counter((spec.channel, spec.label) for spec in fields_of(plant, catalogue, row) if not spec.made)
            assert [name for name, n in shown.items() if n > 1] == [], row


@pytest.mark.parametrize(
    ("kind", "typed", "counts"),
    [
        ("4-20mA", "4 mA", 0),
        ("4-20mA", "20 mA", 30000),
        ("4-20mA", "0.012 A", 15000),
        ("4-20mA", "21.4 mA", 32625),
        ("4-20mA", "16#10", 16),
        ("4-20mA", "25 mA", "does not count to 25 mA"),
        ("4-20mA", "2 V", "does not fit"),
        ("0-10V", "2 V", 6000),
        ("0-10V", "2500 mV", 7500),
        ("0-10V", "6000", 6000),
        ("0-10V-mV", "2 V", 2000),
        ("10V-mV", "-2.5 V", -2500),
        ("4-20mA-uA", "12 mA", 12000),
    ],
)
def test_an_end_of_a_scaling_is_a_count_or_what_stands_at_the_terminals(kind: str, typed: str, counts: Any) -> None:
    plant = hall("ai-4v")
    module, controller = plant.all(Module)[0].id, plant.all(Controller)[0].id
    for edit in (
        edits.SetFields(ids=[module], values={"settings.channels.ch0.range": kind}),
        edits.AddSignals(controller=controller, pattern="Level", type="REAL", place=module, key="ch0",
                         scaling={"raw_lo": 0, "raw_hi": 30000, "lo": 0, "hi": 10}),
    ):  # fmt: skip
        plant = apply(plant, BUILTIN, edit).plant
    link = plant.all(Link)[0]
    end = edits.SetFields(ids=[link.id], values={"scaling.raw_lo": typed})
    if isinstance(counts, str):
        with pytest.raises(Refusal, match=counts):
            apply(plant, BUILTIN, end)
        return
    made = apply(plant, BUILTIN, end).plant
    assert made.get(link.id, Link).scaling["raw_lo"] == counts  # type: ignore[index]
    spec = next(s for s in fields_of(made, BUILTIN, made.get(link.id, Link)) if s.path == "scaling.raw_lo")
    # What is shown beside it can be typed again.
    assert spec.parse(spec.beside(counts)) == counts
