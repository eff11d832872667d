"""What changed between one delivery of a feed and the next, in plain words."""

from __future__ import annotations

from collections.abc import Sequence

from rapidfuzz import fuzz, process

from nomotax.core.reading.model import Detection, Reading
from nomotax.core.reading.problem import ReadingProblem

_ALIKE = 80


def columns_changed(before: Sequence[str], now: Sequence[str]) -> list[ReadingProblem]:
    """Columns that went, came or look renamed; an unchanged set in another order is a note."""
    gone = [c for c in before if c not in now]
    new = [c for c in now if c not in before]
    found = []
    for column in list(gone):
        match = process.extractOne(column, new, scorer=fuzz.WRatio, score_cutoff=_ALIKE)
        if match:
            gone.remove(column)
            new.remove(match[0])
            found.append(_changed(f"The column {column!r} seems to be called {match[0]!r} now."))
    if gone:
        found.append(_changed(f"Columns that are no longer there: {_said(gone)}.", len(gone)))
    if new:
        found.append(_changed(f"New columns: {_said(new)}.", len(new)))
    if not found and list(before) != list(now):
        found.append(
            ReadingProblem(
                kind="changed", level="note", message="The columns stand in another order."
            )
        )
    return found


def _changed(message: str, count: int | None = None) -> ReadingProblem:
    return ReadingProblem(kind="changed", message=message, count=count)


def _said(names: Sequence[str]) -> str:
    said = ", ".join(repr(n) for n in names[:12])
    return said + (f" and {len(names) - 12} more" if len(names) > 12 else "")


_WORDS = {
    "encoding": "the encoding",
    "delimiter": "the delimiter",
    "quote": "the quote",
    "escape": "the escape character",
    "header_row": "the header's row",
    "header_height": "the height of the header",
    "notes_rows": "rows of notes under the header",
    "footer_rows": "rows of totals at the end",
    "decimal": "the decimal mark",
    "sheets": "the sheets",
    "records": "the record element",
    "lines": "one document a line",
    "files": "the file in the archive",
}
#: Choices whose detection depends on what a delivery happens to hold.
_UNSTEADY = {"quote", "comment", "escape", "companions", "reshape", "damaged", "files", "sheets"}


def differs_from_detected(saved: Reading, found: Detection) -> list[ReadingProblem]:
    """Where a saved reading does not look right for this delivery any more."""
    problems = []
    now = found.reading.model_dump()
    for name, value in saved.model_dump().items():
        if name in _UNSTEADY or name not in now or now[name] == value:
            continue
        if name == "encoding" and "ASCII" in found.why.get("encoding", ""):
            continue
        if name == "decimal" and "no number" in found.why.get("decimal", ""):
            continue
        why = found.why.get(name, "")
        problems.append(
            ReadingProblem(
                kind="changed",
                message=f"Saved for this feed: {_WORDS.get(name, name)} {value!r}; this file "
                f"looks like {now[name]!r}{f' ({why})' if why else ''}.",
            )
        )
    return problems
