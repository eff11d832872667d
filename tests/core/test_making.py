"""One way to make a fill: what stands beside a column decides its steps, and what nothing settles
waits for a person."""

from __future__ import annotations

import re
from decimal import Decimal

import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from nomotax.core.crosswalk.compiler import compile_plan
from nomotax.core.crosswalk.evidence import Evidence, KeyFacts, unit_in_name
from nomotax.core.crosswalk.making import make_fill
from nomotax.core.crosswalk.model import Crosswalk, Fill, Part
from nomotax.core.crosswalk.problems import problems_of
from nomotax.core.crosswalk.stating import doubted, state
from nomotax.core.errors import CrosswalkError
from nomotax.core.flow.context import Context, Lookups
from nomotax.core.lookups.tables import CategoryTable
from nomotax.core.pricing.rates import Rate
from nomotax.core.reading.profile import profile_columns
from nomotax.core.schema.model import StoreField, StoreSchema
from nomotax.core.suggest.facts import column_facts
from nomotax.core.suggest.fills import price_from_cost, ranking, suggest
from nomotax.core.table import FAULT, ROW
from nomotax.core.units.table import UNITS

MONEY = StoreField(name="price", kind="money", currency="EUR", role="price")
WIDTH = StoreField(name="width", kind="measure", unit="cm", decimals=3)
WEIGHT = StoreField(name="weight", kind="measure", unit="kg", decimals=3)
KEY = StoreField(name="sku", role="key")
CODES = StoreField(name="sku", role="key", pattern="[A-Z]{2}-[0-9]+")
DAY = StoreField(name="day", kind="date")
SIZES = StoreField(name="sizes", kind="texts")
PICTURES = StoreField(name="pictures", kind="links", role="pictures")
TEXTS = StoreField(name="texts", kind="texts", role="picture_texts", of="pictures")
PICTURE = StoreField(name="picture", kind="link")
NAME = StoreField(name="name")
PLACE = StoreField(name="place", kind="category")
COUNT = StoreField(name="pieces", kind="integer")
RATES = {
    r.name: r
    for r in (
        Rate(source="USD", target="EUR", rate="0.5", day="2026-11-20"),
        Rate(source="GBP", target="EUR", rate="2", day="2026-11-20"),
    )
}
FACTS = {"received": "2026-11-23"}


def delivery(columns):
    """The table that arrives, and its profiles."""
    height = max(len(v) for v in columns.values())
    frame = pl.DataFrame(columns, schema=dict.fromkeys(columns, pl.String), strict=False)
    frame = frame.with_row_index(ROW, 1).with_columns(pl.lit(None, pl.String).alias(FAULT))
    assert frame.height == height
    return frame, profile_columns(frame.lazy())


def made(field, columns, decimal=".", **known):
    """The fill that the first column makes for the field."""
    _, profiles = delivery(columns)
    return make_fill(field, profiles[0], Evidence("Quarrow Pigments", profiles, decimal, **known))


def filled(field, fill, columns, decimal=".", tables=None):
    """The values of a filled field, and the kinds of what is wrong by row."""
    frame, _ = delivery(columns)
    key = StoreField(name="k")
    others = [PICTURES] if field.of else []
    schema = StoreSchema(name="s", key="k", fields=(key, *others, field))
    first = next(iter(columns))
    fills = {"k": Fill(parts=(Part(column=first),)), field.name: fill}
    if field.of:
        fills[field.of] = Fill(parts=(Part(column=list(columns)[1]),))
    ctx = Context(decimal, Lookups({}, tables or {}, {}, RATES), facts=FACTS)
    walk = Crosswalk(fills=fills)
    plan = compile_plan(walk, schema, ctx, [c for c in frame.columns if c not in (ROW, FAULT)])
    out = plan.fill(frame)
    found = problems_of(out, plan, frame).filter(pl.col("field") == field.name)
    return out[field.name].to_list(), found.select("row", "kind", "severity").rows()


