"""Workbooks (XLSX, XLS, ODS) to an all-text table: what a person sees in the cells, exactly."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import lru_cache
from pathlib import Path

import fastexcel
import polars as pl

from nomotax.core.errors import UnreadableFile
from nomotax.core.reading.grid import (
    LOOKED_AT,
    distinct_names,
    find_footer,
    find_frame,
    header_names,
    tell_passed_over,
)
from nomotax.core.reading.model import ArrivingTable, Detection, Offer, WorkbookReading
from nomotax.core.reading.old_workbook import is_old_workbook, read_old_sheets
from nomotax.core.reading.problem import ReadingProblem
from nomotax.core.reading.sheet import Marks, SheetCells, column_letters
from nomotax.core.reading.sheet_limits import refuse_bombs, spread_out
from nomotax.core.reading.sheet_marks import hidden_sheets, marks_of
from nomotax.core.table import FAULT, HIDDEN, ROW

#: The column that says which sheet a row came from, when several are read.
SHEET = "Sheet"
_WIDEST = 16_384
_TOLD = 50


def read_workbook(path: Path, reading: WorkbookReading) -> ArrivingTable:
    """The rows of the chosen sheets, one under the other.

    Raises ``UnreadableFile`` for a damaged or encrypted workbook, or a sheet that is not there.
    """
    sheets = sheet_names(path)
    hidden = hidden_sheets(path)
    chosen = reading.sheets or (tuple(s for s in sheets if s not in hidden) or tuple(sheets))[:1]
    missing = [s for s in chosen if s not in sheets]
    if missing:
        raise UnreadableFile(
            f"The reading looks for the sheet {missing[0]!r}, which this workbook does not have.",
            where="sheets: " + ", ".join(repr(s) for s in sheets),
            remedy="Choose one of these sheets.",
        )
    problems: list[ReadingProblem] = []
    _tell_hidden_sheets(hidden & set(sheets), chosen, problems)
    tables = [_table(path, name, reading, problems, len(chosen) > 1) for name in chosen]
    if len(tables) > 1:
        _tell_differing(chosen, tables, problems)
    frame = pl.concat(tables, how="diagonal").with_columns(
        pl.int_range(1, pl.len() + 1, dtype=pl.UInt32).alias(ROW)
    )
    if frame.height == 0:
        problems.append(
            ReadingProblem(kind="no_rows", message="There is a header and no rows under it.")
        )
    return ArrivingTable(frame.lazy(), problems)


def _tell_hidden_sheets(
    hidden: set[str], chosen: Sequence[str], problems: list[ReadingProblem]
) -> None:
    for name in sorted(hidden):
        taken = name in chosen
        problems.append(
            ReadingProblem(
                kind="hidden_sheet",
                level="doubt" if taken else "note",
                message=f"The sheet {name!r} is hidden; it is {'' if taken else 'not '}read.",
            )
        )


def sheet_names(path: Path) -> list[str]:
    """The sheets with cells, in the workbook's order. Raises ``UnreadableFile``."""
    return list(_book(path).names)


@dataclass(frozen=True)
class Book:
    """A workbook opened: how to get at its sheets. ``reader`` is there but for old ones."""

    names: tuple[str, ...]
    reader: fastexcel.ExcelReader | None = None
    old: dict[str, SheetCells] = field(default_factory=dict)


def _book(path: Path) -> Book:
    stat = path.stat()
    return _opened(path, stat.st_mtime_ns, stat.st_size)


@lru_cache(maxsize=2)
def _opened(path: Path, modified: int, size: int) -> Book:
    """``modified`` and ``size`` keep a replaced file from being taken for the earlier one."""
    if is_old_workbook(path):
        sheets = read_old_sheets(path)
        return Book(tuple(sheets), None, sheets)
    try:
        refuse_bombs(path)
        reader = fastexcel.read_excel(str(path))
        return Book(tuple(reader.sheet_names), reader)
    except fastexcel.FastExcelError as error:
        raise _unreadable(error) from error


def _unreadable(error: Exception) -> UnreadableFile:
    said = str(error).splitlines()[0].removeprefix("calamine error: ")
    if (spread := re.search(r"Cell limit exceeded \((\d+) cells", said)) is not None:
        return spread_out(int(spread.group(1)), "a sheet of the workbook")
    return UnreadableFile(
        f"The workbook is damaged and cannot be opened: {said}.",
        where="the file as a whole",
        remedy="Open it in a spreadsheet program and save it again, or ask the supplier for it.",
    )


