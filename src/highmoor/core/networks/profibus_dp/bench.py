"""The DP master on the bench: brings what it asks onto the line in time, and tells how each station is.

Where nothing can be damaged and nobody looks on, a cycle is asked `straight` at its beginning, and takes as long as its
telegrams would: what travels, and how long that takes, is the same either way.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from fractions import Fraction

from highmoor.core.figures.profibus_cycle import BITS_A_CHARACTER
from highmoor.core.networks.alive import Clock, Memory
from highmoor.core.networks.diagnosis import Diagnosis
from highmoor.core.networks.line import BenchLine
from highmoor.core.networks.live import NetworkFact, NetworkTold, NodeTold
from highmoor.core.networks.media import Heard, SegmentEnd
from highmoor.core.networks.on_demand import is_request
from highmoor.core.networks.profibus_dp import telegrams as t
from highmoor.core.networks.profibus_dp.bus import Bus, bus_of, rate_text
from highmoor.core.networks.profibus_dp.cycle import Cycle, Guest, Question, StationLive, Talk
from highmoor.core.networks.profibus_dp.diagnosis import told as told_of_diag
from highmoor.core.networks.profibus_dp.requester import begin_requests
from highmoor.core.networks.profibus_dp.settings import dp_station
from highmoor.core.networks.profibus_dp.startup import prm_of
from highmoor.core.numbers import shown
from highmoor.core.plant.rows import Network

_NS_A_MS = 1_000_000


@dataclass(frozen=True, slots=True)
class DpCoding:
    """Octets at a rate: eleven bits each."""

    baud: int

    @property
    def octet_ms(self) -> Fraction:
        """How long one takes."""
        return Fraction(1000 * BITS_A_CHARACTER, self.baud)


@dataclass(slots=True)
class Master:
    """A DP master going on for as long as the clock runs."""

    clock: Clock
    end: SegmentEnd
    bus: Bus
    cycle: Cycle
    on: DpCoding
    cycle_ns: int = 0
    longest_ns: int = 0
    silent_questions: int = 0
    _began_ns: int = 0
    _talk: Talk | None = None
    _asked: Question | None = None
    _tries: int = 0
    _number: int = 0
    _pause_bits: int = 0
    _least_ns: int = field(init=False)

    def __post_init__(self) -> None:
        self._least_ns = int(self.bus.least_ms * _NS_A_MS)
        self._pause_bits = self.bus.idle

    def begin(self) -> None:
        """The next cycle."""
        now = self._began_ns = self.clock.now_ns
        if self.end.straight:
            bits = self._straight(self.cycle.talk())
            self._next(now + self._ns(bits))
        else:
            self.cycle.asked_bits = 0
            self._talk = self.cycle.talk()
            self._step(None)

    def _ns(self, bits: int) -> int:
        return round(1e9 * bits / self.bus.line.baud)

    def _next(self, over_ns: int) -> None:
        """When a cycle is over the next begins, unless it is held back."""
        self.cycle_ns = max(over_ns - self._began_ns, self._least_ns)
        self.longest_ns = max(self.longest_ns, self.cycle_ns)
        self.clock.at(self._began_ns + self.cycle_ns, self.begin)

    # ── asked straight

    def _straight(self, talk: Talk) -> int:
        """All of a cycle at once; gives how long it takes, in bit times."""
        bits = 0
        answer: bytes | None = None
        self.cycle.skipped_bits = 0
        while True:
            try:
                asked = talk.send(answer)
            except StopIteration:
                return bits + self.cycle.skipped_bits
            request = BITS_A_CHARACTER * len(asked.octets)
            bits += self._pause_bits + request
            self._pause_bits = self.bus.idle
            if not asked.answered:
                answer = None
                if asked.octets[0] != _TOKEN:
                    self.end.tell(asked.octets)
                    self._pause_bits = self.bus.idle_unacknowledged
                continue
            came = self.end.ask(asked.number, asked.octets)
            # Whoever would answer after the slot time is not waited for.
            if came is None or came[1] >= self.bus.slot:
                again = 0 if asked.once else self.bus.retries
                bits += self.bus.slot + again * (self.bus.idle + request + self.bus.slot)
                self.silent_questions += 0 if asked.once else 1
                answer = None
            else:
                took = came[1] + BITS_A_CHARACTER * len(came[0])
                bits += took
                self.cycle.asked_bits = self.bus.idle + request + took
                answer = came[0]

    # ── in time, telegram by telegram

    def _step(self, answer: bytes | None) -> None:
        assert self._talk is not None
        try:
            self._asked = self._talk.send(answer)
        except StopIteration:
            self._talk = self._asked = None
            self._next(self.clock.now_ns)
            return
        self._tries = 0
        self._send()

    def _send(self) -> None:
        """Once the line has been idle for as long as it is to be."""
        self._number += 1
        number = self._number
        pause, self._pause_bits = self._pause_bits, self.bus.idle
        self.clock.at(self.clock.now_ns + self._ns(pause), lambda: self._sent(number))

    def _sent(self, number: int) -> None:
        asked = self._asked
        if asked is None or number != self._number:
            return
        self._tries += 1
        over = self.end.transmit(asked.octets, self.on)
        if asked.answered:
            self.clock.at(over + self._ns(self.bus.slot), lambda: self._silent(number), priority=1)
            return
        if asked.octets[0] != _TOKEN:
            self._pause_bits = self.bus.idle_unacknowledged
        self.clock.at(over, lambda: self._step(None), priority=1)

    def heard(self, heard: Heard) -> None:
        """A telegram on the line: the answer, or something that is not understood."""
        asked = self._asked
        if asked is None or not asked.answered or self._tries == 0:
            return
        if _is_answer(heard.octets, asked, self.bus.line.master):
            self._number += 1
            self._step(heard.octets)

    def _silent(self, number: int) -> None:
        asked = self._asked
        if asked is None or number != self._number:
            return
        if self.end.busy_until_ns > self.clock.now_ns:
            # Somebody has begun to answer: that is waited for, and may turn out to be nothing.
            self.clock.at(self.end.busy_until_ns, lambda: self._silent(number), priority=1)
            return
        if not asked.once and self._tries <= self.bus.retries:
            self._send()
            return
        self.silent_questions += 0 if asked.once else 1
        self._step(None)

    # ── what others want, what is told

    def ask_between(self, guest: Guest) -> None:
        """Ask somebody's questions, one between two cycles each."""
        self.cycle.guests.append(guest)

    def told(self) -> NetworkTold:
        """Each station as its master sees it, and the bus as a whole."""
        return NetworkTold(tuple(self._node(live) for live in self.cycle.stations), tuple(self._facts()))

    def _facts(self) -> Iterator[NetworkFact]:
        mode = {"operate": "Operate", "clear": "Clear: outputs in their safe state", "stop": "Stop"}[self.cycle.mode]
        yield NetworkFact("Master", f"{mode}, address {self.bus.line.master}, {rate_text(self.bus.line.baud)}",
                          self.cycle.mode == "operate")  # fmt: skip
        good = sum(live.state == "exchange" for live in self.cycle.stations)
        yield NetworkFact(
            "Stations", f"{good} of {len(self.cycle.stations)} exchange", good == len(self.cycle.stations)
        )
        if self.cycle_ns:
            longest = shown(self.longest_ns / _NS_A_MS, 3)
            most_ns = self.bus.ms(self.bus.rotation) * _NS_A_MS + self._least_ns
            now = shown(self.cycle_ns / _NS_A_MS, 3)
            yield NetworkFact("Cycle", f"{now} ms, longest {longest} ms", self.longest_ns <= most_ns)
        if self.silent_questions:
            yield NetworkFact("In vain", f"{self.silent_questions} questions without an answer", False)
        strangers = sorted(number for number, there in self.cycle.there.items() if there)
        if strangers:
            yield NetworkFact("In the gap", f"somebody answers at {', '.join(map(str, strangers))}", False)

    def _node(self, live: StationLive) -> NodeTold:
        told: tuple[Diagnosis, ...] = ()
        if live.diag is not None and live.state != "silent":
            told = tuple(told_of_diag(live.diag, live.station))
        return NodeTold(
            live.station.id, str(live.number), _WORDS[live.state], live.state == "exchange", live.text,
            f"diagnosis {live.diag.one:02X} {live.diag.two:02X}" if live.diag and live.state != "exchange" else "",
            _lamps(live), told,
        )  # fmt: skip


