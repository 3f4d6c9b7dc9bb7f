"""The reader of GSDML files (PROFINET)."""

from highmoor.core.catalogue.reading.profinet_gsdml.reader import FAMILY, READER_VERSION, looks_like, read

__all__ = ["FAMILY", "READER_VERSION", "looks_like", "read"]
