"""What types of variables are called: structures by their declared name, or by one made of a variable's."""

from __future__ import annotations

from collections.abc import Iterable

from highmoor.core.datatypes import DATA_TYPES
from highmoor.core.errors import Refusal
from highmoor.core.plant.rows import DataStructure
from highmoor.core.signals.declared import Declarations
from highmoor.core.signals.shapes import Array, Shape, Structure, folded


class TypeNames:
    """Names of types, the same for the same shape; of a shape that is declared by two names, the first."""

    def __init__(self, structures: Iterable[DataStructure]) -> None:
        structures = list(structures)
        declared = Declarations(structures)
        self._names: dict[object, str] = {}
        self.made: list[tuple[str, Structure]] = []
        """Every structure that was named, in an order in which each stands behind those it has as members."""
        self.declared: dict[object, DataStructure] = {}
        self._known: set[object] = set()
        self._taken = {structure.name.lower() for structure in structures}
        for structure in structures:
            try:
                key = folded(declared.shape(structure.name))
            except Refusal:
                # Found by its own check.
                continue
            self.declared.setdefault(key, structure)
            self._names.setdefault(key, structure.name)

    def text(self, shape: Shape, variable: str) -> str:
        """A type as a declaration has it; `variable` is what a structure is named by that nobody declared."""
        if isinstance(shape, str):
            return shape
        if isinstance(shape, Array):
            return f"ARRAY[{shape.low}..{shape.high}] OF {self.text(shape.of, variable)}"
        key = folded(shape)
        if key not in self._known:
            self._known.add(key)
            for name, inner in shape.members:
                self.text(inner, name)
            self.made.append((self._names.setdefault(key, self._free(variable)), shape))
        return self._names[key]

    def structure(self, shape: Shape) -> DataStructure | None:
        """The declared structure that a variable, or each element of an array, is of."""
        while isinstance(shape, Array):
            shape = shape.of
        return self.declared.get(folded(shape))

    def _free(self, variable: str) -> str:
        stem = variable.rpartition(".")[2].partition("[")[0].rstrip("0123456789").rstrip("_") or "Data"
        name, n = f"{stem}Data", 2
        while name.lower() in self._taken or name in DATA_TYPES:
            name, n = f"{stem}Data{n}", n + 1
        self._taken.add(name.lower())
        return name
