"""The benchmarks of the first page: from asking for it to the rail standing there, and to its findings."""

from __future__ import annotations

import json
import statistics
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.catalogue.pins import pinned_key
from highmoor.core.demo.generated import generated_plant
from highmoor.core.demo.turner import on_the_fly
from highmoor.core.project.edits import Remove
from highmoor.core.project.exchange_format import export_text
from highmoor.server.benchmarks.table import line
from tests.browser.conftest import Page, browser
from tests.server.running import RunningServer, Visitor

_ROUNDS = 5


def main() -> None:
    """Printed like the other benchmarks; the browser's cache is warm from the second time on."""
    with tempfile.TemporaryDirectory() as data:
        server, driver = RunningServer(Path(data)), browser()
        try:
            page = Page(driver, server.url)
            took = [_rail(page, "skelder") for _ in range(_ROUNDS)]
            line("first page interactive, first time", f"{took[0]:.0f} ms", "", "", "< 1500")
            _told("  again", took[1:], "", "< 1500")
            large = Visitor(server.url).send_file(
                "plants/import", "large.json", export_text(generated_plant(), BUILTIN.find).encode()
            )
            opened = [_opened(server, driver, _key(large)) for _ in range(_ROUNDS)]
            _told("large plant: opened until its rows are on the screen", [rows for rows, _ in opened], "1816", "< 500")
            _told("  and until its findings are", [found for _, found in opened], "", "")
            network = _long_line(Visitor(server.url))
            frames = [_scrolled(page, network) for _ in range(_ROUNDS)]
            _told("982 EtherCAT devices scrolled: the longest frame", frames, "", "< 50")
        finally:
            driver.quit()
            server.stop()


def _key(answer: bytes) -> str:
    return str(json.loads(answer)["key"])


def _told(what: str, took: list[float], before: str, aim: str) -> None:
    line(what, f"{statistics.median(took):.0f} ms", f"{min(took):.0f}–{max(took):.0f}", before, aim)


def _rail(page: Page, plant: str) -> float:
    page.driver.get("about:blank")
    began = time.perf_counter()
    page.go(f"/p/{plant}/hardware")
    page.wait(lambda: page.all(".rail .module"))
    return 1000 * (time.perf_counter() - began)


def _opened(server: RunningServer, driver: Any, plant: str) -> tuple[float, float]:
    """A server that has just begun holds no plant; the page itself is there already, and another plant is on it."""
    server.stop()
    server.start()
    page = Page(driver, server.url)
    page.go("/plants")
    page.says("Generated plant")
    began = time.perf_counter()
    _click(page, f"a[href^='/p/{plant}']")
    rows = _until(page, began, lambda: page.all("nav[aria-label=Rails] button", "PLC2"))
    return rows, _until(page, began, lambda: page.all(".rail .module"))


_SCROLL = """
const [box, done] = [document.querySelector('.ruler'), arguments[0]];
let [longest, last, n] = [0, performance.now(), 0];
function frame(now) {
  if (n > 2) longest = Math.max(longest, now - last);
  last = now;
  box.scrollLeft += 250;
  if (++n < 90) requestAnimationFrame(frame); else done(longest);
}
requestAnimationFrame(frame);
"""


def _long_line(visitor: Visitor) -> str:
    """The network of a long line, in the demo plant instead of its own."""
    rows = visitor.call("GET", "plants/skelder")["rows"]
    keys = {pin["device"]: pinned_key(pin["device"], pin["sha256"], pin["reader"]) for pin in rows["types"]}
    own = next(network for network in rows["networks"] if network["kind"] == "ethercat")
    made = {}
    for base, edit in enumerate((Remove(ids=[own["id"]]), on_the_fly(keys, own["port"], 18, 100, 2)), start=1):
        body = {"base": base, "client": "b", "client_key": f"line{base}", "label": "A long line"}
        made = visitor.call("POST", "plants/skelder/edits", {**body, "edit": edit.model_dump(mode="json")})["tags"]
    return str(made["$n"])


def _scrolled(page: Page, network: str) -> float:
    """The longest time between two frames while the line is scrolled, ms; at rest it is 17."""
    page.go(f"/p/skelder/networks/{network}")
    page.wait(lambda: page.all(".ruler .sliver"))
    time.sleep(2)
    return float(page.driver.execute_async_script(_SCROLL))


def _click(page: Page, selector: str) -> None:
    page.wait(lambda: page.all(selector))[0].click()


def _until(page: Page, began: float, there: Callable[[], Any]) -> float:
    page.wait(there)
    return 1000 * (time.perf_counter() - began)


if __name__ == "__main__":
    main()
