"""Changes of shape between what the file holds and one row a product.

Each change is a small value with one way to be applied: a lazy table in, a lazy table out, and
what there is to say about it. Rows never vanish unsaid: every change counts them.
"""

from __future__ import annotations

from typing import Annotated, Literal

import polars as pl
from pydantic import BaseModel, ConfigDict, Field

from nomotax.core.errors import UnreadableFile
from nomotax.core.reading.lists import as_lists, list_cells
from nomotax.core.reading.problem import ReadingProblem
from nomotax.core.reading.reshape_rows import CarryDown, KeepOnly, TakeRows
from nomotax.core.reading.shape_change import ShapeChange, count_rows, free_name, said
from nomotax.core.table import FAULT, HIDDEN, ROW

_MOST_ATTRIBUTES = 300
_EXAMPLES = 10


def _under(names: list[str], stem: str) -> list[str]:
    """The columns that a repeated element became: itself and what lies below it."""
    return [n for n in names if n == stem or n.startswith((f"{stem}.", f"{stem}@"))]


class Unfold(ShapeChange):
    """One row a variant. ``columns`` hold lists of equal length, entry by entry; a name also
    means every column below it (``size`` stands for ``size.width``). With ``separator`` cells are
    cut there, else they are JSON arrays. ``group`` is the new column that keeps the rows of one
    product together: the value of ``key``, or the number of the row they came from."""

    do: Literal["unfold"] = "unfold"
    columns: tuple[str, ...] = Field(min_length=1)
    separator: str = Field(default="", max_length=10)
    key: str = ""
    group: str = Field(default="group", min_length=1)

    def describe(self) -> str:
        return f"one row for each entry of {said(self.columns)}"

    def apply(self, table: pl.LazyFrame, told: list[ReadingProblem]) -> pl.LazyFrame:
        names = [n for n in table.collect_schema().names() if n not in HIDDEN]
        chosen = [n for stem in self.columns for n in _under(names, stem)]
        self.need(table, tuple(s for s in self.columns if not _under(names, s)))
        if self.key:
            self.need(table, (self.key,))
        before = count_rows(table)
        group = pl.col(self.key) if self.key else pl.format("row {}", ROW)
        lists = table.with_columns(
            *(as_lists(n, self.separator) for n in chosen),
            group.alias(free_name(names, self.group)),
        )
        lengths = [pl.col(n).list.len().fill_null(0).cast(pl.Int64) for n in chosen]
        longest = pl.max_horizontal(*lengths, pl.lit(1))
        uneven = pl.any_horizontal((n > 0) & (n != pl.max_horizontal(*lengths)) for n in lengths)
        fault = pl.format(
            "the lists have unequal lengths: {}",
            pl.concat_str(
                [pl.format(f"{_brace(n)} {{}}", x) for n, x in zip(chosen, lengths, strict=True)],
                separator=", ",
            ),
        )
        marked = (
            lists.with_columns(pl.when(uneven).then(fault).otherwise(FAULT).alias(FAULT))
            .collect()
            .lazy()
        )
        padded = marked.with_columns(
            pl.col(n)
            .fill_null(pl.lit([], dtype=pl.List(pl.String)))
            .list.gather(pl.int_ranges(0, longest), null_on_oob=True)
            for n in chosen
        ).explode(chosen)
        wrong = count_rows(marked.filter(uneven))
        if wrong:
            told.append(
                ReadingProblem(
                    kind="uneven_lists",
                    level="broken",
                    count=wrong,
                    message=f"In {wrong:,} rows the lists have unequal lengths; which entries "
                    "belong together is not known, so these rows are held.",
                )
            )
        _tell_rows(told, self.describe(), before, count_rows(padded))
        return padded


def _brace(name: str) -> str:
    return name.replace("{", "{{").replace("}", "}}")


def _tell_rows(told: list[ReadingProblem], what: str, before: int, after: int) -> None:
    told.append(
        ReadingProblem(
            kind="reshaped",
            level="note",
            count=after,
            message=f"{what[:1].upper()}{what[1:]}: {before:,} rows became {after:,}.",
        )
    )


Keeping = Literal["first", "join", "collect", "align"]


