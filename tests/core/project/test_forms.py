"""What a form shows: every field told apart by its name."""

from __future__ import annotations

from collections import Counter

from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.catalogue.types import Catalogue
from highmoor.core.plant.plant import Plant
from highmoor.core.project.fields import fields_of
from tests.core.analysis.test_every_check import DEMO
from tests.core.hardware import test_remote_rail as remote
from tests.core.networks import test_partners as partners
from tests.core.networks.ethernet_ip import test_ethernet_ip as ethernet
from tests.core.networks.modbus_rtu import test_modbus_rtu as serial


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
