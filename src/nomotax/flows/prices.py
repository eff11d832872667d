"""Prices: the ladder over the real products, its margins and what moves in the catalog."""

from __future__ import annotations

from decimal import Decimal

import polars as pl
from pydantic import BaseModel

from nomotax.core.crosswalk.steps.lookups import UseLadder
from nomotax.core.errors import NotFound
from nomotax.core.numbers import SCALE
from nomotax.core.pricing.ladder import Ladder, Look, Rule, shares
from nomotax.core.schema.model import Role
from nomotax.flows.workbench import Workbench, open_workbench
from nomotax.records.catalog import Catalog
from nomotax.records.database import session
from nomotax.records.lookups import LookupsRepository
from nomotax.records.repositories import Stores

_CURVE = 160
_WORST = 12


class CurvePoint(BaseModel):
    cost: Decimal
    price: Decimal
    margin: Decimal


class PricedProduct(BaseModel):
    """``before`` is today's price in the catalog, null for a new product. Shares in percent."""

    key: str
    title: str
    cost: Decimal
    price: Decimal
    margin: Decimal | None
    markup: Decimal | None
    before: Decimal | None
    move: Decimal | None


class Bin(BaseModel):
    """Products whose share lies from ``start`` (inclusive), in percent, one bin wide."""

    start: int
    count: int


class RungUse(BaseModel):
    """How a rung is used. ``below`` and ``here`` are the prices just under its start and at it,
    given where the price falls although the cost rises."""

    count: int
    below: Decimal | None = None
    here: Decimal | None = None
    margin_least: Decimal | None
    margin_most: Decimal | None


class RuleUse(BaseModel):
    """How many products a rule prices, and between which margins."""

    name: str
    count: int
    margin_least: Decimal | None
    margin_most: Decimal | None


class PriceView(BaseModel):
    """``fields`` are the store fields that rules and limits may look at, with their labels;
    ``levels`` are those that a ladder prices, ``field`` among them."""

    field: str
    levels: dict[str, str]
    fields: dict[str, str]
    rules: list[RuleUse]
    ladder: Ladder
    ladders: list[str]
    used: bool
    products: int
    curve: list[CurvePoint]
    rungs: list[RungUse]
    margins: list[Bin]
    moves: list[Bin]
    up: int
    down: int
    same: int
    new: int
    worst: list[PricedProduct]
    steepest: list[PricedProduct]


def price_view(
    feed_id: int, delivery_id: int | None = None, ladder: Ladder | None = None, level: str = ""
) -> PriceView:
    """The ladder that prices a ``level`` of this feed, the first one where none is named (or
    ``ladder``, to try one), over its real products.

    Raises ``NotFound`` when the store has no ladder or the feed no cost to price.
    """
    bench = open_workbench(feed_id, delivery_id)
    levels = _levels(bench)
    field = level if level in levels else next(iter(levels), "")
    name = levels.get(field) or next(iter(bench.lookups.ladders), "")
    chosen = ladder or bench.lookups.ladders.get(name)
    if chosen is None:
        raise NotFound("There is no price ladder yet.", remedy="Make one here.")
    products = _priced(bench, field, chosen)
    return PriceView(
        field=field,
        levels={one: bench.schema[one].label for one in levels},
        fields={f: bench.schema[f].label for f in bench.plan.fields if f != field},
        rules=[_rule_use(r, products) for r in chosen.rules],
        ladder=chosen,
        ladders=sorted(bench.lookups.ladders),
        used=bool(field),
        products=products.height,
        curve=_curve(chosen, products),
        rungs=_rungs(chosen, products),
        margins=_bins(products["margin"], 5),
        moves=_bins(products.filter(pl.col("move") != 0)["move"], 2),
        up=int((products["move"] > 0).sum()),
        down=int((products["move"] < 0).sum()),
        same=int((products["move"] == 0).sum()),
        new=products["before"].null_count(),
        worst=_listed(products.sort("margin", "key").head(_WORST)),
        steepest=_listed(
            products.filter(pl.col("move") != 0)
            .sort(pl.col("move").abs(), descending=True)
            .head(_WORST)
        ),
    )


