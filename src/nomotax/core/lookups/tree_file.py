"""A category tree out of a table: paths in a column, or a column for each level."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from nomotax.core.errors import UnreadableFile
from nomotax.core.lookups.tree import LONGEST, SIGN, parts_of
from nomotax.core.reading.shapes import path_separator

Cells = Sequence[str | None]


def read_tree(names: Sequence[str], rows: Sequence[Cells]) -> list[str]:
    """Every category of a table in its order, parents before what is below them, each once.

    One column whose cells hold paths gives them, whatever separates their parts; without such a
    column, each column is a level, and a level left empty above a lower one is that of the row
    before. A name that is itself a path, or the top of one, counts as a row: such a file has no
    line of names. Raises ``UnreadableFile`` where there is no category, or a path is too long.
    """
    found = _found(names, rows)
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


def _found(names: Sequence[str], rows: Sequence[Cells]) -> Iterator[tuple[str, ...]]:
    for at, name in enumerate(names):
        cells = [row[at] or "" for row in rows]
        separator = path_separator(cells)
        if separator:
            tops = {cell.split(separator)[0].strip() for cell in cells}
            headless = separator in name or name.strip() in tops
            return (_cut(cell, separator) for cell in ([name, *cells] if headless else cells))
    tops = {row[0] or "" for row in rows if row}
    headed = [list(names), *rows] if names and names[0] in tops else rows
    return _levels(headed)


def _cut(cell: str, separator: str) -> tuple[str, ...]:
    return tuple(_name(part) for part in cell.split(separator) if part.strip())


def _levels(rows: Sequence[Cells]) -> Iterator[tuple[str, ...]]:
    above: list[str] = []
    for row in rows:
        given = [(cell or "").strip() for cell in row]
        if not any(given):
            continue
        first = next(at for at, cell in enumerate(given) if cell)
        deepest = max(at for at, cell in enumerate(given) if cell)
        above = [*above[:first], *given[first : deepest + 1]]
        yield tuple(_name(part) for part in above if part)


def _name(part: str) -> str:
    """A part that holds the sign of paths itself would become two."""
    return part.strip().replace(SIGN.strip(), "-")


def _with_parents(levels: tuple[str, ...]) -> Iterator[str]:
    return (SIGN.join(parts_of(SIGN.join(levels[:depth]))) for depth in range(1, len(levels) + 1))
