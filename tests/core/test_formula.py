"""Formulas: every function by hand-worked cases, exact numbers, mistakes with their place."""

from __future__ import annotations

from decimal import ROUND_DOWN, ROUND_HALF_UP, Decimal, localcontext

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from nomotax.core.errors import FormulaError
from nomotax.core.formula.evaluate import evaluate
from nomotax.core.formula.parse import DEEPEST, parse
from nomotax.core.formula.registry import FUNCTIONS
from nomotax.core.layers import Layers

ROW = {
    "Cost": "1,234.50",
    "None": None,
    "Zero": "0",
    "Word": "x",
    "A ] b": "odd",
    "Date": "2026-11-23",
}


@pytest.mark.parametrize("one", FUNCTIONS.values(), ids=lambda f: f.name)
def test_example_of_the_help(one):
    assert evaluate(one.example, {}) in ((one.result, None), (one.result or None, None))


@pytest.mark.parametrize(
    ("formula", "value"),
    [
        ("= 1 + 2 * 3", "7"),
        ("-2^2", "4"),  # ODF 1.3 part 4, 5.5: the prefix sign binds tighter than ^
        ("2^3^2", "64"),  # ... and ^ groups to the left
        ("2^-2", "0.25"),
        ("50% * 8", "4"),
        ("0.1 + 0.2", "0.3"),
        ("1 / 3", "0.333333333333"),
        ('"a" & 1.50 & TRUE', "a1.5true"),
        ('"say ""x"""', 'say "x"'),
        ("[Cost] * 2", "2469"),
        ("[A ]] b] & 1", "odd1"),
        ("[None] + 1", None),
        ('[None] & "x"', "x"),
        ('IF([None] = ""; "none"; 1)', "none"),
        ("[None] = 0", "false"),
        ("[Zero] = 0", "true"),
        ("[Cost] > [Zero]", "true"),
        ('IF([Word] = "x"; 1; [Word] * 2)', "1"),
        ("IFERROR([Word] * 2; [Cost] / [Zero])", "error: divides by zero"),
        ('IFERROR([Cost] / [Zero]; "none")', "none"),
        ("IF(TRUE; 1; 1 / 0)", "1"),
        ("AND(1 / 0 = 1; TRUE)", "error: divides by zero"),
        ("[Word] * 2", "error: 'x' is no number"),
        ("99999999999999 * 99999999999999", "error: makes too large a number"),
        ("ROUND(-2.5)", "-3"),
        ("ROUND(1250, -2)", "1300"),
        ("ROUNDUP(-1.01)", "-2"),
        ("MOD(7; -3)", "-2"),
        ("QUOTIENT(-7; 2)", "-3"),
        ("ISODD(-3)", "true"),
        ("TRUNC(-1250; -2)", "-1200"),
        ("CEILING(-2.31; -0.05)", "-2.3"),
        ("CEILING(-2.31; 0.05)", "-2.3"),
        ("CEILING(2.31; -0.05)", "error: has another sign than its step"),
        ("CEILING([Zero] - 0.99; 1) + 0.99", "0.99"),
        ("FLOOR(-2.31; 0.05)", "-2.35"),
        ("1E-300", "0"),
        ('TEXT(1.5; "0.###")', "1.5"),
        ('TEXT(2; "0.###")', "2"),
        ('TEXT(1234.56; "#,##0.0##")', "1,234.56"),
        ('TEXT(1.5; "0.00 ""kg""")', "1.50 kg"),
        ('TEXT(-0.25; """ca. ""0.0#")', "ca. -0.25"),
        ('TEXT(46000.75; "HH:MM")', "18:00"),
        ('TEXT(0.999999; "h:mm:ss")', "0:00:00"),
        ('REPT(REPT("ab"; 1000); 1000)', "error: makes a text of more than 32,767 characters"),
        ('LEN(SUBSTITUTE(REPT("a"; 1000); "a"; "bcd"))', "3000"),
        ('SUBSTITUTE(REPT("a"; 1000); "a"; REPT("b"; 1000))',
         "error: makes a text of more than 32,767 characters"),
        ("CEILING(-2.31)", "-2"),
        ("CEILING(-2.31; -0.05; 1)", "-2.35"),
        ("FLOOR(-2.31; -0.05)", "-2.35"),
        ("FLOOR(-2.31; -0.05; 1)", "-2.3"),
        ("FLOOR(2.31; -0.05)", "error: has another sign than its step"),
        ("CHAR(128)", "€"),
        ("CHAR(256)", "error: '256' is the number of no character"),
        ('CODE("€uro")', "128"),
        ('CODE("≈")', "error: '≈' begins with no character of Windows-1252"),
        ('UNICODE("≈")', "8776"),
        ("UNICHAR([Zero])", "error: '0' is the number of no character"),
        ("SQRT(2)", "1.414213562373"),
        ("SQRT(-1)", "error: has no square root"),
        ('NUMBERVALUE("1\'234.5"; "."; "\'")', "1234.5"),
        ('NUMBERVALUE("12_345,6"; ","; "_")', "12345.6"),
        ("FIXED(1234.5; 1; TRUE)", "1234.5"),
        ("FIXED(1254.5; -2)", "1,300"),
        ('TEXTJOIN(","; FALSE(); "a"; ""; "b")', "a,,b"),
        ('WEEKDAY("2026-11-23"; 11)', "1"),  # a Monday
        ('WEEKDAY("2026-11-23"; 17)', "2"),
        ('WEEKDAY("2026-11-23"; 16)', "3"),
        ('TRIM(" a" & UNICHAR(160) & "  b" & UNICHAR(10))', "a\u00a0 b\n"),
        ('MID("abc"; 0; 1)', "error: '0' is a place before the text; places count from 1"),
        ('MID("abc"; 9; 1)', ""),
        ('MID("abc"; 1; -1)', "error: '-1' is no count of characters"),
        ('FIND("a"; "abc"; 0)', "error: '0' is a place before the text; places count from 1"),
        ('FIND("a"; "abc"; 9)', "error: 'abc' does not hold the text that is looked for"),
        ("MROUND(-2.38; 0.05)", "-2.4"),
        ("SUM([None]; [Zero]; 2)", "2"),
        ("AVERAGE([None]; 2; 4)", "3"),
        ("MAX([None]; [None])", None),
        ("CONVERT(212; \"F\"; \"C\")", "100"),
        ("[=:value] & 1", "error here"),
        ("DATEVALUE([Date]) + 10", "2026-12-03"),
        ('DATEVALUE([Date]) - DATE(2026; 11; 1)', "22"),
        ('DATEVALUE([Date]) > "2026-01-01"', "true"),
        ("DATE(2026; 2; 30)", "2026-03-02"),
        ('TEXT(1234567.895; "#,##0.00")', "1,234,567.90"),
        ('TEXT(-0.5; "0%")', "-50%"),
        ('TEXT([Date]; "DD.MM.YY")', "23.11.26"),
        ('SUBSTITUTE("aaa"; ""; "x")', "aaa"),
        ('FIND("z"; "abc")', "error: 'abc' does not hold the text that is looked for"),
        ('LEFT("héllo"; 2)', "hé"),
        ('CHOOSE(4; 1; 2)', "error: '4' is not 1 to 2"),
        ('IFS([Zero] > 1; "a"; [Cost] > 1; "b"; "c")', "b"),
        ('ISNUMBER([Cost]) & ISNUMBER([Word])', "truefalse"),
    ],
)  # fmt: skip
def test_value(formula, value):
    if value == "error here":
        with pytest.raises(FormulaError):
            evaluate(formula, ROW)
        return
    made, wrong = evaluate(formula, ROW)
    assert (f"error: {wrong}" if wrong else made) == value


