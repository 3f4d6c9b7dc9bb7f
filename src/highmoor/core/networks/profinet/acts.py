"""What can be done to a device over the network: a name, an address, lasting or for now; blink; reset.

Source: IEC 61158-6-10, 4.3 (DCP set).
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from highmoor.core.errors import Refusal
from highmoor.core.figures.profinet import name_problem
from highmoor.core.hardware.ethernet import parse_address
from highmoor.core.networks.alive import Clock, ParameterTold
from highmoor.core.networks.live import GIVE_ADDRESS, GIVE_NAME, NetworkAct
from highmoor.core.networks.media import Host
from highmoor.core.networks.profinet import bring_up as up
from highmoor.core.networks.profinet import dcp
from highmoor.core.networks.profinet.bench import Controller

_Done = Callable[[ParameterTold], None]


def _mac_of(at: str) -> bytes:
    try:
        octets = bytes.fromhex(at.replace("-", "").replace(":", ""))
    except ValueError:
        octets = b""
    if len(octets) != 6:
        raise Refusal(
            f"“{at[:30]}” is no hardware address; it stands on the device's label: 02-00-1A-2B-3C-4D.", value=at
        )
    return octets


def _telling(frame: Callable[[int, str, Host], dcp.Dcp], words: Callable[[str], str]) -> Any:
    """An act that is one frame to the device with a hardware address."""

    def run(clock: Clock, medium: Any, master: Controller | None, at: str, value: str, done: _Done) -> None:
        mac = _mac_of(at)
        if master is None:
            done(ParameterTold(False, "no controller is on this network"))
            return

        def talk() -> up.Talk:
            told = yield up.Tell(mac, frame(up.xid_of(master.asker.number()), value, master.host))
            error = up.error_of(told)
            if error is None:
                done(ParameterTold(False, f"nobody answers at {at}"))
            elif error != dcp.OK:
                done(ParameterTold(False, f"it refuses that, error {error}"))
            else:
                done(ParameterTold(True, words(value)))

        master.asker.run(talk())

    return run


def _address_frame(xid: int, value: str, controller: Host, *, for_good: bool) -> dcp.Dcp:
    """In the controller's own subnet."""
    return dcp.set_address(xid, value, controller.mask, controller.gateway, for_good=for_good)


def read_name(given: Any) -> str:
    """A name of station, "" for none. Raises Refusal."""
    text = str(given).strip()
    problem = name_problem(text) if text else ""
    if problem:
        raise Refusal(f"That is no name of station: {problem}.", value=text[:40])
    return text


def read_ip(given: Any) -> str:
    """An address, "" for none. Raises Refusal."""
    text = str(given).strip()
    return parse_address(text) if text else ""


ACTS: tuple[NetworkAct, ...] = (
        NetworkAct(
            GIVE_NAME, "Name it",
            _telling(lambda xid, v, _: dcp.set_name(xid, v, for_good=True), lambda v: f"it is called {v}"),
            asks="name", reads=read_name, keeps=True, back="reset it, or name it anew",
        ),
        NetworkAct(
            "name-now", "Name it for now",
            _telling(lambda xid, v, _: dcp.set_name(xid, v, for_good=False), lambda v: f"it is called {v} for now"),
            asks="name", reads=read_name, back="switch it off and on",
        ),
        NetworkAct(
            GIVE_ADDRESS, "Give it this address",
            _telling(lambda xid, v, c: _address_frame(xid, v, c, for_good=True), lambda v: f"it has {v}"),
            asks="address", keeps=True, back="reset it, or give it another",
        ),
        NetworkAct(
            "address-now", "Give it for now",
            _telling(lambda xid, v, c: _address_frame(xid, v, c, for_good=False), lambda v: f"it has {v} for now"),
            asks="address", back="switch it off and on",
        ),
        NetworkAct(
            "blink", "Let it blink", _telling(lambda xid, *_: dcp.blink(xid), lambda _: "its lamp flashes for 3 s"),
        ),
        NetworkAct(
            "reset", "Reset it to delivery",
            _telling(lambda xid, *_: dcp.reset(xid), lambda _: "it starts again without a name and an address"),
            keeps=True, back="name it",
        ),
    )  # fmt: skip
