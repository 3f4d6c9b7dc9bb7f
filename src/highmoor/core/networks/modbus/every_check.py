"""The checks of whatever carries Modbus."""

from __future__ import annotations

from highmoor.core.analysis.findings import Check
from highmoor.core.networks.modbus import checks, health, rail, watchdog

CHECKS: tuple[Check, ...] = (*checks.CHECKS, *rail.CHECKS, *health.CHECKS, *watchdog.CHECKS)