@pytest.mark.parametrize(
    ("field", "columns", "steps", "state"),
    [
        # money
        (MONEY, {"Price": ["1", "2"]}, ["number"], "open"),
        (MONEY, {"Price USD": ["1"]}, ["number", "USD to EUR"], "taken"),
        (MONEY, {"price_gbp": ["1"]}, ["number", "GBP to EUR"], "taken"),
        (MONEY, {"Preis (€)": ["1"]}, ["number"], "taken"),
        (MONEY, {"Price all": ["1"]}, ["number"], "open"),
        (MONEY, {"Price": ["1"], "cur": ["USD"]}, ["amount by 'cur', into EUR"], "taken"),
        (MONEY, {"Price": ["1"], "cur": ["eur"]}, ["amount by 'cur', into EUR"], "taken"),
        (MONEY, {"Price EUR": ["1"], "cur": ["Euro"]},
         ["amount by 'cur', else EUR, into EUR"], "taken"),
        (MONEY, {"Price EUR": ["1"], "cur": ["USD"]},
         ["amount by 'cur', else EUR, into EUR"], "open"),
        (MONEY, {"Price": ["$1", "$2"]}, ["amount by its sign, into EUR"], "taken"),
        (MONEY, {"Price": ["1"], "Cost currency": ["USD"], "List currency": ["GBP"]},
         ["amount by its sign, into EUR"], "open"),
        (MONEY, {"Price": ["1"], "Price currency": ["USD"], "List currency": ["GBP"]},
         ["amount by 'Price currency', into EUR"], "taken"),
        # measures
        (WEIGHT, {"Gewicht g": ["1742"]}, ["number", "g to kg"], "taken"),
        (WEIGHT, {"Weight (lb)": ["2.5"]}, ["number", "lb to kg"], "taken"),
        (WEIGHT, {"weight_lbs": ["2.5"]}, ["number", "lb to kg"], "taken"),
        (WEIGHT, {"GewichtKg": ["2.5"]}, ["number"], "taken"),
        (WEIGHT, {"Gewicht": ["1742"]}, ["number"], "open"),
        (WEIGHT, {"Weight cm": ["2"]}, ["number"], "open"),
        (WEIGHT, {"Weight": ["2"], "Weight unit": ["lb"]},
         ["measure in kg, unit in 'Weight unit'"], "taken"),
        (WEIGHT, {"Weight g": ["2"], "Weight unit": ["lb"]},
         ["measure in kg, unit in 'Weight unit', else g"], "open"),
        (WEIGHT, {"Weight": ["2"], "Unit": ["lb"]}, ["measure in kg, unit in 'Unit'"], "taken"),
        (WEIGHT, {"Weight": ["2 lb", "1 kg"]}, ["measure in kg"], "taken"),
        (WEIGHT, {"Weight g": ["2 lb", "900"]}, ["measure in kg, else g"], "taken"),
        (WIDTH, {"Width in mm": ["3"]}, ["number", "mm to cm"], "taken"),
        (WIDTH, {"Width in": ["3"]}, ["number", "in to cm"], "taken"),
        (WIDTH, {"size.width": ["1"], "size.width@unit": ["in"]},
         ["measure in cm, unit in 'size.width@unit'"], "taken"),
        (WIDTH, {"width": ["1"], "width unit": ["big"]}, ["number"], "open"),
        # codes
        (KEY, {"code": ["1", "2"]}, ["trim"], None),
        (CODES, {"code": ["1", "2"]}, ["trim", "'QP-' in front"], "taken"),
        (CODES, {"code": ["QP-1", "QP-2"]}, ["trim"], None),
        (CODES, {"code": ["a b", "c"]}, ["trim"], None),
        # dates, numbers
        (DAY, {"since": ["2026-11-23", "2026-01-02"]}, ["date (ymd)"], None),
        (DAY, {"since": ["20261123", "20260102"]}, ["date (ymd)"], None),
        (DAY, {"since": ["13/11/2026", "01/02/2026"]}, ["date (dmy)"], None),
        (DAY, {"since": ["11/13/2026", "01/02/2026"]}, ["date (mdy)"], None),
        (DAY, {"since": ["03/04/2026", "01/02/2026"]}, ["date (dmy)"], "open"),
        (COUNT, {"n": ["1", "2"]}, ["number"], None),
        (MONEY, {"Preis EUR": ["1,5", "2,25"]}, ["number with decimal comma"], "taken"),
        # lists and addresses
        (SIZES, {"s": ["A4|A5", "A5|A6", "A4|A6"]}, ["split at '|'"], "taken"),
        (NAME, {"s": ['["A4","A5"]', '["A6"]']}, ["join with ', '"], "taken"),
        (PICTURE, {"p": ["http://h.example/a.png;http://h.example/b.png"]},
         ["split at ';'", "entries from 1, 1"], "taken"),
        (PICTURES, {"p": ["a.jpg, b.jpg", "c.jpg, d.jpg"]}, ["split at ','"], "taken"),
    ],
)  # fmt: skip
def test_what_stands_beside_decides_the_steps(field, columns, steps, state):
    fill = made(field, columns)
    assert [s.describe() for s in fill.steps] == steps
    states = [a.state for a in fill.assumptions]
    assert states[-1:] == ([state] if state else [])
    assert all(a.says for a in fill.assumptions)