def sheet_cells(path: Path, name: str) -> SheetCells:
    """All cells of a sheet as text, from its first row and column. Raises ``UnreadableFile``."""
    stat = path.stat()
    return _cells(path, name, stat.st_mtime_ns, stat.st_size)


@lru_cache(maxsize=2)
def _cells(path: Path, name: str, modified: int, size: int) -> SheetCells:
    book = _book(path)
    if book.reader is None:
        return book.old[name]
    try:
        sheet = book.reader.load_sheet(name, header_row=None, skip_rows=0, dtypes="string")
        frame = sheet.to_polars() if sheet.width else pl.DataFrame()
        marks = marks_of(path, name)
    except fastexcel.FastExcelError as error:
        raise _unreadable(error) from error
    frame.columns = [f"c{n}" for n in range(marks.first_column, marks.first_column + frame.width)]
    before = [pl.lit(None, dtype=pl.String).alias(f"c{n}") for n in range(marks.first_column)]
    frame = frame.select(*before, pl.all()) if frame.width else frame
    # Columns of formulas without any result are not among the cells; they are told all the same.
    behind = range(frame.width, max((c + 1 for _, c in marks.faults), default=0))
    frame = frame.with_columns(pl.lit(None, dtype=pl.String).alias(f"c{n}") for n in behind)
    return SheetCells(_as_seen(frame, marks), marks)


def _as_seen(frame: pl.DataFrame, marks: Marks) -> pl.DataFrame:
    """Cells as a person sees them: numbers at the 15 digits a spreadsheet keeps, dates without
    an empty time of day, leading zeros of the cell's format."""
    if frame.height == 0:
        return frame
    text = pl.all()
    long_number = text.str.contains(r"^-?\d*\.\d{10,}$")
    frame = frame.with_columns(
        pl.when(long_number)
        .then(
            text.map_batches(
                lambda cells: pl.Series([_fifteen_digits(c) for c in cells], dtype=pl.String),
                return_dtype=pl.String,
            )
        )
        .when(text.str.ends_with(" 00:00:00"))
        .then(text.str.strip_suffix(" 00:00:00"))
        .otherwise(text)
        .name.keep()
        if _needs_care(frame)
        else text
    )
    return marks.as_shown(frame)


def _needs_care(frame: pl.DataFrame) -> bool:
    pattern = r"\.\d{10}| 00:00:00$"
    return bool(frame.select(pl.any_horizontal(pl.all().str.contains(pattern).any())).item())


def _fifteen_digits(cell: str | None) -> str | None:
    """A number as a spreadsheet shows it: it keeps 15 significant digits. Text comes back as is
    where it is no number after all."""
    if cell is None:
        return None
    try:
        value = float(cell)
    except ValueError:
        return cell
    short = f"{value:.15g}"
    return (
        f"{float(short):.0f}"
        if "e" in short and abs(value) < 1e21 and value == int(value)
        else short
    )


def _table(
    path: Path, name: str, reading: WorkbookReading, problems: list[ReadingProblem], many: bool
) -> pl.DataFrame:
    sheet = sheet_cells(path, name)
    frame = sheet.frame
    if frame.width > _WIDEST:
        raise UnreadableFile(f"The sheet has {frame.width:,} columns.", where=f"sheet {name!r}")
    top = reading.header_row - 1 + reading.header_height if reading.header_row else 0
    if top > frame.height or frame.height == 0:
        raise UnreadableFile(
            f"The header is looked for in row {reading.header_row}, past the last one.",
            where=f"sheet {name!r}, {frame.height} rows",
            remedy="Choose an earlier header row or another sheet.",
        )
    frame = _without_nothing(frame, reading, top, {c for _, c in sheet.marks.faults})
    names = _names(frame, reading, problems)
    places = dict(zip((int(c[1:]) for c in frame.columns), names, strict=True))
    end = frame.height - reading.footer_rows
    _tell_edges(frame, reading, top, end, problems)
    start = top + reading.notes_rows
    body = frame.slice(start, max(end - start, 0))
    body.columns = names
    body = body.with_columns(
        pl.int_range(start + 1, start + 1 + pl.len(), dtype=pl.UInt32).alias(ROW),
        pl.lit(None, dtype=pl.String).alias(FAULT),
    )
    _tell_hidden_columns(sheet, name, places, problems)
    body = _without_hidden(sheet, name, body, reading, problems)
    body = _with_faults(sheet, name, body, places, problems)
    filled = body.filter(~pl.all_horizontal(pl.col(n).is_null() for n in names))
    _tell_blank(name, body.height - filled.height, problems)
    if many:
        title = SHEET if SHEET not in names else f"{SHEET} of the workbook"
        filled = filled.with_columns(pl.lit(name).alias(title))
        names = [*names, title]
    return filled.select(*HIDDEN, *names)


