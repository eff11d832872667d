"""Which column feeds which field: names, values, and all columns together."""

from __future__ import annotations

import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from nomotax.core.crosswalk.evidence import Evidence
from nomotax.core.crosswalk.model import Crosswalk
from nomotax.core.reading.profile import profile_columns
from nomotax.core.schema.model import StoreField, StoreSchema
from nomotax.core.suggest.columns import fits, weigh
from nomotax.core.suggest.facts import column_facts
from nomotax.core.suggest.fills import ranking, suggest

STORE = StoreSchema(
    name="Kennel and perch",
    key="code",
    fields=(
        StoreField(name="code", title="Item code", kind="identifier", role="key", required=True),
        StoreField(name="maker_no", title="Maker's number", kind="identifier"),
        StoreField(name="barcode", title="Barcode", kind="gtin"),
        StoreField(name="case_barcode", title="Case barcode", kind="gtin"),
        StoreField(name="name", title="Name", role="title"),
        StoreField(name="story", title="Story", kind="rich_text", role="text"),
        StoreField(name="brand", title="Brand"),
        StoreField(name="cost", title="Cost", kind="money", currency="EUR", role="cost"),
        StoreField(name="price", title="Price", kind="money", currency="EUR", role="price"),
        StoreField(name="on_offer", title="Offer price", kind="money", currency="EUR"),
        StoreField(name="stock", title="Stock", kind="integer", role="stock"),
        StoreField(name="moq", title="Minimum order", kind="integer"),
        StoreField(name="reorder", title="Reorder level", kind="integer"),
        StoreField(name="weight", title="Net weight", kind="measure", unit="kg"),
        StoreField(name="animal", title="Animal", kind="choice", allowed=("Dog", "Cat", "Bird")),
        StoreField(name="vegan", title="Vegan", kind="yes_no"),
        StoreField(name="origin", title="Country of origin"),
        StoreField(name="expiry", title="Best before", kind="date"),
        StoreField(name="picture", title="Picture", kind="link", role="picture"),
        StoreField(name="sheet", title="Data sheet", kind="link"),
    ),
)  # fmt: skip
BARCODES = ["9520000000004", "9520000000011", "9520000000028", "9520000000035", "9520000000042"]
CASES = ["19520000000001", "19520000000018", "19520000000025", "19520000000032", "19520000000049"]
CELLS = {
    "code": ["KP-101", "KP-102", "KP-103", "KP-104", "KP-105"],
    "maker": ["7781-A", "7781-B", "8120-A", "8121-A", "9003-C"],
    "barcode": BARCODES,
    "case_barcode": CASES,
    "name": ["Fjord dry food", "Fjord wet food", "Nest swing", "Perch ladder", "Tunnel for cats"],
    "story": [f"<p>A long story about number {n}, told at some length here.</p>" for n in range(5)],
    "brand": ["Fjord", "Fjord", "Nest", "Perch", "Tunnel"],
    "cost": ["4,10", "5,25", "7,80", "12,40", "30,05"],
    "price": ["8,95", "10,95", "16,50", "24,95", "59,90"],
    "on_offer": ["7,95", "9,95", "15,00", "19,95", "49,90"],
    "stock": ["14", "0", "250", "31", "8"],
    "moq": ["1", "6", "1", "12", "1"],
    "reorder": ["10", "20", "20", "10", "5"],
    "weight": ["1500", "400", "120", "85", "640"],
    "animal": ["Hund", "Hund", "Vogel", "Vogel", "Katze"],
    "vegan": ["ja", "nein", "nein", "ja", "nein"],
    "origin": ["DE", "Dänemark", "FR", "Polen", "IT"],
    "expiry": ["31.12.2027", "30.06.2027", "01.03.2028", "15.08.2027", "02.02.2028"],
    "picture": [f"https://h.example/{n}.jpg" for n in range(5)],
    "sheet": [f"https://h.example/{n}.pdf" for n in range(5)],
}
NAMED = {
    "de": {
        "code": "Artikelnr.", "maker": "Herstellernr.", "barcode": "EAN Stück",
        "case_barcode": "EAN Karton", "name": "Bezeichnung", "story": "Langtext", "brand": "Marke",
        "cost": "EK netto", "price": "VK brutto", "on_offer": "Aktionspreis", "stock": "Bestand",
        "moq": "Mindestmenge", "reorder": "Meldebestand", "weight": "Nettogewicht g",
        "animal": "Tierart", "vegan": "Vegan", "origin": "Ursprungsland", "expiry": "MHD",
        "picture": "Bild", "sheet": "Datenblatt",
    },
    "cs": {
        "code": "Kód zboží", "maker": "Číslo výrobce", "barcode": "Čárový kód",
        "case_barcode": "Čárový kód kartonu", "name": "Název", "story": "Podrobný popis",
        "brand": "Značka", "cost": "Nákupní cena", "price": "Prodejní cena",
        "on_offer": "Akční cena", "stock": "Skladem", "moq": "Minimální odběr",
        "reorder": "Minimální zásoba", "weight": "Čistá hmotnost g", "animal": "Druh zvířete",
        "vegan": "Veganské", "origin": "Země původu", "expiry": "Spotřebujte do",
        "picture": "Obrázek", "sheet": "Datový list",
    },
    "da": {
        "code": "Varenummer", "maker": "Producentens varenr.", "barcode": "EAN stk",
        "case_barcode": "EAN kolli", "name": "Varenavn", "story": "Lang beskrivelse",
        "brand": "Mærke", "cost": "Kostpris", "price": "Salgspris", "on_offer": "Tilbudspris",
        "stock": "Lagerbeholdning", "moq": "Min. bestilling", "reorder": "Genbestillingspunkt",
        "weight": "Nettovægt g", "animal": "Dyreart", "vegan": "Vegansk",
        "origin": "Oprindelsesland",
        "expiry": "Bedst før", "picture": "Billede", "sheet": "Datablad",
    },
}  # fmt: skip


