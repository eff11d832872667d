"""Steps: each does what its name says, and refuses what it must not guess."""

from __future__ import annotations

from decimal import ROUND_HALF_UP, Decimal
from fractions import Fraction

import pint
import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import TypeAdapter

from nomotax.core.crosswalk.compiler import compile_plan
from nomotax.core.crosswalk.model import Chain, Crosswalk, Step
from nomotax.core.crosswalk.problems import problems_of
from nomotax.core.errors import CrosswalkError
from nomotax.core.flow.context import Context, Lookups
from nomotax.core.lookups.tables import CategoryTable, ValueTable
from nomotax.core.numbers import to_scale
from nomotax.core.pricing.rates import Rate
from nomotax.core.schema.model import StoreField, StoreSchema
from nomotax.core.table import FAULT, ROW
from nomotax.core.units.table import UNITS

FACTS = {"received": "2026-11-23", "supplier": "Quarrow"}
RATES = [Rate(source="USD", target="EUR", rate="0.9125", day="2026-11-20"),
         Rate(source="GBP", target="EUR", rate="1.19", day="2026-08-01")]  # fmt: skip
LOOKUPS = Lookups(
    {"colours": ValueTable(name="colours", entries={"R": "Red", " b ": "Blue"})},
    {"groups": CategoryTable(name="groups", placements={"Paint": "A", "Paint/Oil": "A > O",
                                                        "Old": ""})},
    {},
    {r.name: r for r in RATES},
    {"tidy": Chain.model_validate({"name": "tidy", "steps": [{"do": "trim"}, {"do": "case"}]})},
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
    plan = compile_plan(crosswalk, schema, Context(decimal, LOOKUPS, facts=FACTS), ["v", "w"])
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
        (
            {"do": "case", "to": "title", "small": ["of", "the"]},
            "heart of the sea",
            "Heart of the Sea",
        ),
        ({"do": "one_line"}, "a \r\n b\tc", "a b c"),
        ({"do": "slug"}, "Größe Ærø: 12 × 18", "grosse-aero-12-18"),
        ({"do": "replace_pattern", "find": r"(\d+) ?ml", "put": "$1 cc"}, "40 ml", "40 cc"),
        ({"do": "take_pattern", "find": r"#(\d+)"}, "a #12 #13", "12"),
        ({"do": "take_pattern", "find": r"\d+"}, "no digits", None),
        ({"do": "html_to_text"}, "<p>A &amp; B</p><ul><li>c<li>d</ul>", "A & B\ncd"),
        ({"do": "html_to_text", "lines": False}, "<p>A</p><script>x</script>b", "A b"),
        ({"do": "clean_html", "tags": ["b"]}, '<b onclick="x">A</b><i>b</i>', "<b>A</b>b"),
        ({"do": "decode_entities"}, "caf&eacute; &#8364;", "café €"),
        ({"do": "only_if", "formula": '[w] = "w0"'}, "a", "a"),
        ({"do": "only_if", "formula": '[w] = "w1"'}, "a", None),
        ({"do": "formula", "formula": '[=:value] & "/" & [w] & [=:row]'}, "a", "a/w01"),
        ({"do": "number_in"}, "ca. 12 pcs", "12"),
        ({"do": "number_in", "first": True}, "3 of 12", "3"),
        ({"do": "round", "places": 1, "how": "up"}, "2.31", "2.4"),
        ({"do": "round", "places": -1}, "-15", "-20"),
        ({"do": "scale", "times": "2", "by": "3"}, "10", "6.666666666667"),
        ({"do": "clamp", "least": "0", "most": "9"}, "-3", "0"),
        ({"do": "split", "at": "/"}, "b/ a //b", "b | a | b"),
        ({"do": "take", "start": 2, "count": 0}, '["a","b","c"]', "b | c"),
        ({"do": "unique"}, '["b","a","b"]', "b | a"),
        ({"do": "drop", "words": ["A"]}, '["b","a","b"]', "b | b"),
        ({"do": "order", "by": "falling"}, '["b","c","a"]', "c | b | a"),
        ({"do": "join", "between": "; "}, '["b","a"]', "b; a"),
        ({"do": "leading_zeros", "length": 5}, "42", "00042"),
        ({"do": "leading_zeros", "length": 5}, "A42", "A42"),
        ({"do": "check_digit", "how": "add"}, "952000000000", "9520000000004"),
        ({"do": "gtin", "length": 14}, "9520 0000 0000 4", "09520000000004"),
        ({"do": "measure", "target": "kg"}, "2 lb 3 oz", "0.992233309375"),
        ({"do": "measure", "target": "cm"}, "5' 3\"", "160.02"),
        ({"do": "measure", "target": "cm", "part": 2}, "12x18 in", "45.72"),
        ({"do": "measure", "target": "cm", "part": 3}, "30 × 40 × 2 cm", "2"),
        ({"do": "measure", "target": "in"}, "22 1/2 inches", "22.5"),
        ({"do": "measure", "target": "g", "stated": "kg"}, "1.5", "1500"),
        ({"do": "measure", "target": "C"}, "212 °F", "100"),
        ({"do": "amount", "currency": "GBP"}, "£1,234.50", "1234.5"),
        ({"do": "amount", "currency": "EUR"}, "12.50 EUR", "12.5"),
        ({"do": "exchange", "source": "USD", "target": "EUR"}, "10", "9.125"),
        ({"do": "chain", "chain": "tidy"}, " A  b ", "a b"),
    ],
)
def test_step(step, before, after):
    assert run([before], [step]) == ([after], [])