def _without_nothing(
    frame: pl.DataFrame, reading: WorkbookReading, top: int, faulty: set[int]
) -> pl.DataFrame:
    """The cells without columns that have neither a name nor any value, nor a formula."""
    head = (
        frame.slice(reading.header_row - 1, reading.header_height) if reading.header_row else None
    )
    keep = [
        c
        for c in frame.columns
        if (head is not None and head[c].null_count() < head.height)
        or frame[c].slice(top).null_count() < frame.height - top
        or int(c[1:]) in faulty
    ]
    return frame.select(keep or frame.columns)


def _names(
    frame: pl.DataFrame, reading: WorkbookReading, problems: list[ReadingProblem]
) -> list[str]:
    if reading.header_row == 0:
        return [f"Column {n}" for n in range(1, frame.width + 1)]
    head = frame.slice(reading.header_row - 1, reading.header_height).rows()
    return distinct_names(header_names(head, frame.width), problems)


def _tell_edges(
    frame: pl.DataFrame,
    reading: WorkbookReading,
    top: int,
    end: int,
    problems: list[ReadingProblem],
) -> None:
    titles = frame.head(max(reading.header_row - 1, 0)).rows()
    tell_passed_over("title_rows", "title rows above the header were", titles, problems)
    notes = frame.slice(top, reading.notes_rows).rows()
    tell_passed_over("notes_rows", "rows under the header were", notes, problems)
    footer = frame.slice(max(end, 0)).rows()
    tell_passed_over("footer_rows", "last rows were", footer, problems)


def _tell_hidden_columns(
    sheet: SheetCells, name: str, places: dict[int, str], problems: list[ReadingProblem]
) -> None:
    hidden = [title for place, title in places.items() if place in sheet.marks.hidden_columns]
    if hidden:
        listed = ", ".join(map(repr, hidden))
        problems.append(
            ReadingProblem(
                kind="hidden_columns",
                count=len(hidden),
                message=f"{len(hidden)} columns of the sheet {name!r} are hidden ({listed}); they "
                "are in the table. Look whether they are meant.",
            )
        )


def _without_hidden(
    sheet: SheetCells,
    name: str,
    body: pl.DataFrame,
    reading: WorkbookReading,
    problems: list[ReadingProblem],
) -> pl.DataFrame:
    hidden = body.filter(pl.col(ROW).is_in(list(sheet.marks.hidden_rows))).height
    if not hidden:
        return body
    taken = "they are taken" if reading.hidden_rows else "they are passed over"
    problems.append(
        ReadingProblem(
            kind="hidden_rows",
            count=hidden,
            level="doubt" if reading.hidden_rows else "note",
            message=f"{hidden:,} rows of the sheet {name!r} are hidden; {taken}.",
        )
    )
    if reading.hidden_rows:
        return body
    return body.filter(~pl.col(ROW).is_in(list(sheet.marks.hidden_rows)))