def arriving(headings, cells=None):
    cells = cells or CELLS
    frame = pl.DataFrame({headings[k]: v for k, v in cells.items() if k in headings})
    return frame, profile_columns(frame.lazy())


def likely(headings, cells=None):
    """The first column of each field, and how likely it is."""
    frame, profiles = arriving(headings, cells)
    found = fits(weigh(STORE, column_facts(profiles, frame)))
    return {f: own[0] for f, own in found.items() if own and own[0].likely >= 0.3}


@pytest.mark.parametrize("language", NAMED)
def test_a_file_in_another_language_finds_its_fields(language):
    headings = NAMED[language]
    found = likely(headings)
    wanted = {("maker_no" if f == "maker" else f): name for f, name in headings.items()}
    right = [f for f, name in wanted.items() if f in found and found[f].column == name]
    assert len(right) >= 0.9 * len(wanted), set(wanted) - set(right)
    # What is sure is right.
    assert all(wanted[f] == fit.column for f, fit in found.items() if fit.likely >= 0.9)
    assert sum(fit.likely >= 0.9 for fit in found.values()) >= 0.6 * len(wanted)


def test_headings_that_say_nothing_leave_it_to_the_values():
    found = likely({k: f"F{n}" for n, k in enumerate(CELLS, 1)})
    told = {f: found[f].column for f in ("barcode", "case_barcode", "picture", "sheet", "animal",
                                         "vegan", "origin", "expiry")}  # fmt: skip
    numbers = {k: f"F{n}" for n, k in enumerate(CELLS, 1)}
    assert told == {f: numbers[f] for f in told}


