"""Subscribers and what they are sent. Called from any thread; delivered in the event loop of each stream."""

from __future__ import annotations

import asyncio
import threading
from dataclasses import dataclass, field
from typing import Any

from django.contrib.auth.models import User

from highmoor.server.answers import as_json
from highmoor.server.plants import Answer, OpenPlant, on_commit

# A browser that cannot keep up is told to begin anew rather than being sent everything later.
_QUEUE_AT_MOST = 500
# Of each signal: its value, its quality, its counts, what is at its terminals.
COLUMNS = ("v", "q", "r", "e")


@dataclass(slots=True, eq=False)
class Subscriber:
    """One browser's stream: the plants it shows, whose it is, and overwritable slots for what is news only while it is
    new: live values and the bench's state, one of each a plant."""

    id: str
    user: str
    session: str
    plants: set[str]
    loop: asyncio.AbstractEventLoop
    wake: asyncio.Event = field(default_factory=asyncio.Event)
    queue: list[tuple[str, str | None, Any]] = field(default_factory=list)
    live: dict[str, Any] = field(default_factory=dict)
    states: dict[str, Any] = field(default_factory=dict)
    lock: threading.Lock = field(default_factory=threading.Lock)
    closed: bool = False

    def send(self, event: str, data: Any, event_id: str | None = None) -> None:
        """Queue an event."""
        with self.lock:
            if len(self.queue) >= _QUEUE_AT_MOST:
                self.queue = [("reset", None, {"reason": "too far behind"})]
            else:
                self.queue.append((event, event_id, data))
        self._awaken()

    def set_live(self, plant: str, data: Any) -> None:
        """Replace what is waiting of a plant's live values; what was not sent yet is merged in."""
        with self.lock:
            waiting = self.live.get(plant)
            self.live[plant] = merged(waiting, data) if waiting else data
        self._awaken()

    def set_state(self, plant: str, data: Any) -> None:
        """Replace what is waiting of the state of a plant's bench."""
        with self.lock:
            self.states[plant] = data
        self._awaken()

    def take(self) -> list[tuple[str, str | None, Any]]:
        """All that waits."""
        with self.lock:
            events, self.queue = self.queue, []
            events += [("live", None, {"plant": plant, **data}) for plant, data in self.live.items()]
            events += [("state", None, {"plant": plant, "bench": data}) for plant, data in self.states.items()]
            self.live, self.states = {}, {}
        return events

    def close(self) -> None:
        """End the stream."""
        self.closed = True
        self._awaken()

    def _awaken(self) -> None:
        if not self.loop.is_closed():
            self.loop.call_soon_threadsafe(self.wake.set)


def merged(waiting: dict[str, Any], data: dict[str, Any]) -> dict[str, Any]:
    """Two sets of changes as one: columns joined by signal, the later value counts."""
    rows: dict[str, tuple[Any, ...]] = {}
    for one in (waiting, data):
        rows.update(zip(one["i"], zip(*(one[column] for column in COLUMNS), strict=True), strict=True))
    return {**data, "i": list(rows), **{column: [row[n] for row in rows.values()] for n, column in enumerate(COLUMNS)}}


class Hub:
    """All streams of this process."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._subscribers: set[Subscriber] = set()

    def add(self, subscriber: Subscriber) -> None:
        """Begin a stream, and tell the others who is here."""
        with self._lock:
            self._subscribers.add(subscriber)
        for plant in subscriber.plants:
            self._presence(plant)

    def remove(self, subscriber: Subscriber) -> None:
        """End a stream."""
        with self._lock:
            self._subscribers.discard(subscriber)
        for plant in subscriber.plants:
            self._presence(plant)

    def of_plant(self, plant: str) -> list[Subscriber]:
        """Streams that show a plant."""
        with self._lock:
            return [s for s in self._subscribers if plant in s.plants]

    def publish(self, plant: str, event: str, data: Any, event_id: str | None = None) -> None:
        """An event to everybody who shows a plant."""
        for subscriber in self.of_plant(plant):
            subscriber.send(event, data, event_id)

    def _presence(self, plant: str) -> None:
        here = sorted({s.user for s in self.of_plant(plant)})
        self.publish(plant, "presence", {"plant": plant, "users": here})

    def plant_gone(self, plant: str) -> None:
        """A plant was deleted."""
        self.publish(plant, "gone", {"plant": plant})

    def member_gone(self, plant: str, user: str) -> None:
        """A member was taken out: their streams of the plant end."""
        for subscriber in self.of_plant(plant):
            if subscriber.user == user:
                subscriber.send("gone", {"plant": plant})
                subscriber.close()

    def end_session(self, session: str) -> None:
        """Somebody signed out."""
        with self._lock:
            ending = [s for s in self._subscribers if session and s.session == session]
        for subscriber in ending:
            subscriber.close()

    def close_all(self) -> None:
        """The server stops."""
        with self._lock:
            ending = list(self._subscribers)
        for subscriber in ending:
            subscriber.close()


HUB = Hub()


def revision_event(held: OpenPlant, answer: Answer, author: str, client: str) -> dict[str, Any]:
    """What a step looks like on the stream."""
    return {
        "plant": held.project.key,
        "revision": answer.revision,
        "document": answer.document,
        "author": author,
        "client": client,
        "label": answer.label,
        "change": answer.change.to_json(),
        "findings_added": answer.findings_added,
        "findings_gone": answer.findings_gone,
        "stale": answer.stale,
    }


def _announce(held: OpenPlant, answer: Answer, user: User, client: str) -> None:
    if HUB.of_plant(held.project.key):
        event = revision_event(held, answer, user.get_username(), client)
        HUB.publish(held.project.key, "revision", event, f"{held.project.key}:{answer.revision}")


on_commit(_announce)


def encode(event: str, event_id: str | None, data: Any) -> bytes:
    """An event as it stands on the wire (WHATWG HTML, server-sent events)."""
    head = f"event: {event}\n" + (f"id: {event_id}\n" if event_id else "")
    return head.encode() + b"data: " + as_json(data) + b"\n\n"
