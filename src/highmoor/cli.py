"""Headless use of the core: `check`, `export`, `import`, `compute`, and the documents generated from it."""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Callable, Iterator
from decimal import Decimal
from pathlib import Path
from typing import TYPE_CHECKING, Any

from highmoor.core.errors import HighmoorError, Refusal
from highmoor.core.figures.listing import FIGURES, answer

if TYPE_CHECKING:
    from highmoor.core.catalogue.reading.description import Description
    from highmoor.core.catalogue.types import DeviceType
    from highmoor.intake.reading import ReadFile

Command = Callable[[argparse.Namespace], int]


def main(argv: list[str] | None = None) -> int:
    """Run one command; returns the exit code."""
    args = _parser().parse_args(argv)
    command: Command = args.run
    try:
        return command(args)
    except HighmoorError as error:
        print(f"highmoor: {error}", file=sys.stderr)
        return 2
    except OSError as error:
        print(f"highmoor: {error.filename or ''}: {error.strerror or error}", file=sys.stderr)
        return 2


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="highmoor")
    commands = parser.add_subparsers(dest="command", required=True)
    check = commands.add_parser("check", help="findings of a plant file; exit code 1 if any is an error")
    check.add_argument("file", type=Path)
    check.add_argument("--json", action="store_true")
    check.set_defaults(run=_check)
    compute = commands.add_parser("compute", help="one figure; JSON in and out")
    compute.add_argument("name", nargs="?")
    compute.add_argument("case", nargs="?")
    compute.add_argument("--list", action="store_true")
    compute.set_defaults(run=_compute)
    describe = commands.add_parser("describe", help="what a device description file says, with its problems")
    describe.add_argument("file", type=Path)
    describe.add_argument("--json", action="store_true")
    describe.add_argument("--strict", action="store_true", help="exit code 1 when anything in it is an error")
    describe.set_defaults(run=_describe)
    schema = commands.add_parser("schema", help="the JSON Schema of plant files")
    schema.add_argument("of", nargs="?", choices=sorted(_SCHEMAS), default="plant")
    schema.set_defaults(run=lambda args: _print_json(_SCHEMAS[args.of]()))
    checks = commands.add_parser("checks", help="the list of checks, as Markdown")
    checks.set_defaults(run=_print_checks)
    return parser


def _check(args: argparse.Namespace) -> int:
    from highmoor.core.parts import analyse
    from highmoor.core.project.exchange_format import OCTETS_AT_MOST, BadFile, parse_plant
    from highmoor.core.project.reporting import rendered

    path: Path = args.file
    if path.stat().st_size > OCTETS_AT_MOST:
        raise HighmoorError(f"{path}: {path.stat().st_size // 2**20} MB are too many for a plant.")
    try:
        file = parse_plant(path.read_bytes())
    except BadFile as error:
        for fault in error.faults:
            print(f"{path}: {fault.place or 'file'}: {fault.reason}", file=sys.stderr)
        if args.json:
            _print_json({"refused": str(error)})
        return 2
    analysis = analyse(file.plant, file.catalogue)
    findings = rendered(analysis)
    if args.json:
        _print_json({"findings": findings})
    else:
        for found in findings:
            print(f"{found['severity']:8}{found['code']}  {found['where']}: {found['text']}")
        counts = {s: sum(1 for f in findings if f["severity"] == s) for s in ("error", "warning", "note")}
        print(", ".join(f"{n} {s}{'' if n == 1 else 's'}" for s, n in counts.items()))
    return 1 if any(found["severity"] == "error" for found in findings) else 0


def _compute(args: argparse.Namespace) -> int:
    if args.list:
        return _print_json([{"name": f.name, "summary": f.summary, "keys": list(f.shape)} for f in FIGURES.values()])
    figure = FIGURES.get(args.name or "")
    if figure is None:
        return _refuse(f"There is no figure {args.name!r}; --list shows those there are.")
    if args.case is None:
        return _refuse("A case is expected: '{…}' as the second argument, or - for an array on standard input.")
    try:
        given = _loads(sys.stdin.read() if args.case == "-" else args.case)
    except (ValueError, RecursionError, Refusal) as error:
        return _refuse(f"The input is not JSON: {error}")
    if args.case == "-":
        if not isinstance(given, list):
            return _refuse("An array of cases is expected on standard input.")
        return _print_json([answer(args.name, case) for case in given])
    result = answer(args.name, given)
    _print_json(result)
    return 2 if "refused" in result else 0


def _loads(text: str) -> Any:
    return json.loads(text, parse_float=Decimal, parse_constant=_no_constant)


def _no_constant(name: str) -> float:
    raise ValueError(f"{name} is not a number that JSON knows")


