"""A second table joined to a feed on a key.

Every row stays: a repeated key, a blank key and a key without a partner are counted and told,
and no column of a companion overwrites one of the feed unless a person has said which wins.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping

import polars as pl

from nomotax.core.errors import UnreadableFile
from nomotax.core.numbers import DecimalMark
from nomotax.core.reading.model import ArrivingTable, Companion, Reading
from nomotax.core.reading.problem import ReadingProblem
from nomotax.core.table import FAULT, HIDDEN, ROW

_EXAMPLES = 10
#: What a join tells.
JOIN_KINDS = (
    "companion_joined", "no_partner", "companion_no_partner", "companion_repeated_key",
    "companion_blank_key", "companion_ambiguous_key", "companion_missing",
)  # fmt: skip


def join(table: pl.LazyFrame, own: Companion, other: ArrivingTable) -> Joined:
    """The table with the companion's columns, called ``name: column``.

    Raises ``UnreadableFile`` when a key column is missing on either side.
    """
    columns = [c for c in table.collect_schema().names() if c not in HIDDEN]
    _need(own, columns, other.columns)
    keys = [f"__key{i}" for i in range(len(own.keys))]
    left = table.with_columns(
        _key(k.column, own).alias(n) for k, n in zip(own.keys, keys, strict=True)
    ).collect(engine="streaming")
    titles = {c: f"{own.name}: {c}" for c in other.columns}
    right = (
        other.lazy.with_columns(
            _key(k.theirs, own).alias(n) for k, n in zip(own.keys, keys, strict=True)
        )
        .rename(titles | {FAULT: "__their_fault"})
        .drop(ROW)
        .collect(engine="streaming")
    )
    told: list[ReadingProblem] = []
    named = right.drop_nulls(keys)
    usable = _without_ambiguous(own, named, keys, titles, told)
    single = usable.unique(keys, keep=own.repeated, maintain_order=True)
    _tell_keys(own, right.height - named.height, usable, keys, told)
    joined = left.join(single, on=keys, how="left", maintain_order="left")
    joined = joined.with_columns(
        pl.coalesce(FAULT, pl.format(f"{own.name}: {{}}", "__their_fault")).alias(FAULT)
    )
    rest = single.join(left, on=keys, how="anti", maintain_order="left")
    _tell_partners(own, left, rest, keys, told, left.join(single, on=keys, how="anti"))
    if own.adds and rest.height:
        joined = pl.concat([joined, _added(own, rest, titles)], how="diagonal")
    joined = _preferred(own, joined, columns, titles)
    return joined.drop(*keys, "__their_fault").select(*HIDDEN, *columns, *titles.values()), told


def _without_ambiguous(
    own: Companion,
    usable: pl.DataFrame,
    keys: list[str],
    titles: dict[str, str],
    told: list[ReadingProblem],
) -> pl.DataFrame:
    """The companion's rows without those whose keys are one once zeros do not count: nobody can
    say which of them a row means, so it is given neither."""
    if not own.ignore_zeros:
        return usable
    strict = own.model_copy(update={"ignore_zeros": False})
    written = [
        _key(titles[k.theirs], strict).alias(f"{n}w") for k, n in zip(own.keys, keys, strict=True)
    ]
    names = [f"{n}w" for n in keys]
    doubled = (
        usable.with_columns(written)
        .group_by(keys, maintain_order=True)
        .agg(
            pl.struct(names).n_unique().alias("__n"),
            pl.concat_str(names, separator=" + ").unique().sort().alias("__seen"),
        )
        .filter(pl.col("__n") > 1)
    )
    if doubled.height == 0:
        return usable
    shown = doubled["__seen"].list.join(" and ").head(_EXAMPLES).to_list()
    told.append(
        ReadingProblem(
            kind="companion_ambiguous_key",
            count=doubled.height,
            examples=tuple(shown),
            message=f"{own.name}: {doubled.height:,} keys are several once zeros do not count (as "
            f"{shown[0]}); their rows are joined to none.",
        )
    )
    return usable.join(doubled, on=keys, how="anti", maintain_order="left")


Joined = tuple[pl.DataFrame, list[ReadingProblem]]


def _need(own: Companion, columns: list[str], theirs: list[str]) -> None:
    wanted = [*(k.column for k in own.keys), *(p.column for p in own.prefer)]
    wanted_theirs = [*(k.theirs for k in own.keys), *(p.theirs for p in own.prefer)]
    for names, here, where in (
        (wanted, columns, "the feed"),
        (wanted_theirs, theirs, f"the companion {own.name!r}"),
    ):
        missing = [repr(n) for n in names if n not in here]
        if missing:
            raise UnreadableFile(
                f"{where[:1].upper()}{where[1:]} has no column {', '.join(missing)}, which the "
                "join asks for.",
                where=f"companion {own.name!r}",
                remedy=f"Choose among: {', '.join(here[:20])}.",
            )


def _key(column: str, own: Companion) -> pl.Expr:
    text = pl.col(column)
    if own.ignore_blanks:
        text = text.str.strip_chars().str.replace_all(r"\s+", " ")
    if own.ignore_case:
        text = text.str.to_lowercase()
    if own.ignore_zeros:
        text = text.str.replace(r"^0+(.)", "$1")
    return pl.when(text != "").then(text)


def _seen(frame: pl.DataFrame, columns: list[str]) -> tuple[str, ...]:
    cells = frame.head(_EXAMPLES).select(pl.concat_str(columns, separator=" + ", ignore_nulls=True))
    return tuple(cells.to_series().to_list())


def _tell_keys(
    own: Companion,
    blank: int,
    usable: pl.DataFrame,
    keys: list[str],
    told: list[ReadingProblem],
) -> None:
    if blank:
        told.append(
            ReadingProblem(
                kind="companion_blank_key",
                count=blank,
                message=f"{own.name}: {blank:,} rows have no key and cannot be joined.",
            )
        )
    repeats = usable.group_by(keys, maintain_order=True).len().filter(pl.col("len") > 1)
    if repeats.height:
        told.append(
            ReadingProblem(
                kind="companion_repeated_key",
                count=repeats.height,
                examples=_seen(repeats, keys),
                message=f"{own.name}: {repeats.height:,} keys stand more than once; the "
                f"{own.repeated} row of each is used.",
            )
        )


def _tell_partners(
    own: Companion,
    left: pl.DataFrame,
    rest: pl.DataFrame,
    keys: list[str],
    told: list[ReadingProblem],
    lonely: pl.DataFrame,
) -> None:
    matched = left.height - lonely.height
    told.append(
        ReadingProblem(
            kind="companion_joined",
            level="note",
            count=matched,
            message=f"{own.name}: joined to {matched:,} of {left.height:,} rows.",
        )
    )
    if lonely.height:
        told.append(
            ReadingProblem(
                kind="no_partner",
                count=lonely.height,
                examples=_seen(lonely, keys),
                message=f"{lonely.height:,} rows have no partner in {own.name}.",
            )
        )
    if rest.height:
        became = "became rows of their own" if own.adds else "are not used"
        told.append(
            ReadingProblem(
                kind="companion_no_partner",
                # No list has all that a store sells.
                level="note" if own.adds or own.catalog is not None else "doubt",
                count=rest.height,
                examples=_seen(rest, keys),
                message=f"{own.name}: {rest.height:,} rows belong to no row of the feed; they "
                f"{became}.",
            )
        )


def _added(own: Companion, rest: pl.DataFrame, titles: dict[str, str]) -> pl.DataFrame:
    """Rows that only the companion has, its key standing in the feed's key columns."""
    keys = [pl.col(titles[k.theirs]).alias(k.column) for k in own.keys]
    return rest.with_columns(*keys, pl.col("__their_fault").alias(FAULT))


