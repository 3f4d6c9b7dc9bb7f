"""CIP EDS: electronic data sheets of EtherNet/IP devices."""

from highmoor.core.catalogue.reading.cip_eds.reader import FAMILY, READER_VERSION, looks_like, read

__all__ = ["FAMILY", "READER_VERSION", "looks_like", "read"]