def _levels(bench: Workbench) -> dict[str, str]:
    """The fields that are priced by a ladder, with the ladder's name; the store's price first."""
    found = {
        name: step.ladder
        for name, fill in bench.runnable.fills.items()
        for step in fill.steps
        if isinstance(step, UseLadder) and not step.off
    }
    return dict(sorted(found.items(), key=lambda f: bench.schema[f[0]].role is not Role.PRICE))


_EMPTY: dict[str, pl.DataType | type[pl.DataType]] = {
    "key": pl.String, "title": pl.String, "cost": pl.Decimal(38, 2), "price": pl.Decimal(38, 2),
    "before": pl.Decimal(38, 2), "rule": pl.String, "rung": pl.UInt32,
    "landed": pl.Decimal(38, 2), "margin": pl.Decimal(38, 1), "move": pl.Decimal(38, 1),
}  # fmt: skip


def _priced(bench: Workbench, field: str, ladder: Ladder) -> pl.DataFrame:
    """key, title, cost, price, before and the shares of every product that has a cost."""
    if not field:
        return pl.DataFrame(schema=_EMPTY)
    one = bench.plan[field]
    on = [s for s in one.fill.steps if not s.off]
    at = next(i for i, s in enumerate(on) if isinstance(s, UseLadder))
    costs = bench.plan.stages(bench.sample, field)[f"stage {at}"]
    title = bench.schema.with_role(Role.TITLE)
    named = title.name if title and title.name in bench.filled.columns else bench.schema.key
    money = pl.Decimal(38, SCALE)
    frame = bench.filled.select(
        pl.col(bench.schema.key).alias("key") if bench.schema.key in bench.plan.fields
        else pl.lit("").alias("key"),
        pl.col(named).alias("title"),
        costs.alias("cost").cast(money, strict=False),
        *(_as_looked_at(bench, name) for name in ladder.fields if name in bench.plan.fields),
    ).filter(pl.col("cost") >= 0)  # fmt: skip
    stored = _todays_prices(bench, field)
    priced = ladder.price(pl.col("cost"), look=_look(bench, ladder))
    stages = dict(priced.stages)
    net = pl.lit(1 + (ladder.tax_rate / 100 if ladder.tax == "in" else 0), dtype=money)
    return (
        frame.with_columns(
            price=priced.value,
            rule=priced.rule,
            rung=priced.rung,
            landed=stages.get("landed cost", pl.col("cost")),
        )
        .filter(pl.col("price").is_not_null())
        .join(stored, on="key", how="left", maintain_order="left")
        .with_columns(net=pl.col("price") / net)
        .with_columns(
            margin=_percent(pl.col("net") - pl.col("landed"), pl.col("net")),
            move=_percent(pl.col("price") - pl.col("before"), pl.col("before")),
        )
    )


def _as_looked_at(bench: Workbench, name: str) -> pl.Expr:
    """A filled field under a name of its own: text, or the number it is."""
    field = bench.schema[name]
    value = pl.col(name).cast(pl.Decimal(38, SCALE)) if field.numeric else pl.col(name)
    return value.alias(f"={name}")


def _look(bench: Workbench, ladder: Ladder) -> Look:
    """Fields beside the costs; what nothing fills is empty."""

    def there(name: str, dtype: pl.DataType) -> pl.Expr:
        return pl.col(f"={name}") if name in bench.plan.fields else pl.lit(None, dtype=dtype)

    facts = bench.context.facts
    return Look(
        lambda name: there(name, pl.String()).cast(pl.String),
        lambda name: there(name, pl.Decimal(38, SCALE)),
        lambda name: pl.lit(facts.get(name), dtype=pl.String),
    )


def _percent(part: pl.Expr, whole: pl.Expr) -> pl.Expr:
    """Percent to one place, exact; null where ``whole`` is zero."""
    share = pl.when(whole != 0).then(part * pl.lit(Decimal(100), dtype=pl.Decimal(38, SCALE)))
    return (share / whole).round(1, mode="half_away_from_zero").cast(pl.Decimal(38, 1))


def _todays_prices(bench: Workbench, field: str) -> pl.DataFrame:
    """key and price of the products that this feed's rows are, as the catalog has them."""
    return bench.remembered(f"today's {field}", lambda: _load_prices(bench, field))


