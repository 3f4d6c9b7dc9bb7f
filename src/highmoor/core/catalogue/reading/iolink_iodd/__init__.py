"""IO-Link device descriptions (IODD 1.0.1 and 1.1)."""

from highmoor.core.catalogue.reading.iolink_iodd.languages import LANGUAGE_FAMILY, is_language_file, with_languages
from highmoor.core.catalogue.reading.iolink_iodd.reader import (
    FAMILY,
    READER_VERSION,
    looks_like,
    read,
)

__all__ = [
    "FAMILY",
    "LANGUAGE_FAMILY",
    "READER_VERSION",
    "is_language_file",
    "looks_like",
    "read",
    "with_languages",
]
