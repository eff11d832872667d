"""A category tree out of a table: paths in a column, or a column for each level."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from nomotax.core.errors import UnreadableFile
from nomotax.core.lookups.tree import LONGEST, SIGN, as_name, parts_of
from nomotax.core.reading.shapes import level_sign, path_separator

Cells = Sequence[str | None]


def read_tree(names: Sequence[str], rows: Sequence[Cells], headed: bool = True) -> list[str]:
    """Every category of a table in its order, parents before what is below them, each once.

    One column whose cells hold paths gives them, whatever separates their parts; without such a
    column, each column is a level, and a level left empty above a lower one is that of the row
    before. Where the table is not ``headed``, its names are its first row; and so they are where
    one is itself a path, or the top of one. Raises ``UnreadableFile`` where there is no category,
    or a path is too long.
    """
    found = _found(names, rows, headed)
    paths = list(dict.fromkeys(p for levels in found for p in _with_parents(levels)))
    if not paths:
        raise UnreadableFile(
            "There are no categories in it.",
            where="the file",
            remedy="Give a column of paths such as Painting > Oil, or a column for each level.",
        )
    long = next((p for p in paths if len(p) > LONGEST), None)
    if long is not None:
        raise UnreadableFile(
            f"A path is longer than {LONGEST} characters.", where=f"'{long[:60]} …'"
        )
    return paths


def _found(names: Sequence[str], rows: Sequence[Cells], headed: bool) -> Iterator[tuple[str, ...]]:
    for at, name in enumerate(names):
        cells = [row[at] or "" for row in rows]
        among = cells if headed else [name, *cells]
        # Of several columns, one may be a level with a sign in its names.
        separator = (level_sign if len(names) == 1 else path_separator)(among)
        if separator:
            tops = {cell.split(separator)[0].strip() for cell in cells}
            headless = not headed or separator in name or name.strip() in tops
            return (_cut(cell, separator) for cell in ([name, *cells] if headless else cells))
    tops = {row[0] or "" for row in rows if row}
    headless = not headed or any(name in tops for name in names[:1])
    return _levels([list(names), *rows] if headless else rows)


def _cut(cell: str, separator: str) -> tuple[str, ...]:
    return tuple(as_name(part) for part in cell.split(separator) if part.strip())


def _levels(rows: Sequence[Cells]) -> Iterator[tuple[str, ...]]:
    above: list[str] = []
    for row in rows:
        given = [(cell or "").strip() for cell in row]
        if not any(given):
            continue
        first = next(at for at, cell in enumerate(given) if cell)
        deepest = max(at for at, cell in enumerate(given) if cell)
        above = [*above[:first], *given[first : deepest + 1]]
        yield tuple(as_name(part) for part in above if part)


def _with_parents(levels: tuple[str, ...]) -> Iterator[str]:
    return (SIGN.join(parts_of(SIGN.join(levels[:depth]))) for depth in range(1, len(levels) + 1))
