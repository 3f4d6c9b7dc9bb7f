"""What is the same in two orders of things, so that one missing among them is one difference, not all behind it."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from typing import Generic, TypeVar

A = TypeVar("A")
B = TypeVar("B")


@dataclass(frozen=True, slots=True)
class Pair(Generic[A, B]):
    """One of the first order beside one of the second; None where there is none, `same` where they agree."""

    one: A | None
    other: B | None
    same: bool = False


def aligned(first: Sequence[A], second: Sequence[B], alike: Callable[[A, B], bool]) -> Iterator[Pair[A, B]]:
    """Both orders side by side along a longest common subsequence; between what agrees, what differs stands paired."""
    length = [[0] * (len(second) + 1) for _ in range(len(first) + 1)]
    for n in reversed(range(len(first))):
        for m in reversed(range(len(second))):
            same = alike(first[n], second[m])
            length[n][m] = 1 + length[n + 1][m + 1] if same else max(length[n + 1][m], length[n][m + 1])
    n = m = 0
    left: list[A] = []
    right: list[B] = []
    while n < len(first) or m < len(second):
        if n < len(first) and m < len(second) and alike(first[n], second[m]):
            yield from _paired(left, right)
            left, right = [], []
            yield Pair(first[n], second[m], same=True)
            n, m = n + 1, m + 1
        elif m == len(second) or (n < len(first) and length[n + 1][m] >= length[n][m + 1]):
            left.append(first[n])
            n += 1
        else:
            right.append(second[m])
            m += 1
    yield from _paired(left, right)


def _paired(left: Sequence[A], right: Sequence[B]) -> Iterator[Pair[A, B]]:
    for k in range(max(len(left), len(right))):
        yield Pair(left[k] if k < len(left) else None, right[k] if k < len(right) else None)
