"""The benches of this server: one child process a live plant, capped in number, ended with the server."""

from __future__ import annotations

import contextlib
import json
import logging
import os
import queue
import secrets
import subprocess
import sys
import threading
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from itertools import count
from typing import IO, Any, cast

from django.contrib.auth.models import User
from django.core.exceptions import ObjectDoesNotExist
from django.db import connection

from highmoor.core.catalogue.types import Catalogue
from highmoor.core.errors import HighmoorError, Refusal
from highmoor.core.plant.plant import Plant
from highmoor.core.plant.rows import TABLES
from highmoor.core.project import edits
from highmoor.core.project.exchange_format import export_plant
from highmoor.server.live.hub import COLUMNS, HUB
from highmoor.server.models import Project
from highmoor.server.plants import Answer, Asked, OpenPlant, on_commit, open_plant
from highmoor.server.store import Outdated

_log = logging.getLogger(__name__)
_AT_MOST = 4
_ANSWER_S = 5.0
_SIGNALS_AT_MOST = 2000

# The state of a plant's bench, by the plant's key, as a view is told it.
StateOf = Callable[[str], dict[str, Any]]


@dataclass(slots=True, eq=False)
class LiveBench:
    """A running child and what it said last."""

    plant: str
    revision: int
    # The plant as it was downloaded.
    downloaded: Plant
    process: subprocess.Popen[str]
    # How its state is told to a view.
    told: StateOf
    state: dict[str, Any] = field(default_factory=dict)
    # What is known of objects in devices, by row and key, and how often something was told.
    objects: dict[str, dict[str, dict[str, Any]]] = field(default_factory=dict)
    objects_told: int = 0
    # By stream and tab: the signals that are shown there, and whether the state is.
    followed: dict[tuple[str, str], tuple[list[str], bool]] = field(default_factory=dict)
    lock: threading.Lock = field(default_factory=threading.Lock)
    ready: threading.Event = field(default_factory=threading.Event)
    # Who did something last: what devices keep of it is theirs.
    user: User | None = None
    _answers: dict[int, queue.Queue[dict[str, Any]]] = field(default_factory=dict)
    _numbers: Iterator[int] = field(default_factory=lambda: count(1))

    @property
    def running(self) -> bool:
        """Whether the child lives."""
        return self.process.poll() is None

    def tell(self, message: dict[str, Any]) -> None:
        """One line to the child."""
        pipe = cast("IO[str]", self.process.stdin)
        try:
            with self.lock:
                pipe.write(json.dumps(message) + "\n")
                pipe.flush()
        except (BrokenPipeError, ValueError):
            raise HighmoorError("The bench has ended; download again.") from None

    def command(self, user: User, command: str, target: str, value: Any, key: str = "") -> None:
        """A user's command, answered. Raises Refusal with the child's reason."""
        self.user = user
        asked = {"command": command, "target": target, "value": value, "key": key, "by": user.get_username()}
        refused = self._answer(asked)["refused"]
        if refused is not None:
            raise Refusal(refused, place=target, value=value)

    def axis(self, axis: str, do: str = "", value: dict[str, Any] | None = None) -> dict[str, Any]:
        """Something done with an axis, and how it is then. Raises Refusal with the child's reason."""
        return self._moved({"axis": axis, "do": do, "value": value or {}}, axis)

    def robot(self, robot: str, do: str = "") -> dict[str, Any]:
        """Something done with a robot, and how it is then. Raises Refusal with the child's reason."""
        return self._moved({"robot": robot, "do": do}, robot)

    def safety(self, controller: str, row: str = "", do: str = "", value: Any = None) -> dict[str, Any]:
        """Something done with a controller's safety, and how it is then. Raises Refusal with the child's reason."""
        return self._moved({"safety": controller, "row": row, "do": do, "value": value}, row or controller)

    def _moved(self, message: dict[str, Any], place: str) -> dict[str, Any]:
        answer = self._answer(message)
        if answer["refused"] is not None:
            raise Refusal(answer["refused"], place=place)
        told: dict[str, Any] = answer["told"]
        return told

    def octets(self, controller: str, holder: str, area: str) -> bytes:
        """What stands for a holder in a controller's image now; nothing where it has none in what was downloaded."""
        return bytes.fromhex(self._answer({"look": controller, "holder": holder, "area": area})["octets"])

    def _answer(self, message: dict[str, Any]) -> dict[str, Any]:
        """What the child answers. Raises HighmoorError where it does not."""
        number = next(self._numbers)
        answers = self._answers[number] = queue.Queue(1)
        try:
            self.tell({**message, "number": number})
            return answers.get(timeout=_ANSWER_S)
        except queue.Empty:
            raise HighmoorError("The bench does not answer; download again.") from None
        finally:
            self._answers.pop(number, None)

    def follow(self, stream: str, tab: str, signals: list[str], *, state: bool) -> None:
        """What a tab of a browser shows now; the child decodes the union of what all show."""
        here = {s.id for s in HUB.of_plant(self.plant)} | {stream}
        kept = {key: shown for key, shown in self.followed.items() if key[0] in here and key != (stream, tab)}
        if signals or state:
            kept[stream, tab] = (signals[:_SIGNALS_AT_MOST], state)
        self.followed = kept
        union = list(dict.fromkeys(signal for ids, _ in kept.values() for signal in ids))
        self.tell({"follow": union})
        if state:
            self._say_state()

    def _say_state(self) -> None:
        """To those who look at it, as it goes."""
        watching = {stream for (stream, _), (_, state) in list(self.followed.items()) if state}
        subscribers = [s for s in HUB.of_plant(self.plant) if s.id in watching]
        if not subscribers or not self.state:
            return
        try:
            told = self.told(self.plant)
        except Exception:
            # Values go on, whatever is wrong with what is told beside them.
            _log.exception("the state of the bench of %s could not be told", self.plant)
            return
        for subscriber in subscribers:
            subscriber.set_state(self.plant, told)

    def listen(self) -> None:
        """Read the child's lines until it ends; runs in a thread of its own."""
        for line in cast("IO[str]", self.process.stdout):
            self._heard(json.loads(line))
        self.ready.set()
        HUB.publish(self.plant, "bench", {"plant": self.plant})

    def _objects(self, news: list[dict[str, Any]]) -> None:
        told: dict[str, dict[str, dict[str, Any]]] = {}
        for one in news:
            told.setdefault(one.pop("row"), {})[one["key"]] = one
        # Whoever reads them meanwhile has a whole map in hand.
        self.objects = {**self.objects, **{row: {**self.objects.get(row, {}), **new} for row, new in told.items()}}
        self.objects_told += 1

    def _heard(self, message: dict[str, Any]) -> None:
        if "live" in message:
            self._values(message["live"])
        elif "state" in message:
            self.state = message["state"]
            self.ready.set()
            self._say_state()
            if message["changed"]:
                HUB.publish(self.plant, "bench", {"plant": self.plant})
        elif "objects" in message:
            self._objects(message["objects"])
        elif "kept" in message:
            self._keep(message["kept"])
        elif "answer" in message:
            answers = self._answers.get(message["answer"])
            if answers:
                answers.put(message)

    def _keep(self, kept: list[tuple[str, dict[str, Any]]]) -> None:
        """What was set in devices for good outlives the bench: it is an edit of the plant as built."""
        steps: list[edits.Edit] = [edits.KeepInDevice(id=node, values=values) for node, values in kept]
        try:
            held = open_plant(Project.objects.get(key=self.plant))
            user = self.user or User.objects.get(memberships__project=held.project, memberships__role="owner")
            asked = Asked.of(user, "bench", secrets.token_hex(16), kept)
            held.edit(asked, edits.Batch(edits=steps), base=held.revision, label="Set in the device over the network")
        except (HighmoorError, Outdated, ObjectDoesNotExist):
            _log.exception("what a device of %s keeps could not be kept", self.plant)
        finally:
            connection.close()

    def _values(self, live: dict[str, Any]) -> None:
        changed = dict(zip(live["i"], zip(*(live[column] for column in COLUMNS), strict=True), strict=True))
        followed = list(self.followed.items())
        for subscriber in HUB.of_plant(self.plant):
            wanted = dict.fromkeys(i for (stream, _), (ids, _) in followed if stream == subscriber.id for i in ids)
            ids = [i for i in wanted if i in changed]
            columns = {column: [changed[i][n] for i in ids] for n, column in enumerate(COLUMNS)}
            subscriber.set_live(self.plant, {"t": live["t"], "i": ids, **columns})

    def end(self) -> None:
        """Close the child's input, which ends it; a child that does not hear is killed."""
        with contextlib.suppress(OSError):
            cast("IO[str]", self.process.stdin).close()
        try:
            self.process.wait(timeout=2)
        except subprocess.TimeoutExpired:
            self.process.kill()
            self.process.wait()


