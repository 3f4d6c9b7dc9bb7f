"""Description files of EtherCAT devices (ESI). Source: ETG.2000."""

from highmoor.core.catalogue.reading.ethercat_esi.reader import FAMILY, READER_VERSION, looks_like, read

__all__ = ["FAMILY", "READER_VERSION", "looks_like", "read"]
