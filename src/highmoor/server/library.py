"""The library: makers' files as they came, and what readers made of them, pinned for good."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from django.db import transaction
from pydantic import TypeAdapter

from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.catalogue.pins import pinned_key
from highmoor.core.catalogue.reading.families import reader_version
from highmoor.core.catalogue.types import Catalogue, DeviceType
from highmoor.core.project.exchange_format import PlantFile
from highmoor.intake.reading import ReadFile
from highmoor.server.models import DescriptionFile, Project, StoredReading

_READING = TypeAdapter(DeviceType)


def _load(key: str) -> DeviceType | None:
    stored = StoredReading.objects.filter(type_key=key).first()
    return replace(_READING.validate_python(stored.data), key=key) if stored else None


# One catalogue for all plants: keys are made of content, so what a plant does not name it does not see.
LIBRARY = Catalogue(BUILTIN.types, _load)


def keep(project: Project, read: ReadFile) -> tuple[list[str], set[str]]:
    """Store a file that was read in a plant, with its readings. Nothing is overwritten.

    Answers with the readings' keys, and with those of them that were not known before.
    """
    description = read.description
    assert description is not None
    version = reader_version(description.family)
    keys: list[str] = []
    learned: set[str] = set()
    with transaction.atomic():
        file, _ = DescriptionFile.objects.get_or_create(
            sha256=read.sha256, defaults={"name": read.name[:200], "family": description.family}
        )
        file.octets = read.octets
        file.encoding = description.encoding
        file.problems = list(read.raw["problems"])
        file.unknown = list(read.raw["unknown"])
        file.save()
        file.projects.add(project)
        for device, raw in zip(description.devices, read.raw["devices"], strict=True):
            key = pinned_key(device.key, read.sha256, version)
            keys.append(key)
            if LIBRARY.find(key) is None:
                learned.add(key)
            _store(key, read.sha256, device, raw)
    return keys, learned


def _store(key: str, sha256: str, reading: DeviceType, raw: dict[str, Any]) -> None:
    StoredReading.objects.get_or_create(type_key=key, defaults={"sha256": sha256, "data": raw})
    learn(key, reading)


def learn(key: str, reading: DeviceType) -> None:
    """Let the catalogue know a reading under its pinned key."""
    LIBRARY.learn(key, replace(reading, key=key))


def keep_readings(file: PlantFile) -> None:
    """Store the readings that came with a plant; a reading that is here already stays as it is."""
    digests = {row.key: row.sha256 for row in file.plant.tables["types"].values()}
    for key, reading in file.readings.items():
        if LIBRARY.find(key) is None:
            _store(key, digests[key], reading, _READING.dump_python(reading, mode="json"))


def share_files(source: Project, target: Project) -> None:
    """A copy of a plant may look at the files of its original."""
    for file in DescriptionFile.objects.filter(projects=source):
        file.projects.add(target)
