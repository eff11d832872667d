"""Steps: each does what its name says, and refuses what it must not guess."""

from __future__ import annotations

from decimal import ROUND_HALF_UP, Decimal

import pint
import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import TypeAdapter

from nomotax.core.crosswalk.compiler import compile_plan
from nomotax.core.crosswalk.flow import Context, Lookups
from nomotax.core.crosswalk.model import Crosswalk, Step
from nomotax.core.crosswalk.problems import problems_of
from nomotax.core.errors import CrosswalkError
from nomotax.core.lookups.tables import CategoryTable, ValueTable
from nomotax.core.schema.model import StoreField, StoreSchema
from nomotax.core.table import FAULT, ROW
from nomotax.core.units.table import UNITS

LOOKUPS = Lookups(
    {"colours": ValueTable(name="colours", entries={"R": "Red", " b ": "Blue"})},
    {"groups": CategoryTable(name="groups", placements={"Paint": "A", "Paint/Oil": "A > O",
                                                        "Old": ""})},
)  # fmt: skip


def run(values, steps, kind="text", decimal=".", parts=None, **field):
    """The field's results and the kinds of its problems, for one column of values."""
    frame = pl.DataFrame({"v": values, "w": [f"w{i}" for i in range(len(values))]},
                         schema={"v": pl.String, "w": pl.String})  # fmt: skip
    frame = frame.with_row_index(ROW, 1).with_columns(pl.lit(None, pl.String).alias(FAULT))
    target = StoreField(name="f", kind=kind, **field)
    schema = StoreSchema(name="s", key="k", fields=(StoreField(name="k"), target))
    fill = {"parts": parts or [{"column": "v"}], "steps": steps}
    crosswalk = Crosswalk.model_validate({"fills": {"f": fill}})
    plan = compile_plan(crosswalk, schema, Context(decimal, LOOKUPS), ["v", "w"])
    filled = plan.fill(frame)
    return filled["f"].to_list(), problems_of(filled, plan, frame)["kind"].to_list()


@pytest.mark.parametrize(
    ("step", "before", "after"),
    [
        ({"do": "trim"}, "  a \t b ", "a b"),
        ({"do": "trim", "collapse": False}, " a  b ", "a  b"),
        ({"do": "case", "to": "upper"}, "straße", "STRASSE"),
        ({"do": "case", "to": "sentence"}, "RAW umber", "Raw umber"),
        ({"do": "case", "to": "title"}, "raw umber", "Raw Umber"),
        ({"do": "replace", "find": ".", "put": "-"}, "a.b.c", "a-b-c"),
        ({"do": "pick", "at": "/", "part": 2}, "a/ b /c", "b"),
        ({"do": "pick", "at": "/", "part": -1}, "a/b/c", "c"),
        ({"do": "pick", "at": "/", "part": 9}, "a/b", None),
        ({"do": "pad", "length": 5}, "42", "00042"),
        ({"do": "affix", "before": "Q-", "after": "!"}, "7", "Q-7!"),
        ({"do": "affix", "before": "Q-"}, None, None),
        ({"do": "cut", "length": 8}, "cobalt blue deep", "cobalt"),
        ({"do": "cut", "length": 11}, "cobalt blue deep", "cobalt blue"),
        ({"do": "cut", "length": 4}, "ultramarine", "ultr"),
        ({"do": "default", "text": "none"}, None, "none"),
        ({"do": "default", "text": "none"}, "x", "x"),
        ({"do": "date", "order": "dmy"}, "3.11.2026", "2026-11-03"),
        ({"do": "yes_no", "yes": ["j"], "no": ["n"]}, "J", "true"),
        ({"do": "value_table", "table": "colours"}, " r ", "Red"),
        ({"do": "value_table", "table": "colours"}, "B", "Blue"),
        ({"do": "category_table", "table": "groups"}, "Paint / Oil/Tubes", "A > O"),
        ({"do": "category_table", "table": "groups"}, "Paint/Gouache", "A"),
        ({"do": "trim", "off": True}, " a ", " a "),
    ],
)
def test_step(step, before, after):
    assert run([before], [step]) == ([after], [])


@pytest.mark.parametrize(
    ("step", "value", "kind"),
    [
        ({"do": "number"}, "call us", "not_a_number"),
        ({"do": "date", "order": "dmy"}, "31.02.2026", "not_a_date"),
        ({"do": "yes_no", "yes": ["j"], "no": ["n"]}, "maybe", "not_yes_or_no"),
        ({"do": "value_table", "table": "colours"}, "T", "unlisted_value"),
        ({"do": "category_table", "table": "groups"}, "Wood", "unplaced_category"),
        ({"do": "category_table", "table": "groups"}, "Old/Stock", "not_sold"),
    ],
)
def test_what_cannot_be_read_is_a_problem_never_a_guess(step, value, kind):
    results, kinds = run([value], [step])
    assert results[0] in (None, "") and kinds == [kind]


