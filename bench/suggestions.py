"""How good the suggestions are: hit rates over made-up cases with known answers
(``python -m bench.suggestions``). The cases were written for this, and not used for tuning."""

from __future__ import annotations

from collections.abc import Callable

import click
import polars as pl

from nomotax.core.crosswalk.suggest import rank
from nomotax.core.lookups.suggest import PlaceIndex, Proposal, rank_words
from nomotax.core.reading.profile import profile_columns
from nomotax.core.table import FAULT, ROW
from nomotax.demo.store import CATEGORIES, SCHEMA

#: Columns as unseen suppliers would name and fill them, and the field each should feed.
FEEDS: list[dict[str, tuple[str, list[str]]]] = [
    {
        "Style code": ("supplier_sku", ["A100", "A101", "A102"]),
        "Universal Product Code": ("gtin", ["952000000004", "952000000011", "952000000028"]),
        "Item description": ("name", ["Ink black", "Ink blue", "Ink red"]),
        "Marketing copy": ("description", ["<p>Black ink</p>", "<p>Blue</p>", "<p>Red</p>"]),
        "Brand Name": ("brand", ["Nib & Co", "Nib & Co", "Nib & Co"]),
        "Dealer cost USD": ("cost", ["3.10", "3.20", "3.30"]),
        "Suggested retail": ("list_price", ["6.90", "7.10", "7.30"]),
        "Stock level": ("stock", ["12", "0", "7"]),
        "Ship weight kg": ("net_weight", ["0.12", "0.121", "0.122"]),
        "Main picture": ("picture", [f"http://h.example/{n}.jpg" for n in range(3)]),
        "COO": ("origin", ["PT", "PT", "ES"]),
    },
    {
        "Artikel-Nr.": ("supplier_sku", ["77-1", "77-2", "77-3"]),
        "GTIN/EAN": ("gtin", ["9520000000004", "9520000000011", "9520000000028"]),
        "Artikelname": ("name", ["Pinsel rund", "Pinsel flach", "Fächer"]),
        "Produktbeschreibung": ("description", ["Ein Pinsel", "Noch ein Pinsel", "Ein Fächer"]),
        "Markenname": ("brand", ["Haarwerk", "Haarwerk", "Haarwerk"]),
        "Einkaufspreis EUR": ("cost", ["2,10", "2,40", "3,00"]),
        "Empf. VK": ("list_price", ["4,90", "5,90", "6,90"]),
        "Lagermenge": ("stock", ["5", "50", "500"]),
        "Länge cm": ("length", ["20", "21", "22"]),
        "Farbton": ("colour", ["Rot", "Blau", "Rot"]),
    },
    {
        "Réf. article": ("supplier_sku", ["R1", "R2", "R3"]),
        "EAN": ("gtin", ["9520000000004", "9520000000011", "9520000000028"]),
        "Désignation produit": ("name", ["Carnet A5", "Carnet A4", "Bloc"]),
        "Fabricant": ("brand", ["Papirel", "Papirel", "Papirel"]),
        "Prix d'achat HT": ("cost", ["1.10", "2.10", "3.10"]),
        "Stock dispo": ("stock", ["3", "4", "5"]),
        "Famille": ("category", ["Papier > Carnets", "Papier > Carnets", "Papier > Blocs"]),
        "URL photo": ("picture", [f"http://h.example/{n}.png" for n in range(3)]),
        "Poids net g": ("net_weight", ["100", "200", "300"]),
    },
]
WORDS: list[tuple[str, str]] = [
    ("red", "Red"), ("Yello", "Yellow"), ("turquois", "Turquoise"), ("GREEN ", "Green"),
    ("ochre yellow", "Ochre"), ("metalic", "Metallic"), ("Pink", "Pink"), ("vio", "Violet"),
    ("Or", "Orange"), ("whit", "White"), ("Brwn", "Brown"), ("blue", "Blue"),
]  # fmt: skip
PATHS: list[tuple[str, str]] = [
    ("Art / Watercolor / Pan sets", "Painting > Watercolour > Sets"),
    ("Colour / Oils / Studio tube", "Painting > Oil > Studio tubes"),
    ("Acrylics / Bottles", "Painting > Acrylic > Bottles and tubs"),
    ("Brushes / Bristle", "Brushes > Bristle brushes"),
    ("Brush / Watercolour", "Brushes > Watercolour brushes"),
    ("Drawing / Soft pastel sticks", "Drawing > Pastels > Soft pastels"),
    ("Ink", "Drawing > Inks"),
    ("Paper / For drawing", "Paper > Drawing paper"),
    ("Varnish", "Mediums and varnishes > Varnishes"),
    ("Furniture / Easel", "Studio > Easels"),
    ("Pigment / Jar small", "Pigments and binders > Dry pigments > Small jars"),
    ("Gouache", "Painting > Gouache"),
]


def columns() -> tuple[int, int, int]:
    """Cases, right at first, right among the first three: the right column for a field."""
    cases = first = third = 0
    for feed in FEEDS:
        frame = pl.DataFrame({c: values * 20 for c, (_, values) in feed.items()})
        frame = frame.with_row_index(ROW, 1).with_columns(pl.lit(None, pl.String).alias(FAULT))
        profiles = profile_columns(frame.lazy())
        for column, (field, _) in feed.items():
            found = [s.column for s in rank(SCHEMA[field], profiles, "Some Supplier")][:3]
            cases += 1
            first += found[:1] == [column]
            third += column in found
    return cases, first, third


def words() -> tuple[int, int, int]:
    """The store's word for an arriving one."""
    allowed = SCHEMA["colour"].allowed
    return _hits([(rank_words(word, allowed), right) for word, right in WORDS])


def _hits(found: list[tuple[list[Proposal], str]]) -> tuple[int, int, int]:
    first = sum([p.place for p in proposals[:1]] == [right] for proposals, right in found)
    third = sum(right in [p.place for p in proposals[:3]] for proposals, right in found)
    return len(found), first, third


def paths() -> tuple[int, int, int]:
    """The store's category for an arriving path."""
    index = PlaceIndex(CATEGORIES)
    return _hits(
        [(index.rank([p.strip() for p in path.split("/")]), right) for path, right in PATHS]
    )


MEASURES: dict[str, Callable[[], tuple[int, int, int]]] = {
    "columns": columns,
    "words": words,
    "categories": paths,
}


@click.command()
def main() -> None:
    """Print the hit rates."""
    print(f"{'':<12}{'cases':>6}{'top 1':>8}{'top 3':>8}")
    for name, measure in MEASURES.items():
        cases, first, third = measure()
        print(f"{name:<12}{cases:>6}{first / cases:>8.0%}{third / cases:>8.0%}")


if __name__ == "__main__":
    main()
