"""A program's text while it is being written: what is wrong with it, and what would mend that. Nothing is kept."""

from __future__ import annotations

from django.http import HttpRequest
from ninja import Router
from pydantic import Field

from highmoor.core.plant.rows import Program
from highmoor.core.program.vocabulary import WORDS, Word
from highmoor.core.project.program_remedies import fix_in_words, fix_of
from highmoor.core.signals.programs import FixTold, UseTold, read_text, told_of
from highmoor.server.api.access import opened
from highmoor.server.api.shapes import Problem, Shape

router = Router(tags=["programs"])
# To look for the name that was meant costs more than to see that a name is not known.
_MENDED_AT_MOST = 5


class TextIn(Shape):
    text: str = Field("", max_length=1_100_000)


class MendOut(Shape):
    """What mends a fault, as its button says it."""

    label: str
    fix: FixTold


class TextFaultOut(Shape):
    """What is wrong, from which line and column on."""

    line: int
    column: int
    text: str
    mend: MendOut | None


class CheckedTextOut(Shape):
    """What a text comes to: its faults, and which variables its sound lines name."""

    faults: list[TextFaultOut]
    uses: list[UseTold]


class KnownNameOut(Shape):
    """A name that the text can use."""

    name: str
    type: str
    writable: bool


class KnownNamesOut(Shape):
    """What a text can be made of: the signals, and the words of the language."""

    names: list[KnownNameOut]
    words: list[Word]


@router.post(
    "/plants/{key}/programs/{program_id}/check",
    response={200: CheckedTextOut, 422: Problem},
    operation_id="check_program",
)
def check_program(request: HttpRequest, key: str, program_id: str, given: TextIn) -> CheckedTextOut:
    """A text in the place of a program's own."""
    held = opened(request, key)
    # To read it takes most of the time, and needs nothing of the plant.
    text = read_text(given.text)
    with held.lock:
        controller = held.plant.get(program_id, Program).controller
        known = held.analysis.result("controller.scope", controller)
    told = told_of(text, known, program_id)
    faults = []
    for n, fault in enumerate(told.faults):
        fix = fix_of(fault, (one.name for one in known.signals)) if n < _MENDED_AT_MOST else None
        mend = MendOut(label=fix_in_words(given.text, fix), fix=fix) if fix else None
        faults.append(TextFaultOut(line=fault.line, column=fault.column, text=fault.text, mend=mend))
    return CheckedTextOut(faults=faults, uses=list(told.uses))


@router.get(
    "/plants/{key}/programs/{program_id}/names", response={200: KnownNamesOut, 422: Problem}, operation_id="known_names"
)
def known_names(request: HttpRequest, key: str, program_id: str) -> KnownNamesOut:
    """All signals that a program can name, and the words of the language."""
    held = opened(request, key)
    with held.lock:
        controller = held.plant.get(program_id, Program).controller
        known = held.analysis.result("controller.scope", controller)
    names = [KnownNameOut(name=one.name, type=one.type, writable=one.writable) for one in known.signals]
    return KnownNamesOut(names=names, words=list(WORDS))
