"""The child process of one live plant: drives a bench in real time; lines of JSON in and out, ends with its input.

In:  {"plant": …} first, then {"follow": […]}, {"built": change}, {"command": …}, {"look": …},
     {"axis", "robot" or "safety": …}, …
Out: {"live": {t, i, v, q}}, {"state": {…}}, {"objects": [{…}]}, {"kept": [[node, values]]},
     {"answer": n, "refused": reason or null, "octets": hex of what was looked at}
"""

from __future__ import annotations

import dataclasses
import gc
import json
import os
import queue
import sys
import threading
import time
from typing import IO, Any

from highmoor.core.bench.bench import Bench
from highmoor.core.errors import HighmoorError
from highmoor.core.plant.change import Change
from highmoor.core.project.exchange_format import plant_file

_SNAPSHOT_S = 0.05
_STATE_S = 0.2


class _Child:
    def __init__(self, first: dict[str, Any], out: IO[str]) -> None:
        given = plant_file(first["plant"])
        self.bench = Bench(given.plant, given.catalogue)
        self.followed: list[str] = []
        self.sent: dict[str, tuple[Any, str]] = {}
        self.last_state: dict[str, Any] = {}
        self._out = out

    def say(self, message: dict[str, Any]) -> None:
        self._out.write(json.dumps(message) + "\n")
        self._out.flush()

    def told(self, message: dict[str, Any]) -> None:
        """One line from the server."""
        if "built" in message:
            self.bench.rebuilt(self.bench.built.patched(Change.from_json(message["built"])))
            self.say_state(anyway=True)
            return
        if "follow" in message:
            self.followed = list(message["follow"])
            self.sent = {}
            return
        if "axis" in message:
            self._axis(message)
            return
        if "robot" in message:
            self._robot(message)
            return
        if "safety" in message:
            self._safety(message)
            return
        if "look" in message:
            controller = self.bench.controllers.get(message["look"])
            octets = controller.octets(message["holder"], message["area"]) if controller else b""
            self.say({"answer": message["number"], "refused": None, "octets": octets.hex(" ")})
            return
        try:
            self._command(message)
            refused = None
        except HighmoorError as error:
            refused = str(error)
        self.say_state(anyway=True)
        self.say({"answer": message["number"], "refused": refused})

    def _axis(self, message: dict[str, Any]) -> None:
        """Something done with an axis, nothing for a look at it; the answer tells how it is then."""
        axis, key = message["axis"], message["do"]
        told: dict[str, Any] = {}
        refused = None
        try:
            if key == "tape":
                told = {"at": self.bench.axes.tape(axis)}
            else:
                if key:
                    self.bench.axes.command(axis, key, message["value"])
                told = self.bench.axes.seen(axis)
        except HighmoorError as error:
            refused = str(error)
        self.say({"answer": message["number"], "refused": refused, "told": told})

    def _robot(self, message: dict[str, Any]) -> None:
        told: dict[str, Any] = {}
        refused = None
        try:
            if message["do"]:
                self.bench.robots.command(message["robot"], message["do"])
            told = self.bench.robots.seen(message["robot"])
        except HighmoorError as error:
            refused = str(error)
        self.say({"answer": message["number"], "refused": refused, "told": told})

    def _safety(self, message: dict[str, Any]) -> None:
        told: dict[str, Any] = {}
        refused = None
        try:
            if message["do"]:
                self.bench.safety.command(message["row"], message["do"], message["value"])
            told = self.bench.safety.seen(message["safety"])
        except HighmoorError as error:
            refused = str(error)
        self.say({"answer": message["number"], "refused": refused, "told": told})

    def _command(self, message: dict[str, Any]) -> None:
        command, target = message["command"], message["target"]
        if command == "write":
            self.bench.signals.write(target, message["value"])
        elif command == "force":
            self.bench.signals.force(target, message["value"])
        elif command == "release":
            self.bench.signals.release(target)
        elif command == "parameter":
            self.bench.parameter(target, message["key"], message["value"])
        elif command == "object" and message["value"] is None:
            self.bench.objects.read(target, message["key"])
        elif command == "object":
            self.bench.objects.write(target, message["key"], str(message["value"]))
        elif command == "stop-objects":
            self.bench.objects.stop(target)
        elif command == "scan":
            self.bench.scan(target, message["by"], message["value"] or {})
        elif command == "stop-scan":
            self.bench.stop_scan(target, message["by"])
        elif command == "act":
            self.bench.act(target, message["value"]["at"], message["key"], message["value"]["value"])

    def say_live(self) -> None:
        """What changed of what is followed; an empty set still says that time goes on."""
        changed: list[tuple[str, Any, str, Any, str]] = []
        for signal in self.followed:
            now = self.bench.value(signal)
            if self.sent.get(signal) != now:
                self.sent[signal] = now
                changed.append((signal, *now, *self.bench.signals.beside(signal)))
        self.say(
            {
                "live": {
                    "t": round(self.bench.seconds, 3),
                    "i": [c[0] for c in changed],
                    "v": [c[1] for c in changed],
                    "q": [c[2] for c in changed],
                    "r": [c[3] for c in changed],
                    "e": [c[4] for c in changed],
                }
            }
        )

    def say_state(self, *, anyway: bool = False) -> None:
        """State of stations and forces, when something other than counters changed."""
        stations = self.bench.stations.all()
        scans = self.bench.scans.told()
        deeds = [dataclasses.asdict(deed) for deed in self.bench.deeds]
        programs = [program.told() for program in self.bench.programs.values()]
        state = {
            "time_s": self.bench.seconds, "stations": stations, "forces": self.bench.signals.forces(),
            "scans": scans, "deeds": deeds, "gone": self.bench.stations.gone(),
            "networks": self.bench.stations.networks(), "objects": self.bench.objects.under_way(),
            "programs": programs,
        }  # fmt: skip
        outline = {
            "stations": [
                (
                    s["id"],
                    s["state"],
                    s["text"],
                    s["cable"],
                    s["power"],
                    [d["key"] for d in s["diagnoses"]],
                    [(n["state"], n["text"]) for n in s["nodes"]],
                )
                for s in stations
            ],
            "forces": state["forces"],
            "scans": [(s["number"], s["state"], len(s["found"])) for s in scans],
            "deeds": deeds,
            "programs": [(p["id"], p["state"], [m["line"] for m in p["marked"]]) for p in programs],
            "objects": sorted(self.bench.objects.under_way()),
        }
        if self.bench.objects.news:
            # Before the state, which says that there are some.
            self.say({"objects": self.bench.objects.news})
            self.bench.objects.news = []
        self.say({"state": state, "changed": anyway or outline != self.last_state})
        self.last_state = outline
        if self.bench.devices.kept:
            self.say({"kept": self.bench.devices.kept})
            self.bench.devices.kept = []


