"""Hands on the keyboard: the rail, the grid, the finder, the history of undo."""

from __future__ import annotations

from selenium.webdriver.common.keys import Keys
from selenium.webdriver.remote.webelement import WebElement

from tests.browser.conftest import Page
from tests.browser.test_first_plant import rail_order


def count(page: Page) -> int:
    return int(page.find(".tools .mono").text)


def test_a_rail_is_rearranged_without_a_mouse(page: Page) -> None:
    page.go("/p/skelder/hardware")
    page.wait(lambda: len(rail_order(page)) == 16)
    page.click(".rail")
    rail = page.find(".rail")
    rail.send_keys(Keys.HOME)
    page.wait(lambda: page.find(".module.chosen").get_attribute("data-label") == "Slot 1: DI-16, -K1")
    rail.send_keys(Keys.ARROW_RIGHT, Keys.ARROW_RIGHT)
    page.wait(lambda: "DO-16, -K3" in (page.find(".module.chosen").get_attribute("data-label") or ""))
    rail.send_keys(Keys.ALT, Keys.ARROW_LEFT)
    page.wait(lambda: rail_order(page)[:3] == ["DI-16", "DO-16", "DI-16"])
    page.find(".rail").send_keys("d")
    page.wait(lambda: rail_order(page)[:4] == ["DI-16", "DO-16", "DO-16", "DI-16"])
    page.find(".rail").send_keys(Keys.DELETE)
    page.wait(lambda: rail_order(page)[:3] == ["DI-16", "DO-16", "DI-16"])
    page.find(".rail").send_keys("r")
    page.says("Replace by")
    page.keys("tf-ai8")
    page.says("If: Replace")
    page.keys(Keys.ENTER)
    page.wait(lambda: "AI-8" in rail_order(page)[:3])
    # Every step is one undo.
    for _ in range(4):
        page.find(".rail").send_keys(Keys.CONTROL, "z")
    page.wait(lambda: rail_order(page)[:4] == ["DI-16", "DI-16", "DO-16", "AI-8"])
    page.says("Redo")


def test_signals_are_filtered_chosen_and_removed(page: Page) -> None:
    page.go("/p/skelder/signals")
    everything = page.wait(lambda: count(page))
    for words, expected in (
        ("humid", 20),
        ("humid -good", 19),
        ("tank1 | tank2", 16),
        ("in:kiln type:real", 33),
        ('"tank1full"', 1),
        ("kind:unlinked", 18),
        ("nothing at all", 0),
    ):
        page.enter(".tools input", words)
        page.wait(lambda e=expected: count(page) == e, f"{words}: {count(page)} instead of {expected}")
    page.enter(".tools input", "turnerlimit")
    page.click(".line", "TurnerLimit1")
    page.find(".grid").send_keys(Keys.ENTER)
    page.find(".line input")
    page.keys(Keys.TAB)
    page.find(".line select")
    page.keys(Keys.TAB)
    page.find(".linker select")
    page.keys(Keys.ESCAPE)
    page.wait(lambda: not page.all(".linker"))
    # Back to the names, where Delete takes signals away.
    page.find(".grid").send_keys(Keys.ARROW_LEFT, Keys.ARROW_LEFT)
    page.find(".grid").send_keys(Keys.SHIFT, Keys.ARROW_DOWN, Keys.ARROW_DOWN, Keys.ARROW_DOWN)
    page.says("4 selected")
    page.find(".grid").send_keys(Keys.DELETE)
    page.wait(lambda: count(page) == 0)
    page.enter(".tools input", " ")
    page.wait(lambda: count(page) == everything - 4)


def test_the_finder_goes_to_any_object_and_back_works(page: Page) -> None:
    page.go("/p/skelder/hardware")
    page.wait(lambda: len(rail_order(page)) == 16)
    page.find("body").send_keys("/")
    page.keys("kiln draught")
    page.find("#found", "KilnDraught")
    page.keys(Keys.ENTER)
    page.wait(lambda: "/signals/" in page.driver.current_url)
    page.says("KilnDraught", "Raw at high end")
    page.driver.back()
    page.wait(lambda: "/hardware" in page.driver.current_url)
    page.find("body").send_keys(Keys.CONTROL, "k")
    page.keys("10.20.9.21", Keys.ENTER)
    page.wait(lambda: "/networks/" in page.driver.current_url)
    page.says("Compressor", "Reply delay")


# What is pressed by Enter, and then typed, view by view; after each the focus stands on something.
PRESSED: dict[str, list[tuple[str, str, tuple[str, ...]]]] = {
    "networks": [
        ("button", "Add a network", (Keys.ESCAPE,)),
        ("button", "Add a station", ("Probe", Keys.ENTER)),
        ("form input", "", (Keys.ESCAPE,)),
        ("button", "Add an exchange", ("Data", Keys.ENTER)),
        ("td button", "name it", ("Newly", Keys.ENTER)),
        ("button", "Between controllers", ()),
        ("button", "Add a transfer", (Keys.ESCAPE,)),
    ],
    "signals": [
        ("button", "Add signals", ("Lonely", Keys.ENTER)),
        ("aside button", "Link it", (Keys.ESCAPE,)),
        ("aside button", "Fold", ("\\",)),
    ],
    "hardware": [
        ("button", "Replicate", (Keys.ESCAPE,)),
        ("button", "Add a controller", (Keys.ESCAPE,)),
        ("button", "Catalogue", ()),
    ],
    "live": [("button", "Download and run", ()), ("button", "Write", (Keys.ESCAPE,)), ("button", "Stop", ())],
}


def test_no_action_drops_the_focus_to_the_page(page: Page) -> None:
    for stage, steps in PRESSED.items():
        page.go(f"/p/skelder/{stage}")
        if stage == "hardware":
            page.find(".rail").send_keys(Keys.HOME)
        for selector, text, keys in steps:
            pressed = page.wait(
                lambda s=selector, t=text, k=keys: _pressed(page, s, t, (Keys.ENTER,) if t else k), f"{stage}, {text}"
            )
            if text:
                page.wait(lambda: _focus(page) != "BODY", f"{stage}, {text}: the focus is nowhere")
                if keys:
                    # What is opened to be typed into has the focus of itself.
                    page.wait(lambda e=pressed: page.driver.switch_to.active_element != e)
                    page.keys(*keys)
                if keys[-1:] == (Keys.ENTER,):
                    # What is typed next belongs to what the answer opens, not to the form that asked.
                    page.says("Undo ")
                    page.wait(lambda k=keys[0]: k in page.find("button", "Undo ").text)
            page.wait(lambda: _focus(page) != "BODY", f"{stage}, {text} {keys!r}: the focus is nowhere")


def _pressed(page: Page, selector: str, text: str, keys: tuple[str, ...]) -> WebElement:
    """Focused and pressed in one go: a page that is still being drawn may put another in its place in between."""
    found = page.find(selector, text)
    page.driver.execute_script("arguments[0].focus()", found)
    found.send_keys(*keys)
    return found


def _focus(page: Page) -> str:
    return str(page.driver.execute_script("return document.activeElement.tagName"))