def test_numbers_of_columns_are_read_in_the_style_of_the_file():
    assert evaluate("[a] * 2", {"a": "1.234,50"}, ",") == ("2469", None)
    assert evaluate("[a] * 2", {"a": "1.234,50"}, ".") == (None, "'1.234,50' is no number")


@pytest.mark.parametrize(
    ("formula", "start", "end", "said"),
    [
        ("LEFT([a]; 2", 11, 11, "ends too early"),
        ("1 + * 2", 4, 5, "a value should follow"),
        ("Cost * 2", 0, 4, "stands alone"),
        ('"abc', 0, 4, "no closing quote"),
        ("1 + [abc", 4, 8, "no closing ]"),
        ("1 # 2", 2, 3, "means nothing"),
        ("1 + ROUNDED(2)", 4, 14, "ROUND"),
        ("[zed]", 0, 5, "no column 'zed'"),
        ("1 + LEFT()", 4, 10, "at least 1"),
        ('ROUND(1; [a])', 0, 13, "written as a whole number"),
        ("2 ^ [a]", 0, 7, "whole number from -20"),
        ('CONVERT(1; "kg"; "cm")', 0, 22, "do not measure the same"),
        ("", 0, 0, "empty"),
        ("-" * 1000 + "1", None, None, f"more than {DEEPEST} deep"),
        ("ABS(" * 1000 + "1" + ")" * 1000, None, None, f"more than {DEEPEST} deep"),
        ("1" * 9000, None, None, "longer than"),
    ],
)  # fmt: skip
def test_mistake_has_its_place(formula, start, end, said):
    with pytest.raises(FormulaError) as caught:
        evaluate(formula, {"a": "1"})
    assert said in f"{caught.value.message} {caught.value.remedy}"
    if start is not None:
        assert (caught.value.start, caught.value.end) == (start, end)


