"""Rows of cells with a header somewhere: finding it, and naming the columns."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

from nomotax.core.reading.problem import ReadingProblem

Cells = Sequence[str | None]

_VALUE = re.compile(r"[-+]?[\d.,\s%]+([eE][+-]?\d+)?|\d{4}-\d\d-\d\d.*|true|false")
_TOTAL = re.compile(
    r"(?i)^\s*(grand |sub)?(totals?|sums?|summe|gesamt|insgesamt|total g[ée]n[ée]ral|totale|suma|"
    r"итого|всего|合計|总计|end of (list|file)|\d+ (items|articles|rows|products))\b"
)
_UNIT = re.compile(
    r"(?i)^[\[(]?\s*(mm|cm|m|in|inch|inches|ft|g|kg|lb|lbs|oz|ml|cl|l|eur|usd|gbp|chf|€|\$|£|pcs|"
    r"pc|stk|%|m²|g/m²|gsm|text|number|date|digits?|yes/no|y/n|code|id|mandatory|required|"
    r"optional|max\.? \d+.*)\s*[\])]?$"
)
#: Records looked at for a header.
LOOKED_AT = 40


@dataclass(frozen=True)
class Frame:
    """Where the table lies among the records, with the reason for each."""

    header_row: int
    header_height: int
    notes_rows: int
    why: dict[str, str]


def find_frame(records: Sequence[Cells]) -> Frame:
    """The header among the first records, how high it is, and the notes under it."""
    row, why = _header(records)
    reasons = {"header_row": why}
    if row == 0:
        return Frame(0, 1, 0, reasons)
    height = _height(records, row)
    if height > 1:
        reasons["header_height"] = "the names stand on two lines, joined cells above single ones"
    top = row - height + 1
    if height > 1 and top > 1:
        reasons["header_row"] = f"{top - 1} lines of titles stand above the names"
    notes = _notes(records, row)
    if notes:
        reasons["notes_rows"] = f"{notes} rows of units or remarks stand under the names"
    return Frame(top, height, notes, reasons)


def _width(records: Sequence[Cells]) -> int:
    widths = Counter(_filled_width(r) for r in records if any(r))
    return max(widths, key=lambda w: (widths[w] * min(w, 3), w), default=1)


def _filled_width(record: Cells) -> int:
    return max((n for n, c in enumerate(record, 1) if c and c.strip()), default=0)


def _is_name(cell: str) -> bool:
    return not _VALUE.fullmatch(cell.strip()) and len(cell) < 120


def _header(records: Sequence[Cells]) -> tuple[int, str]:
    """The record that reads like names and has the width of what follows."""
    if not records:
        return 1, "the first line"
    width = _width(records)
    for number, record in enumerate(records[:LOOKED_AT], 1):
        cells = [c for c in record if c and c.strip()]
        if len(cells) * 2 < width or (width > 1 and len(cells) < 2):
            continue
        if sum(map(_is_name, cells)) < len(cells) * 0.8:
            return 0, "the first full line holds values, not names"
        return _narrower_above(records, number, width)
    return 1, "the first line"


def _narrower_above(records: Sequence[Cells], number: int, width: int) -> tuple[int, str]:
    """Joined cells may make a first header line with gaps; the line under it fills them."""
    record = records[number - 1]
    after = records[number] if number < len(records) else ()
    gaps = sum(1 for c in record[:width] if not (c and c.strip()))
    names = [c for c in after if c and c.strip()]
    lower = gaps and names and sum(map(_is_name, names)) == len(names)
    if lower and not _is_notes(after) and _fills_gaps(record, after):
        number += 1
    if number == 1:
        return 1, "the first line holds names, not values"
    return number, f"{number - 1} lines of titles stand above the names"


def _fills_gaps(upper: Cells, lower: Cells) -> bool:
    """Whether the lower line has a name wherever the upper has a gap, and gaps of its own."""
    gaps = [i for i, c in enumerate(upper) if not (c and c.strip())]
    filled = [i for i in gaps if i < len(lower) and (lower[i] or "").strip()]
    own_gaps = [i for i, c in enumerate(lower) if not (c and c.strip())]
    return bool(filled) and bool(own_gaps) and len(filled) == len(gaps)


def _height(records: Sequence[Cells], row: int) -> int:
    if row < 2:
        return 1
    upper, lower = records[row - 2], records[row - 1]
    named = [i for i, c in enumerate(upper) if (c or "").strip()]
    gaps_below = [i for i, c in enumerate(lower) if not (c or "").strip()]
    covered = [i for i in gaps_below if i in named]
    return 2 if gaps_below and covered == gaps_below and len(named) > 1 else 1


def _is_notes(record: Cells) -> bool:
    cells = [c.strip() for c in record if c and c.strip()]
    return bool(cells) and sum(bool(_UNIT.match(c)) for c in cells) * 2 > len(cells)


def _notes(records: Sequence[Cells], row: int) -> int:
    count = 0
    for record in records[row : row + 3]:
        if not _is_notes(record):
            break
        count += 1
    return count


def find_footer(records: Sequence[Cells]) -> int:
    """How many of the last records are totals or remarks rather than rows."""
    last = len(records)
    while last and not any((c or "").strip() for c in records[last - 1]):
        last -= 1
    width = _width(records[max(last - 60, 0) : last])
    count = 0
    for record in reversed(records[max(last - 6, 0) : last]):
        cells = [c for c in record if (c or "").strip()]
        first = (cells[0] or "") if cells else ""
        if not cells or (_TOTAL.match(first) and len(cells) <= width * 0.7):
            count += 1
        else:
            break
    return count


def header_names(records: Sequence[Cells], width: int) -> list[str]:
    """One name a column out of one or several header records, the upper ones spread over the
    gaps that joined cells leave."""
    parts: list[list[str]] = []
    for level, record in enumerate(records):
        cells = [
            " ".join((record[i] or "").split()) if i < len(record) else "" for i in range(width)
        ]
        if level < len(records) - 1:
            cells = _spread(cells, records[level + 1])
        parts.append(cells)
    return [" ".join(dict.fromkeys(p for p in column if p)) for column in zip(*parts, strict=True)]


def _spread(upper: list[str], lower: Cells) -> list[str]:
    spread, current = [], ""
    for index, cell in enumerate(upper):
        below = index < len(lower) and (lower[index] or "").strip()
        current = cell or (current if below else "")
        spread.append(current)
    return spread


def distinct_names(record: Sequence[str], problems: list[ReadingProblem]) -> list[str]:
    """Header cells as distinct column names; blanks and repeats are told."""
    names: list[str] = []
    taken: set[str] = set()
    for index, cell in enumerate(record, 1):
        name = " ".join(cell.split())
        if not name or name.startswith("__"):
            name = f"Column {index}"
            problems.append(
                ReadingProblem(
                    kind="blank_header",
                    message=f"Column {index} has no name in the header; it is called {name!r}.",
                )
            )
        if name in taken:
            again = 2
            while f"{name} ({again})" in taken:
                again += 1
            problems.append(
                ReadingProblem(
                    kind="repeated_header",
                    message=f"{name!r} stands twice in the header; column {index} is called "
                    f"'{name} ({again})'.",
                )
            )
            name = f"{name} ({again})"
        names.append(name)
        taken.add(name)
    return names


def tell_passed_over(
    kind: str, what: str, records: Sequence[Cells], problems: list[ReadingProblem]
) -> None:
    """Say which records were taken for something other than rows, with what they hold."""
    said = tuple(" | ".join(c for c in r if c)[:200] for r in records if any(r))
    if said:
        problems.append(
            ReadingProblem(
                kind=kind,
                level="note",
                message=f"{len(said)} {what} passed over: {'; '.join(said)[:300]}",
                count=len(said),
                examples=said[:10],
            )
        )
