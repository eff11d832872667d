"""Whether a file ends in the middle of something."""

from __future__ import annotations

from collections.abc import Sequence

from nomotax.core.reading.problem import ReadingProblem


def broke_off(complete: bool, rows: int, problems: Sequence[ReadingProblem]) -> bool:
    """Its reader says that it is not ``complete``, or the last of its rows is no whole one."""
    return not complete or any(p.kind == "broken_row" and p.row == rows for p in problems)