_TOKEN = 0xDC
_WORDS = {
    "silent": "not there", "diag": "asked for its diagnosis", "prm": "gets parameters", "cfg": "checks its modules",
    "check": "asked whether it is ready", "exchange": "exchanges",
}  # fmt: skip


def _lamps(live: StationLive) -> str:
    """What its indicators show (bus fault: dark while it exchanges, on without its master, flashing while it waits)."""
    if live.state == "exchange":
        return "bus fault dark" + (", diagnosis on" if live.diag and live.diag.one & 8 else "")
    return "bus fault on" if live.state == "silent" else "bus fault flashes"


def _is_answer(octets: bytes, asked: Question, master: int) -> bool:
    """Whether a telegram is the answer to what was asked, undamaged: the short one, or one to the master."""
    if octets == t.SHORT:
        return True
    try:
        told = t.decode(octets)
    except t.NoTelegram:
        return False
    return told.to == master and told.source == asked.number and not told.is_request


def go_live(clock: Clock, memory: Memory, end: SegmentEnd, network: Network, lines: list[BenchLine]) -> Master:
    """Start the master of one network."""
    bus = bus_of(network, [line.line for line in lines])
    stations: list[StationLive] = []
    refreshed: list[tuple[StationLive, str, str, BenchLine]] = []
    by_station = {s.id: s for s in bus.stations}
    for line in lines:
        station = dp_station(line.line)
        if is_request(line.line.connection) or station.id not in by_station or station.address is None:
            continue
        ids = {x.direction: x.id for x in line.line.exchanges}
        into, out = line.offsets.get(ids.get("in", "")), line.offsets.get(ids.get("out", ""))
        live = StationLive(station, station.address, into, out, tuple(line.live.values()))
        live.prm = prm_of(station, bus.min_tsdr)
        stations.append(live)
        refreshed += ((live, exchange, way, line) for way, exchange in ids.items())
    stations.sort(key=lambda live: live.number)
    cycle = Cycle(clock, memory, end, bus, stations)
    for live, exchange, way, line in refreshed:
        line.live[exchange].refresh = _refresher(cycle, live, exchange, way, line)
    master = Master(clock, end, bus, cycle, DpCoding(bus.line.baud))
    end.terminated = bus.line.terminated
    end.be(bus.line.master, _Nobody())
    end.on(master.heard)
    if bus.line.auto_clear:
        cycle.lost = lambda _: _clear(cycle)
    memory.at_stop.append(lambda: _clear(cycle))
    begin_requests(clock, memory, master.ask_between, lines, {live.station.id: live for live in stations}, bus)
    clock.at(clock.now_ns, master.begin)
    return master


class _Nobody:
    """The master answers nobody."""

    def answer(self, octets: bytes) -> None:
        """Nothing."""

    def answer_again(self) -> bool:
        """Nothing again."""
        return False


def _clear(cycle: Cycle) -> None:
    cycle.mode = "clear"
    for live in cycle.stations:
        live.forget()


def _refresher(cycle: Cycle, live: StationLive, exchange: str, way: str, line: BenchLine) -> Callable[[], None]:
    """Brings what is told of an exchange up to now."""
    told = line.live[exchange]

    def refresh() -> None:
        told.request, told.response = live.request, live.response
        told.transactions, told.failures = live.cycles, live.failures
        # Whoever exchanges did so in the last cycle.
        told.last_good_ns = max(cycle.began_ns, live.good_ns or 0) if live.state == "exchange" else live.good_ns
        told.data = live.given if way == "in" else live.sent or b""

    return refresh


def operate(master: Master, wanted: bool) -> None:
    """To Operate, or to Clear."""
    master.cycle.mode = "operate" if wanted else "clear"
    for live in master.cycle.stations:
        live.forget()
