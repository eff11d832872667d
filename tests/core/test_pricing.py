"""Price ladders: exact, never under the floor, with the ending asked for."""

from __future__ import annotations

from decimal import ROUND_CEILING, ROUND_HALF_UP, Decimal
from fractions import Fraction

import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from nomotax.core.crosswalk.compiler import compile_plan
from nomotax.core.crosswalk.model import Crosswalk
from nomotax.core.crosswalk.problems import problems_of
from nomotax.core.crosswalk.steps.lookups import UseLadder
from nomotax.core.errors import UnreadableFile
from nomotax.core.flow.context import Context, Lookups
from nomotax.core.flow.flow import Flow
from nomotax.core.formula.terms import Term
from nomotax.core.layers import Layers
from nomotax.core.numbers import SCALE
from nomotax.core.pricing.ladder import Ladder, Look, shares
from nomotax.core.pricing.rates import read_rates
from nomotax.core.schema.model import StoreField, StoreSchema
from nomotax.core.table import FAULT, ROW

CENT = Decimal("0.01")
costs = st.decimals(min_value=Decimal("0.0001"), max_value=100_000, places=4)
percents = st.decimals(min_value=0, max_value=95, places=2)
endings = st.sampled_from(["none", "99", "95", "whole", "five"])


def prices(ladder, *values):
    frame = pl.DataFrame({"c": [Decimal(v) for v in values]}, schema={"c": pl.Decimal(38, SCALE)})
    layers = Layers()
    made = ladder.price(pl.col("c"), layers.keep).value
    return layers.apply(frame.lazy()).select(made).collect().to_series().to_list()


def one_rung(kind, amount, ending="none", floor="0", **more):
    rungs = [{"start": "0", "kind": kind, "amount": str(amount)}]
    return Ladder.model_validate(
        {"name": "l", "rungs": rungs, "ending": ending, "floor": str(floor)} | more
    )


@pytest.mark.parametrize(
    ("kind", "amount", "ending", "cost", "price"),
    [
        ("markup", "50", "none", "10", "15.00"),
        ("margin", "50", "none", "10", "20.00"),
        ("fixed", "2.5", "none", "10", "12.50"),
        ("markup", "33.33", "none", "9.99", "13.32"),
        ("markup", "50", "99", "10", "14.99"),
        ("markup", "50", "95", "10.30", "15.95"),
        ("markup", "50", "whole", "10.33", "15.00"),
        ("markup", "50", "whole", "10.3334", "16.00"),
        ("markup", "51", "five", "10.15", "15.35"),
        ("markup", "10", "99", "0.10", "0.99"),
    ],
)
def test_hand_worked_prices(kind, amount, ending, cost, price):
    assert prices(one_rung(kind, amount, ending), cost) == [Decimal(price)]


@settings(max_examples=60, deadline=None)
@given(cost=costs, amount=percents, kind=st.sampled_from(["markup", "margin"]))
def test_agrees_with_decimal_arithmetic(cost, amount, kind):
    share = amount / 100
    raw = cost * (1 + share) if kind == "markup" else cost / (1 - share)
    expected = max(raw.quantize(CENT, ROUND_HALF_UP), cost.quantize(CENT, ROUND_CEILING))
    assert prices(one_rung(kind, amount), cost)[0] == max(expected, CENT)


@settings(max_examples=60, deadline=None)
@given(cost=costs, amount=percents, ending=endings,
       floor=st.decimals(min_value=0, max_value=50, places=2))  # fmt: skip
def test_never_below_the_floor_and_always_with_its_ending(cost, amount, ending, floor):
    price = prices(one_rung("markup", amount, ending, floor), cost)[0]
    assert price >= cost + floor
    cents = int(price * 100)
    assert price == Decimal(cents) / 100
    assert {"none": True, "99": cents % 100 == 99, "95": cents % 100 == 95,
            "whole": cents % 100 == 0, "five": cents % 5 == 0}[ending]  # fmt: skip


@settings(max_examples=50, deadline=None)
@given(pair=st.tuples(costs, costs), amount=percents, ending=endings)
def test_dearer_goods_are_never_cheaper_on_one_rung(pair, amount, ending):
    low, high = sorted(pair)
    cheap, dear = prices(one_rung("markup", amount, ending), low, high)
    assert cheap <= dear


