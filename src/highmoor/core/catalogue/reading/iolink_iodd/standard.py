"""What every IODD may refer to without saying it: units by their codes, standard variables, events and errors.

Source: IODD specification 1.1, annexes (standard definitions); IEC 61131-9, B.2 (indices), C (errors), D (events).
"""

from __future__ import annotations

from highmoor.core.catalogue.io_link import Access

UNITS: dict[int, str] = {
    1000: "K", 1001: "°C", 1002: "°F", 1004: "rad", 1005: "°",
    1010: "m", 1011: "km", 1012: "cm", 1013: "mm", 1014: "µm", 1018: "ft", 1019: "in",
    1023: "m²", 1034: "m³", 1035: "dm³", 1036: "cm³", 1038: "l",
    1054: "s", 1056: "ms", 1057: "µs", 1058: "min", 1059: "h", 1060: "d",
    1061: "m/s", 1062: "mm/s", 1077: "Hz", 1081: "kHz", 1085: "1/min",
    1088: "kg", 1089: "g", 1092: "t", 1120: "N", 1126: "N m",
    1130: "Pa", 1132: "MPa", 1133: "kPa", 1136: "hPa", 1137: "bar", 1138: "mbar", 1141: "psi",
    1186: "W", 1190: "kW", 1209: "A", 1211: "mA", 1240: "V", 1243: "mV", 1281: "Ω",
    1342: "%", 1349: "m³/h", 1351: "l/s", 1352: "l/min", 1353: "l/h", 1423: "ppm",
}  # fmt: skip
"""Unit codes that are common at sensors and actuators; another one is shown as its number."""

# By the name a file refers by: index, label, access, octets at most (strings), whether data storage has it.
STANDARD_VARIABLES: dict[str, tuple[int, str, Access, int, bool]] = {
    "V_DirectParameters_1": (0x00, "Direct parameters 1", "ro", 16, False),
    "V_DirectParameters_2": (0x01, "Direct parameters 2", "rw", 16, True),
    "V_SystemCommand": (0x02, "System command", "wo", 1, False),
    "V_DeviceAccessLocks": (0x0C, "Device access locks", "rw", 2, True),
    "V_ProfileCharacteristic": (0x0D, "Profiles", "ro", 0, False),
    "V_VendorName": (0x10, "Vendor name", "ro", 64, False),
    "V_VendorText": (0x11, "Vendor text", "ro", 64, False),
    "V_ProductName": (0x12, "Product name", "ro", 64, False),
    "V_ProductID": (0x13, "Product ID", "ro", 64, False),
    "V_ProductText": (0x14, "Product text", "ro", 64, False),
    "V_SerialNumber": (0x15, "Serial number", "ro", 16, False),
    "V_HardwareRevision": (0x16, "Hardware revision", "ro", 64, False),
    "V_FirmwareRevision": (0x17, "Firmware revision", "ro", 64, False),
    "V_ApplicationSpecificTag": (0x18, "Application-specific tag", "rw", 32, True),
    "V_FunctionTag": (0x19, "Function tag", "rw", 32, True),
    "V_LocationTag": (0x1A, "Location tag", "rw", 32, True),
    "V_ErrorCount": (0x20, "Error count", "ro", 2, False),
    "V_DeviceStatus": (0x24, "Device status", "ro", 1, False),
    "V_DetailedDeviceStatus": (0x25, "Detailed device status", "ro", 0, False),
    "V_ProcessDataInput": (0x28, "Process data in", "ro", 0, False),
    "V_ProcessDataOutput": (0x29, "Process data out", "ro", 0, False),
}
NUMBERS = frozenset({0x02, 0x0C, 0x20, 0x24})
"""Standard variables that are numbers; the other ones are texts or octets."""
DEVICE_STATUS = (
    (0, "Device is OK"), (1, "Maintenance required"), (2, "Out of specification"), (3, "Functional check"),
    (4, "Failure"),
)  # fmt: skip
EVENTS: dict[int, tuple[str, str]] = {
    0x1000: ("error", "General malfunction"),
    0x4000: ("error", "Temperature fault"),
    0x4210: ("warning", "Device temperature over-run"),
    0x4220: ("warning", "Device temperature under-run"),
    0x5000: ("error", "Device hardware fault"),
    0x5010: ("error", "Component malfunction"),
    0x5011: ("error", "Non-volatile memory loss"),
    0x5012: ("warning", "Batteries low"),
    0x5100: ("error", "General power supply fault"),
    0x5101: ("error", "Fuse blown or open"),
    0x5110: ("warning", "Primary supply voltage over-run"),
    0x5111: ("warning", "Primary supply voltage under-run"),
    0x6000: ("error", "Device software fault"),
    0x6320: ("error", "Parameter error"),
    0x6321: ("error", "Parameter missing"),
    0x7700: ("error", "Wire break of a subordinate device"),
    0x7710: ("error", "Short circuit"),
    0x7711: ("error", "Ground fault"),
    0x8C00: ("error", "Technology specific application fault"),
    0x8C01: ("warning", "Simulation active"),
    0x8C10: ("warning", "Process variable range over-run"),
    0x8C20: ("error", "Measurement range over-run"),
    0x8C30: ("warning", "Process variable range under-run"),
    0x8C40: ("warning", "Maintenance required: cleaning"),
    0x8C41: ("warning", "Maintenance required: refill"),
    0x8C42: ("warning", "Maintenance required: exchange wear and tear parts"),
}
ERRORS: dict[int, str] = {
    0x8000: "Application error: no details",
    0x8011: "Index not available",
    0x8012: "Subindex not available",
    0x8020: "Service temporarily not available",
    0x8021: "Service not available: local control",
    0x8022: "Service not available: device control",
    0x8023: "Access denied",
    0x8030: "Value out of range",
    0x8031: "Value above limit",
    0x8032: "Value below limit",
    0x8033: "Length over-run",
    0x8034: "Length under-run",
    0x8035: "Function not available",
    0x8036: "Function temporarily unavailable",
    0x8040: "Parameter set invalid",
    0x8041: "Parameter set inconsistent",
    0x8082: "Application not ready",
}
