"""The library: makers' files as they came, and what readers made of them, pinned for good."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from django.contrib.auth.models import User
from django.db import transaction
from pydantic import TypeAdapter

from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.catalogue.pins import pinned_key
from highmoor.core.catalogue.reading.families import reader_version
from highmoor.core.catalogue.types import Catalogue, DeviceType
from highmoor.core.plant.change import Change
from highmoor.core.project.differences import Reachable
from highmoor.core.project.edits import TypePin
from highmoor.core.project.exchange_format import PlantFile
from highmoor.intake.reading import ReadFile
from highmoor.server.models import DescriptionFile, PinnedType, Project, StoredReading

_READING = TypeAdapter(DeviceType)


def _reading(stored: StoredReading | None) -> DeviceType | None:
    return replace(_READING.validate_python(stored.data), key=stored.type_key) if stored else None


def _load(key: str) -> DeviceType | None:
    return _reading(StoredReading.objects.filter(type_key=key, project=None).first())


# One catalogue for all plants, of what was read here from the files themselves: keys are made of content, so what a
# plant does not name it does not see.
LIBRARY = Catalogue(BUILTIN.types, _load)


def plant_catalogue(project: Project) -> Catalogue:
    """The types as a plant sees them: what was read here, and where that is nothing, what came with the plant."""
    own = {stored.type_key: _reading(stored) for stored in StoredReading.objects.filter(project=project)}
    return Catalogue(BUILTIN.types, own.get, LIBRARY)


def keep(project: Project, read: ReadFile) -> tuple[list[str], set[str]]:
    """Store a file that was read in a plant, with its readings. What was read here once is never overwritten, what only
    came with some plant gives way everywhere.

    Answers with the readings' keys, and with those of them that were not known from a file before.
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
    StoredReading.objects.get_or_create(type_key=key, project=None, defaults={"sha256": sha256, "data": raw})
    StoredReading.objects.filter(type_key=key).exclude(project=None).delete()
    learn(key, reading)


def learn(key: str, reading: DeviceType) -> None:
    """Let the catalogue know a reading under its pinned key."""
    LIBRARY.learn(key, replace(reading, key=key))


def keep_readings(project: Project, file: PlantFile) -> None:
    """Store the readings that came with a plant as that plant's own; what was read here already is not needed."""
    digests = {row.key: row.sha256 for row in file.plant.tables["types"].values()}
    StoredReading.objects.bulk_create(
        StoredReading(
            type_key=key, project=project, sha256=digests[key], data=_READING.dump_python(reading, mode="json")
        )
        for key, reading in file.readings.items()
        if LIBRARY.find(key) is None
    )


def plants_that_pin(keys: set[str]) -> list[Project]:
    """The plants that have a type of these."""
    return list(Project.objects.filter(pk__in=PinnedType.objects.filter(type_key__in=keys).values("project_id")))


def share_files(source: Project, target: Project) -> None:
    """A copy of a plant may look at the files of its original, and knows what came with it."""
    for file in DescriptionFile.objects.filter(projects=source):
        file.projects.add(target)
    StoredReading.objects.bulk_create(
        StoredReading(type_key=own.type_key, project=target, sha256=own.sha256, data=own.data)
        for own in StoredReading.objects.filter(project=source)
    )


def within_reach(project: Project, user: User) -> list[Reachable]:
    """Types that the user has in other plants and that were read here from their files."""
    own = PinnedType.objects.filter(project=project).values("type_key")
    pins = PinnedType.objects.filter(project__memberships__user=user).exclude(type_key__in=own).order_by("type_key")
    found = {pin.type_key: (LIBRARY.find(pin.type_key), pin) for pin in pins}
    return [
        Reachable(device, TypePin(device=pin.device, sha256=pin.sha256, reader=pin.reader, file=pin.file))
        for device, pin in found.values()
        if device
    ]


def share_pinned(project: Project, user: User, change: Change) -> None:
    """What a user takes over from another of his plants brings its file along, so that all members can look at it."""
    digests = [after.sha256 for (table, _), (_, after) in change.items() if table == "types" and after is not None]
    if digests:
        for file in DescriptionFile.objects.filter(sha256__in=digests, projects__memberships__user=user).distinct():
            file.projects.add(project)