@pytest.mark.parametrize(
    ("facts", "steps"),
    [
        (KeyFacts(60, 58, 0, 0), ["trim"]),
        (KeyFacts(60, 0, 40, 0), ["trim", "'QP-' in front"]),
        (KeyFacts(60, 3, 0, 3), ["trim", "'QP-' in front"]),
        (KeyFacts(60, 0, 0, 0), ["trim"]),
    ],
)
def test_a_prefix_is_put_only_where_the_catalog_asks_for_it(facts, steps):
    fill = made(KEY, {"code": ["1", "2"]}, keys={"code": facts})
    assert [s.describe() for s in fill.steps] == steps
    assert "of 60 codes" in fill.assumptions[0].says if facts.as_is + facts.prefixed else True


@pytest.mark.parametrize(
    ("field", "columns", "values"),
    [
        (WEIGHT, {"Gewicht g": ["1742"]}, [Decimal("1.742")]),
        (WEIGHT, {"Weight (lb)": ["2.5"]}, [Decimal("1.134")]),
        (WEIGHT, {"W": ["1", "1", "1"], "Unit": ["kg", "lb", "g"]},
         [Decimal("1.000"), Decimal("0.454"), Decimal("0.001")]),
        (MONEY, {"P": ["10", "10", "10"], "cur": ["EUR", "USD", "GBP"]},
         [Decimal("10.00"), Decimal("5.00"), Decimal("20.00")]),
        (MONEY, {"P": ["£10", "$10", "10 €"]},
         [Decimal("20.00"), Decimal("5.00"), Decimal("10.00")]),
        (SIZES, {"s": ['["A4","A5"]']}, ["A4 | A5"]),
        (NAME, {"s": ['["A4","A5"]']}, ["A4, A5"]),
        (PICTURES, {"p": ["http://h.example/a,http://h.example/b"]},
         ["http://h.example/a | http://h.example/b"]),
    ],
)  # fmt: skip
def test_the_values_are_right_and_none_is_in_question(field, columns, values):
    assert filled(field, made(field, columns), columns) == (values, [])


@pytest.mark.parametrize(
    ("field", "columns", "decimal", "kinds"),
    [
        (WEIGHT, {"Gewicht": ["1742"]}, ".", ["assumed_unit"]),
        (WEIGHT, {"W": ["1", "1"], "Unit": ["kg", None]}, ".", ["no_unit"]),
        (MONEY, {"P": ["10"]}, ".", ["assumed_currency"]),
        (MONEY, {"P": ["10", "10"], "cur": ["USD", None]}, ".", ["no_currency"]),
        (MONEY, {"P": ["10", "10"], "cur": ["USD", "CHF"]}, ".", ["no_rate"]),
        (MONEY, {"P": ["£10", "10"], "cur": ["USD", "USD"]}, ".", ["two_currencies"]),
        (DAY, {"d": ["03/04/2026"]}, ".", ["assumed_date"]),
    ],
)
def test_what_no_evidence_settles_waits(field, columns, decimal, kinds):
    """The rows are held with a question; none passes without a word."""
    _, wrong = filled(field, made(field, columns, decimal), columns, decimal)
    assert [k for _, k, _ in wrong] == kinds
    assert {s for _, _, s in wrong} == {"question"}


