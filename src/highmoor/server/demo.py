"""The demo plant as it is handed to a newcomer: configured, with the description files of its makers read in."""

from __future__ import annotations

from pathlib import Path

from django.conf import settings
from django.contrib.auth.models import User

from highmoor.core.catalogue.pins import pinned_key
from highmoor.core.catalogue.reading.families import read_octets, reader_version
from highmoor.core.demo.plant import demo_plant
from highmoor.core.plant.plant import Plant
from highmoor.core.project import edits
from highmoor.core.project.new import renamed
from highmoor.intake.child import outcomes
from highmoor.intake.reading import ReadFile
from highmoor.server import store
from highmoor.server.library import LIBRARY, keep, learn
from highmoor.server.models import Project


def demo_files() -> list[ReadFile]:
    """The description files that come with the program, read; those of the inbox wait for the newcomer."""
    folder: Path = settings.ROOT / "demo"
    read = []
    for path in sorted(path for path in folder.iterdir() if path.is_file()):
        octets = path.read_bytes()
        raw = outcomes(octets, path.name)[0]
        read.append(ReadFile(path.name, raw["sha256"], octets, read_octets(octets, path.name), raw["description"]))
    return read


def demo_with_types(files: list[ReadFile]) -> Plant:
    """The demo plant with the types of these files pinned, and its stations of them."""
    pins, keys = pins_of(files)
    return demo_plant(LIBRARY, keys, pins)


def pins_of(files: list[ReadFile]) -> tuple[list[edits.TypePin], dict[str, str]]:
    """The types of files, learnt, as they are pinned; the key of each by its device's, of the last by its file's."""
    pins: list[edits.TypePin] = []
    keys: dict[str, str] = {}
    for file in files:
        assert file.description is not None
        version = reader_version(file.description.family)
        for device in file.description.devices:
            key = pinned_key(device.key, file.sha256, version)
            learn(key, device)
            keys[file.name] = keys[device.key] = key
            pins.append(edits.TypePin(device=device.key, sha256=file.sha256, reader=version, file=file.name))
    return pins, keys


def create_demo(user: User, name: str = "", key: str | None = None) -> Project:
    """A project with the demo plant and its files."""
    files = demo_files()
    plant = demo_with_types(files)
    if name:
        plant = renamed(plant, name)
    project = store.create_project(plant, user, "The demo plant", key=key)
    for file in files:
        keep(project, file)
    return project