class Gather(ShapeChange):
    """Several rows of one product become one. For each column: ``first`` takes the first filled
    cell, ``join`` writes the different ones one behind the other, ``collect`` makes a list of the
    filled ones, ``align`` a list with one entry for each row that has any aligned column filled.
    Columns not named follow ``others``."""

    do: Literal["gather"] = "gather"
    by: tuple[str, ...] = Field(min_length=1)
    columns: dict[str, Keeping] = Field(default_factory=dict)
    others: Literal["first", "collect"] = "first"
    joiner: str = " "

    def describe(self) -> str:
        return f"one row for each {said(self.by)}"

    def apply(self, table: pl.LazyFrame, told: list[ReadingProblem]) -> pl.LazyFrame:
        self.need(table, (*self.by, *self.columns))
        names = [n for n in table.collect_schema().names() if n not in HIDDEN]
        keeps = {n: self.columns.get(n, self.others) for n in names if n not in self.by}
        aligned = [n for n, k in keeps.items() if k == "align"]
        any_aligned = pl.any_horizontal(pl.col(n).is_not_null() for n in aligned or [ROW])
        blank = pl.all_horizontal(pl.col(c).is_null() for c in self.by)
        alone = pl.when(blank).then(pl.col(ROW)).alias("__alone")
        groups = table.with_columns(alone).group_by("__alone", *self.by, maintain_order=True)
        made = groups.agg(
            pl.col(ROW).first(),
            pl.col(FAULT).drop_nulls().first(),
            *(self._kept(n, keep, any_aligned) for n, keep in keeps.items()),
            *(pl.col(n).drop_nulls().n_unique().alias(f"__n{i}") for i, n in enumerate(keeps)),
        )
        self._tell(table, made, keeps, told)
        lists = [n for n, k in keeps.items() if k in ("collect", "align")]
        return made.with_columns(list_cells(pl.col(n)).alias(n) for n in lists).select(
            *HIDDEN, *names
        )

    def _kept(self, name: str, keep: Keeping, any_aligned: pl.Expr) -> pl.Expr:
        cells = pl.col(name)
        if keep == "join":
            joined = cells.drop_nulls().unique(maintain_order=True).str.join(self.joiner)
            return pl.when(cells.is_not_null().any()).then(joined).alias(name)
        if keep == "collect":
            return cells.drop_nulls()
        if keep == "align":
            return cells.filter(any_aligned)
        return cells.drop_nulls().first()

    def _tell(
        self,
        table: pl.LazyFrame,
        made: pl.LazyFrame,
        keeps: dict[str, Keeping],
        told: list[ReadingProblem],
    ) -> None:
        order = list(keeps)
        counts = made.select(
            pl.len().alias("rows"),
            pl.col("__alone").is_not_null().sum().alias("alone"),
            *((pl.col(f"__n{i}") > 1).sum().alias(f"__n{i}") for i in range(len(order))),
        ).collect(engine="streaming")
        _tell_rows(told, self.describe(), count_rows(table), counts["rows"][0])
        if counts["alone"][0]:
            told.append(
                ReadingProblem(
                    kind="blank_key",
                    count=counts["alone"][0],
                    message=f"{counts['alone'][0]:,} rows have no {said(self.by)}; each stays a "
                    "row of its own.",
                )
            )
        for index, name in enumerate(order):
            differing = counts[f"__n{index}"][0]
            if keeps[name] == "first" and differing:
                told.append(
                    ReadingProblem(
                        kind="differing_values",
                        count=differing,
                        message=f"{name!r} differs among the rows of {differing:,} products; the "
                        "first is taken. Join or collect it to keep all.",
                    )
                )


class BundleColumns(ShapeChange):
    """Several columns become one ordered list; empty cells are passed over."""

    do: Literal["bundle"] = "bundle"
    columns: tuple[str, ...] = Field(min_length=2)
    into: str = Field(min_length=1)

    def describe(self) -> str:
        return f"{len(self.columns)} columns bundled into {self.into!r}"

    def apply(self, table: pl.LazyFrame, told: list[ReadingProblem]) -> pl.LazyFrame:
        self.need(table, self.columns)
        names = [n for n in table.collect_schema().names() if n not in HIDDEN]
        rest = [n for n in names if n not in self.columns]
        into = free_name(rest, self.into)
        at = names.index(self.columns[0])
        items = pl.concat_list([pl.col(c) for c in self.columns]).list.drop_nulls()
        order = [n for n in names[:at] if n in rest], [n for n in names[at:] if n in rest]
        return table.with_columns(list_cells(items).alias(f"__{into}")).select(
            *HIDDEN, *order[0], pl.col(f"__{into}").alias(into), *order[1]
        )


class Rename(ShapeChange):
    """A column that arrives under another name is called ``into``, as everything that is saved
    calls it. A delivery that has not the ``column``, or has both, is left as it is."""

    do: Literal["rename"] = "rename"
    column: str = Field(min_length=1)
    into: str = Field(min_length=1)

    def describe(self) -> str:
        return f"{self.column!r} is called {self.into!r}"

    def apply(self, table: pl.LazyFrame, told: list[ReadingProblem]) -> pl.LazyFrame:
        names = table.collect_schema().names()
        if self.column not in names:
            return table
        if self.into in names:
            told.append(
                ReadingProblem(
                    kind="both_names",
                    message=f"{self.column!r} and {self.into!r} are both there; neither is called "
                    "otherwise.",
                )
            )
            return table
        return table.rename({self.column: self.into})