@pytest.mark.parametrize(
    ("steps", "decimal", "value", "kinds"),
    [
        ([], ",", Decimal("1999.00"), []),
        ([], ".", Decimal("2.00"), []),
        ([{"do": "trim"}], ",", Decimal("1999.00"), []),
        ([{"do": "replace", "find": "x", "put": "y"}], ",", None, ["two_numbers"]),
        ([{"do": "convert", "source": "g", "target": "g"}], ",", Decimal("1999.00"), []),
    ],
)
def test_numbers_without_a_step_are_read_as_the_file_writes_them(steps, decimal, value, kinds):
    """1.999 in a file with decimal commas is no 2.00."""
    field = StoreField(name="n", kind="decimal")
    fill = Fill.model_validate({"parts": [{"column": "c"}], "steps": steps})
    values, wrong = filled(field, fill, {"c": ["1.999"]}, decimal)
    assert [k for _, k, _ in wrong] == kinds
    assert values == [value] or kinds


def test_alternative_texts_stay_with_their_pictures():
    """The second is blank: the third text does not move to the second picture."""
    columns = {"texts": ['["front",null,"back"]', "front||back", "|side", '["a","b","c","d"]'],
               "pictures": [" | ".join(f"http://h.example/{n}" for n in "abc")] * 4}  # fmt: skip
    fill = made(TEXTS, columns)
    values, wrong = filled(TEXTS, fill, columns)
    assert values[0] == values[1] == "front |  | back"
    assert values[2] == " | side"
    assert wrong == [(4, "more_texts", "refuse")]


@pytest.mark.parametrize(
    ("pictures", "texts", "kept"),
    [
        ('["1",null,"3"]', '["front","lost","back"]', "front | back"),
        ('["1","","3"]', '["front",null,"back"]', "front | back"),
        ('[null,"2","3"]', '["","side"]', "side"),
        ('[null,"2","3"]', '["lost","side","back"]', "side | back"),
        ('["1",null]', '["front"]', "front"),
        ("http://h.example/1 | http://h.example/2", '["front","side"]', "front | side"),
    ],
)
def test_the_text_of_a_blank_picture_goes_with_it(pictures, texts, kept):
    """What stands behind the gap stays with its own picture."""
    shown = re.sub(r'"(\d)"', r'"http://h.example/\1"', pictures)
    columns = {"texts": [texts], "pictures": [shown]}
    values, wrong = filled(TEXTS, made(TEXTS, columns), columns)
    assert (values, wrong) == ([kept], [])


@pytest.mark.parametrize(
    ("pictures", "texts"),
    [('[null,"2","3"]', '["one","two"]'), ('["1",null,"3","4"]', '["a","b","c"]')],
)
def test_texts_that_may_stand_one_place_off_are_refused(pictures, texts):
    """As many as pictures are left: a place may have been kept for the blank one, or not."""
    shown = re.sub(r'"(\d)"', r'"http://h.example/\1"', pictures)
    columns = {"texts": [texts], "pictures": [shown]}
    _, wrong = filled(TEXTS, made(TEXTS, columns), columns)
    assert wrong == [(1, "texts_in_doubt", "refuse")]


def test_a_found_separator_keeps_the_places_of_blank_texts():
    """Cut by a step that evidence made, a blank text keeps its place as well."""
    texts = ["front;;back", "front;side;back", "side;;front", "back;side;", "front;;side"] * 4
    columns = {"texts": texts,
               "pictures": [" | ".join(f"http://h.example/{n}" for n in "abc")] * 20}  # fmt: skip
    fill = made(TEXTS, columns)
    assert [s.describe() for s in fill.steps] == ["split at ';', blank ones too"]
    values, wrong = filled(TEXTS, fill, columns)
    assert values[:4] == ["front |  | back", "front | side | back", "side |  | front",
                          "back | side"] and wrong == []  # fmt: skip