def _load_prices(bench: Workbench, field: str) -> pl.DataFrame:
    key = bench.schema.key
    keys = bench.filled[key].drop_nulls().to_list() if key in bench.filled.columns else []
    with session() as db:
        # Another supplier's product of the same key is no price of this feed's.
        found = Catalog(db, bench.store_id).values_of(bench.source.feed.supplier_id, keys, field)
    frame = pl.DataFrame(found, schema={"key": pl.String, "before": pl.String}, orient="row")
    return frame.with_columns(pl.col("before").cast(pl.Decimal(38, SCALE), strict=False))


def _curve(ladder: Ladder, products: pl.DataFrame) -> list[CurvePoint]:
    """The ladder at evenly spread costs up to what the products cost; no curve where the rungs go
    by something else."""
    if ladder.by_field:
        return []
    top = products["cost"].quantile(0.98) if products.height else None
    last_start = ladder.rungs[-1].start
    most = max(Decimal(str(round(top or 0, 2))), last_start * Decimal("1.3"), Decimal(10))
    costs = [(most * n / _CURVE).quantize(Decimal("0.01")) for n in range(1, _CURVE + 1)]
    frame = pl.DataFrame({"cost": costs}, schema={"cost": pl.Decimal(38, SCALE)})
    priced = frame.with_columns(price=ladder.price(pl.col("cost")).value)
    return [
        CurvePoint(cost=_two(c), price=_two(p), margin=shares(c, p).margin or Decimal(0))
        for c, p in priced.iter_rows()
    ]


def _two(value: Decimal) -> Decimal:
    return value.quantize(Decimal("0.01"))


def _rungs(ladder: Ladder, products: pl.DataFrame) -> list[RungUse]:
    uses = []
    for at, rung in enumerate(ladder.rungs):
        on = products.filter((pl.col("rung") == at) & (pl.col("rule") == ""))
        least, most = on["margin"].min(), on["margin"].max()
        below, here = _fall(ladder, rung.start)
        uses.append(
            RungUse(
                count=on.height,
                below=below,
                here=here,
                margin_least=Decimal(str(least)) if least is not None else None,
                margin_most=Decimal(str(most)) if most is not None else None,
            )
        )
    return uses


def _rule_use(rule: Rule, products: pl.DataFrame) -> RuleUse:
    on = products.filter(pl.col("rule") == rule.name)["margin"]
    least, most = on.min(), on.max()
    return RuleUse(
        name=rule.name,
        count=on.len(),
        margin_least=Decimal(str(least)) if least is not None else None,
        margin_most=Decimal(str(most)) if most is not None else None,
    )


def _fall(ladder: Ladder, start: Decimal) -> tuple[Decimal | None, Decimal | None]:
    """The prices just below a rung's start and at it, where the price falls there."""
    if start == 0 or ladder.by_field:
        return None, None
    costs = [start - Decimal("0.01"), start]
    frame = pl.DataFrame({"cost": costs}, schema={"cost": pl.Decimal(38, SCALE)})
    below, here = frame.select(ladder.price(pl.col("cost")).value).to_series().to_list()
    return (_two(below), _two(here)) if here < below else (None, None)


def _bins(values: pl.Series, width: int) -> list[Bin]:
    found = values.drop_nulls()
    if found.len() == 0:
        return []
    starts = (found.cast(pl.Float64) / width).floor().cast(pl.Int64) * width
    counts = dict(starts.value_counts().iter_rows())
    return [
        Bin(start=s, count=counts.get(s, 0)) for s in range(min(counts), max(counts) + width, width)
    ][:200]


def _listed(products: pl.DataFrame) -> list[PricedProduct]:
    listed = []
    for row in products.iter_rows(named=True):
        share = shares(row["cost"], row["price"])
        listed.append(
            PricedProduct(
                key=row["key"] or "",
                title=row["title"] or "",
                cost=_two(row["cost"]),
                price=_two(row["price"]),
                margin=share.margin,
                markup=share.markup,
                before=_two(row["before"]) if row["before"] is not None else None,
                move=row["move"],
            )
        )
    return listed


def save_ladder(store_id: int, ladder: Ladder) -> None:
    """Keep a ladder under its name."""
    with session() as db:
        Stores(db).get(store_id)
        LookupsRepository(db, store_id).save(ladder)