def _read(lines: queue.Queue[dict[str, Any] | None]) -> None:
    for line in sys.stdin:
        lines.put(json.loads(line))
    lines.put(None)


def main() -> None:
    """Run until the input closes."""
    out = os.fdopen(os.dup(1), "w")
    # Nothing else may write between the lines.
    os.dup2(2, 1)
    lines: queue.Queue[dict[str, Any] | None] = queue.Queue()
    threading.Thread(target=_read, args=(lines,), daemon=True).start()
    first = lines.get()
    if first is None:
        return
    child = _Child(first, out)
    # What is there from the beginning stays: nobody need look through it for what is no longer used.
    gc.collect()
    gc.freeze()
    began = time.monotonic()
    state_due = 0.0
    child.say_state(anyway=True)
    while True:
        now = time.monotonic() - began
        child.bench.run_until(now)
        child.say_live()
        if now >= state_due:
            child.say_state()
            state_due = now + _STATE_S
        wait_until = now + _SNAPSHOT_S
        while (left := wait_until - (time.monotonic() - began)) > 0:
            try:
                message = lines.get(timeout=left)
            except queue.Empty:
                break
            if message is None:
                return
            child.bench.run_until(time.monotonic() - began)
            child.told(message)


if __name__ == "__main__":
    try:
        main()
    except (BrokenPipeError, KeyboardInterrupt):
        sys.exit(0)
