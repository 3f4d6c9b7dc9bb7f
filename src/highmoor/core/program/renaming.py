"""Variables renamed in a text: each place that is one of them is written anew, all else stays as it was typed."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field

_TOKEN = re.compile(
    r"""(?P<comment>\(\*.*?(?:\*\)|\Z)|/\*.*?(?:\*/|\Z)|//[^\n]*)
      | (?P<literal>[A-Za-z]*\#[-0-9A-Za-z_.]+|\d[0-9A-Za-z_.\#]*?(?=\.\.|[^0-9A-Za-z_.\#]|\Z))
      | (?P<name>[A-Za-z_][A-Za-z0-9_]*)
      | (?P<mark>:=|=>|\.\.|\S)
      | (?P<space>\s+)""",
    re.VERBOSE | re.DOTALL,
)
_PART = re.compile(r"[A-Za-z_][A-Za-z0-9_]*|\[-?\d+\]")


# The parts of a name, None for an index that is computed.
_Path = tuple[str | None, ...]


@dataclass(frozen=True, slots=True)
class _Token:
    kind: str
    text: str
    begin: int
    end: int


def renamed(text: str, names: Mapping[str, str], types: Mapping[str, str] | None = None) -> str:
    """The text with variables called otherwise: `names` are all of a program's signals, old names to new ones; `types`
    are those of structures that are called otherwise.

    A place with a computed index is written anew where all of the array's elements are renamed alike. What cannot be
    written with the new names stays, and is then told as not known.
    """
    changed = {old.lower(): new for old, new in names.items() if old != new}
    kinds = {old.lower(): new for old, new in (types or {}).items()}
    if not changed and not kinds:
        return text
    return _Renaming({old.lower(): new for old, new in names.items()}, changed, kinds).text(text)


def named_in(text: str) -> set[str]:
    """All places that a text names, in small letters, however wrong it is; those with a computed index less that."""
    tokens = [token for token in _tokens(text) if token.kind not in ("space", "comment")]
    found, at = set(), 0
    while at < len(tokens):
        if tokens[at].kind != "name":
            at += 1
            continue
        parts, behind = _place(text, tokens, at)
        found.add(_spelled([_in_a_name(part.text) for part in parts]))
        # What is within its brackets comes after it.
        at = behind if all(part.kind == "name" for part in parts) else at + 1
    return found


@dataclass(slots=True)
class _Renaming:
    known: Mapping[str, str]
    changed: Mapping[str, str]
    types: Mapping[str, str]
    _arrays: dict[_Path, list[str | None]] = field(default_factory=dict)

    def text(self, text: str) -> str:
        tokens = [token for token in _tokens(text) if token.kind not in ("space", "comment")]
        made, done, at = [], 0, 0
        declares, depth = False, 0
        while at < len(tokens):
            token = tokens[at]
            word = token.text.upper()
            declares = word == "VAR" or (declares and word != "END_VAR")
            depth += (token.text == "(") - (token.text == ")")
            if token.kind != "name" or declares:
                of = declares and at and tokens[at - 1].text.upper() in (":", "OF")
                if of and token.text.lower() in self.types:
                    made += [text[done : token.begin], self.types[token.text.lower()]]
                    done = token.end
                at += 1
                continue
            parts, behind = _place(text, tokens, at)
            follows = tokens[behind].text if behind < len(tokens) else ""
            # What is given to a block or a function by its name is none of the variables, nor is what is called.
            if not (len(parts) == 1 and (follows == "(" or (depth > 0 and follows in (":=", "=>")))):
                made += [text[done : token.begin], self._renamed(text, parts)]
                done = parts[-1].end
            at = behind
        return "".join(made) + text[done:]

    def _renamed(self, text: str, parts: list[_Token]) -> str:
        """A place by its new name, with all that is within its brackets."""
        path = [_in_a_name(part.text) for part in parts]
        inner = [self.text(part.text) if part.text[0] == "[" else part.text for part in parts]
        new = self._array(tuple(path)) if None in path else _parts(self.changed.get(_spelled(path), ""))
        if new and [_is_index(part) for part in new] != [_is_index(part.text) for part in parts]:
            computed = next((told for told, part in zip(inner, path, strict=True) if part is None), "")
            return _spelled([computed if part is None else part for part in new])
        made, done = "", parts[0].begin
        for n, part in enumerate(parts):
            as_it_was = not new or new[n] is None or (part.text[0] == "[" and path[n] == new[n])
            made += text[done : part.begin] + (inner[n] if as_it_was else str(new[n]))
            done = part.end
        return made

    def _array(self, path: _Path) -> list[str | None]:
        """What the elements of an array are called now, in parts; nothing where they are not called alike."""
        if path not in self._arrays:
            ways = self._ways(path)
            self._arrays[path] = list(min(ways, key=str)) if ways else []
        return self._arrays[path]

    def _ways(self, path: _Path) -> set[_Path]:
        """The ways to write an index into the new names that hold for all elements."""
        if path.count(None) != 1:
            return set()
        free, ways = path.index(None), None
        for old, new in self.known.items():
            was, now = _parts(old), _parts(new)
            if len(was) != len(path) or any(p is not None and p != q for p, q in zip(path, was, strict=True)):
                continue
            same = {(*now[:n], None, *now[n + 1 :]) for n, part in enumerate(now) if part == was[free]}
            ways = same if ways is None else ways & same
        return ways or set()


def _tokens(text: str) -> Iterator[_Token]:
    for found in _TOKEN.finditer(text):
        yield _Token(found.lastgroup or "", found[0], found.start(), found.end())


def _place(text: str, tokens: list[_Token], at: int) -> tuple[list[_Token], int]:
    """The names and the brackets of the place that begins there, and the token behind it."""
    parts = [tokens[at]]
    at += 1
    while at < len(tokens):
        if tokens[at].text == "." and at + 1 < len(tokens) and tokens[at + 1].kind == "name":
            parts.append(tokens[at + 1])
            at += 2
        elif tokens[at].text == "[":
            behind = _closed(tokens, at)
            begin, end = tokens[at].begin, tokens[behind - 1].end
            parts.append(_Token("index", text[begin:end], begin, end))
            at = behind
        else:
            break
    return parts, at


def _closed(tokens: list[_Token], at: int) -> int:
    """The token behind the bracket that closes the one there."""
    depth = 0
    for n in range(at, len(tokens)):
        depth += (tokens[n].text == "[") - (tokens[n].text == "]")
        if depth == 0:
            return n + 1
    return len(tokens)


def _in_a_name(part: str) -> str | None:
    """A part of a place as it stands in a variable's name; None for an index that is computed."""
    if part[0] != "[":
        return part.lower()
    whole = re.fullmatch(r"\[\s*(-?\d{1,9})\s*\]", part)
    return f"[{int(whole[1])}]" if whole else None


def _parts(name: str) -> list[str | None]:
    return list(_PART.findall(name))


def _is_index(part: str | None) -> bool:
    return part is None or part.startswith("[")


def _spelled(path: Sequence[str | None]) -> str:
    return "".join(part if part.startswith("[") else f".{part}" for part in path if part).removeprefix(".")
