"""Loaded before Django reads its settings, so that nothing of a test touches an installation's data."""

from __future__ import annotations

import os
import tempfile

# Kept for as long as the test run lives; every run has a folder of its own, so that two do not meet.
FOLDER = tempfile.TemporaryDirectory(prefix="highmoor-test-")
os.environ["HIGHMOOR_DATA"] = FOLDER.name
os.environ["HIGHMOOR_SECRET_KEY"] = "only-for-tests-and-long-enough-to-be-taken"
os.environ["DJANGO_SETTINGS_MODULE"] = "highmoor.server.settings"
