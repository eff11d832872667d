"""How good the suggestions are: hit rates over made-up cases with known answers
(``python -m bench.suggestions``), and how many of the sure ones are right."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import click
import polars as pl

from nomotax.core.reading.profile import profile_columns
from nomotax.core.suggest.columns import fits, weigh
from nomotax.core.suggest.facts import column_facts
from nomotax.core.suggest.meaning import Meaning, meaning
from nomotax.core.suggest.paths import Places
from nomotax.core.suggest.sayings import Arriving
from nomotax.core.suggest.weighing import LEAST, SURE, Proposal
from nomotax.core.suggest.words import rank
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


@dataclass
class Tally:
    """Decisions, those right at first and among the first three, the sure ones and the right of
    them."""

    name: str
    cases: int = 0
    first: int = 0
    third: int = 0
    sure: int = 0
    sure_right: int = 0

    def add(self, found: Sequence[str], right: str, sure: bool) -> None:
        hit = list(found[:1]) == [right]
        self.cases += 1
        self.first += hit
        self.third += right in found[:3]
        self.sure += sure
        self.sure_right += sure and hit

    def line(self) -> str:
        sure = f"{self.sure_right / self.sure:>10.0%}" if self.sure else f"{'-':>10}"
        shares = (self.first / self.cases, self.third / self.cases, self.sure / self.cases)
        return f"{self.name:<12}{self.cases:>6}" + "".join(f"{s:>8.0%}" for s in shares) + sure


def columns() -> Tally:
    """The right column for a field."""
    tally = Tally("columns")
    for feed in FEEDS:
        frame = pl.DataFrame({c: values * 20 for c, (_, values) in feed.items()})
        facts = column_facts(profile_columns(frame.lazy()), frame)
        ranked = fits(weigh(SCHEMA, facts))
        for column, (field, _) in feed.items():
            likely = [fit for fit in ranked[field] if fit.likely >= LEAST]
            sure = bool(likely) and likely[0].likely >= SURE
            tally.add([fit.column for fit in likely], column, sure)
    return tally


def words() -> Tally:
    """The store's word for an arriving one."""
    tally = Tally("words")
    for word, right in WORDS:
        _add(tally, rank(word, SCHEMA["colour"].allowed), right)
    return tally


def paths(model: Meaning | None) -> Tally:
    """The store's category for an arriving path, with or without the language model."""
    tally = Tally("categories" if model is None else "with model")
    places = Places(CATEGORIES, languages=frozenset({"en"}), meaning=model)
    arriving = [Arriving(tuple(p.strip() for p in path.split("/"))) for path, _ in PATHS]
    for (_, right), found in zip(PATHS, places.rank(arriving, frozenset({"en"})), strict=True):
        _add(tally, found, right)
    return tally


def _add(tally: Tally, found: list[Proposal], right: str) -> None:
    tally.add([p.place for p in found], right, bool(found) and found[0].sure)


@click.command()
def main() -> None:
    """Print the hit rates."""
    print(f"{'':<12}{'cases':>6}{'top 1':>8}{'top 3':>8}{'sure':>8}{'of these':>10}")
    model = meaning()
    for tally in (columns(), words(), paths(None), *([paths(model)] if model else [])):
        print(tally.line())


if __name__ == "__main__":
    main()
