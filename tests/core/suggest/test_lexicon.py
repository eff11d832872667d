"""What words mean, in the languages files come in."""

from __future__ import annotations

import csv
from importlib.resources import files

import pytest
from hypothesis import given
from hypothesis import strategies as st

from nomotax.core.suggest.lexicon import LANGUAGES, lexicon
from nomotax.core.suggest.places import is_country, is_language
from nomotax.core.suggest.spelling import fold, tokens

TERMS = lexicon("terms")
DATA = files("nomotax.core.suggest") / "data"


def says(heading, language, words=TERMS):
    return set(words.read(heading, frozenset({language})).concepts)


@pytest.mark.parametrize(
    "heading, language, concepts",
    [
        ("Purchase price", "en", {"price", "buying"}),
        ("EK-Preis netto", "de", {"price", "buying", "net"}),
        ("Prix d'achat HT", "fr", {"price", "buying", "net"}),
        ("Precio de compra", "es", {"price", "buying"}),
        ("Prezzo di listino", "it", {"price", "recommended"}),
        ("Inkoopprijs", "nl", {"price", "buying"}),
        ("Cena zakupu", "pl", {"price", "buying"}),
        ("Preço de custo", "pt", {"price", "buying"}),
        ("Inköpspris", "sv", {"price", "buying"}),
        ("Kostpris", "da", {"price", "buying"}),
        ("Nákupní cena", "cs", {"price", "buying"}),
        ("Mindestbestellmenge", "de", {"minorder"}),
        ("Waga brutto", "pl", {"weight", "gross"}),
        ("Codice a barre cartone", "it", {"barcode", "carton"}),
        ("Země původu", "cs", {"origin"}),
        ("Lev.varenr.", "da", {"supplier", "number"}),
    ],
)
def test_a_heading_says_the_same_in_every_language(heading, language, concepts):
    assert concepts <= says(heading, language)


@pytest.mark.parametrize(
    "heading, language, concept",
    [
        ("LIEFNR", "de", "supplier"),  # run together
        ("ANZSTK", "de", "quantity"),
        ("Verfügb.", "de", "stock"),  # cut short
        ("Beschikb.", "nl", "stock"),
        ("Vrraad", "nl", "stock"),  # letters left out
        ("Mengenrabatt", "de", "discount"),  # the end of a compound
        ("GewichtKg", "de", "weight"),
        ("Größe", "de", "size"),
        ("Groesse", "de", "size"),
        ("GROSSE", "de", "size"),
    ],
)
def test_headings_are_read_as_people_write_them(heading, language, concept):
    assert concept in says(heading, language)


def test_what_several_concepts_say_together_is_one():
    assert says("Minimum stock", "en") == {"reorder"}
    assert "minorder" in says("Minimum order", "en")
    assert says("Gew br", "de") == {"weight", "gross"}  # no width


def test_a_word_means_what_it_means_in_the_language_at_hand():
    values = lexicon("values")
    assert says("or", "fr", values) == {"gold"}
    assert "orange" in says("or", "de", values)
    assert "women" in says("M", "es", values) and "women" not in says("M", "en", values)


@pytest.mark.parametrize("name", ["terms", "values", "goods"])
def test_every_concept_has_words_in_every_language_and_stands_once(name):
    rows = list(csv.DictReader((DATA / f"{name}.csv").read_text(encoding="utf-8").splitlines()))
    concepts = [r["concept"] for r in rows]
    assert len(concepts) == len(set(concepts)) > 150
    # A word of one store's language alone helps no other: a few technical ones are international.
    bare = [r["concept"] for r in rows if sum(not r[language] for language in LANGUAGES) > 3]
    assert bare == []
    assert all(len(r) == len(LANGUAGES) + 2 for r in rows)


def test_what_stands_in_for_a_word_is_known():
    values = set(lexicon("values").groups)
    rows = csv.DictReader((DATA / "kin.csv").read_text(encoding="utf-8").splitlines())
    assert all({row["concept"], row["kin"]} <= values for row in rows)


@given(st.sampled_from(["Prix d'achat", "Größe", "Lagerbestand", "Čárový kód", "Peso bruto kg"]))
def test_case_accents_and_blanks_do_not_change_what_a_heading_says(heading):
    plain = TERMS.read(heading)
    for other in (heading.upper(), f"  {heading} ", fold(heading), heading.replace(" ", "_")):
        assert TERMS.read(other).concepts == plain.concepts


@given(st.text(max_size=20))
def test_any_text_can_be_read(text):
    bag = TERMS.read(text)
    assert all(0 < w <= 1 for w in bag.concepts.values())
    assert set(bag.unknown) <= set(tokens(text.strip()))


def test_countries_and_languages_go_by_any_of_their_names():
    assert all(map(is_country, ["DE", "Niemcy", "Allemagne", "uk", "Kina", "ČESKO"]))
    assert all(map(is_language, ["fr", "Französisch", "inglés"]))
    assert not is_country("blue") and not is_language("cotton paper")
