"""Small lists that people keep as CSV: named columns in any order, every line of the same kind."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterator

from nomotax.core.errors import UnreadableFile


def read_listing(
    data: bytes, header: tuple[str, ...], what: str
) -> Iterator[tuple[int, list[str]]]:
    """The number of each line of a CSV file (UTF-8) and its values in the order of ``header``,
    without blanks at their ends; cells are cut by a comma, semicolon or tab, as in the first line.

    Raises ``UnreadableFile`` when a column is missing or it is no CSV file.
    """
    try:
        text = data.decode("utf-8-sig")
        first = text.split("\n", 1)[0]
        lines = csv.DictReader(
            io.StringIO(text, newline=""), delimiter=max(",;\t", key=first.count)
        )
        missing = [name for name in header if name not in (lines.fieldnames or ())]
        if missing:
            raise UnreadableFile(
                f"The {what} have no column {', '.join(map(repr, missing))}.",
                where="line 1",
                remedy=f"The first line names the columns: {','.join(header)}.",
            )
        for line in lines:
            if None in line:
                raise UnreadableFile(
                    "This line has more cells than the first line names.",
                    where=f"line {lines.line_num}",
                    remedy="Put a value that holds the separator between quotes.",
                )
            yield lines.line_num, [(line[name] or "").strip() for name in header]
    except (UnicodeDecodeError, csv.Error) as error:
        raise UnreadableFile(f"This is no list of {what}: {error}.", where="the file") from error
