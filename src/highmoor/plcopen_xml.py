"""Signals as PLCopen XML: types, variables at their addresses, tasks. Source: PLCopen TC6 XML 2.01 (IEC 61131-10)."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from lxml import etree

from highmoor.core.analysis.engine import Analysis
from highmoor.core.datatypes import SAFE_TYPE
from highmoor.core.numbers import exact, shown
from highmoor.core.plant.rows import Controller, DataStructure, Task
from highmoor.core.signals.declarations import Declared, Elements, Initial, Members, program_of
from highmoor.core.signals.shapes import Array, Shape, Structure
from highmoor.core.signals.type_names import TypeNames

_TC6 = "http://www.plcopen.org/xml/tc6_0201"
_XHTML = "http://www.w3.org/1999/xhtml"


def plcopen_octets(analysis: Analysis, title: str, created: datetime) -> bytes:
    """All signals of a plant as a project: a configuration for each controller."""
    names = TypeNames(analysis.plant.all(DataStructure))
    programs = [(controller, program_of(analysis, controller, names)) for controller in analysis.plant.all(Controller)]
    project = etree.Element(f"{{{_TC6}}}project", nsmap={None: _TC6, "xhtml": _XHTML})
    _header(project, title, created)
    types = _sub(project, "types")
    declared = _sub(types, "dataTypes")
    for name, structure in names.made:
        struct = _sub(_sub(_sub(declared, "dataType", name=name), "baseType"), "struct")
        for member, shape in structure.members:
            _type(_sub(_sub(struct, "variable", name=member), "type"), shape, names, member)
    _sub(types, "pous")
    configurations = _sub(_sub(project, "instances"), "configurations")
    for controller, program in programs:
        resource = _sub(_sub(configurations, "configuration", name=controller.name), "resource", name=controller.name)
        for n, task in enumerate(sorted(analysis.plant.children(Task, controller.id), key=_period)):
            period = shown(exact(task.period_ms))
            _sub(resource, "task", name=_identifier(task.name), interval=f"T#{period}ms", priority=str(n))
        variables = _sub(resource, "globalVars")
        for one in program.variables:
            _variable(variables, one, names)
    return etree.tostring(project, xml_declaration=True, encoding="utf-8", pretty_print=True)


def _period(task: Task) -> float:
    return task.period_ms


def _identifier(name: str) -> str:
    return "".join(c if c.isascii() and c.isalnum() else "_" for c in name)


def _header(project: Any, title: str, created: datetime) -> None:
    moment = created.astimezone(UTC).strftime("%Y-%m-%dT%H:%M:%SZ")
    _sub(
        project, "fileHeader", companyName="", productName="Highmoor", productVersion="1",
        creationDateTime=moment,
    )  # fmt: skip
    content = _sub(project, "contentHeader", name=_kept(title))
    coordinates = _sub(content, "coordinateInfo")
    for language in ("fbd", "ld", "sfc"):
        _sub(_sub(coordinates, language), "scaling", x="1", y="1")


def _variable(under: Any, one: Declared, names: TypeNames) -> None:
    at = {"address": one.address} if one.address else {}
    variable = _sub(under, "variable", name=one.name, **at)
    _type(_sub(variable, "type"), one.shape, names, one.name)
    if one.initial is not None:
        _value(_sub(variable, "initialValue"), one.initial)
    said = f"{one.role} of {one.of}" if one.role else ""
    note = ", ".join(filter(None, (said, one.note)))
    if note:
        text = etree.SubElement(_sub(variable, "documentation"), f"{{{_XHTML}}}p")
        text.text = _kept(note)


def _type(under: Any, shape: Shape, names: TypeNames, called: str) -> None:
    if isinstance(shape, Array):
        array = _sub(under, "array")
        _sub(array, "dimension", lower=str(shape.low), upper=str(shape.high))
        _type(_sub(array, "baseType"), shape.of, names, called)
    elif isinstance(shape, Structure):
        _sub(under, "derived", name=names.text(shape, called))
    elif shape == SAFE_TYPE:
        # No elementary type of the schema (TC6 XML 2.01): PLCopen Safety declares it.
        _sub(under, "derived", name=SAFE_TYPE)
    else:
        _sub(under, shape)


def _value(under: Any, initial: Initial) -> None:
    if isinstance(initial, Members):
        struct = _sub(under, "structValue")
        for name, value in initial.values:
            _value(_sub(struct, "value", member=name), value)
    elif isinstance(initial, Elements):
        array = _sub(under, "arrayValue")
        for value in initial.values:
            _value(_sub(array, "value"), value)
    else:
        _sub(under, "simpleValue", value=initial)


def _sub(under: Any, tag: str, **attributes: str) -> Any:
    return etree.SubElement(under, f"{{{_TC6}}}{tag}", attributes)


def _kept(text: str) -> str:
    """Without what no XML can hold (XML 1.0, 2.2)."""
    return "".join(c if c in "\t\n\r" or (c >= " " and c not in "\ufffe\uffff") else "?" for c in text)
