"""What each kind of guard looks for. A share is of whole numbers, and prices are exact; only
ratios that are set beside each other as statistics are floats."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import replace
from decimal import Decimal
from statistics import median
from typing import NamedTuple

import polars as pl

from nomotax.core.changes.marks import NEW, OLD
from nomotax.core.drift.model import DriftKind
from nomotax.core.guards.facts import KNOWN, PLACE, WRITES, Facts, rough, whole
from nomotax.core.guards.model import SORTS, Finding, Guard, GuardKind
from nomotax.core.kinds import FieldKind
from nomotax.core.schema.model import Role, StoreField, StoreSchema

#: Of fewer lines than these nothing is told by their share.
_FEW = 5
#: A shift of scale is seen in so many products at least.
_ALIKE = 3
#: A ratio is one of a unit when it is no further from it than this.
_NEAR = 0.02
#: Of a price, which moves besides.
_NEAR_PRICE = 0.3
#: Kinds of fields whose numbers are of a unit.
_SCALED = (FieldKind.MONEY, FieldKind.MEASURE, FieldKind.DECIMAL)
#: Prices that all moved by the same factor, within this.
_SAME = 0.01
#: So many unusual things are said of a run.
_SAID = 3
#: What another guard says of the catalog, where it saw it there.
_TOLD_BY: Mapping[DriftKind, GuardKind] = {
    "rows_dropped": "rows_fewer",
    "scale_shifted": "scale_shifted",
    "prices_moved": "prices_moved",
    "stock_emptied": "stock_emptied",
    "fill_dropped": "cells_empty",
}
#: The whole in hundredths of a percent.
_ALL = 10_000


class Seen(NamedTuple):
    """What was seen, of which field, and where the lines stand that it is about."""

    said: str
    field: str = ""
    places: pl.Series | None = None


Look = Callable[[Facts, Decimal], Iterator[Seen]]


def findings(facts: Facts, guards: Sequence[Guard]) -> Iterator[tuple[Finding, pl.Series]]:
    """What the guards that are on see in a changeset, with the places of the lines; none of one
    without lines. That the delivery is unusual comes last: what another guard has said of the
    catalog is not said again."""
    told: set[GuardKind] = set()
    for guard in guards:
        if not guard.on:
            continue
        if guard.kind == "delivery_unusual":
            left = [one for one in facts.unusual if _TOLD_BY.get(one.kind) not in told]
            facts = replace(facts, unusual=left)
        for seen in LOOKS[guard.kind](facts, guard.limit):
            places = seen.places if seen.places is not None else pl.Series([], dtype=pl.UInt32)
            made = Finding(
                kind=guard.kind, field=seen.field, holds=SORTS[guard.kind].holds, said=seen.said,
                lines=places.len(),
            )  # fmt: skip
            told.add(guard.kind)
            yield made, places.cast(pl.UInt32)


def _over(part: int, whole: int, limit: Decimal) -> bool:
    """Whether a part is more than so many percent of a whole."""
    return whole > 0 and part * 100 > limit * whole


def _share(part: int, whole: int) -> str:
    return f"{Decimal(part * 100) / whole:.0f} %"


def _hundredths(limit: Decimal) -> int:
    """A limit in hundredths of a percent, of which ``_ALL`` are the whole."""
    return int(limit * 100)


def _rows_fewer(facts: Facts, limit: Decimal) -> Iterator[Seen]:
    if facts.trial or not facts.earlier:
        return
    usual = int(median(one.rows for one in facts.earlier))
    many = usual - facts.rows >= _FEW or not facts.rows
    if many and _over(usual - facts.rows, usual, limit):
        last = "the last one had" if len(facts.earlier) == 1 else "is usual"
        fewer = _share(usual - facts.rows, usual)
        yield Seen(f"{facts.rows:,} rows: {fewer} fewer than the {usual:,} that {last}")


def _rows_rejected(facts: Facts, limit: Decimal) -> Iterator[Seen]:
    count = facts.counts.get("rejected", 0)
    if count >= _FEW and _over(count, facts.rows, limit):
        where = facts.take(where=pl.col("status") == "rejected")[PLACE]
        said = f"{count:,} of {facts.rows:,} rows are rejected, {_share(count, facts.rows)}"
        yield Seen(said, places=where)


def _products_new(facts: Facts, limit: Decimal) -> Iterator[Seen]:
    count = facts.counts.get("new", 0)
    if not facts.trial and facts.earlier and count >= _FEW and _over(count, facts.rows, limit):
        said = (
            f"{count:,} of {facts.rows:,} rows are about products that the store does not have, "
            f"{_share(count, facts.rows)}: are their keys written otherwise?"
        )
        yield Seen(said, places=facts.take(where=pl.col("status") == "new")[PLACE])


def _products_gone(facts: Facts, limit: Decimal) -> Iterator[Seen]:
    moves = (pl.col("status") == "gone") & (pl.col("fields").list.len() > 0)
    found = facts.take(where=moves)[PLACE]
    of = found.len() + sum(facts.counts.get(status, 0) for status in ("changed", "same"))
    if found.len() >= _FEW and _over(found.len(), of, limit):
        said = f"{found.len():,} of its {of:,} products are gone, {_share(found.len(), of)}"
        yield Seen(said, places=found)


def _is_price(one: StoreField) -> bool:
    return one.kind is FieldKind.MONEY and one.role not in (Role.COST, Role.LIST_PRICE)


def _price_moved(facts: Facts, limit: Decimal) -> Iterator[Seen]:
    for one in facts.compared(_is_price):
        old, new = whole(OLD + one.name), whole(NEW + one.name)
        far = (new - old).abs() * _ALL > old.abs() * _hundredths(limit)
        moved = facts.take(
            pl.col(OLD + one.name).alias("old"), pl.col(NEW + one.name).alias("new"),
            where=facts.touches(one.name) & KNOWN & far,
        )  # fmt: skip
        if moved.height:
            most = moved.with_columns(by=(rough("new") / rough("old")).log().abs())
            old_one, new_one, *_ = most.sort("by", descending=True, nulls_last=True).select(
                "old", "new"
            ).row(0)  # fmt: skip
            what = "products move" if moved.height > 1 else "product moves"
            said = f"{one.label} of {moved.height:,} {what} by over {_plain(limit)} %"
            yield Seen(f"{said}, as {old_one} to {new_one}", one.name, moved[PLACE])


def _plain(value: Decimal) -> str:
    """A number as people write it."""
    return f"{value.normalize():f}"


def _prices_moved(facts: Facts, limit: Decimal) -> Iterator[Seen]:
    one = facts.with_role(Role.PRICE)
    if one is None or not facts.touched.get(one.name):
        return
    old, new = rough(OLD + one.name), rough(NEW + one.name)
    found = facts.take((new / old).alias("ratio"), where=KNOWN & (old > 0) & (new > 0))
    if found.height < _FEW:
        return
    middle = float(found["ratio"].median() or 1)  # type: ignore[arg-type]  # a column of floats
    percent = Decimal(str(round((middle - 1) * 100, 1)))
    if abs(percent) > limit:
        near = (pl.col("ratio") / middle - 1).abs() < _SAME
        alike = found.select(near.mean()).item()
        same = f"; nearly all by the factor {middle:.4g}, as with another currency"
        said = f"{one.label}: the middle one of {found.height:,} moves by {percent:+} %"
        yield Seen(said + (same if alike > 0.9 else ""), one.name)


def _cells_empty(facts: Facts, limit: Decimal) -> Iterator[Seen]:
    before = next((one for one in facts.earlier if one.filled), None)
    if before is None or facts.rows < _FEW or not before.rows:
        return
    for name, filled in facts.filled.items():
        if name not in before.filled or name not in facts.schema:
            continue
        was = Decimal(before.rows - before.filled[name]) * 100 / before.rows
        now = Decimal(facts.rows - filled) * 100 / facts.rows
        if now - was > limit:
            said = f"{facts.schema[name].label} is empty in {now:.0f} % of the rows; it was in "
            yield Seen(f"{said}{was:.0f} % of the delivery before", name)


def _under(facts: Facts, least: Decimal, said: str, or_at: str = "") -> Iterator[Seen]:
    """Lines whose price leaves less than ``least`` percent of itself over the cost, or with
    ``or_at``, as that is said, just so much."""
    price, cost = facts.with_role(Role.PRICE), facts.with_role(Role.COST)
    if price is None or cost is None or price.currency != cost.currency:
        return
    if not facts.counts.get("new") and not {price.name, cost.name} & {*facts.touched}:
        return
    own, pays = whole(NEW + price.name), whole(NEW + cost.name)
    touched = facts.touches(price.name) | facts.touches(cost.name)
    left, least_of = (own - pays) * _ALL, own * _hundredths(least)
    counts = WRITES & touched & (pays > 0)
    found = facts.take(where=counts & (left < least_of))[PLACE]
    if or_at:
        both = facts.take(where=counts & (left <= least_of))[PLACE]
        said = said if both.len() == found.len() else or_at if found.is_empty() else (
            f"{or_at} or {said}"
        )  # fmt: skip
        found = both
    if found.len():
        what = "product" if found.len() == 1 else "products"
        yield Seen(f"{found.len():,} {what} would be sold {said}", price.name, found)


def _under_cost(facts: Facts, limit: Decimal) -> Iterator[Seen]:
    return _under(facts, Decimal(0), "under cost", "at cost")


def _under_margin(facts: Facts, limit: Decimal) -> Iterator[Seen]:
    return _under(facts, limit, f"with a margin under {_plain(limit)} %")


def _stock_emptied(facts: Facts, limit: Decimal) -> Iterator[Seen]:
    one = facts.with_role(Role.STOCK)
    if one is None or not facts.touched.get(one.name):
        return
    had = rough(OLD + one.name) > 0
    there = facts.take(where=had & (KNOWN | (pl.col("status") == "gone")))
    none = rough(NEW + one.name).fill_null(0) <= 0
    empty = facts.take(where=WRITES & facts.touches(one.name) & had & none)[PLACE]
    if empty.len() >= _FEW and _over(empty.len(), there.height, limit):
        share = _share(empty.len(), there.height)
        said = f"{one.label} becomes nothing for {empty.len():,} of {there.height:,} products that "
        yield Seen(f"{said}had some, {share}", one.name, empty)


#: Factors by which numbers are other when their unit is, and what they are known from. The
#: international yard and pound (1959) fix those of inch, foot, pound and ounce.
_UNITS: Mapping[float, str] = {
    10: "millimetres to centimetres", 100: "centimetres to metres", 1000: "grams to kilograms",
    25.4: "millimetres to inches", 2.54: "centimetres to inches", 0.45359237: "kilograms to pounds",
    28.349523125: "grams to ounces", 0.3048: "metres to feet", 3.785411784: "litres to US gallons",
}  # fmt: skip
_SCALES: Mapping[float, str] = {10: "", 100: "cents to whole money", 1000: ""}


def _scale_shifted(facts: Facts, limit: Decimal) -> Iterator[Seen]:
    for one in facts.compared(lambda f: f.kind in _SCALED):
        money = one.kind is FieldKind.MONEY
        yield from _shifted(facts, one, limit, _SCALES if money else _UNITS,
                            _NEAR_PRICE if money else _NEAR)  # fmt: skip


def _shifted(
    facts: Facts, one: StoreField, limit: Decimal, factors: Mapping[float, str], near: float
) -> Iterator[Seen]:
    old, new = rough(OLD + one.name), rough(NEW + one.name)
    moved = facts.take(
        (new / old).alias("ratio"), where=KNOWN & facts.touches(one.name) & (old > 0) & (new > 0)
    )
    if moved.height < _ALIKE:
        return
    both = pl.col(OLD + one.name).is_not_null() & pl.col(NEW + one.name).is_not_null()
    of = facts.lines.filter(KNOWN & both).select(pl.len()).collect().item()
    for factor, known in factors.items():
        for times in (factor, 1 / factor):
            own = moved.filter((pl.col("ratio") / times - 1).abs() < near)[PLACE]
            if own.len() >= _ALIKE and _over(own.len(), of, limit):
                like = f", as {known}" if known else ""
                said = f"{one.label} is about {times:.4g} times what it was for {own.len():,} of "
                yield Seen(f"{said}{of:,} products{like}", one.name, own)
                return


def _new_words(facts: Facts, limit: Decimal) -> Iterator[Seen]:
    for one, new, places in facts.strange:
        if new.len() > limit:
            some = ", ".join(f"“{word}”" for word in new[:3])
            said = f"{one.label}: {new.len():,} that no product has yet, as {some}"
            yield Seen(said, one.name, places)


def _delivery_unusual(facts: Facts, limit: Decimal) -> Iterator[Seen]:
    """All that holds a delivery in one: the run is held by it once."""
    said = [one.said for one in facts.unusual if one.severity == "hold"]
    if said and not facts.trial:
        more = [f"{len(said) - _SAID} more are told with the delivery"] * (len(said) > _SAID)
        yield Seen(" ".join([*said[:_SAID], *more]).rstrip("."))


def _contract_broken(facts: Facts, limit: Decimal) -> Iterator[Seen]:
    """What a file was to be, as a whole, and in rows where they are many."""
    said = [
        one.said for one in facts.breaches if not one.rows or _over(one.rows, facts.rows, limit)
    ]
    if said and not facts.trial:
        more = [f"It breaks its contract in {len(said) - _SAID} more points"]
        yield Seen(" ".join([*said[:_SAID], *more * (len(said) > _SAID)]).rstrip("."))


LOOKS: Mapping[GuardKind, Look] = {
    "rows_fewer": _rows_fewer,
    "rows_rejected": _rows_rejected,
    "products_new": _products_new,
    "prices_moved": _prices_moved,
    "cells_empty": _cells_empty,
    "products_gone": _products_gone,
    "price_moved": _price_moved,
    "under_cost": _under_cost,
    "under_margin": _under_margin,
    "stock_emptied": _stock_emptied,
    "scale_shifted": _scale_shifted,
    "new_words": _new_words,
    "delivery_unusual": _delivery_unusual,
    "contract_broken": _contract_broken,
}


def middle_price(facts: Facts) -> str:
    """The middle one of all prices that a delivery has, rounded, to be drawn; "" for none."""
    one = facts.schema.with_role(Role.PRICE)
    if one is None or NEW + one.name not in facts.columns:
        return ""
    middle = facts.lines.select(rough(NEW + one.name).median()).collect().item()
    return "" if middle is None else f"{middle:.6g}"


def blind(schema: StoreSchema) -> dict[GuardKind, str]:
    """Why kinds of guards can see nothing in a store: it has no field of what they look at."""
    found: dict[GuardKind, str] = {}
    price, cost = schema.with_role(Role.PRICE), schema.with_role(Role.COST)
    if price is None:
        found["prices_moved"] = "No field of the store is its price."
    if not any(map(_is_price, schema.fields)):
        found["price_moved"] = "The store has no field of money."
    if price is None or cost is None or price.currency != cost.currency:
        why = "The store has no price and cost in one currency."
        found["under_cost"] = found["under_margin"] = why
    if schema.with_role(Role.STOCK) is None:
        found["stock_emptied"] = "No field of the store is its stock."
    if not any(one.kind in _SCALED for one in schema.fields):
        found["scale_shifted"] = "The store has no field of money, measures or decimals."
    return found
