"""The benchmark of the first page: from asking for it to the rail standing there, on the demo plant."""

from __future__ import annotations

import statistics
import tempfile
import time
from pathlib import Path

from tests.browser.conftest import Page, browser
from tests.server.running import RunningServer

_ROUNDS = 5


def main() -> None:
    """Printed like the other benchmarks; the browser's cache is warm from the second time on."""
    with tempfile.TemporaryDirectory() as data:
        server, driver = RunningServer(Path(data)), browser()
        page = Page(driver, server.url)
        try:
            took = [_once(page) for _ in range(_ROUNDS)]
        finally:
            driver.quit()
            server.stop()
    for what, value in (
        ("first page interactive, first time", took[0]),
        ("  again, median", statistics.median(took[1:])),
    ):
        print(f"{what:<58}{1000 * value:>10.1f} ms   aimed at < 1500")


def _once(page: Page) -> float:
    page.driver.get("about:blank")
    began = time.perf_counter()
    page.go("/p/skelder/hardware")
    page.wait(lambda: page.all(".rail .module"))
    return time.perf_counter() - began


if __name__ == "__main__":
    main()
