"""Parameters in a device, read and written by their paths (get and set one attribute, CIP volume 1, appendix A-4)."""

from __future__ import annotations

from collections.abc import Callable

from highmoor.core.catalogue.types import Parameter
from highmoor.core.datatypes import DATA_TYPES, decode, encode
from highmoor.core.networks.alive import Clock, ParameterTold, Wire
from highmoor.core.networks.ethernet_ip.adapter import Adapter
from highmoor.core.networks.ethernet_ip.messages import Asked
from highmoor.core.networks.ethernet_ip.unconnected import framed, refusal_of, reply_in

_NS_A_MS = 1_000_000
_ANSWER_MS = 2000
_GET, _SET = 0x0E, 0x10


def access(
    clock: Clock, wire: Wire, address: str, parameter: Parameter, value: float | None,
    done: Callable[[ParameterTold], None],
) -> None:  # fmt: skip
    """One request by the parameter's path; a device that is silent is noticed after two seconds."""
    path, kind = _path(parameter), DATA_TYPES.get(parameter.data_type)
    if path is None or kind is None:
        done(ParameterTold(False, "the file gives no path, or no type that is known"))
        return
    data = b"" if value is None else encode(value, kind, "DCBA")
    device = wire.reached(address)
    if not isinstance(device, Adapter):
        silent = ParameterTold(False, f"no answer within {_ANSWER_MS} ms")
        clock.at(clock.now_ns + _ANSWER_MS * _NS_A_MS, lambda: done(silent))
        return
    octets = framed(device, Asked(_GET if value is None else _SET, path, data))

    def arrived() -> None:
        reply = reply_in(device.answer(octets))
        if reply is None or reply.status:
            done(ParameterTold(False, refusal_of(reply)))
            return
        got = reply.data if value is None else data
        known = 8 * len(got) == kind.bits
        text = "read" if value is None else "written"
        done(ParameterTold(True, text, decode(got, kind, "DCBA") if known else None, got))

    clock.at(clock.now_ns + int(2 * device.reply_ms * _NS_A_MS), arrived)


def _path(parameter: Parameter) -> bytes | None:
    try:
        return bytes.fromhex(parameter.path) or None
    except ValueError:
        return None
