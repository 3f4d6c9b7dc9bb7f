"""Commands that need the database: demo, serve, export, import, adduser, bench, generate."""

from __future__ import annotations

import argparse
import os
import sys
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from highmoor.core.catalogue.types import Catalogue
    from highmoor.core.plant.plant import Plant

Command = Callable[[argparse.Namespace], int]
LOOPBACK = "127.0.0.1"


def main(argv: list[str]) -> int:
    """Run one command; returns the exit code."""
    args = _parser().parse_args(argv)
    data = getattr(args, "data", None)
    if data is not None:
        os.environ["HIGHMOOR_DATA"] = str(Path(data).absolute())
    if args.command == "demo":
        os.environ["HIGHMOOR_DEMO"] = "1"
    if getattr(args, "port", None) is not None:
        os.environ["HIGHMOOR_PORT"] = str(args.port)
    host = getattr(args, "host", LOOPBACK)
    if host not in (LOOPBACK, "0.0.0.0", "::") and "HIGHMOOR_ALLOWED_HOSTS" not in os.environ:
        os.environ["HIGHMOOR_ALLOWED_HOSTS"] = f"127.0.0.1,localhost,[::1],{f'[{host}]' if ':' in host else host}"
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "highmoor.server.settings")
    import django

    try:
        django.setup()
        command: Command = args.run
        return command(args)
    except Exception as error:
        return _told(error)


def _told(error: Exception) -> int:
    """An error in one line, where it is one that a person can mend."""
    from django.db import DatabaseError

    from highmoor.core.errors import HighmoorError
    from highmoor.server.running import CannotRun

    if isinstance(error, CannotRun | HighmoorError):
        print(f"highmoor: {error}", file=sys.stderr)
    elif isinstance(error, DatabaseError):
        print(f"highmoor: the database cannot be used: {error}", file=sys.stderr)
    elif isinstance(error, OSError):
        print(f"highmoor: {error.filename or ''}: {error.strerror or error}", file=sys.stderr)
    else:
        raise error
    return 3


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="highmoor")
    commands = parser.add_subparsers(dest="command", required=True)
    for name in ("demo", "serve"):
        command = commands.add_parser(name)
        command.add_argument("--port", type=int, default=8000)
        command.add_argument("--data", help="folder of the database")
        command.set_defaults(run=_demo if name == "demo" else _serve)
        if name == "demo":
            command.add_argument("--reset", action="store_true", help="begin with a fresh demo plant")
        else:
            command.add_argument("--host", default=LOOPBACK)
    export = commands.add_parser("export")
    export.add_argument("id", nargs="?")
    export.add_argument("--demo", action="store_true")
    export.add_argument("--signals", type=Path, metavar="FILE", help="only the signals: .csv, .xlsx, .st or .xml")
    export.set_defaults(run=_export)
    import_ = commands.add_parser("import")
    import_.add_argument("file", type=Path)
    import_.add_argument("--owner", default="")
    import_.set_defaults(run=_import)
    capture = commands.add_parser("capture")
    capture.add_argument("file", nargs="?", type=Path)
    capture.add_argument("--demo", action="store_true")
    capture.add_argument("--seconds", type=float, default=10)
    capture.add_argument("--out", type=Path, required=True)
    capture.set_defaults(run=_capture)
    adduser = commands.add_parser("adduser")
    adduser.add_argument("name")
    adduser.set_defaults(run=_adduser)
    bench = commands.add_parser("bench")
    bench.set_defaults(run=_bench)
    generate = commands.add_parser("generate")
    generate.add_argument("--check", action="store_true")
    generate.set_defaults(run=_generate)
    for command in (export, import_, adduser, capture):
        command.add_argument("--data", help="folder of the database")
    return parser


def _demo(args: argparse.Namespace) -> int:
    from highmoor.server.running import serve

    return serve(LOOPBACK, args.port, demo=True, reset=args.reset)


def _serve(args: argparse.Namespace) -> int:
    from highmoor.server.running import serve

    return serve(args.host, args.port)


def _export(args: argparse.Namespace) -> int:
    from highmoor.server import store
    from highmoor.server.demo import demo_files, demo_with_types
    from highmoor.server.library import LIBRARY, plant_catalogue
    from highmoor.server.models import Project
    from highmoor.server.running import CannotRun, prepare_database

    if args.demo:
        return _told_or_written(args.signals, demo_with_types(demo_files()), LIBRARY, "Skelder")
    prepare_database()
    project = Project.objects.filter(key=args.id or "").first()
    if project is None:
        known = ", ".join(f"{p.key} ({p.name})" for p in Project.objects.all()[:20])
        raise CannotRun(f"there is no plant {args.id!r}; there are: {known or 'none'}")
    with store.snapshot():
        project.refresh_from_db()
        plant, catalogue = store.load_plant(project), plant_catalogue(project)
    return _told_or_written(args.signals, plant, catalogue, project.name)