class NamePair(BaseModel):
    """A column that names an attribute, and the one that holds its value."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: str
    value: str


class Attributes(ShapeChange):
    """Pairs of name and value columns become one column for each name that occurs, called
    ``prefix: name``; where one name column (a language) has several values, ``value: name``."""

    do: Literal["attributes"] = "attributes"
    pairs: tuple[NamePair, ...] = Field(min_length=1)
    prefix: str = "attribute"

    def describe(self) -> str:
        return f"{len(self.pairs)} pairs of name and value made columns"

    def apply(self, table: pl.LazyFrame, told: list[ReadingProblem]) -> pl.LazyFrame:
        used = tuple(dict.fromkeys(c for p in self.pairs for c in (p.name, p.value)))
        self.need(table, used)
        names, made = table.collect_schema().names(), []
        for prefix, pairs in self._families().items():
            found = self._names(table, pairs)
            if len(found) > _MOST_ATTRIBUTES:
                raise UnreadableFile(
                    f"{len(found):,} different names stand in {pairs[0].name!r} and its like; "
                    "that is no list of attributes.",
                    where=self.describe(),
                    remedy="Check which columns hold the names.",
                )
            for name in found:
                title = free_name(names, f"{prefix}: {name}" if prefix else name)
                names.append(title)
                made.append(self._value(name, pairs).alias(title))
            self._tell(table, pairs, found, told)
        return table.with_columns(made).drop(used)

    def _families(self) -> dict[str, list[NamePair]]:
        """Pairs whose values belong into the same columns, by the stem of those columns."""
        names = [p.name for p in self.pairs]
        families: dict[str, list[NamePair]] = {}
        for pair in self.pairs:
            stem = pair.value if names.count(pair.name) > 1 else self.prefix
            families.setdefault(stem, []).append(pair)
        return families

    def _names(self, table: pl.LazyFrame, pairs: list[NamePair]) -> list[str]:
        cells = pl.concat([table.select(pl.col(p.name).alias("n")) for p in pairs])
        counts = cells.select(pl.col("n").str.strip_chars()).drop_nulls().filter(pl.col("n") != "")
        ranked = counts.group_by("n").len().sort("len", "n", descending=[True, False])
        return ranked.collect()["n"].to_list()

    def _value(self, name: str, pairs: list[NamePair]) -> pl.Expr:
        return pl.coalesce(
            pl.when(pl.col(p.name).str.strip_chars() == name).then(pl.col(p.value)) for p in pairs
        )

    def _tell(
        self,
        table: pl.LazyFrame,
        pairs: list[NamePair],
        found: list[str],
        told: list[ReadingProblem],
    ) -> None:
        told.append(
            ReadingProblem(
                kind="reshaped",
                level="note",
                count=len(found),
                message=f"{len(found)} names became columns: {', '.join(found)[:200]}.",
            )
        )
        both = pl.lit(False)
        for i, a in enumerate(pairs):
            for b in pairs[i + 1 :]:
                same = pl.col(a.name) == pl.col(b.name)
                both = both | (same & (pl.col(a.value) != pl.col(b.value)))
        twice = count_rows(table.filter(both)) if len(pairs) > 1 else 0
        if twice:
            told.append(
                ReadingProblem(
                    kind="repeated_attribute",
                    count=twice,
                    message=f"{twice:,} rows give the same attribute twice with different "
                    "values; the first is taken.",
                )
            )
        nameless = pl.any_horizontal(
            pl.col(p.value).is_not_null() & pl.col(p.name).str.strip_chars().fill_null("").eq("")
            for p in pairs
        )
        lost = count_rows(table.filter(nameless))
        if lost:
            told.append(
                ReadingProblem(
                    kind="nameless_value",
                    level="broken",
                    count=lost,
                    message=f"{lost:,} rows have a value without a name; it is in no column.",
                )
            )


Reshape = Annotated[
    Unfold | Gather | Rename | BundleColumns | Attributes | KeepOnly | CarryDown | TakeRows,
    Field(discriminator="do"),
]


def reshape(
    table: pl.LazyFrame, changes: tuple[Reshape, ...], told: list[ReadingProblem]
) -> pl.LazyFrame:
    """Apply changes one after the other, each on the whole table in memory; rows are numbered
    anew. Another name is given on the way, and changes no row."""
    for change in changes:
        if isinstance(change, Rename):
            table = change.apply(table, told)
            continue
        table = change.apply(table, told).collect(engine="streaming").lazy()
        table = table.with_columns(pl.int_range(1, pl.len() + 1, dtype=pl.UInt32).alias(ROW))
    return table
