"""The published JSON Schemas of what readers answer and of the register map."""

from __future__ import annotations

from typing import Any

from pydantic import TypeAdapter

from highmoor.core.catalogue.reading.description import Description
from highmoor.core.catalogue.reading.register_map import RegisterMap

_DIALECT = "https://json-schema.org/draft/2020-12/schema"


def description_schema() -> dict[str, Any]:
    """The JSON Schema of a description as read, the same for every family."""
    return {"$schema": _DIALECT, **TypeAdapter(Description).json_schema(mode="serialization")}


def register_map_schema() -> dict[str, Any]:
    """The JSON Schema of a register map written as JSON."""
    return {"$schema": _DIALECT, **RegisterMap.model_json_schema()}
