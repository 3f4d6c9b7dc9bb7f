"""Why an exchange of PROFIBUS DP fails, by codes of the master's own: what a diagnosis says is told beside."""

from __future__ import annotations

SILENT, NOT_READY, CFG, PRM, UNSUPPORTED, LOST, CLEARED, LENGTH, OTHER_MASTER = range(1, 10)
# Of acyclic requests: what the standard's error octets begin with stands above.
NO_RECORDS, TIMED_OUT, NOT_EXCHANGING = 0x20, 0x21, 0x22

_WORDS = {
    SILENT: "it does not answer",
    NOT_READY: "it is not ready yet",
    CFG: "configuration fault: its modules are not those configured",
    PRM: "parameter fault: it refuses its parameters",
    UNSUPPORTED: "it is asked for something that it does not support",
    LOST: "it no longer answers, or answers what is no telegram",
    CLEARED: "the master is in Clear: outputs are in their safe state",
    LENGTH: "its answer is not as long as it should be",
    OTHER_MASTER: "another master has it",
    NO_RECORDS: "it has no access point for acyclic requests",
    TIMED_OUT: "no answer to the request",
    NOT_EXCHANGING: "it exchanges no data, and takes no requests meanwhile",
}

# IEC 61158-6-3, Error_Code_1 of DP-V1: class in the high four bits, code in the low.
_CLASSES = {0xA: "application", 0xB: "access", 0xC: "resource"}
_ERRORS = {
    0xA0: "read error", 0xA1: "write error", 0xA2: "module failure", 0xA8: "version conflict", 0xA9: "feature not "
    "supported", 0xB0: "invalid index", 0xB1: "write length error", 0xB2: "invalid slot", 0xB3: "type conflict",
    0xB4: "invalid area", 0xB5: "state conflict", 0xB6: "access denied", 0xB7: "invalid range", 0xB8: "invalid "
    "parameter", 0xB9: "invalid type", 0xC0: "read constrain conflict", 0xC1: "write constrain conflict",
    0xC2: "resource busy", 0xC3: "resource unavailable",
}  # fmt: skip


def error_code(code_1: int, code_2: int) -> int:
    """The two error octets of an acyclic answer as one code."""
    return code_1 << 8 | code_2


def explain(code: int) -> str:
    """A code in words."""
    if code in _WORDS:
        return _WORDS[code]
    high = code >> 8
    if high in _ERRORS:
        return f"{_CLASSES[high >> 4]}: {_ERRORS[high]}"
    return f"error {code:04X}"


# Which settings a code speaks of.
_LIKELY = {
    SILENT: ("stations.address", "networks.settings.baud", "stations.settings.terminated"),
    CFG: ("stations.settings.identifiers",),
    PRM: ("stations.settings.ident", "stations.settings.user_prm"),
    UNSUPPORTED: ("stations.settings.sync", "stations.settings.freeze"),
    LOST: ("stations.settings.watchdog_ms", "stations.settings.terminated"),
    TIMED_OUT: ("connections.settings.timeout_ms",),
    NO_RECORDS: ("connections.settings.slot",),
    0xB0 << 8: ("connections.settings.index",),
    0xB2 << 8: ("connections.settings.slot",),
}  # fmt: skip


def likely(code: int) -> tuple[str, ...]:
    """The settings that may well be wrong."""
    return _LIKELY.get(code, ())