@pytest.mark.parametrize(
    "formula",
    ["SUM(" + ";".join(["[A]"] * 60) + ")", "[A]^20", "POWER(1.01; 20)", "[A]" + "*[A]" * 60,
     "IF([A]>1;" * 30 + "1" + ";2)" * 30, '"x"' + "&[A]" * 90],
)  # fmt: skip
def test_the_time_of_a_formula_grows_with_its_length(formula, monkeypatch):
    """Each part is worked out once: the expressions that are made are as many as the parts, and
    none holds another whole."""
    made = []
    keep = Layers.keep
    monkeypatch.setattr(Layers, "keep", lambda self, e: made.append(e) or keep(self, e))
    value, wrong = evaluate(formula, {"A": "1"})
    assert value and wrong is None
    assert len(made) < 60 * formula.count("[") + 600
    assert max(len(str(e)) for e in made) < 6_000


def test_a_formula_of_too_many_parts_is_refused_with_its_place():
    with pytest.raises(FormulaError, match="more than 1,000 parts") as refused:
        evaluate("SUM(" + ";".join(["1"] * 2_000) + ")", {})
    assert refused.value.start is not None


@pytest.mark.parametrize(
    "formula", ["FIXED(1; 1000000)", f'TEXT(1; "{"0" * 2000}")', f'TEXT(1; "0.{"0" * 2000}")']
)
def test_a_number_has_so_many_digits_at_the_most(formula):
    with pytest.raises(FormulaError, match="at the most"):
        evaluate(formula, {})


@pytest.mark.parametrize("grown", ['REPT("abcdefgh"; 1000)', 'SUBSTITUTE([A]; "a"; "b")'])
def test_a_text_of_many_that_have_grown_is_never_made(grown):
    """However they are nested: the time it takes is that of a short one."""
    row = {"A": "a" * 20_000}
    joined = " & ".join([grown] * 40)
    twice = f'SUBSTITUTE({joined}; "b"; REPT("c"; 1000))'
    for formula in (joined, f"CONCATENATE({joined}; {joined})", twice, f"REPT({joined}; 1000)"):
        assert evaluate(formula, row) == (None, "makes a text of more than 32,767 characters")


def test_deep_brackets_are_no_harm():
    assert evaluate("(" * 2000 + "1" + ")" * 2000, {}) == ("1", None)
    assert "nested" not in str(parse("(((1)))"))


numbers = st.decimals(-(10**9), 10**9, places=4)
small = st.decimals(Decimal("0.01"), 10**6, places=2)


def exact(value: str | None) -> Decimal:
    assert value is not None
    return Decimal(value)


@settings(max_examples=60, deadline=None)
@given(a=numbers, b=small, places=st.integers(-3, 6))
def test_arithmetic_is_decimal(a, b, places):
    row = {"a": str(a), "b": str(b)}
    with localcontext(prec=60):
        twelve = Decimal(1).scaleb(-12)
        assert exact(evaluate("[a] + [b]", row)[0]) == a + b
        assert exact(evaluate("[a] * [b]", row)[0]) == (a * b).quantize(twelve, ROUND_HALF_UP)
        assert abs(exact(evaluate("[a] / [b]", row)[0]) - a / b) <= twelve
        unit = Decimal(1).scaleb(-places)
        half = (a / unit).quantize(Decimal(1), ROUND_HALF_UP) * unit
        down = (a / unit).quantize(Decimal(1), ROUND_DOWN) * unit
        assert exact(evaluate(f"ROUND([a]; {places})", row)[0]) == half
        assert exact(evaluate(f"ROUNDDOWN([a]; {places})", row)[0]) == down
        rest = exact(evaluate("MOD([a]; [b])", row)[0])
        assert 0 <= rest < b and (a - rest) % b == 0


@settings(max_examples=40, deadline=None)
@given(text=st.text(max_size=30), at=st.integers(1, 12), count=st.integers(0, 12))
def test_text_counts_characters(text, at, count):
    row = {"t": text}
    quoted = text.replace('"', '""')
    assert (evaluate(f"MID([t]; {at}; {count})", row)[0] or "") == text[at - 1 : at - 1 + count]
    assert evaluate("LEN([t])", row)[0] == str(len(text))
    assert (evaluate(f'"{quoted}" & ""', {})[0] or "") == text