def _preferred(
    own: Companion, joined: pl.DataFrame, columns: list[str], titles: dict[str, str]
) -> pl.DataFrame:
    for choice in own.prefer:
        mine, theirs = pl.col(choice.column), pl.col(titles[choice.theirs])
        order = (theirs, mine) if choice.wins == "companion" else (mine, theirs)
        joined = joined.with_columns(pl.coalesce(order).alias(choice.column))
    return joined


def marks_of(
    reading: Reading, columns: Iterable[str], others: Mapping[str, DecimalMark]
) -> dict[str, DecimalMark]:
    """The columns of companions that write numbers with another mark than the feed itself.
    ``others`` has the marks of companions that came from other feeds, by name."""
    marks = {c.name: c.reading.decimal for c in reading.companions if c.reading is not None}
    differing = {n: m for n, m in {**others, **marks}.items() if m != reading.decimal}
    return {
        column: mark
        for column in columns
        for name, mark in differing.items()
        if column.startswith(f"{name}: ")
    }


def join_all(
    table: pl.LazyFrame,
    companions: tuple[Companion, ...],
    tables: dict[str, ArrivingTable],
    told: list[ReadingProblem],
) -> pl.LazyFrame:
    """Join the companions in their order, so that a later one may use an earlier one's columns.
    One whose table is not at hand yet is told and passed over."""
    for own in companions:
        other = tables.get(own.name)
        if other is None:
            told.append(
                ReadingProblem(
                    kind="companion_missing",
                    message=f"The companion {own.name!r} has not arrived; its columns are missing.",
                )
            )
            continue
        told.extend(
            p.model_copy(update={"message": f"{own.name}: {p.message}"}) for p in other.problems
        )
        joined, said = join(table, own, other)
        told.extend(said)
        numbers = pl.int_range(1, pl.len() + 1, dtype=pl.UInt32).alias(ROW)
        table = joined.lazy().with_columns(numbers)
    return table
