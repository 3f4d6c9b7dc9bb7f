"""Command profiles: which words of a drive's exchange command it and which tell of it, and what their bits mean."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

from highmoor.core.plant.rows import CommandProfile

Way = Literal["in", "out"]
Taken = Literal["nothing", "stops", "interrupts"]
"""What taking the start of a move away does to it."""
SpeedIs = Literal["counts", "rpm", "share"]


@dataclass(frozen=True, slots=True)
class Word:
    """A word, or a bit of one, by the role it has. `at` is where it stands: "i6040" an object, "4" an octet of the
    exchange that way, "4.2" a bit counted from that octet's lowest. An `optional` one may be missing."""

    role: str
    label: str
    way: Way
    type: str
    at: str
    optional: bool = False


@dataclass(frozen=True, slots=True)
class Base:
    """What a profile is made from: its words, and what taking the start away does. `streams`: the controller sends
    position after position, and the drive only follows."""

    key: str
    label: str
    source: str
    words: tuple[Word, ...]
    start_taken: Taken = "nothing"
    streams: bool = False
    # What a count of its speed is, unless its drive's manual says otherwise; of a share, the counts of all.
    speed_is: SpeedIs = "counts"
    speed_full: int = 0x4000
    # Words whose bits have names, by role: the kind of word that they are.
    decodes: Mapping[str, str] = field(default_factory=dict)


def _words(table: str) -> tuple[Word, ...]:
    """A word a line: its way, role, type, where it stands, "?" for one that may be missing, what it is called."""
    words = []
    for line in filter(None, map(str.strip, table.splitlines())):
        way, role, kind, at, *rest = line.split(maxsplit=4)
        label = rest[0]
        words.append(Word(role, label.lstrip("? "), "in" if way == "in" else "out", kind, at, label.startswith("?")))
    return tuple(words)


