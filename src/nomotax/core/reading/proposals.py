"""Which file of an archive is the main one, and how the others hang on it: by the keys they
share, seen in their values."""

from __future__ import annotations

import re
from collections.abc import Mapping
from pathlib import PurePosixPath

import polars as pl

from nomotax.core.reading.lists import list_items
from nomotax.core.reading.model import Companion, Detection, KeyPair, Reading
from nomotax.core.reading.reshape import Attributes, Gather, NamePair, Reshape, Unfold
from nomotax.core.table import HIDDEN

_LEAST_SHARED = 0.6
_MOST_KINDS = 12


def _columns(frame: pl.DataFrame) -> list[str]:
    return [c for c in frame.columns if c not in HIDDEN]


def _keys(frame: pl.DataFrame, column: str) -> pl.Series:
    text = frame[column].drop_nulls().str.strip_chars().str.to_lowercase()
    return text.str.replace(r"^0+(.)", "$1").filter(text != "")


def main_file(samples: Mapping[str, pl.DataFrame]) -> str:
    """The file whose best key the most others share; among equals the widest."""
    names = [n for n, f in samples.items() if f.height]
    if not names:
        return next(iter(samples))

    def rank(name: str) -> tuple[int, int, int]:
        unique = _unique_columns(samples[name])
        leaning = sum(
            _best_pair(samples[name], samples[o], unique)[0] >= _LEAST_SHARED
            for o in names
            if o != name
        )
        return leaning if unique else -1, len(_columns(samples[name])), samples[name].height

    return max(names, key=rank)


def _unique_columns(frame: pl.DataFrame) -> list[str]:
    """Columns that could be a key: filled everywhere, no value twice (but for few slips)."""
    found = []
    for column in _columns(frame):
        keys = _keys(frame, column)
        if keys.len() >= frame.height * 0.95 and keys.n_unique() >= frame.height * 0.97:
            found.append(column)
    return found


def _best_pair(
    main: pl.DataFrame, other: pl.DataFrame, unique: list[str]
) -> tuple[float, str, str]:
    """The share of the other's distinct keys that the main table knows, and the two columns."""
    best = (0.0, "", "")
    for column in unique:
        known = _keys(main, column).unique()
        for theirs in _columns(other):
            keys = _keys(other, theirs)
            distinct = keys.unique()
            if keys.len() < other.height * 0.9 or distinct.len() < min(10, known.len()):
                continue
            share = distinct.is_in(known.implode()).mean()
            same_name = column.lower() == theirs.lower()
            score = float(str(share or 0)) + (0.05 if same_name else 0)
            if score > best[0]:
                best = (score, column, theirs)
    return best


def _best_list(main: pl.DataFrame, other: pl.DataFrame) -> tuple[float, str, str]:
    """A list that the main table's values are looked up in, as a tree of categories: nearly all
    of a column's values are keys of the other table, and the columns are called alike."""
    for theirs in _unique_columns(other):
        known = _keys(other, theirs).implode()
        for column in _columns(main):
            keys = _keys(main, column).unique()
            alike = column.lower() == theirs.lower()
            if alike and keys.len() > 2 and float(str(keys.is_in(known).mean())) >= 0.9:
                return 1.0, column, theirs
    return 0.0, "", ""


def propose_unfold(frame: pl.DataFrame) -> tuple[Unfold, ...]:
    """A row for each entry of a repeated element that has a code of its own."""
    lists = [c for c in _columns(frame) if frame[c].drop_nulls().head(1).str.starts_with("[").any()]
    stems: dict[str, list[str]] = {}
    for column in lists:
        if "." in column or "@" in column:
            stems.setdefault(re.split(r"[.@](?=[^.@]*$)", column)[0], []).append(column)
    for stem, columns in sorted(stems.items(), key=lambda item: len(item[0])):
        entries = [
            [e for cell in frame[c].drop_nulls() for e in list_items(cell) if e] for c in columns
        ]
        if len(columns) > 1 and any(len(e) > 3 and len(set(e)) == len(e) for e in entries):
            rest = [c for c in _unique_columns(frame) if c not in lists]
            return (Unfold(columns=(stem,), key=rest[0] if rest else ""),)
    return ()


def propose_companions(
    main: str, samples: Mapping[str, pl.DataFrame], found: Mapping[str, Detection]
) -> tuple[tuple[Companion, ...], str]:
    """Companions out of the same archive, with the reason in plain words."""
    unique = _unique_columns(samples[main])
    companions, reasons = [], []
    for name, frame in samples.items():
        if name == main or not frame.height:
            continue
        share, column, theirs = _best_pair(samples[main], frame, unique)
        if share < _LEAST_SHARED:
            share, column, theirs = _best_list(samples[main], frame)
        if share < _LEAST_SHARED:
            continue
        own = frame[theirs].str.strip_chars()
        zeros = own.drop_nulls().is_in(samples[main][column].implode()).mean()
        reading = found[name].reading.model_copy(
            update={"files": (name,), "reshape": _one_row_a_key(frame, theirs)}
        )
        companions.append(_companion(name, reading, column, theirs, float(str(zeros or 0))))
        reasons.append(f"{PurePosixPath(name).name} shares {min(share, 1):.0%} of {theirs!r}")
    return tuple(companions), "; ".join(reasons)


def _companion(name: str, reading: Reading, column: str, theirs: str, exact: float) -> Companion:
    return Companion(
        name=PurePosixPath(name).stem[:60],
        reading=reading,
        keys=(KeyPair(column=column, theirs=theirs),),
        ignore_zeros=exact < _LEAST_SHARED,
    )


def _one_row_a_key(frame: pl.DataFrame, key: str) -> tuple[Reshape, ...]:
    """A row for each language or kind becomes columns, so that every key stands once."""
    if frame[key].drop_nulls().n_unique() >= frame.height * 0.97:
        return ()
    for column in _columns(frame):
        kinds = frame[column].drop_nulls().n_unique()
        if column == key or not 2 <= kinds <= _MOST_KINDS:
            continue
        if frame.select(key, column).n_unique() >= frame.height * 0.97:
            values = [c for c in _columns(frame) if c not in (key, column)]
            if values:
                pairs = tuple(NamePair(name=column, value=v) for v in values)
                return Attributes(pairs=pairs), Gather(by=(key,))
    return ()
