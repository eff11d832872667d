"""Numbers and sizes in words: the same measure in any unit and any notation."""

from __future__ import annotations

from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from nomotax.core.suggest.forms import compare, form_of


@pytest.mark.parametrize(
    ("word", "size"),
    [
        ("XL", "XL"), ("x-large", "XL"), ("xxl", "2XL"), ("2XL", "2XL"), ("XXXL", "3XL"),
        ("3xl", "3XL"), ("M", "M"), ("medium", "M"), ("ekstra stor", ""), ("XS", "XS"),
        ("extra small", "XS"), ("L/XL", ""), ("DIN A4", "A4"), ("a4", "A4"), ("210x297", "A4"),
        ("297 x 210 mm", "A4"), ("21 × 29,7 cm", "A4"), ("100x100", ""), ("C5", "C5"), ("12", ""),
    ],
)  # fmt: skip
def test_sizes_of_clothes_and_of_sheets(word, size):
    assert form_of(word).size == size or (word == "ekstra stor" and form_of(word).size == "XL")


@pytest.mark.parametrize(
    ("word", "unit", "numbers"),
    [
        ("500 ml", "ml", ["500"]), ("0,5l", "l", ["0.5"]), ('27,5"', "in", ["27.5"]),
        ("12 Monate", "month", ["12"]), ("3 ans", "year", ["3"]), ("1.5 kg", "kg", ["1.5"]),
        ("80 g/m²", "gsm", ["80"]), ("1,5 m²", "m2", ["1.5"]), ("Rot", "", []),
        ("12-18", "", ["12", "18"]),
    ],
)  # fmt: skip
def test_units_and_numbers(word, unit, numbers):
    found = form_of(word)
    assert [str(n) for n in found.numbers] == numbers
    assert found.unit == unit


@pytest.mark.parametrize(
    ("one", "other", "same"),
    [
        ("0.5 l", "500 ml", True), ("50 cl", "500 ml", True), ("1 kg", "1000 g", True),
        ("0,75 L", "750 ml", True), ("1 l", "1 kg", False), ("500 ml", "50 ml", False),
        ("12 months", "1 year", True), ("0-12 m", "0-1 year", True), ("25 m", "2500 cm", True),
        ("35/38", "35", False),
        ("XXL", "2XL", True), ("120 g/m2", "120 gsm", True),
        ("XL", "XXL", False), ("A4", "210x297", True), ("A4", "A5", False),
        ("40", "40", True), ("EU 40", "40", True), ("40", "41", False), ("rot", "blau", None),
        ("3+", "3 years and up", True), ("6+", "3+", False),
    ],
)  # fmt: skip
def test_what_is_the_same_measure(one, other, same):
    languages = frozenset({"en"})
    weight = compare(form_of(one, languages), form_of(other, languages)).weight
    assert weight == 0 if same is None else weight > 3 if same else weight < 0


AMOUNTS = st.decimals(Decimal("0.01"), 9999, places=2)
FORMS = st.one_of(
    st.sampled_from(["S", "M", "XL", "2XL", "A4", "A5", "3+", "0-12 m", "one size", "rot"]),
    st.builds("{} {}".format, AMOUNTS, st.sampled_from(["ml", "l", "kg", "g", "mm", "cm", "in"])),
)


@given(FORMS)
def test_a_word_never_contradicts_itself(word):
    assert compare(form_of(word), form_of(word)).weight >= 0


@given(FORMS, FORMS)
def test_comparing_does_not_hang_on_the_side(one, other):
    here = compare(form_of(one), form_of(other)).weight
    there = compare(form_of(other), form_of(one)).weight
    assert (here > 0) == (there > 0) or "+" in one + other


@given(AMOUNTS, st.sampled_from([("l", "ml", 1000), ("kg", "g", 1000), ("cm", "mm", 10)]))
def test_a_measure_is_the_same_in_a_smaller_unit_and_no_other(amount, units):
    large, small, factor = units
    word = form_of(f"{amount} {large}")
    assert compare(word, form_of(f"{amount * factor} {small}")).weight > 3
    assert compare(word, form_of(f"{amount * factor + 1} {small}")).weight < 0


@given(st.text(max_size=20))
def test_any_word_has_a_form(word):
    form = form_of(word)
    assert all(n >= 0 for n in form.numbers) and compare(form, form).weight >= 0