_CIA_402 = Base(
    "cia402", "CiA 402", "IEC 61800-7-201",
    _words("""
        out control       UINT  i6040   Control word
        out mode          SINT  i6060   Mode of operation
        out target        DINT  i607A   Target position
        out target_speed  DINT  i60FF ? Target velocity
        in  status        UINT  i6041   Status word
        in  mode_shown    SINT  i6061 ? Mode shown
        in  position      DINT  i6064   Position
        in  speed         DINT  i606C ? Velocity
        in  inputs        UDINT i60FD ? Digital inputs
    """),
    streams=True,
    decodes={"status": "cia402-status", "control": "cia402-control"},
)  # fmt: skip
# A drive that is told by plain words where to go, and goes there by itself; eleven words each way.
_PLAIN = Base(
    "words", "Plain words", "declared word by word",
    _words("""
        out enable        BOOL 0.0   Enable
        out start         BOOL 0.1   Start
        out relative      BOOL 0.2   By so far
        out home          BOOL 0.3   Home
        out stop          BOOL 0.4   Stop
        out reset         BOOL 0.5   Reset
        out jog_plus      BOOL 0.6   Jog forth
        out jog_minus     BOOL 0.7   Jog back
        out stored        UINT 2   ? Stored move
        out target        DINT 4     Target position
        out target_speed  DINT 8     Speed
        out rate          DINT 12    Acceleration
        out set_position  DINT 16    Position at home
        out jog_speed     UINT 20  ? Jog speed
        in  ready         BOOL 0.0   Ready
        in  enabled       BOOL 0.1   Enabled
        in  acknowledged  BOOL 0.2   Start seen
        in  moving        BOOL 0.3   Moving
        in  in_position   BOOL 0.4   In position
        in  homed         BOOL 0.5   Homed
        in  fault         BOOL 0.6   Fault
        in  standstill    BOOL 0.7   Standstill
        in  fault_code    UINT 2     Fault code
        in  position      DINT 4     Position
        in  speed         DINT 8     Speed shown
        in  target_shown  DINT 12    Target shown
        in  inputs        UINT 16    Inputs of the drive
        in  stored_shown  UINT 18  ? Stored move shown
        in  torque        INT  20  ? Torque shown
    """),
)  # fmt: skip
# CIP volume 1, 6-29 (AC/DC drive): assemblies 20 and 70, 21 and 71.
_CIP_BASIC = Base(
    "cip-20-70", "CIP speed, assemblies 20 and 70", "CIP volume 1, AC/DC drive profile",
    _words("""
        out run           BOOL 0.0   Run forward
        out reset         BOOL 0.2   Reset
        out target_speed  INT  2     Speed reference
        in  fault         BOOL 0.0   Faulted
        in  running       BOOL 0.2   Running forward
        in  speed         INT  2     Speed actual
    """),
    start_taken="stops",
    speed_is="rpm",
)  # fmt: skip
_CIP_EXTENDED = Base(
    "cip-21-71", "CIP speed, assemblies 21 and 71", "CIP volume 1, AC/DC drive profile",
    _words("""
        out run            BOOL  0.0   Run forward
        out run_back       BOOL  0.1   Run reverse
        out reset          BOOL  0.2   Reset
        out net_control    BOOL  0.5   Control from network
        out net_reference  BOOL  0.6   Reference from network
        out target_speed   INT   2     Speed reference
        in  fault          BOOL  0.0   Faulted
        in  warning        BOOL  0.1   Warning
        in  running        BOOL  0.2   Running forward
        in  running_back   BOOL  0.3   Running reverse
        in  ready          BOOL  0.4   Ready
        in  at_speed       BOOL  0.7   At reference
        in  state          USINT 1     Drive state
        in  speed          INT   2     Speed actual
    """),
    start_taken="stops",
    speed_is="rpm",
    decodes={"state": "cip-state"},
)  # fmt: skip
# CIP volume 1, position controller device: eight octets each way, one message at a time, low octet first.
_CIP_POSITION = Base(
    "cip-position", "CIP position", "CIP volume 1, position controller device profile",
    _words("""
        out load           BOOL  0.0   Load data, start
        out relative       BOOL  0.2 ? Incremental
        out stop           BOOL  0.4   Smooth stop
        out hard_stop      BOOL  0.5 ? Hard stop
        out enable         BOOL  0.7   Enable
        out says           USINT 2     Command message type
        out asks           USINT 3     Response message type
        out target         DINT  4     Command data
        in  in_progress    BOOL  0.0   Profile in progress
        in  in_position    BOOL  0.2   On target position
        in  fault          BOOL  0.3   General fault
        in  enabled        BOOL  0.7   Enabled
        in  limit_plus     BOOL  2.3 ? Positive limit
        in  limit_minus    BOOL  2.4 ? Negative limit
        in  loaded         BOOL  2.7   Load complete
        in  answers        USINT 3   ? Response message type shown
        in  position       DINT  4     Response data
    """),
)  # fmt: skip
# IEC 61800-7-203 (PROFIdrive): 16#4000 is 100 %.
_TELEGRAM_1 = Base(
    "profidrive-1", "PROFIdrive telegram 1", "IEC 61800-7-203",
    _words("""
        out control       UINT 0   STW1
        out target_speed  INT  2   NSOLL_A
        in  status        UINT 0   ZSW1
        in  speed         INT  2   NIST_A
    """),
    start_taken="stops",
    speed_is="share",
    decodes={"status": "zsw1", "control": "stw1"},
)  # fmt: skip
_TELEGRAM_9 = Base(
    "profidrive-9", "PROFIdrive telegram 9", "IEC 61800-7-203",
    _words("""
        out control       UINT 0    STW1
        out stored        UINT 2    SATZANW
        out control_2     UINT 4    STW2
        out target        DINT 6    MDI_TARPOS
        out target_speed  DINT 10   MDI_VELOCITY
        out rate          UINT 14   MDI_ACC
        out rate_down     UINT 16   MDI_DEC
        out mdi_mode      UINT 18   MDI_MOD
        in  status        UINT 0    ZSW1
        in  stored_shown  UINT 2    AKTSATZ
        in  status_2      UINT 4    ZSW2
        in  position      DINT 6    XIST_A
    """),
    decodes={"status": "zsw1", "control": "stw1"},
)  # fmt: skip
BASES: dict[str, Base] = {
    base.key: base for base in (_CIA_402, _PLAIN, _CIP_BASIC, _CIP_EXTENDED, _CIP_POSITION, _TELEGRAM_1, _TELEGRAM_9)
}
_AT = re.compile(r"i[0-9A-F]{4}|\d{1,4}(\.(1[0-5]|\d))?")


def is_place(text: str) -> bool:
    """Whether a text says where a word stands."""
    return _AT.fullmatch(text) is not None


def words_of(profile: CommandProfile) -> Iterator[Word]:
    """The words of a profile, each where it stands; those that are said not to be there left out."""
    base = BASES.get(profile.base)
    moved: Mapping[str, Any] = profile.settings.get("words", {})
    for word in base.words if base else ():
        at = moved.get(word.role, word.at)
        if at:
            yield Word(word.role, word.label, word.way, word.type, str(at), word.optional)
