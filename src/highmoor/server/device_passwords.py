"""The passwords of scanners on the bench: asked each time, kept salted and hashed beside the plant, never in it."""

from __future__ import annotations

import hmac
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field

from django.contrib.auth.hashers import check_password, make_password

from highmoor.core.errors import Refusal
from highmoor.core.plant.rows import Scanner
from highmoor.core.safety.scanner.types import FACTORY_PASSWORDS, OWN
from highmoor.server.models import DevicePassword, Project

WRONG_AT_MOST, LOCKED_S = 5, 60.0
LETTERS_AT_LEAST, LETTERS_AT_MOST = 8, 128
_Device = tuple[int, str]


@dataclass(slots=True)
class Tries:
    """Wrong passwords by device: after five in turn it takes none for a minute. One is tried at a time."""

    now: Callable[[], float] = time.monotonic
    _wrong: dict[_Device, int] = field(default_factory=dict)
    _until: dict[_Device, float] = field(default_factory=dict)
    _lock: threading.Lock = field(default_factory=threading.Lock)

    def left_s(self, device: _Device) -> float:
        """How long it takes none yet, s; 0 where it does."""
        return max(0.0, self._until.get(device, 0.0) - self.now())

    def check(self, device: _Device, right: Callable[[], bool]) -> None:
        """Raises Refusal for a wrong one, and for any while it takes none: then it is not even looked at."""
        with self._lock:
            left = self.left_s(device)
            if left:
                raise Refusal(f"Too many wrong passwords: it takes none for another {left:.0f} s.", field="password")
            if right():
                self._wrong.pop(device, None)
                return
            wrong = self._wrong[device] = self._wrong.get(device, 0) + 1
            if wrong < WRONG_AT_MOST:
                more = WRONG_AT_MOST - wrong
                raise Refusal(f"The password is not right; {more} more and it takes none for a minute.",
                              field="password")  # fmt: skip
            del self._wrong[device]
            self._until[device] = self.now() + LOCKED_S
            raise Refusal(f"The password is not right. It takes none for {LOCKED_S:.0f} s now.", field="password")


TRIES = Tries()


def factory_password(scanner: Scanner) -> str:
    """With which it comes; everybody may know it."""
    return FACTORY_PASSWORDS.get(scanner.type, FACTORY_PASSWORDS[OWN])


def has_own(project: Project, scanner: str) -> bool:
    """Whether its factory password has gone."""
    return DevicePassword.objects.filter(project=project, row=scanner).exists()


def check(project: Project, scanner: Scanner, given: str) -> None:
    """Raises Refusal where it is not the device's password, or too many were wrong."""

    def right() -> bool:
        kept = DevicePassword.objects.filter(project=project, row=scanner.id).first()
        if kept is not None:
            return check_password(given, kept.hash)
        return hmac.compare_digest(given.encode("utf-8", "replace"), factory_password(scanner).encode())

    TRIES.check((project.pk, scanner.id), right)


def problem(scanner: Scanner, new: str) -> str:
    """Why this may be no device's password; "" where it may."""
    if not LETTERS_AT_LEAST <= len(new) <= LETTERS_AT_MOST:
        return f"A password has {LETTERS_AT_LEAST} to {LETTERS_AT_MOST} characters."
    if new.casefold() in (factory_password(scanner), scanner.name.casefold()):
        return "That one everybody knows: take another."
    return ""


def give(project: Project, scanner: Scanner, new: str) -> None:
    """It has this one from now on."""
    DevicePassword.objects.update_or_create(project=project, row=scanner.id, defaults={"hash": make_password(new)})


def forget(project: Project, scanner: Scanner) -> None:
    """It has its factory one again."""
    DevicePassword.objects.filter(project=project, row=scanner.id).delete()
