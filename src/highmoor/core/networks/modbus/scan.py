"""What scans of Modbus share: which questions are put to an address, one after the other, and what the answers tell.

A server is asked what it is; one that does not know that is asked for a register, so that any answer at all tells that
it is there; a coupler whose type is known by what it said is asked for its modules.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from highmoor.core.catalogue.types import DeviceType
from highmoor.core.figures.modbus_functions import EXCHANGED
from highmoor.core.networks.line import Line
from highmoor.core.networks.modbus.identification import REQUEST, Identification, identification_in
from highmoor.core.networks.modbus.pdu import ModbusError, Request, decode_response, encode_request
from highmoor.core.networks.scanning import Found, FoundModule

_READ = {3: EXCHANGED[4], 4: EXCHANGED[3]}
_ANY = Request(EXCHANGED[3], 0, 1)
_MODULES_AT_MOST = 64
# The most questions one address is asked.
QUESTIONS = 3


@dataclass(slots=True)
class Conversation:
    """The questions to one address. `ask` sends a unit; `over` is given what came of it, None for nobody there."""

    address: str
    types: Callable[[], Sequence[DeviceType]]
    ask: Callable[[bytes], None]
    over: Callable[[Found | None], None]
    set_to: Mapping[str, Any] = field(default_factory=dict)
    # Whether one that says nothing to the first question is asked another.
    patient: bool = True
    _unit: bytes = b""
    _request: Request | None = None
    _found: Found | None = None

    def begin(self) -> None:
        """The first question."""
        self._put(REQUEST, None)

    def _put(self, unit: bytes, request: Request | None) -> None:
        self._unit, self._request = unit, request
        self.ask(unit)

    def silent(self) -> None:
        """No answer came to the last question."""
        if self._request is None and self._found is None and self.patient:
            # Who does not know the question may well say nothing to it.
            self._put(encode_request(_ANY), _ANY)
        else:
            self.over(self._found)

    def damaged(self, told: str) -> None:
        """Something came that is no frame."""
        self.over(Found(self.address, "answers", set_to=self.set_to, trouble=told))

    def heard(self, unit: bytes) -> None:
        """An answer to the last question."""
        if self._request is None:
            self._identified(unit)
        elif self._found is not None:
            self._modules(unit)
        else:
            how = "answers a read" if unit[:1] == self._unit[:1] else f"answers a read with exception {_code(unit):02X}"
            self.over(Found(self.address, how, set_to=self.set_to))

    def _identified(self, unit: bytes) -> None:
        try:
            told = identification_in(unit)
        except ModbusError as error:
            how = f"answers, with exception {error.code:02X} to device identification"
            self.over(Found(self.address, how, set_to=self.set_to))
            return
        self._found = Found(
            self.address, "Read Device Identification", told.maker, told.product, told.revision, set_to=self.set_to
        )
        kind = next((t for t in self.types() if t.modules_told and is_of(told, t)), None)
        if kind is None or kind.modules_told is None:
            self.over(self._found)
            return
        self._put_modules(kind.modules_told.area, kind.modules_told.first, 1)

    def _put_modules(self, area: int, first: int, count: int) -> None:
        request = Request(_READ[area], first, count)
        self._put(encode_request(request), request)

    def _modules(self, unit: bytes) -> None:
        request, found = self._request, self._found
        if request is None or found is None:
            return
        try:
            data = decode_response(request, unit)
        except ModbusError as error:
            self.over(replace(found, trouble=f"its modules: {error}"))
            return
        numbers = [int.from_bytes(data[n : n + 2], "big") for n in range(0, len(data), 2)]
        if request.count == 1 and 0 < numbers[0] <= _MODULES_AT_MOST:
            self._put_modules(request.function.area, request.address, 1 + numbers[0])
            return
        modules = tuple(FoundModule(f"0x{number:02X}", self._types_of(number)) for number in numbers[1:])
        self.over(replace(found, modules=modules))

    def _types_of(self, number: int) -> tuple[str, ...]:
        return tuple(t.key for t in self.types() if t.kind == "module" and t.product_code == number)


def _code(unit: bytes) -> int:
    return unit[1] if len(unit) > 1 else 0


def is_of(told: Identification, device: DeviceType) -> bool:
    """Whether what a server says of itself is what its type is ordered by."""
    return bool(device.order_number) and (told.maker, told.product) == (device.maker, device.order_number)


def alike(found: Found, device: DeviceType) -> bool | None:
    """Whether what was found can be of a type: None where it did not say what it is, or the type does not."""
    if not (found.maker or found.name) or not device.order_number:
        return None
    return is_of(Identification(found.maker, found.name, found.revision), device)


def differs(found: Found, line: Line) -> str:
    """Another device than the one that is configured there."""
    if line.device is None or alike(found, line.device) is not False:
        return ""
    return f"{found.maker} {found.name} instead of {line.device.maker} {line.device.order_number}"
