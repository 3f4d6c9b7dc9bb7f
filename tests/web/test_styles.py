"""Every size of type, every distance and every colour of the front end is one of those in `app.css`."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

from tests.paths import ROOT

SOURCE = ROOT / "web" / "src"
FILES = sorted([*SOURCE.rglob("*.svelte"), *SOURCE.rglob("*.css"), *SOURCE.rglob("*.ts")])
LINES_AT_MOST = 400
# Of a distance in numbers only hairlines and what aligns with a drawing's own columns are left.
DISTANCE = re.compile(r"\b(?:gap|padding|margin)(?:-\w+)*: ([^;]*);")
ALIGNED = {"74px", "96px", "-48px"}


def styles(path: Path) -> str:
    """What of a file is style: all of a sheet, the last part of a component, without the tokens themselves."""
    text = path.read_text(encoding="utf-8")
    if path.suffix == ".svelte":
        text = "".join(re.findall(r"<style>(.*?)</style>", text, re.DOTALL))
    return re.sub(r"\n:root[^{]*\{[^}]*\}", "", "\n" + text)


def strays(style: str) -> list[str]:
    """Declarations that bring a size, a distance or a colour of their own."""
    found = re.findall(r"font(?:-size)?: [^;]*\d(?:px|em|rem|pt)[^;]*;", style)
    found += re.findall(r"[^;{]*(?:#[0-9a-fA-F]{3,8}\b|rgba?\(|hsla?\()[^;]*;", style)
    for declaration in DISTANCE.finditer(style):
        told = re.sub(r"calc\([^;]*\)", "", declaration[1])
        if set(re.findall(r"-?[\d.]+px", told)) - {"1px", "-1px", *ALIGNED}:
            found.append(declaration[0])
    return found


@pytest.mark.parametrize("path", [p for p in FILES if p.suffix != ".ts"], ids=lambda p: p.name)
def test_sizes_distances_and_colours_are_the_common_ones(path: Path) -> None:
    assert strays(styles(path)) == []


@pytest.mark.parametrize(
    "style", ["a { font-size: 12px; }", "a { font: 11px var(--mono); }", "a { margin: 0 7px; }", "a { color: #123; }"]
)
def test_what_is_not_common_is_found(style: str) -> None:
    assert strays(style)


def test_tokens_that_are_named_are_there_and_those_there_are_used() -> None:
    told = set(re.findall(r"^\s+(--[\w-]+):", (SOURCE / "app.css").read_text(encoding="utf-8"), re.MULTILINE))
    text = "\n".join(path.read_text(encoding="utf-8") for path in FILES)
    named = set(re.findall(r"var\((--[\w-]+)", text))
    set_there = set(re.findall(r"(?:style:|\n\s+)(--[\w-]+)[:=]", text)) | set(re.findall(r"setProperty\(\s*'(--[\w-]+)", text))
    assert named - told - set_there == set()
    assert told - named == set()


def test_no_file_has_grown_beyond_what_one_reads() -> None:
    long = {
        path.name: count
        for path in FILES
        if path.name != "generated.d.ts" and (count := path.read_text(encoding="utf-8").count("\n")) > LINES_AT_MOST
    }
    assert long == {}
