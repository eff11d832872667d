"""Which of the store's words stands for an arriving one."""

from __future__ import annotations

from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from nomotax.core.suggest.forms import form_of
from nomotax.core.suggest.words import rank, yes_or_no

COLOURS = ("Black", "White", "Grey", "Red", "Blue", "Navy", "Green", "Orange", "Gold", "Silver")
SIZES = ("XS", "S", "M", "L", "XL", "2XL", "One size")
AGES = ("0-12 months", "1-2 years", "3-4 years", "5-7 years", "12 years and up")
SHEETS = ("A3", "A4", "A5", "B5")
INCHES = ("16 in", "20 in", "27.5 in")
SHOES = ("EU 38", "EU 39", "EU 40")
UNITS = ("Piece", "Pack", "Box", "Set", "Roll", "Pair")
MATERIALS = ("Wood", "Steel", "Plastic", "Cotton", "Leather")


def best(word, allowed, language=""):
    found = rank(word, allowed, frozenset({language}) if language else frozenset())
    return found[0].place if found else None


@pytest.mark.parametrize(
    "word, allowed, language, place",
    [
        ("schwarz", COLOURS, "de", "Black"), ("blanc", COLOURS, "fr", "White"),
        ("vert", COLOURS, "fr", "Green"), ("czerwony", COLOURS, "pl", "Red"),
        ("or", COLOURS, "fr", "Gold"), ("or", COLOURS, "de", "Orange"),
        ("RAL 9005", COLOURS, "de", "Black"), ("hellgrau", COLOURS, "de", "Grey"),
        ("dunkelblau", COLOURS, "de", "Navy"), ("černá", COLOURS, "cs", "Black"),
        ("XXL", SIZES, "", "2XL"), ("xx-large", SIZES, "", "2XL"),
        ("extra large", SIZES, "en", "XL"), ("extra klein", SIZES, "de", "XS"),
        ("extra extra groß", SIZES, "de", "2XL"), ("T.U.", SIZES, "fr", "One size"),
        ("0-12 m", AGES, "pt", "0-12 months"), ("12-24 meses", AGES, "es", "1-2 years"),
        ("3+", AGES, "", "3-4 years"), ("ab 12", AGES, "de", "12 years and up"),
        ("297 x 420 mm", SHEETS, "", "A3"),
        ("DIN A4", SHEETS, "de", "A4"), ("C6", SHEETS, "", None), ("35/38", SHOES, "", None),
        ('27,5"', INCHES, "", "27.5 in"), ("16 pouces", INCHES, "fr", "16 in"),
        ("406.4 mm", INCHES, "", "16 in"), ("T. 39", SHOES, "es", "EU 39"),
        ("ks", UNITS, "cs", "Piece"), ("Pkg", UNITS, "de", "Pack"), ("rotolo", UNITS, "it", "Roll"),
        ("chêne", MATERIALS, "fr", "Wood"), ("ocel", MATERIALS, "cs", "Steel"),
        ("PP", MATERIALS, "", "Plastic"), ("Rindsleder", MATERIALS, "de", "Leather"),
    ],
)  # fmt: skip
def test_words_across_languages_and_spellings(word, allowed, language, place):
    assert best(word, allowed, language) == place


def test_letters_that_are_alike_are_no_meaning():
    """``blanc`` is not Black, ``vert`` not Silver, a size no other size."""
    for word, wrong in (("blanc", "Black"), ("vert", "Silver"), ("44", "EU 40")):
        found = rank(word, (*COLOURS, *SHOES), frozenset({"fr"}))
        assert wrong not in [p.place for p in found if p.sure]


def test_a_nearest_word_is_no_sure_one():
    (first, *_) = rank("anthrazit", COLOURS, frozenset({"de"}))
    assert first.place == "Grey" and not first.sure and "nearest" in first.reason
    assert rank("svart", COLOURS, frozenset({"sv"}))[0].sure


@pytest.mark.parametrize(
    "word, says",
    [("ja", True), ("oui", True), ("TAK", True), ("X", True), ("sí", True), ("ano", True),
     ("nej", False), ("0", False), ("Não", False), ("nie", False), ("vielleicht", None)],
)  # fmt: skip
def test_yes_and_no_in_any_language(word, says):
    assert yes_or_no(word) is says


@given(st.text(max_size=8), st.lists(st.text(min_size=1, max_size=8), max_size=6, unique=True))
def test_answers_are_of_the_list_and_never_two_are_sure(word, allowed):
    found = rank(word, allowed)
    assert all(p.place in allowed for p in found) and len(found) <= 3
    assert sum(p.sure for p in found) <= 1 and sum(p.score for p in found) <= 102
    found.clear()
    assert len(rank(word, allowed)) <= 3


@given(st.sampled_from(["noir", "Bleu Marine", "GRÜN", "żółty", "light blue"]))
def test_case_and_accents_do_not_change_an_answer(word):
    assert best(word, COLOURS) == best(word.upper(), COLOURS) == best(f" {word} ", COLOURS)


@given(st.integers(0, 20), st.sampled_from("sml"))
def test_sizes_of_clothes_are_one_however_they_are_written(times, letter):
    if letter == "m" and times:
        return
    spelt, counted = "x" * times + letter, f"{times}X{letter.upper()}"
    assert form_of(spelt).size == form_of(counted if times > 1 else spelt.upper()).size


def test_numbers_in_words():
    assert form_of('27,5"').numbers == (Decimal("27.5"),) and form_of('27,5"').unit == "in"
    assert form_of("+8 anos", frozenset({"pt"})).upward and form_of("5-7").numbers == (5, 7)
    assert form_of("210x297").size == "A4" and form_of("21 x 29,7 cm").size == "A4"
