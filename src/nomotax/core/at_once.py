"""Pieces of work done a few at a time, in their order."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from typing import TypeVar

S = TypeVar("S")
T = TypeVar("T")
#: Reading, decoding and writing of one piece leave the other processors idle.
_AT_ONCE = 2


def each_of(work: Callable[[S], T], things: Iterable[S]) -> Iterator[T]:
    """The outcomes, in the order of the things. A thing is fetched, and its work begun, only
    shortly before somebody waits for it."""
    with ThreadPoolExecutor(_AT_ONCE) as pool:
        waiting: deque[Future[T]] = deque()
        try:
            for thing in things:
                waiting.append(pool.submit(work, thing))
                if len(waiting) > _AT_ONCE:
                    yield waiting.popleft().result()
            while waiting:
                yield waiting.popleft().result()
        finally:
            pool.shutdown(cancel_futures=True)