@pytest.mark.parametrize(
    "field, heading, cells",
    [
        ("stock", "Mindestmenge", "moq"),
        ("moq", "Meldebestand", "reorder"),
        ("cost", "Kartonpreis", "cost"),
        ("barcode", "EAN Karton", "case_barcode"),
        ("price", "EK netto", "cost"),
        ("weight", "Bruttogewicht g", "weight"),
    ],
)
def test_what_only_sounds_right_is_never_sure(field, heading, cells):
    """A least order is no stock, a carton's price no cost, a gross weight no net one."""
    found = likely({cells: heading})
    assert field not in found or found[field].likely < 0.9


def test_a_copy_of_a_column_makes_neither_sure():
    headings = NAMED["de"]
    frame, _ = arriving(headings)
    twice = frame.with_columns(pl.col("EK netto").alias("EK netto 2"))
    found = fits(weigh(STORE, column_facts(profile_columns(twice.lazy()), twice)))
    assert sum(fit.likely >= 0.9 for fit in found["cost"]) <= 1
    same = frame.with_columns(pl.col("EK netto").alias("EK Netto"))
    found = fits(weigh(STORE, column_facts(profile_columns(same.lazy()), same)))
    assert all(fit.likely < 0.9 for fit in found["cost"])


@settings(max_examples=6, deadline=None)
@given(st.permutations(list(CELLS)), st.permutations(range(5)), st.booleans())
def test_neither_order_nor_case_of_headings_changes_the_answer(columns, rows, upper):
    def shuffled(headings):
        cells = {k: [CELLS[k][r] for r in rows] for k in columns}
        return {f: (fit.column.casefold(), round(fit.likely, 6))
                for f, fit in likely(headings, cells).items()}  # fmt: skip

    headings = NAMED["de"]
    plain = {
        f: (fit.column.casefold(), round(fit.likely, 6)) for f, fit in likely(headings).items()
    }
    asked = {k: name.upper() for k, name in headings.items()} if upper else headings
    assert shuffled(asked) == plain


def test_reasons_say_in_plain_words_why():
    reasons = {f: fit.reason for f, fit in likely(NAMED["de"]).items()}
    assert "'EK netto' says buying and price" in reasons["cost"]
    assert "it lies under '" in reasons["cost"]
    assert "14 digits" in reasons["case_barcode"]
    assert "3 of its 3 words are in the store's list" in reasons["animal"]


def test_suggestions_for_a_crosswalk_use_each_column_once():
    frame, profiles = arriving(NAMED["da"])
    ranked = ranking(STORE, column_facts(profiles, frame), Evidence("Fjord", profiles, ","))
    found = suggest(STORE, ranked, Crosswalk(), refused={("cost", "Kostpris")})
    columns = [s.column for s in found if s.field != STORE.key]
    assert len(columns) == len(set(columns)) and "cost" not in {s.field for s in found}
    weight = next(s for s in found if s.field == "weight")
    assert [step.do for step in weight.fill.steps] == ["number", "convert"]


@pytest.mark.parametrize(
    ("field", "said", "other"),
    [("name", "Name", "Title"), ("code", "Item code", "Article no."), ("barcode", "Barcode", "EAN"),
     ("maker_no", "Maker's number", "Maker no.")],
)  # fmt: skip
def test_what_tells_products_apart_is_never_the_same_in_all_rows(field, said, other):
    """However well it is called, the column beside it is the one; alone, it is never sure."""
    held = CELLS[field if field != "maker_no" else "maker"]
    frame, profiles = arriving(
        {"said": said, "other": other}, {"said": held[:1] * 5, "other": held}
    )
    facts = column_facts(profiles, frame)
    ranked = ranking(STORE, facts, Evidence("Fjord", profiles))
    assert not any(s.sure for s in ranked if s.column == said and s.field == field)
    assert next(s.column for s in ranked if s.field == field) == other
    alone, profile = arriving({"said": said}, {"said": held[:1] * 5})
    lonely = ranking(STORE, column_facts(profile, alone), Evidence("Fjord", profile))
    assert not any(s.sure for s in lonely if s.field == field)