def test_rungs_begin_at_their_start():
    ladder = Ladder.model_validate(
        {"name": "l", "rungs": [{"start": "0", "amount": "100"}, {"start": "10", "amount": "50"},
                                {"start": "20", "kind": "fixed", "amount": "1"}]}
    )  # fmt: skip
    assert prices(ladder, "9.99", "10", "19.99", "20") == [
        Decimal("19.98"), Decimal("15.00"), Decimal("29.99"), Decimal("21.00"),
    ]  # fmt: skip
    assert prices(ladder, "-1") == [None]


@pytest.mark.parametrize(
    ("rungs", "says"),
    [
        ([], "at least 1"),
        ([{"start": "5", "amount": "10"}], "start at 0"),
        ([{"start": "0", "amount": "1"}, {"start": "0", "amount": "2"}], "rising"),
        ([{"start": "0", "kind": "margin", "amount": "100"}], "below 100"),
    ],
)
def test_ladders_with_gaps_or_overlaps_are_refused(rungs, says):
    with pytest.raises(ValidationError, match=says):
        Ladder.model_validate({"name": "l", "rungs": rungs})


def test_margin_and_markup_are_never_confused():
    both = shares(Decimal(10), Decimal(20))
    assert (both.margin, both.markup) == (Decimal("50.0"), Decimal("100.0"))
    assert shares(Decimal(0), Decimal(0)).margin is None


FULL = {
    "name": "full",
    "rungs": [{"start": "0", "kind": "multiple", "amount": "2"}],
    "rules": [
        {"name": "brushes", "when": [{"field": "category", "words": ["Brushes"]}],
         "rungs": [{"start": "0", "kind": "margin", "amount": "50"}]},
        {"name": "fine brushes", "when": [{"field": "category", "words": ["Brushes"]},
                                          {"field": "brand", "words": ["fine"]}],
         "rungs": [{"start": "0", "kind": "markup", "amount": "300"}], "ending": "whole"},
    ],
    "choose": "most_specific",
    "landed": {"duty": "10", "freight_per_kg": "2", "weight_field": "weight", "handling": "0.5"},
    "tax": "in", "tax_rate": "20", "floor": "1", "least_field": "least", "most_field": "most",
}  # fmt: skip


def full_prices(**columns):
    """Prices, rules and squeezed marks of one product a row."""
    money = pl.Decimal(38, SCALE)
    texts = {"category": pl.String, "brand": pl.String}
    frame = pl.DataFrame(columns, schema={c: texts.get(c, money) for c in columns})
    look = Look(text=pl.col, number=pl.col, weight=pl.col, fact=pl.col)
    layers = Layers()
    made = Ladder.model_validate(FULL).price(pl.col("cost"), layers.keep, look)
    stages = [value.alias(f"{n} {name}") for n, (name, value) in enumerate(made.stages)]
    told = [made.value.alias("price"), made.rule.alias("rule"), made.squeezed.alias("squeezed")]
    return layers.apply(frame.lazy()).select(*told, *stages).collect()


def test_landed_cost_tax_rules_and_limits_number_by_number():
    """Cost 10, 3 kg: landed 10 + 1 + 6 + 0.50 = 17.50; x 2 = 35; with 20 % tax 42."""
    made = full_prices(
        cost=[Decimal(10)] * 5, weight=[Decimal(3)] * 5,
        category=["Paper", "Brushes > Round", "Brushes", "Paper", "Paper"],
        brand=[None, "other", "Fine", None, None],
        least=[None, None, None, Decimal("99.99"), Decimal("50")],
        most=[None, None, None, None, Decimal("40")],
    )  # fmt: skip
    assert made["price"].to_list() == [
        Decimal("42"),
        Decimal("42"),
        Decimal("84"),
        Decimal("99.99"),
        Decimal("40"),
    ]
    assert made["rule"].to_list() == ["", "brushes", "fine brushes", "", ""]
    assert made["squeezed"].fill_null(False).to_list() == [False] * 4 + [True]
    assert made.row(0)[3:] == (
        Decimal(10),
        Decimal("17.5"),
        Decimal(35),
        Decimal(42),
        Decimal("22.2"),
        Decimal(42),
        Decimal(42),
    )