def _with_faults(
    sheet: SheetCells,
    name: str,
    body: pl.DataFrame,
    places: dict[int, str],
    problems: list[ReadingProblem],
) -> pl.DataFrame:
    """Rows in which a formula has no result stored, or one that is an error, are held."""
    rows, said = [], []
    first, last = body[ROW].min(), body[ROW].max()
    for (row, column), what in sorted(sheet.marks.faults.items()):
        inside = first is not None and first <= row + 1 <= last  # type: ignore[operator]
        if not inside or column not in places:
            continue
        rows.append(row + 1)
        said.append(f"{name}!{column_letters(column)}{row + 1} ({places[column]}): {what}")
    if not rows:
        return body
    for number, text in list(zip(rows, said, strict=True))[:_TOLD]:
        problems.append(
            ReadingProblem(kind="formula", level="broken", message=f"{text}.", line=number)
        )
    if len(rows) > _TOLD:
        problems.append(
            ReadingProblem(
                kind="formula",
                level="broken",
                count=len(rows) - _TOLD,
                message=f"{len(rows) - _TOLD:,} more cells have no result.",
            )
        )
    faults = pl.DataFrame({ROW: rows, "said": said}, schema_overrides={ROW: pl.UInt32})
    joined = faults.group_by(ROW, maintain_order=True).agg(pl.col("said").str.join("; "))
    return body.join(joined, on=ROW, how="left", maintain_order="left").with_columns(
        pl.col("said").alias(FAULT)
    )


def _tell_blank(name: str, blank: int, problems: list[ReadingProblem]) -> None:
    if blank:
        problems.append(
            ReadingProblem(
                kind="blank_lines",
                level="note",
                count=blank,
                message=f"{blank:,} empty rows of the sheet {name!r} were passed over.",
            )
        )


def _tell_differing(
    names: tuple[str, ...] | list[str], tables: list[pl.DataFrame], problems: list[ReadingProblem]
) -> None:
    first = set(tables[0].columns)
    for name, table in zip(names[1:], tables[1:], strict=True):
        other = set(table.columns)
        if other != first:
            lacks, more = sorted(first - other), sorted(other - first)
            said = [f"lacks {', '.join(lacks)}"] * bool(lacks)
            said += [f"has {', '.join(more)} besides"] * bool(more)
            problems.append(
                ReadingProblem(
                    kind="differing_columns",
                    message=f"The sheet {name!r} {' and '.join(said)}, compared with {names[0]!r}.",
                )
            )


def detect_workbook(path: Path, only: str = "") -> Detection:
    """The sheet with the most cells, its header, and sheets of the same shape beside it; or
    ``only`` one sheet."""
    names = sheet_names(path)
    sheets = {n: sheet_cells(path, n).frame for n in names}
    filled = [n for n in names if sheets[n].height]
    if not filled:
        raise UnreadableFile(
            "The workbook has no cells in it.", remedy="Ask the supplier for the filled one."
        )
    hidden = hidden_sheets(path)
    seen = [n for n in filled if n not in hidden] or filled
    best = max(seen, key=lambda n: sheets[n].height * min(sheets[n].width, 40))
    if only:
        if only not in sheets:
            raise UnreadableFile(f"There is no sheet {only!r}.", where=", ".join(names))
        best = only
    first = sheet_cells(path, best).marks.first_column
    top = find_frame([row[first:] for row in sheets[best].head(LOOKED_AT).rows()])
    reading = WorkbookReading(
        sheets=(best,),
        header_row=top.header_row,
        header_height=top.header_height,
        notes_rows=top.notes_rows,
        footer_rows=find_footer(sheets[best].tail(80).rows()),
    )
    alike = set() if only else _alike(sheets, best, reading) - hidden
    why = {"format": "it is a workbook", "sheets": "the sheet with the most cells"}
    if alike:
        chosen = tuple(n for n in names if n == best or n in alike)
        reading = reading.model_copy(update={"sheets": chosen})
        why["sheets"] = f"{len(chosen)} sheets have the same columns"
    why |= top.why
    if reading.footer_rows:
        why["footer_rows"] = "totals or remarks stand under the rows"
    offers = tuple(
        Offer(
            kind="sheet",
            name=n,
            count=sheets[n].height,
            detail=f"{sheets[n].width} columns{', hidden' if n in hidden else ''}",
        )
        for n in names
    )
    return Detection(reading, why, offers)


def _alike(sheets: dict[str, pl.DataFrame], best: str, reading: WorkbookReading) -> set[str]:
    """Other sheets with the same header in the same row."""
    if reading.header_row == 0:
        return set()
    head = sheets[best].slice(reading.header_row - 1, reading.header_height).rows()
    width = sheets[best].width
    return {
        name
        for name, frame in sheets.items()
        if name != best
        and frame.width == width
        and frame.slice(reading.header_row - 1, reading.header_height).rows() == head
    }