def _refuse(reason: str) -> int:
    _print_json({"refused": reason})
    return 2


def _describe(args: argparse.Namespace) -> int:
    """Exit code 0 when the file was read, 2 when it was refused; strictly, 1 when anything in it is an error."""
    from highmoor.core.catalogue.reading.text import OCTETS_AT_MOST
    from highmoor.intake.reading import read_file

    path: Path = args.file
    if path.stat().st_size > OCTETS_AT_MOST:
        raise HighmoorError(f"{path}: {path.stat().st_size // 2**20} MB are too many for a description file.")
    files = read_file(path.read_bytes(), path.name)
    if args.json:
        told = [file.raw if file.description else _refusal(file) for file in files]
        _print_json(told[0] if len(told) == 1 else {"files": told})
    else:
        for file in files:
            _print_described(file)
    if not any(file.description for file in files):
        return 2
    faults = [p for file in files if file.description for p in file.description.problems if p.severity == "error"]
    refused = any(file.description is None for file in files)
    return 1 if args.strict and (faults or refused) else 0


def _refusal(file: ReadFile) -> dict[str, Any]:
    """A refused file in the shape of one that was read, so that whoever asks need know only one."""
    problem = {"line": file.line, "severity": "error", "text": file.refused}
    return {
        "family": "",
        "vendor": {"id": None, "name": ""},
        "devices": [],
        "problems": [problem],
        "refused": file.refused,
    }


def _print_described(file: ReadFile) -> None:
    if file.description is None:
        print(f"{file.name}: refused{f', line {file.line}' if file.line else ''}: {file.refused}")
        return
    for device in file.description.devices:
        about = ", ".join(part for part in (device.maker, device.order_number, ", ".join(device.revisions)) if part)
        print(f"{file.name}: {device.name} ({about}), {file.description.family}")
        for label, value in _identity(file.description, device):
            print(f"  {label}: {value}")
        for count, what in (
            (len(device.connections), "connections"), (len(device.modules), "modules"),
            (len(device.parameters), "parameters"), (len(device.registers), "registers"),
        ):  # fmt: skip
            if count:
                print(f"  {count} {what}")
    for problem in file.description.problems:
        print(f"  {problem.severity:8}line {problem.line}: {problem.text}")
    if file.description.unknown:
        print(f"  {len(file.description.unknown)} entries are kept, but not used")


def _identity(description: Description, device: DeviceType) -> Iterator[tuple[str, str]]:
    """Who made it and what it is by number; what it gives and takes; what it bears."""
    if description.vendor.id is not None:
        yield "vendor", f"{description.vendor.id} (16#{description.vendor.id:04X}) {description.vendor.name}".strip()
    elif description.vendor.name:
        yield "vendor", description.vendor.name
    if device.product_code is not None:
        kind = f", device type {device.device_type}" if device.device_type is not None else ""
        yield "product", f"{device.product_code} (16#{device.product_code:04X}){kind}"
    from highmoor.core.catalogue.comparing import footprint

    size = footprint(device)
    if size.in_octets or size.out_octets:
        yield "sizes", f"{size.in_octets} octets into the controller, {size.out_octets} out of it"
    limits = device.limits
    told = [
        (limits.connections, "{} connections"), (limits.cyclic_connections, "{} cyclic connections"),
        (limits.min_interval_us, "interval from {} µs"), (limits.packets_per_s, "{} packets/s"),
        (limits.modules, "{} modules"), (limits.in_octets, "{} octets in"), (limits.out_octets, "{} octets out"),
        (limits.data_octets, "{} octets together"), (limits.sockets, "{} socket" + "s" * (limits.sockets != 1)),
    ]  # fmt: skip
    words = [text.format(value) for value, text in told if value is not None]
    if words:
        yield "limits", ", ".join(words)


def _plant_schema() -> dict[str, Any]:
    from highmoor.core.project.exchange_format import json_schema

    return json_schema()


def _description_schema() -> dict[str, Any]:
    from highmoor.core.catalogue.reading.schemas import description_schema

    return description_schema()


def _register_map_schema() -> dict[str, Any]:
    from highmoor.core.catalogue.reading.schemas import register_map_schema

    return register_map_schema()


_SCHEMAS: dict[str, Callable[[], dict[str, Any]]] = {
    "plant": _plant_schema,
    "description": _description_schema,
    "register-map": _register_map_schema,
}


def _print_checks(_: argparse.Namespace) -> int:
    from highmoor.core.project.reporting import checks_document

    print(checks_document(), end="")
    return 0


def _print_json(value: Any) -> int:
    print(json.dumps(value, ensure_ascii=False))
    return 0


if __name__ == "__main__":
    sys.exit(main())