@settings(max_examples=50, deadline=None)
@given(cost=costs, weight=st.decimals("0.001", 50, places=3), least=st.decimals(0, 500, places=2))
def test_never_below_any_floor(cost, weight, least):
    made = full_prices(cost=[cost], weight=[weight], category=["Paper"], brand=[None],
                       least=[least], most=[None])  # fmt: skip
    landed = cost * Decimal("1.1") + weight * 2 + Decimal("0.5")
    assert made["price"][0] >= max(least, ((landed + 1) * Decimal("1.2")))


@given(weight=st.none() | st.decimals(min_value=-1, max_value=20, places=3))
def test_rungs_may_go_by_another_number(weight):
    """By weight: the rung is found by it, the price is made of the cost; a product without a
    weight has none, and is asked about."""
    ladder = Ladder.model_validate(
        {"name": "l", "by_field": "weight", "floor": "1",
         "rungs": [{"start": "0", "kind": "multiple", "amount": "2"},
                   {"start": "2.5", "kind": "fixed", "amount": "7"}],
         "rules": [{"name": "r", "when": [{"fact": "supplier", "words": ["X"]}],
                    "rungs": [{"start": "0", "amount": "900"}]}]}
    )  # fmt: skip
    frame = pl.DataFrame({"c": [Decimal(10)], "w": [weight]},
                         schema=dict.fromkeys("cw", pl.Decimal(38, SCALE)))  # fmt: skip
    made = ladder.price(pl.col("c"), look=Look(number=lambda name: pl.col("w")))
    price, unbanded = frame.select(made.value.alias("p"), made.unbanded.alias("u")).row(0)
    if weight is None or weight < 0:
        assert (price, unbanded) == (None, True)
    else:
        assert (price, unbanded) == (Decimal(20) if weight < Decimal("2.5") else Decimal(17), False)


@pytest.mark.parametrize(
    ("ladder", "cost", "price"),
    [
        # 89.81 x 0.9126 + 65 % is 135.2349999: below the half cent.
        (one_rung("markup", 65), Decimal("89.81") * Decimal("0.9126"), "135.23"),
        # 99.4899996 is nearer to 98.99 than to 99.99.
        (one_rung("markup", 50, "99"), "66.3266664", "98.99"),
        (one_rung("markup", 50, "99"), "66.3266667", "99.99"),
        (one_rung("markup", 0, "99", toward="up"), "99.000001", "99.99"),
        (one_rung("markup", 0, "99", toward="up"), "98.99", "98.99"),
        (one_rung("markup", 10, "99", toward="down"), "100", "109.99"),
        (one_rung("markup", 10, "99", toward="down"), "99.98", "108.99"),
        # The floor is the stronger: 109.98 may not fall under 109 + nothing.
        (one_rung("markup", 0, "99", toward="down"), "109", "109.99"),
        (one_rung("markup", 5, floor="20", floor_by="percent"), "10", "12.00"),
        (one_rung("markup", 30, floor="20", floor_by="percent"), "10", "13.00"),
    ],
)
def test_a_price_is_rounded_once_and_ends_as_chosen(ladder, cost, price):
    assert prices(ladder, cost) == [Decimal(price)]


@settings(max_examples=60, deadline=None)
@given(cost=costs, rate=st.decimals("0.0001", 9, places=6), amount=percents, tax=percents,
       kind=st.sampled_from(["markup", "margin", "multiple"]))  # fmt: skip