def test_default_does_not_hide_a_refusal():
    """An empty cost gets the default; a cost of 'call us' stays refused."""
    steps = [{"do": "number"}, {"do": "default", "text": "0"}]
    results, kinds = run([None, "call us"], steps, kind="money", currency="EUR")
    assert results == [Decimal("0.00"), None] and kinds == ["not_a_number"]


@pytest.mark.parametrize(
    ("text", "decimal", "number"),
    [
        ("1.234,50", ",", "1234.50"),
        ("1,234.50", ".", "1234.50"),
        ("1.234", ",", "1234"),
        ("1.234", ".", "1.234"),
        (" 12,5 €", ",", "12.5"),
        ("1 234,5", ",", "1234.5"),
        ("-3,2", ",", "-3.2"),
        ("1.5", ",", None),
        ("12,34,5", ".", None),
        ("1e3", ".", None),
        ("", ",", None),
    ],
)
def test_numbers_are_read_in_their_style(text, decimal, number):
    results, _ = run([text], [{"do": "number"}], kind="decimal", decimals=4, decimal=decimal)
    assert results == [None if number is None else Decimal(number).quantize(Decimal("0.0001"))]


money = st.decimals(min_value=-(10**9), max_value=10**9, places=4)


@settings(max_examples=60, deadline=None)
@given(st.lists(money, min_size=1, max_size=20))
def test_money_rounds_half_away_from_zero(values):
    """As Python's decimal does it, to the last cent."""
    texts = [f"{v:f}" for v in values]
    results, _ = run(texts, [{"do": "number"}], kind="money", currency="EUR", minimum=-(10**10))
    assert results == [v.quantize(Decimal("0.01"), ROUND_HALF_UP) for v in values]


_PINT = {"in": "inch", "ft": "foot", "yd": "yard", "floz": "fluid_ounce", "cm2": "cm**2",
         "m2": "m**2", "gsm": "g/m**2", "pc": "count", "dz": "dozen"}  # fmt: skip


@pytest.mark.parametrize(
    ("source", "target"),
    [(a, b) for a in UNITS for b in UNITS if UNITS[a].dimension == UNITS[b].dimension],
)
def test_units_agree_with_an_independent_library(source, target):
    registry = pint.UnitRegistry(non_int_type=Decimal)
    registry.define("dozen = 12 * count")
    quantity = Decimal("123.45") * registry(_PINT.get(source, source))
    expected = quantity.to(registry(_PINT.get(target, target))).magnitude
    steps = [{"do": "number"}, {"do": "convert", "source": source, "target": target}]
    results, _ = run(["123.45"], steps, kind="decimal", decimals=8)
    assert abs(results[0] - Decimal(expected)) <= Decimal("0.000001")


def test_units_of_different_dimension_do_not_convert():
    with pytest.raises(CrosswalkError, match="g is a mass, cm is a length"):
        run(["1"], [{"do": "convert", "source": "g", "target": "cm"}])


def test_own_text_stands_only_between_values():
    """'brand, name' has no comma where one of both is missing."""
    parts = [{"column": "v"}, {"text": ", "}, {"column": "w"}]
    assert run(["a", None], [], parts=parts)[0] == ["a, w0", "w1"]


def test_value_table_rules_for_other_words():
    for otherwise, expected in [("as_is", "T"), ("empty", None), ("word", "Other")]:
        table = ValueTable(name="t", otherwise=otherwise, word="Other", entries={"R": "Red"})
        frame = pl.DataFrame({"v": ["R", "T"]})
        from nomotax.core.crosswalk.flow import Flow
        from nomotax.core.crosswalk.steps.lookups import UseValueTable

        flow = UseValueTable(table="t").apply(
            Flow(pl.col("v")), Context(lookups=Lookups({"t": table}))
        )
        assert frame.select(flow.value).to_series().to_list() == ["Red", expected]


def test_every_step_describes_itself():
    """No step is without plain words, and each survives a round trip as a document."""
    adapter = TypeAdapter(Step)
    needs = {"replace": {"find": "a"}, "value_table": {"table": "t"},
             "category_table": {"table": "t"}, "ladder": {"ladder": "l"}}  # fmt: skip
    schema = adapter.json_schema()
    for name in schema["discriminator"]["mapping"]:
        step = adapter.validate_python({"do": name} | needs.get(name, {}))
        assert step.describe()
        assert adapter.validate_json(step.model_dump_json()) == step