def _told_or_written(file: Path | None, plant: Plant, catalogue: Catalogue, title: str) -> int:
    """A plant on standard output, or its signals into a file."""
    from highmoor.core.parts import analyse
    from highmoor.core.project.exchange_format import export_text
    from highmoor.server.running import CannotRun
    from highmoor.sheets import SIGNAL_FILES, signals_octets

    if file is None:
        sys.stdout.write(export_text(plant, catalogue.find))
        return 0
    form = file.suffix.lstrip(".").lower()
    if form not in SIGNAL_FILES:
        raise CannotRun(f"{file.name}: signals go into .{', .'.join(SIGNAL_FILES)}")
    file.write_bytes(signals_octets(analyse(plant, catalogue), form, title))
    return 0


def _import(args: argparse.Namespace) -> int:
    from django.contrib.auth.models import User
    from django.db import transaction

    from highmoor.core.plant.fields import printable
    from highmoor.core.project.exchange_format import OCTETS_AT_MOST, parse_plant
    from highmoor.server import store
    from highmoor.server.library import keep_readings
    from highmoor.server.middleware import DEMO_USER
    from highmoor.server.running import CannotRun, prepare_database

    if args.file.stat().st_size > OCTETS_AT_MOST:
        raise CannotRun(f"{args.file}: {args.file.stat().st_size // 2**20} MB are too many for a plant")
    given = parse_plant(args.file.read_bytes())
    prepare_database()
    name = args.owner or DEMO_USER
    owner = User.objects.filter(username=name).first()
    if owner is None:
        raise CannotRun(f"there is no user {name!r}; make one with ./highmoor adduser {name}")
    with transaction.atomic():
        project = store.create_project(given.plant, owner, f"Imported from {printable(args.file.name)}")
        keep_readings(project, given)
    print(project.key)
    return 0


def _capture(args: argparse.Namespace) -> int:
    from contextlib import ExitStack

    from highmoor.capture import Capture, FrameCapture, LineCapture
    from highmoor.core.bench.bench import Bench
    from highmoor.core.project.exchange_format import parse_plant
    from highmoor.server.demo import demo_files, demo_with_types
    from highmoor.server.library import LIBRARY
    from highmoor.server.running import CannotRun

    if args.demo == (args.file is not None):
        raise CannotRun("capture takes a plant file, or --demo")
    if not 0 < args.seconds <= 3600:
        raise CannotRun(f"{args.seconds:g} s cannot be captured; up to 3600 s can")
    if args.demo:
        bench = Bench(demo_with_types(demo_files()), LIBRARY)
    else:
        given = parse_plant(args.file.read_bytes())
        bench = Bench(given.plant, given.catalogue)
    with ExitStack() as files:
        ethernet = Capture(files.enter_context(args.out.open("wb")))
        bench.ethernet.taps.append(ethernet)
        captured: list[tuple[Path, Capture | LineCapture | FrameCapture]] = [(args.out, ethernet)]
        for network, line in bench.lines.items():
            path = args.out.with_stem(f"{args.out.stem}-{network}")
            one = LineCapture(files.enter_context(path.open("wb")))
            line.taps.append(one)
            captured.append((path, one))
        for network, medium in bench.on_the_fly.items():
            path = args.out.with_stem(f"{args.out.stem}-{network}")
            frames = FrameCapture(files.enter_context(path.open("wb")))
            medium.taps.append(frames)
            captured.append((path, frames))
        bench.run_until(args.seconds)
        bench.stop()
    for path, capture in captured:
        print(f"{capture.frames} frames of {args.seconds:g} s in {path}")
    return 0


def _adduser(args: argparse.Namespace) -> int:
    import getpass

    from django.contrib.auth.models import User
    from django.contrib.auth.password_validation import validate_password
    from django.core.exceptions import ValidationError

    from highmoor.server.middleware import DEMO_USER
    from highmoor.server.running import CannotRun, prepare_database

    if args.name.lower() == DEMO_USER:
        raise CannotRun(f"{DEMO_USER} is the demo user's name; choose another")
    try:
        User._meta.get_field("username").clean(args.name, None)
    except ValidationError as error:
        raise CannotRun(f"{args.name[:40]!r} is not a name: {' '.join(error.messages)}") from None
    prepare_database()
    read = getpass.getpass if sys.stdin.isatty() else lambda _: sys.stdin.readline().rstrip("\n")
    password = read(f"Password for {args.name}: ")
    try:
        validate_password(password, User(username=args.name))
    except ValidationError as error:
        raise CannotRun(" ".join(error.messages)) from None
    user, made = User.objects.get_or_create(username=args.name)
    user.set_password(password)
    user.save()
    print(f"{args.name}: {'made' if made else 'password changed'}")
    return 0


def _bench(args: argparse.Namespace) -> int:
    from highmoor.server.benchmarks.all import run

    return run()


def _generate(args: argparse.Namespace) -> int:
    from highmoor.server.generated import generate

    return generate(check=args.check)


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
