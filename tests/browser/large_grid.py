"""The benchmarks of the grid of signals with 10 000 of them: filtered, sorted, put together, scrolled."""

from __future__ import annotations

import json
import statistics
import tempfile
import time
from pathlib import Path

from highmoor.core.catalogue.builtin import BUILTIN
from highmoor.core.demo.generated import generated_plant
from highmoor.core.project.exchange_format import export_text
from highmoor.server.benchmarks.table import line
from tests.browser.conftest import Page, browser
from tests.server.running import RunningServer, Visitor

_ROUNDS = 7
_SETTLED_S = 8
# From the act to the frame that shows it: that is over when the one after it begins.
_ACT = """
const [act, done] = [arguments[0], arguments[1]];
const began = performance.now();
new Function(act)();
requestAnimationFrame(() => setTimeout(() => done(performance.now() - began)));
"""
_TYPE = """
const field = document.querySelector('.tools input');
field.value = '%s';
field.dispatchEvent(new Event('input', {bubbles: true}));
"""
_SORT = "document.querySelector('[role=columnheader].sorts').click()"
_GROUP = """
const choice = document.querySelector("[aria-label='Put together']");
choice.value = '%s';
choice.dispatchEvent(new Event('change', {bubbles: true}));
"""
# A frame is blank if no row stands in the middle of the grid.
_SCROLL = """
const [box, done] = [document.querySelector('.grid'), arguments[0]];
const at = box.getBoundingClientRect();
let [longest, blank, last, n] = [0, 0, performance.now(), 0];
function frame(now) {
  if (n > 2) longest = Math.max(longest, now - last);
  last = now;
  const there = document.elementFromPoint(at.left + 60, at.top + at.height * (n % 3 + 0.2) / 3);
  if (!there?.closest('.line, .head')) blank++;
  box.scrollTop += 700;
  if (++n < 120) requestAnimationFrame(frame); else done([longest, blank]);
}
requestAnimationFrame(frame);
"""


def main() -> None:
    """Printed like the other benchmarks."""
    with tempfile.TemporaryDirectory() as data:
        server, driver = RunningServer(Path(data)), browser()
        try:
            octets = export_text(generated_plant(1, 2000, 10_000), BUILTIN.find).encode()
            key = json.loads(Visitor(server.url).send_file("plants/import", "large.json", octets))["key"]
            page = Page(driver, server.url)
            page.go(f"/p/{key}/signals")
            page.says("10000")
            # What the plant's findings cost at the beginning is no part of a key's time.
            time.sleep(_SETTLED_S)
            words = ["a", "a1", "a12", "9", "type:real", "-7", ""]
            _told("10 000 signals: filtered", [_took(page, _TYPE % word) for word in words], "< 50")
            _told("  sorted by name", [_took(page, _SORT) for _ in range(_ROUNDS)], "< 100")
            groups = ["station", "area", "controller", "variable", "station", ""]
            _told("  put together", [_took(page, _GROUP % by) for by in groups], "")
            scrolled = [page.driver.execute_async_script(_SCROLL) for _ in range(3)]
            _told("  scrolled: the longest frame", [longest for longest, _ in scrolled], "")
            blank = sum(blank for _, blank in scrolled)
            line("  blank places seen in 360 frames of it", str(blank), "", "", "0")
        finally:
            driver.quit()
            server.stop()


def _took(page: Page, act: str) -> float:
    return float(page.driver.execute_async_script(_ACT, act))


def _told(what: str, took: list[float], aim: str) -> None:
    line(what, f"{statistics.median(took):.0f} ms", f"{min(took):.0f}–{max(took):.0f}", "", aim)


if __name__ == "__main__":
    main()