class BenchHost:
    """All benches of this server by plant."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._benches: dict[str, LiveBench] = {}
        # The API's to say: until it has, nothing is told.
        self.state_of: StateOf = lambda _: {}

    def get(self, plant: str) -> LiveBench | None:
        """The bench of a plant, None when none was downloaded."""
        return self._benches.get(plant)

    def download(self, key: str, revision: int, plant: Plant, catalogue: Catalogue) -> LiveBench:
        """Start a plant's bench anew with a revision. Raises Refusal when too many run already."""
        with self._lock:
            old = self._benches.pop(key, None)
            if old:
                old.end()
            running = [name for name, bench in self._benches.items() if bench.running]
            if len(running) >= _AT_MOST:
                raise Refusal(f"{_AT_MOST} benches are running on this server already; stop one or wait.")
            process = subprocess.Popen(
                [sys.executable, "-m", "highmoor.server.live.child"],
                stdin=subprocess.PIPE,
                stdout=subprocess.PIPE,
                text=True,
                env={**os.environ, "PYTHONPATH": os.pathsep.join(p for p in sys.path if p)},
            )
            bench = LiveBench(key, revision, plant, process, lambda plant: self.state_of(plant))
            threading.Thread(target=bench.listen, daemon=True).start()
            bench.tell({"plant": export_plant(plant, catalogue.find)})
            self._benches[key] = bench
        bench.ready.wait(10)
        if not bench.running:
            raise HighmoorError("The bench could not be started; the server's log says why.")
        HUB.publish(key, "bench", {"plant": key})
        return bench

    def stop(self, key: str) -> None:
        """End a plant's bench."""
        with self._lock:
            bench = self._benches.pop(key, None)
        if bench:
            bench.end()
            HUB.publish(key, "bench", {"plant": key})

    def stop_all(self) -> None:
        """End every bench."""
        for key in list(self._benches):
            self.stop(key)


BENCHES = BenchHost()


def _rebuild(held: OpenPlant, answer: Answer, _: User, __: str) -> None:
    """What is done to the plant as built happens at once on a bench that runs."""
    bench = BENCHES.get(held.project.key)
    built = [entry for entry in answer.change.to_json() if TABLES[entry["table"]].document == "built"]
    if bench and bench.running and built:
        with contextlib.suppress(HighmoorError):
            bench.tell({"built": built})


on_commit(_rebuild)
