"""What two crosswalks make of one delivery, beside each other."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Literal

import polars as pl
from pydantic import BaseModel

from nomotax.core.changes.later import LATER
from nomotax.core.changes.marks import NEW, OLD
from nomotax.core.changes.report import percent_text
from nomotax.core.changes.states import STATE, STATE_LABEL
from nomotax.core.numbers import NUMBER
from nomotax.core.schema.model import Role, StoreSchema

#: What a product would hold of a field by the one and by the other, and what it holds now.
BEFORE, AFTER, STORE = "before:", "after:", "store:"
#: What becomes of a line by either, the fields in which it differs, and whether its product would
#: be sold under its cost.
FATE_BEFORE, FATE_AFTER, DIFFERS = "fate_before", "fate_after", "differs"
UNDER_BEFORE, UNDER_AFTER = "under_before", "under_after"
_SIDES = ((BEFORE, FATE_BEFORE, UNDER_BEFORE), (AFTER, FATE_AFTER, UNDER_AFTER))
#: A line by what it is about: the number of its row, or the key of a product that no row names,
#: and the how manieth it is of those.
_OF, _NTH, _HASH, _APART = "__of", "__nth", "__hash", "__apart"
_LINE = [_OF, _NTH]
#: Where one side has no line, a row that is for fewer products, or a product that is not gone.
NO_LINE = "no line"
#: Fates of lines that write nothing, and say why.
_WHY = ("held", "rejected", "left out")
_WORDS = {
    "known": "about a product of the store", "new": "about a new product", "held": "held",
    "rejected": "rejected", "left out": "left out", "gone": "gone", NO_LINE: "not there",
}  # fmt: skip

Kind = Literal["field", "under_cost", "over_cost", "fate", "product"]


class Difference(BaseModel):
    """One thing in which two crosswalks differ, in so many lines: a ``field``; the fate of lines,
    from ``before`` to ``after``, where they are one for another reason; the product that rows are
    about; products that would be sold under their cost, or no more."""

    kind: Kind
    count: int
    said: str
    field: str = ""
    before: str = ""
    after: str = ""

    @property
    def where(self) -> pl.Expr:
        """The lines of ``contrasted`` that it is about."""
        if self.kind == "field":
            return pl.col(DIFFERS).list.contains(self.field)
        if self.kind == "fate":
            return (pl.col(FATE_BEFORE) == self.before) & (pl.col(FATE_AFTER) == self.after)
        if self.kind == "product":
            return pl.col("key_after").is_not_null()
        under, over = pl.col(UNDER_BEFORE), pl.col(UNDER_AFTER)
        return over & ~under if self.kind == "under_cost" else under & ~over


def contrasted(before: pl.LazyFrame, after: pl.LazyFrame, schema: StoreSchema) -> pl.DataFrame:
    """The lines in which two changesets of one delivery, as ``Comparison.judge`` gives their lines,
    differ: row, key, title, ``key_after`` where the row is about another product, for either side
    its fate and reason, for each field that either fills ``before:``, ``after:`` and ``store:``,
    the names of those that differ, and whether the price is under the cost. Only of lines that
    differ is more read than what tells that they do."""
    sides = [_numbered(one) for one in (before, after)]
    have = [_fields(one) for one in sides]
    names = [f for f in (*schema.names, STATE) if f in have[0] or f in have[1]]
    both = [f for f in names if f in have[0] and f in have[1]]
    narrow = [
        one.select(
            *_LINE,
            pl.struct("key", _fate(), _reason(), *(_would(f).alias(f) for f in both))
            .hash(0)
            .alias(_HASH),
            pl.any_horizontal(
                pl.lit(False),
                *(_would(f).ne_missing(pl.col(OLD + f)) for f in own if f not in both),
            ).alias(_APART),
        ).collect()
        for one, own in zip(sides, have, strict=True)
    ]
    told = narrow[0].join(narrow[1], on=_LINE, how="full", coalesce=True, suffix="_after")
    apart = pl.any_horizontal(_APART, _APART + "_after").fill_null(False)
    asked = told.filter(pl.col(_HASH).ne_missing(pl.col(_HASH + "_after")) | apart).select(_LINE)
    wide = [
        _wide(one.join(asked.lazy(), on=_LINE, how="semi"), own, marks, names)
        for one, own, marks in zip(sides, have, _SIDES, strict=True)
    ]
    joined = wide[0].join(wide[1], on=_LINE, how="full", coalesce=True, suffix="_after")
    return _judged(joined.collect(), names, have, schema)


def _numbered(lines: pl.LazyFrame) -> pl.LazyFrame:
    """Lines with what they are known by, and all fields that they write, at once or on a day."""
    of = pl.coalesce(pl.col("row").cast(pl.String), pl.lit("=") + pl.col("key"))
    named = [pl.col(c).fill_null([]) for c in ("fields", LATER) if c in lines.collect_schema()]
    return lines.with_columns(of.alias(_OF), pl.concat_list(named).alias("fields")).with_columns(
        pl.int_range(pl.len()).over(_OF).alias(_NTH)
    )


def _fields(lines: pl.LazyFrame) -> set[str]:
    names = lines.collect_schema().names()
    return {
        c.removeprefix(NEW) for c in names if c.startswith(NEW) and OLD + c[len(NEW) :] in names
    }


def _fate() -> pl.Expr:
    return pl.col("status").replace({"changed": "known", "same": "known"}).alias("fate")


def _reason() -> pl.Expr:
    """Why a line writes nothing."""
    return pl.when(pl.col("status").is_in(_WHY)).then("reason").alias("reason")


def _would(field: str) -> pl.Expr:
    """What the product of a line would hold of a field."""
    writes = (pl.col("status") == "new") | pl.col("fields").list.contains(field)
    return pl.when(writes).then(NEW + field).otherwise(OLD + field)


def _wide(
    lines: pl.LazyFrame, own: set[str], marks: tuple[str, str, str], names: Sequence[str]
) -> pl.LazyFrame:
    value, fate, _ = marks
    return lines.select(
        *_LINE, "row", "key", "title", _fate().alias(fate), _reason().alias(f"reason_{fate}"),
        *(_would(f).alias(value + f) for f in names if f in own),
        *(pl.col(OLD + f).alias(f"{STORE}{value}{f}") for f in names if f in own),
    )  # fmt: skip


def _judged(
    joined: pl.DataFrame, names: Sequence[str], have: Sequence[set[str]], schema: StoreSchema
) -> pl.DataFrame:
    """Both sides of lines that differ: what one of them does not fill stays as the store has it."""
    stored = {
        f: pl.coalesce(
            pl.col(f"{STORE}{marks[0]}{f}")
            for own, marks in zip(have, _SIDES, strict=True)
            if f in own
        )
        for f in names
    }
    whole = joined.with_columns(one.alias(STORE + f) for f, one in stored.items()).with_columns(
        (pl.col(marks[0] + f) if f in own else pl.col(STORE + f)).alias(marks[0] + f)
        for own, marks in zip(have, _SIDES, strict=True)
        for f in names
    )
    fates = [pl.col(fate).fill_null(NO_LINE) for _, fate, _ in _SIDES]
    there = pl.all_horizontal(one != NO_LINE for one in fates)
    # A product that is made is the same one under whatever key; one that is there is not.
    made = [one == "new" for one in fates]
    other = there & ~pl.all_horizontal(made) & pl.col("key").ne_missing(pl.col("key_after"))
    differ = [
        pl.when(
            there & ~other & (made[0] == made[1]) & pl.col(BEFORE + f).ne_missing(pl.col(AFTER + f))
        ).then(pl.lit(f))
        for f in names
    ]
    listed = pl.concat_list(differ).list.drop_nulls() if differ else pl.lit([], pl.List(pl.String))
    told = whole.with_columns(
        *fates,
        listed.alias(DIFFERS),
        pl.coalesce("row", "row_after").alias("row"),
        pl.coalesce("title_after", "title").alias("title"),
        pl.coalesce("key", "key_after").alias("key"),
        pl.when(other).then("key_after").alias("key_after"),
    ).with_columns(
        (pl.col("key_after").is_null() & _under(schema, names, value).fill_null(False)).alias(under)
        for value, _, under in _SIDES
    )
    told = told.sort("row", "key", _NTH, nulls_last=True, maintain_order=True).select(
        "row", "key", "key_after", "title", FATE_BEFORE, FATE_AFTER,
        pl.col(f"reason_{FATE_BEFORE}").alias("reason_before"),
        pl.col(f"reason_{FATE_AFTER}").alias("reason_after"),
        DIFFERS, UNDER_BEFORE, UNDER_AFTER,
        *(c + f for f in names for c in (BEFORE, AFTER, STORE)),
    )  # fmt: skip
    apart = pl.col(FATE_BEFORE) != pl.col(FATE_AFTER)
    apart |= pl.col("reason_before").ne_missing(pl.col("reason_after"))
    return told.filter(apart | pl.col("key_after").is_not_null() | (pl.col(DIFFERS).list.len() > 0))


def _under(schema: StoreSchema, names: Sequence[str], value: str) -> pl.Expr:
    """Whether a product would be sold under its cost."""
    price, cost = schema.with_role(Role.PRICE), schema.with_role(Role.COST)
    if price is None or cost is None or not {price.name, cost.name} <= {*names}:
        return pl.lit(False)
    if price.currency != cost.currency:
        return pl.lit(False)
    own, pays = (pl.col(value + f.name).cast(NUMBER, strict=False) for f in (price, cost))
    return (own < pays) & (pays > 0)


def differences(lines: pl.LazyFrame, schema: StoreSchema) -> list[Difference]:
    """In what ``contrasted`` lines differ: prices first, then what is sold under cost, the fates,
    and the other fields, those of many lines first."""
    named = lines.select(pl.col(DIFFERS).explode().alias("f")).drop_nulls()
    counts = dict(named.group_by("f").len().collect().iter_rows())
    money = {f.name for f in schema.fields if f.currency}
    fields = [_of_field(lines, f, n, schema) for f, n in counts.items()]
    prices = [one for one in fields if one.field in money]
    others = [one for one in fields if one.field not in money]

    def many(one: Difference) -> int:
        return -one.count

    return [*sorted(prices, key=many), *_costs(lines), *_products(lines),
            *sorted(_fates(lines), key=many), *sorted(others, key=many)]  # fmt: skip


def _of_field(lines: pl.LazyFrame, field: str, count: int, schema: StoreSchema) -> Difference:
    what = f"{count:,} {'product' if count == 1 else 'products'}"
    label = schema[field].label if field in schema else STATE_LABEL
    found = Difference(kind="field", field=field, count=count, said=f"{label} of {what} is another")
    if field not in schema or not schema[field].numeric:
        return found
    old, new = (pl.col(c + field) for c in (BEFORE, AFTER))
    moves = lines.filter(found.where).select(
        by=percent_text(old, new).cast(pl.Float64),
        up=new.cast(NUMBER, strict=False) > old.cast(NUMBER, strict=False),
        down=new.cast(NUMBER, strict=False) < old.cast(NUMBER, strict=False),
    )
    own = moves.collect()
    up, down, middle = own["up"].sum(), own["down"].sum(), own["by"].median()
    ways = ", ".join(f"{n:,} {way}" for n, way in ((up, "up"), (down, "down")) if n)
    if not ways:
        return found
    by = f", the middle one by {middle:+.1f} %" if isinstance(middle, float) else ""
    return found.model_copy(update={"said": f"{label} of {what} moves: {ways}{by}"})


def _counted(lines: pl.LazyFrame, kind: Kind, one: str, many: str) -> Iterator[Difference]:
    """How many lines are of a kind, said as of one or of several."""
    found = Difference(kind=kind, count=0, said="")
    count = int(lines.filter(found.where).select(pl.len()).collect().item())
    if count:
        said = f"{count:,} {one if count == 1 else many}"
        yield found.model_copy(update={"count": count, "said": said})


def _costs(lines: pl.LazyFrame) -> Iterator[Difference]:
    yield from _counted(lines, "under_cost", "product falls under cost", "products fall under cost")
    yield from _counted(
        lines, "over_cost", "product is under cost no more", "products are under cost no more"
    )


def _products(lines: pl.LazyFrame) -> Iterator[Difference]:
    yield from _counted(
        lines, "product", "row is about another product", "rows are about other products"
    )


def _fates(lines: pl.LazyFrame) -> Iterator[Difference]:
    pairs = lines.group_by(FATE_BEFORE, FATE_AFTER).len().sort(FATE_BEFORE, FATE_AFTER).collect()
    for before, after, count in pairs.iter_rows():
        if before != after or before in _WHY:
            yield Difference(kind="fate", count=count, before=before, after=after,
                             said=_said_of_fate(before, after, count))  # fmt: skip


def _said_of_fate(before: str, after: str, count: int) -> str:
    one = count == 1
    what = f"{count:,} {'row' if one else 'rows'}"
    if NO_LINE in (before, after) or "gone" in (before, after):
        what = f"{count:,} {'line' if one else 'lines'}"
    was, now = ("was", "is") if one else ("were", "are")
    if before == after:
        return f"{what} {now} {after} for another reason"
    return f"{what} {now} {_WORDS[after]} that {was} {_WORDS[before]}"
