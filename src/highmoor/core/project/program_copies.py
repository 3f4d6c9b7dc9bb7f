"""Lines of programs copied with the signals they name: what a program does with one axis, done with the next."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace

from highmoor.core.plant.rows import Program
from highmoor.core.program.renaming import named_in, renamed
from highmoor.core.project.draft import Draft, free_name

_DECLARED = re.compile(r"((?:[A-Za-z_]\w*\s*,\s*)*[A-Za-z_]\w*)\s*:\s*([^;]+);")
_BLOCK = re.compile(r"\bVAR\b(.*?)\bEND_VAR\b", re.IGNORECASE | re.DOTALL)
_COMMENT = re.compile(r"\(\*.*?\*\)|/\*.*?\*/|//[^\n]*", re.DOTALL)
_OPENS = re.compile(r"\b(?:IF|CASE|FOR)\b", re.IGNORECASE)
_CLOSES = re.compile(r"\bEND_(?:IF|CASE|FOR)\b", re.IGNORECASE)


@dataclass(frozen=True, slots=True)
class _Paragraph:
    """Whole statements up to an empty line, and where they end."""

    end: int
    text: str


def copy_lines(draft: Draft, controller: str, names: Mapping[str, str]) -> None:
    """In each program of a controller, behind the last paragraph that names any of these signals, the same paragraphs
    with the new names; variables of the program's own that only they use are made once more."""
    for program in draft.plant.children(Program, controller):
        text = with_copies(program.text, names)
        if text != program.text:
            draft.put(replace(program, text=text))


def with_copies(text: str, names: Mapping[str, str]) -> str:
    """A text with the paragraphs that name any of `names` (old to new) once more, by the new ones."""
    declared = _BLOCK.search(text)
    body = declared.end() if declared else 0
    olds = {old.lower() for old in names}
    every = list(_paragraphs(text, body))
    copied = [one for one in every if named_in(one.text) & olds]
    if not copied:
        return text
    own = dict(_own(declared[1])) if declared else {}
    elsewhere = {name for one in every if one not in copied for name in _words(one.text)}
    again: dict[str, str] = {}
    used = {name.lower() for name in own} | set(_words(text)) | {new.lower() for new in names.values()}
    for name in own:
        if name.lower() not in elsewhere and any(name.lower() in _words(one.text) for one in copied):
            again[name] = free_name(name, used)
            used.add(again[name].lower())
    made = "\n\n".join(_as(one.text, names, again) for one in copied)
    behind = copied[-1].end
    text = f"{text[:behind]}\n\n{made}{text[behind:]}"
    if declared and again:
        lines = "".join(f"  {new} : {own[old]};\n" for old, new in again.items())
        text = text[: declared.end(1)] + lines + text[declared.end(1) :]
    return text


def _as(text: str, names: Mapping[str, str], again: Mapping[str, str]) -> str:
    text = renamed(text, names)
    for old, new in again.items():
        text = re.sub(rf"\b{re.escape(old)}\b", new, text, flags=re.IGNORECASE)
    return text


def _paragraphs(text: str, begin: int) -> Iterable[_Paragraph]:
    """The paragraphs from there on; one whose statements do not end goes on into the next."""
    at = begin
    for found in re.finditer(r"\n[ \t]*\n\s*|\Z", text[begin:]):
        end = begin + found.start()
        part = text[at:end]
        bare = _COMMENT.sub(" ", part)
        if len(_OPENS.findall(bare)) > len(_CLOSES.findall(bare)) and found.end() > found.start():
            continue
        if part.strip():
            yield _Paragraph(at + len(part.rstrip()), part.strip())
        at = begin + found.end()


def _words(text: str) -> set[str]:
    return {word.lower() for word in re.findall(r"[A-Za-z_]\w*", _COMMENT.sub(" ", text))}


def _own(block: str) -> Iterable[tuple[str, str]]:
    """Each variable of the program's own, with its type as it is written."""
    for found in _DECLARED.finditer(_COMMENT.sub(" ", block)):
        for name in found[1].split(","):
            yield name.strip(), " ".join(found[2].split())