def test_several_addresses_in_one_cell_are_never_one():
    fill = Fill(parts=(Part(column="p"),))
    for cell in (
        "http://h.example/a,http://h.example/b",
        "https://h.example/a; http://b.example/x",
    ):
        _, wrong = filled(PICTURE, fill, {"p": [cell]})
        assert [k for _, k, _ in wrong] == ["several_links"]


@pytest.mark.parametrize(
    ("paths", "separator", "depth"),
    [
        (["Drive->Cassettes 8/9", "Drive->Chains", "Wheels->Rims 27/28", "Wheels->Hubs"], "->", 2),
        (["A > B", "A > C", "D", "A > B > E"], " > ", 2),
        (["Tools", "Seeds", "Pots 8/9", "Tools"], "", 1),
    ],
)
def test_paths_are_cut_at_the_sign_that_was_found(paths, separator, depth):
    fill = made(PLACE, {"group": paths})
    (step,) = fill.steps
    assert fill.assumptions[0].choice.strip() == separator.strip()
    table = CategoryTable(name=step.table, separator=fill.assumptions[0].choice)
    assert len(table.split(paths[0])) == depth


@pytest.mark.parametrize(
    ("name", "unit"),
    [("Net g", "g"), ("Made in Italy", None), ("Länge/mm", "mm"), ("Höhe [cm]", "cm"),
     ("Poids en grammes", "g"), ("Width in", "in"), ("Stock in shop", None), ('Length "', "in"),
     ("Gew.(kg)", "kg"), ("Art no", None)],
)  # fmt: skip
def test_units_of_headings(name, unit):
    found = unit_in_name(name)
    assert (found.code if found else None) == unit


amounts = st.decimals(min_value=0, max_value=9999, places=3)


@settings(max_examples=60, deadline=None)
@given(number=amounts, unit=st.sampled_from([u for u in UNITS if UNITS[u].dimension == "mass"]))
def test_a_stated_unit_is_as_good_as_one_in_the_heading(number, unit):
    """Whatever a person answers, the value is what the heading would have made it."""
    text = f"{number:f}"
    answered = state(made(WEIGHT, {"Weight": [text]}), WEIGHT, "unit", unit)
    assert [a.state for a in answered.assumptions] == ["confirmed"]
    exact = Decimal(number) * Decimal(UNITS[unit].factor.numerator)
    expected = exact / Decimal(UNITS[unit].factor.denominator)
    values, wrong = filled(WEIGHT, answered, {"Weight": [text]})
    assert wrong == [] and abs(values[0] - expected) <= Decimal("0.0005")


def test_an_answer_keeps_the_steps_behind_it():
    fill = made(MONEY, {"Price": ["10"]})
    longer = fill.model_copy(update={"steps": (*fill.steps, *made(MONEY, {"Price": ["1"]}).steps)})
    answered = state(longer, MONEY, "currency", "USD")
    assert [s.do for s in answered.steps] == ["number", "exchange", "number"]
    again = state(answered, MONEY, "currency", "EUR")
    assert [s.do for s in again.steps] == ["number", "number"]
    with pytest.raises(CrosswalkError, match="no currency"):
        state(fill, MONEY, "currency", "ZZZ")
    with pytest.raises(CrosswalkError, match="no unit of mass"):
        state(made(WEIGHT, {"W": ["1"]}), WEIGHT, "unit", "cm")