def test_rate_rung_and_tax_are_rounded_once(cost, rate, amount, tax, kind):
    """As fractions work it out: cost x rate, the rung, the tax, then to the cent, half upwards."""
    ladder = one_rung(kind, amount, tax="in", tax_rate=str(tax))
    factor = {"markup": 1 + Fraction(amount) / 100, "multiple": Fraction(amount),
              "margin": 1 / (1 - Fraction(amount) / 100)}[kind]  # fmt: skip
    gross = Fraction(cost) * Fraction(rate) * (1 + Fraction(tax) / 100)
    rounded = (2 * gross * factor * 100 + 1) // 2
    wanted = max(rounded, -((-gross * 100) // 1), 1)
    assert prices(ladder, cost * rate) == [Decimal(int(wanted)) / 100]


HELD = {"name": "l", "rungs": [{"start": "0", "amount": "50"}]}
FREIGHT = {"landed": {"freight_per_kg": "2", "weight_field": "weight"}}


@pytest.mark.parametrize(
    ("extra", "cost", "weight", "price", "kind"),
    [
        ({}, "0", None, None, "no_cost"),
        ({}, "1000000000", None, None, "too_dear"),
        ({"rungs": [{"start": "0", "kind": "multiple", "amount": "100000"}]}, "999999", None,
         None, "too_dear"),
        (FREIGHT, "10", None, None, "no_weight"),
        (FREIGHT, "10", "-1", None, "no_weight"),
        (FREIGHT, "10", "0", None, "no_weight"),
        (FREIGHT, "10", "99999999", None, "no_weight"),
        (FREIGHT, "10", "2500", "22.50", None),
    ],
)  # fmt: skip
def test_what_makes_no_price_is_the_rows_problem(extra, cost, weight, price, kind):
    """The weight is kept in grams: freight goes by the kilogram all the same."""
    fields = (StoreField(name="k"), StoreField(name="p", kind="money", currency="EUR"),
              StoreField(name="weight", kind="measure", unit="g"))  # fmt: skip
    fills = {"k": {"parts": [{"column": "k"}]},
             "weight": {"parts": [{"column": "w"}], "steps": [{"do": "number"}]},
             "p": {"parts": [{"column": "c"}],
                   "steps": [{"do": "number"}, {"do": "ladder", "ladder": "l"}]}}  # fmt: skip
    ctx = Context(lookups=Lookups(ladders={"l": Ladder.model_validate(HELD | extra)}))
    frame = pl.DataFrame({ROW: [1], FAULT: [None], "k": ["a"], "c": [cost], "w": [weight]},
                         schema_overrides={FAULT: pl.String, "w": pl.String})  # fmt: skip
    schema = StoreSchema(name="s", key="k", fields=fields)
    plan = compile_plan(Crosswalk.model_validate({"fills": fills}), schema, ctx, ["k", "c", "w"])
    filled = plan.fill(frame)
    assert filled["p"].to_list() == [price and Decimal(price)]
    assert problems_of(filled, plan, frame)["kind"].to_list() == [kind] * (kind is not None)


@pytest.mark.parametrize(
    ("crossed", "price", "asked"),
    [("hold", "12", True), ("floor", "30", False), ("ceiling", "12", False)],
)
def test_where_floor_and_ceiling_cross_one_is_chosen(crossed, price, asked):
    """Never below 30, never above 12."""
    ladder = Ladder.model_validate(HELD | {"crossed": crossed, "floor": "20", "most_field": "m"})
    frame = pl.DataFrame({"c": [Decimal(10)], "m": [Decimal(12)]},
                         schema=dict.fromkeys("cm", pl.Decimal(38, SCALE)))  # fmt: skip
    made = ladder.price(pl.col("c"), look=Look(number=lambda name: pl.col("m")))
    assert frame.select(made.value).item() == Decimal(price)
    names = SimpleNames({"m": pl.col("m")})
    flow = UseLadder(ladder="l").apply(
        Flow(pl.col("c"), numeric=True),
        Context(lookups=Lookups(ladders={"l": ladder}), names=names),
    )
    held = [f for f in flow.faults if f.kind == "squeezed"]
    assert bool(held) is asked and all(frame.select(f.mask).item() for f in held)


class SimpleNames:
    """Fields that are columns of numbers."""

    def __init__(self, fields):
        self.fields = fields

    def field(self, name):
        return Term("number", self.fields[name])

    def fact(self, name):
        return pl.lit(None, pl.String)

    column = fact


def test_rates_of_a_list_are_read_whole_or_not_at_all():
    text = b"rate,target,source,day\n0.91,EUR,USD,2026-11-20\n0.92,EUR,USD,2026-11-23\n"
    (found,) = read_rates(text, "bank")
    assert (found.name, found.rate, found.origin) == ("USD/EUR", Decimal("0.92"), "bank")
    for wrong, where in [
        (b"day,source,target\n", "line 1"),
        (text + b"0,EUR,GBP,2026-11-23\n", "line 4"),
        (text + b"1,EUR,GBP,yesterday\n", "line 4"),
        (text + b"1,EUR\n", "line 4"),
        (b"\xff\xfe", "the file"),
    ]:
        with pytest.raises(UnreadableFile) as refused:
            read_rates(wrong, "bank")
        assert refused.value.where == where
