"""PROFIBUS GSD: keyword files of DP slaves, revisions 1 to 5."""

from highmoor.core.catalogue.reading.profibus_gsd.reader import FAMILY, READER_VERSION, looks_like, read

__all__ = ["FAMILY", "READER_VERSION", "looks_like", "read"]