@pytest.mark.parametrize(
    ("step", "value", "kind"),
    [
        ({"do": "number"}, "call us", "not_a_number"),
        ({"do": "number"}, "9" * 40, "not_a_number"),
        ({"do": "scale", "times": "99999999999"}, "9" * 20, "no_number"),
        ({"do": "number_in"}, "3 of 12", "two_numbers"),
        ({"do": "formula", "formula": "1 / ([w] <> [w])"}, "1", "formula"),
        ({"do": "only_if", "formula": '[w] = "z"', "otherwise": "hold"}, "a", "condition"),
        ({"do": "check_digit"}, "9520000000005", "wrong_check_digit"),
        ({"do": "gtin"}, "12", "not_a_gtin"),
        ({"do": "measure", "target": "kg"}, "12", "no_unit"),
        ({"do": "measure", "target": "kg"}, "12 zork", "unknown_unit"),
        ({"do": "measure", "target": "kg"}, "12 cm", "wrong_dimension"),
        ({"do": "measure", "target": "kg"}, "heavy", "not_a_measure"),
        ({"do": "amount", "currency": "EUR"}, "$12", "wrong_currency"),
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


def test_an_old_rate_is_used_but_asked_about():
    step = {"do": "exchange", "source": "GBP", "target": "EUR"}
    assert run(["10"], [step]) == (["11.9"], ["old_rate"])
    assert run(["10"], [step | {"oldest": 200}]) == (["11.9"], [])


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


@pytest.fixture(scope="module")
def registry():
    """The other library's units; made once, since that is slow."""
    made = pint.UnitRegistry(non_int_type=Decimal)
    for name, count in [("dozen", 12), ("pair", 2), ("gross", 144), ("ream", 500)]:
        made.define(f"{name} = {count} * count")
    made.define("international_acre = 43560 * foot**2")
    return made


_PINT = {"in": "inch", "ft": "foot", "yd": "yard", "floz": "fluid_ounce", "gsm": "g/m**2",
         "pc": "count", "dz": "dozen", "t": "tonne", "pt": "pint", "qt": "quart", "gal": "gallon",
         "kgm2": "kg/m**2", "pr": "pair", "C": "degC", "F": "degF", "K": "kelvin", "R": "degR",
         "ct": "carat", "ozt": "troy_ounce", "ston": "short_ton", "lton": "long_ton",
         "mil": "thou", "mi": "mile", "nmi": "nautical_mile", "tsp": "teaspoon", "ha": "hectare",
         "tbsp": "tablespoon", "bbl": "oil_barrel", "ukfloz": "imperial_fluid_ounce",
         "ukpt": "imperial_pint", "ukqt": "imperial_quart", "ukgal": "imperial_gallon",
         "acre": "international_acre"}  # fmt: skip


def in_pint(code):
    plain = _PINT.get(code, code)
    if code in _PINT:
        return plain
    return f"{_PINT.get(code[:-1], code[:-1])}**{code[-1]}" if code[-1] in "23" else plain


@pytest.mark.parametrize("source", list(UNITS))
def test_units_agree_with_an_independent_library(source, registry):
    """Every unit of the dimension as the target, to the eighth place."""
    quantity = registry.Quantity(Decimal("123.45"), in_pint(source))
    for target in (u for u in UNITS if UNITS[u].dimension == UNITS[source].dimension):
        expected = Decimal(quantity.to(in_pint(target)).magnitude)
        if expected > 10**12:
            continue  # no goods
        steps = [{"do": "number"}, {"do": "convert", "source": source, "target": target}]
        results, kinds = run(["123.45"], steps, kind="decimal", decimals=8)
        assert kinds == [] and abs(results[0] - expected) <= Decimal("0.00000001"), target


numbers = st.decimals(min_value=0, max_value=10_000, places=4)
SAME = [(a, b) for a in UNITS for b in UNITS
        if UNITS[a].dimension == UNITS[b].dimension != "temperature"]  # fmt: skip


@settings(max_examples=80, deadline=None)
@given(number=numbers, pair=st.sampled_from(SAME), places=st.integers(0, 8))
def test_a_conversion_is_right_to_the_fields_last_place(number, pair, places):
    """As fractions work it out, rounded once."""
    source, target = pair
    exact = Fraction(number) * UNITS[source].factor / UNITS[target].factor
    if exact >= 10**9:
        return
    scaled = exact * 10**places
    expected = Decimal((2 * scaled.numerator + scaled.denominator) // (2 * scaled.denominator))
    for steps in (
        [{"do": "number"}, {"do": "convert", "source": source, "target": target}],
        [{"do": "measure", "target": target, "stated": source}],
    ):
        results, kinds = run([f"{number:f}"], steps, kind="decimal", decimals=places)
        assert (results, kinds) == ([expected.scaleb(-places)], []), steps


@pytest.mark.parametrize(
    ("text", "target", "result"),
    [
        ("1 200 mm", "mm", "1200"), ("1\u202f200 mm", "mm", "1200"), ("1'200 mm", "mm", "1200"),
        ("½ in", "in", "0.5"), ("1½ in", "in", "1.5"), ("1-1/2 in", "in", "1.5"),
        ("5'3\"", "in", "63"), ("5'3", "in", "63"), ("5 ft 3 in", "in", "63"),
        ("1.5e3 g", "g", "1500"), ("-18 °C", "C", "-18"), ("\u221218 °C", "C", "-18"),
        ("2 sq ft", "ft2", "2"), ("2 Sq. Ft.", "ft2", "2"), ("212 ℃", "C", "212"),
        ("3 US gal", "gal", "3"), ("3 UK gal", "ukgal", "3"), ("12 fl. oz.", "floz", "12"),
        ("1 stone 2 lb 3 oz", "oz", "259"), ("1 st 2 lb 3 oz", "oz", "259"),
        ("3 m 50 cm", "cm", "350"), ("80 g/m2", "gsm", "80"), ("10 cm2", "cm2", "10"),
        ("ca. 12 cm", "cm", "12"), ("491.67 °R", "C", "0"), ("5 ct", "g", "1"),
        ("1,234.5 g", "g", "1234.5"), ("2 lbs. 3 oz.", "oz", "35"), ("5'-3\"", "in", "63"),
        ("5. kg", "kg", "5"), ("3 ft^2", "ft2", "3"), ("3 m**3", "m3", "3"),
        ("70 deg F", "F", "70"), ("1 ℃", "C", "1"),
        ("2 imperial pints", "ukpt", "2"), ("1 Imp. Gallon", "ukgal", "1"), ("3 ar", "are", "3"),
        ("1 imperial fl. oz.", "ukfloz", "1"), ("1 british quart", "ukqt", "1"),
        ("2 acres", "acre", "2"), ("1/3 in", "cm", "0.846666666667"), ("1/3 yd", "ft", "1"),
        ("1/3 cup", "tbsp", "5.333333333333"), ("2/3 in", "in", "0.666666666667"),
    ],
)  # fmt: skip
def test_measures_as_people_write_them(text, target, result):
    assert run([text], [{"do": "measure", "target": target}]) == ([result], [])


@pytest.mark.parametrize("text", ["--5 kg", "+-5 kg", "-+5 kg"])
def test_two_signs_are_no_measure(text):
    results, kinds = run([text], [{"do": "measure", "target": "kg"}])
    assert results == [None] and kinds == ["not_a_measure"]


@settings(max_examples=150, deadline=None)
@given(number=numbers, pair=st.sampled_from(SAME))
def test_a_conversion_is_rounded_at_its_twelfth_place(number, pair):
    """And not cut; but where rounding would make a half of less, which is rounded again."""
    source, target = pair
    exact = Fraction(number) * UNITS[source].factor / UNITS[target].factor
    if exact >= 10**9:
        return
    steps = [{"do": "number"}, {"do": "convert", "source": source, "target": target}]
    (made,), kinds = run([f"{number:f}"], steps)
    near = abs(Fraction(made) - exact) * 10**12
    assert kinds == [] and (near <= Fraction(1, 2) or (near < 1 and "9" in made[-1:]))


@given(st.integers(0, 10**7), st.integers(1, 10**5), st.integers(0, 11))
def test_what_is_rounded_to_scale_is_rounded_again_as_if_once(up, down, places):
    number = Fraction(up, down)
    twice = (2 * to_scale(number) + 10 ** (12 - places)) // (2 * 10 ** (12 - places))
    once = (2 * number * 10**places + 1) // 2
    assert twice == once


@pytest.mark.parametrize(
    ("cell", "formula", "result"),
    [
        ("1,234", "[=:value] * 2", "2.468"),
        ("3,8700", "[=:value] * 2", "7.74"),
        ("2.000,5", "[=:value] + [v]", "4001"),
        ("1,234", '([=:value] & "") * 2', "2.468"),
        ("1,234", "TRIM([v]) * 2", "2.468"),
        ("1,234", 'IF([=:value] > 1; [v]; "0") * 2', "2.468"),
    ],
)
def test_a_formula_gets_a_number_of_a_file_with_commas_as_it_is(cell, formula, result):
    """1,234 is a little more than one, and stays so behind a step."""
    steps = [{"do": "number"}, {"do": "formula", "formula": formula}]
    assert run([cell], steps, decimal=",") == ([result], [])


def test_text_with_other_signs_is_never_read_by_a_guess():
    """Where a formula has put a point for a comma, 1.234 may be either."""
    formula = {"do": "formula", "formula": 'SUBSTITUTE([v]; ","; ".") * 2'}
    results, kinds = run(["1,234", "3,87"], [formula], decimal=",")
    assert (results, kinds) == ([None, "7.74"], ["formula"])


def test_thousands_of_measures_are_no_second_measure():
    step = {"do": "measure", "target": "g"}
    assert run(["1 234,5 g"], [step], decimal=",") == (["1234.5"], [])
    assert run(["1.234,5 g"], [step], decimal=",") == (["1234.5"], [])


@given(st.text(alphabet="0123456789.,'\" -+/x½ cmftinlbozg()e°", max_size=12))
def test_no_measure_becomes_empty_without_a_problem(text):
    for part in (0, 1, 2):
        results, kinds = run([text], [{"do": "measure", "target": "cm", "part": part}])
        assert results[0] is not None or kinds or not text.strip()


def test_digits_beyond_the_last_place_do_not_round_twice():
    """1.00499999999999 is under the half, however many nines follow."""
    steps = [{"do": "number"}]
    results, _ = run(["1.00499999999999999", "1.005"], steps, kind="decimal")
    assert results == [Decimal("1.00"), Decimal("1.01")]


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
        from nomotax.core.crosswalk.steps.lookups import UseValueTable
        from nomotax.core.flow.flow import Flow

        flow = UseValueTable(table="t").apply(
            Flow(pl.col("v")), Context(lookups=Lookups({"t": table}))
        )
        assert frame.select(flow.value).to_series().to_list() == ["Red", expected]


def test_every_step_describes_itself():
    """No step is without plain words, and each survives a round trip as a document."""
    adapter = TypeAdapter(Step)
    needs = {"replace": {"find": "a"}, "value_table": {"table": "t"},
             "category_table": {"table": "t"}, "ladder": {"ladder": "l"},
             "replace_pattern": {"find": "a"}, "take_pattern": {"find": "a"},
             "chain": {"chain": "c"}}  # fmt: skip
    schema = adapter.json_schema()
    for name in schema["discriminator"]["mapping"]:
        step = adapter.validate_python({"do": name} | needs.get(name, {}))
        assert step.describe()
        assert adapter.validate_json(step.model_dump_json()) == step


@pytest.mark.parametrize(
    ("steps", "says"),
    [
        ([{"do": "replace_pattern", "find": "(a"}], "cannot be used"),
        ([{"do": "take_pattern", "find": r"(?=a)b"}], "cannot be used"),
        ([{"do": "formula", "formula": "1 +"}], "ends too early"),
        ([{"do": "formula", "formula": "[=f]"}], "in a circle: f from f"),
        ([{"do": "per_unit", "column": "pack"}], "no column 'pack'"),
        ([{"do": "exchange", "source": "CHF"}], "no rate from CHF to EUR"),
        ([{"do": "chain", "chain": "none"}], "no chain of steps called 'none'"),
    ],
)
def test_a_step_that_cannot_run_says_why(steps, says):
    with pytest.raises(CrosswalkError, match=says):
        run(["a"], steps)


def test_fields_fill_fields_and_circles_are_named():
    """A name of brand and title; a field that cannot run holds its rows and stops no other."""
    fields = tuple(StoreField(name=n) for n in ("k", "brand", "title", "a", "b"))
    schema = StoreSchema(name="s", key="k", fields=fields)
    fills = {
        "k": {"parts": [{"column": "v"}]},
        "title": {"parts": [{"field": "brand"}, {"text": " "}, {"column": "v"}]},
        "brand": {"parts": [{"fact": "supplier"}], "steps": [{"do": "case", "to": "upper"}]},
        "a": {"parts": [{"field": "b"}]},
        "b": {"steps": [{"do": "formula", "formula": "[=a] & 1"}]},
    }
    frame = pl.DataFrame({ROW: [1], FAULT: [None], "v": ["x"]}, schema_overrides={FAULT: pl.String})
    broken = {}
    ctx = Context(facts=FACTS)
    plan = compile_plan(Crosswalk.model_validate({"fills": fills}), schema, ctx, ["v"], broken)
    filled = plan.fill(frame)
    assert filled["title"].to_list() == ["QUARROW x"]
    assert "a from b from a" in str(broken["b"])
    kinds = problems_of(filled, plan, frame)
    assert set(kinds["severity"]) == {"question"} and {"a", "b"} >= set(kinds["field"])
    with pytest.raises(CrosswalkError, match="circle"):
        compile_plan(Crosswalk.model_validate({"fills": fills}), schema, ctx, ["v"])


def test_loose_tables_match_without_accents_and_tell_doubled_keys():
    table = ValueTable(name="t", match="loose", entries={"Bleu-clair": "Blue", "BLEU CLÁIR": "Red"})
    words = pl.DataFrame({"v": ["bleu clair", "Bléuclair", "vert"]})
    assert words.select(table.look_up(pl.col("v"))).to_series().to_list() == ["Red", "Red", None]
    assert table.doubled() == [["Bleu-clair", "BLEU CLÁIR"]]


def test_a_table_of_200_000_words_is_ordinary():
    table = ValueTable(name="t", entries={f"w{n}": f"s{n}" for n in range(200_000)})
    words = pl.DataFrame({"v": ["W199999", "w7", "x"]})
    found = words.select(table.look_up(pl.col("v"))).to_series().to_list()
    assert found == ["s199999", "s7", None]
