"""The demo plant with the files of its devices read, as a newcomer gets it."""

from __future__ import annotations

import hashlib
from dataclasses import replace

from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.catalogue.pins import pinned_key
from highmoor.core.catalogue.reading.families import read_octets, reader_version
from highmoor.core.catalogue.types import Catalogue
from highmoor.core.demo.plant import demo_plant
from highmoor.core.project import edits
from tests import paths

LIBRARY = Catalogue(BUILTIN.types)
_PINS: list[edits.TypePin] = []
_KEYS: dict[str, str] = {}
for _path in sorted(path for path in paths.DEMO.iterdir() if path.is_file()):
    _octets = _path.read_bytes()
    _read = read_octets(_octets, _path.name)
    _sha256, _version = hashlib.sha256(_octets).hexdigest(), reader_version(_read.family)
    for _device in _read.devices:
        _key = pinned_key(_device.key, _sha256, _version)
        LIBRARY.learn(_key, replace(_device, key=_key))
        _KEYS[_path.name] = _KEYS[_device.key] = _key
        _PINS.append(edits.TypePin(device=_device.key, sha256=_sha256, reader=_version, file=_path.name))

DEMO = demo_plant(LIBRARY, _KEYS, _PINS)
