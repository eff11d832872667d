"""Where a saved reading does not look right for a delivery any more."""

from __future__ import annotations

from nomotax.core.reading.model import Detection, Reading
from nomotax.core.reading.problem import ReadingProblem

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