def test_a_copied_crosswalk_leaves_the_suppliers_facts_to_be_confirmed():
    schema = StoreSchema(name="s", key="sku", fields=(CODES, MONEY, WEIGHT, NAME))
    walk = Crosswalk(
        fills={
            "sku": made(CODES, {"code": ["1", "2"]}),
            "price": made(MONEY, {"Price USD": ["1"]}),
            "weight": made(WEIGHT, {"Weight g": ["1"]}),
            "name": made(NAME, {"Title": ["a"]}),
        }
    )
    copied = doubted(walk, schema, "Quarrow Pigments")
    open_ones = {n: [a.about for a in f.assumptions if a.state == "open"]
                 for n, f in copied.fills.items()}  # fmt: skip
    assert open_ones == {"sku": ["prefix"], "price": ["currency"], "weight": ["unit"], "name": []}
    assert all(copied.fills[n].steps == walk.fills[n].steps for n in walk.fills)
    agreed = state(copied.fills["sku"], CODES, "prefix", "QP-")
    assert agreed.steps == walk.fills["sku"].steps
    suffixed = Fill.model_validate(
        {"parts": [{"column": "code"}],
         "steps": [{"do": "affix", "before": "A-", "after": "-X"}, {"do": "case"}]}
    )  # fmt: skip
    kept = state(suffixed, CODES, "prefix", "B-").steps
    assert (kept[0].before, kept[0].after, kept[1].do) == ("B-", "-X", "case")
    other = state(copied.fills["sku"], CODES, "prefix", "ZZ-")
    assert other.steps[-1].describe() == "'ZZ-' in front"


SHOP = StoreSchema(
    name="s", key="sku",
    fields=(KEY, StoreField(name="cost", kind="money", currency="EUR", role="cost"), MONEY,
            StoreField(name="title", role="title", title="Titel", max_length=5)),
)  # fmt: skip


def suggestions(columns, ladders=(), **known):
    table, profiles = delivery(columns)
    facts = column_facts(profiles, table, known.get("keys"))
    ranked = ranking(SHOP, facts, Evidence("Some Supplier", profiles, **known))
    found = {s.field: s for s in suggest(SHOP, ranked, Crosswalk())}
    priced = price_from_cost(SHOP, ranked, ladders)
    return found, priced


def test_a_fields_own_name_always_wins():
    """A price beside a cost is the price, whatever the values look like."""
    found, priced = suggestions({"cost": ["1", "2"], "price": ["free", "ask"], "Titel": ["x", "y"],
                                 "sku": ["a", "b"]}, ["Standard"])  # fmt: skip
    assert {f: s.column for f, s in found.items()} == {
        "cost": "cost", "price": "price", "title": "Titel", "sku": "sku"}  # fmt: skip
    assert all(found[f].score == 99 for f in ("cost", "price", "title")) and priced is None


def test_a_ladder_is_offered_only_where_one_exists_and_no_price_arrives():
    columns = {"sku": ["a", "b"], "Cost EUR": ["7", "9"]}
    assert suggestions(columns)[1] is None
    offered = suggestions(columns, ["Standard"])[1]
    assert offered.fill.steps[-1].describe() == "price ladder 'Standard'" and not offered.sure


def test_nothing_that_prefixes_or_shortens_is_sure():
    found, _ = suggestions({"sku": ["1", "2"], "Titel": ["a very long title", "b"]},
                           keys={"sku": KeyFacts(2, 0, 2, 0)})  # fmt: skip
    assert found["sku"].score == 99 and not found["sku"].sure
    assert found["title"].sure and [s.do for s in found["title"].fill.steps] == ["trim"]


def test_yes_and_no_of_another_language_are_listed_with_the_usual_ones():
    flag = StoreField(name="gone", kind="yes_no")
    says = {"ano": True, "ne": False, "vrai": True, "faux": False}.get
    fill = made(flag, {"gone": ["Ano", "ne", "vrai", "FAUX", "perhaps"]}, says_yes=says)
    (step,) = fill.steps
    assert {"ano", "vrai", "yes"} <= set(step.yes) and {"faux", "no"} <= set(step.no)
    values, problems = filled(flag, fill, {"gone": ["Ano", "ne", "vrai", "FAUX", "perhaps"]})
    assert values[:4] == [True, False, True, False] and [p[0] for p in problems] == [5]
