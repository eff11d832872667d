"""Makes the demo data, the same bytes every time: ``python -m nomotax.demo.make``.

Ostrelle Art Supply and its supplier Quarrow Pigments are invented. GTINs carry the GS1
demonstration prefix 952. The faults planted here are those that real files have.
"""

from __future__ import annotations

import csv
import io
import json
import random
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from decimal import ROUND_HALF_UP, Decimal
from pathlib import Path

from nomotax.core.crosswalk.model import Bundle
from nomotax.core.gtin import check_digit
from nomotax.core.lookups.names import write_names
from nomotax.core.schema.table_schema import to_descriptor
from nomotax.demo.crosswalks.brindlecombe import brindlecombe_bundle
from nomotax.demo.crosswalks.castelune import castelune_bundle
from nomotax.demo.crosswalks.former import former_bundle
from nomotax.demo.crosswalks.quarrow import quarrow_bundle
from nomotax.demo.crosswalks.sollund import sollund_bundle
from nomotax.demo.formula_docs import with_functions
from nomotax.demo.palette import CASEIN, COLOURS, FORMS, OTHERS, TURQUOISE, Colour, Form
from nomotax.demo.store import (
    CATEGORIES,
    CATEGORY_NAMES,
    OTHER_PRODUCTS,
    SCHEMA,
    STORE_COLOURS,
    STORE_PLACES,
)
from nomotax.demo.suppliers import brindlecombe, castelune, former, sollund

DATA = Path(__file__).parent / "data"
HOST = "http://files.quarrow.example"
COLUMNS = [
    "ArtNo", "EAN", "Désignation", "Range", "Form", "Col", "Pigment", "LF", "Op", "Net g",
    "Vol ml", "Cost EUR", "RRP EUR", "Stock", "MOQ", "Pack", "Group", "L mm", "W mm", "H mm",
    "Origin", "Haz", "Picture", "Picture 2", "Since", "Text", "Remark",
]  # fmt: skip


@dataclass(frozen=True)
class Article:
    """One Quarrow article, in exact values; ``row`` gives it as the supplier writes it."""

    number: str
    name: str
    range: str
    form: str
    group: str
    grams: int
    ml: str
    cost: Decimal
    medium: str = ""
    colour: Colour | None = None
    stock: int = 0
    moq: int = 1
    pack: int = 1
    millimetres: tuple[int, int, int] = (0, 0, 0)
    since: str = ""
    wrong: dict[str, str] = field(default_factory=dict)

    @property
    def ean(self) -> str:
        digits = "952" + f"{4417000 + int(self.number) % 1000000:09d}"
        return digits + str(check_digit(digits))

    @property
    def retail(self) -> Decimal:
        return (self.cost * Decimal("1.95")).quantize(Decimal("0.1"), ROUND_HALF_UP)

    def row(self) -> list[str]:
        c = self.colour
        length, width, height = self.millimetres
        cells = {
            "ArtNo": self.number,
            "EAN": self.ean,
            "Désignation": self.name,
            "Range": self.range,
            "Form": self.form,
            "Col": c.code if c else "",
            "Pigment": c.pigment if c else "",
            "LF": c.lightfast if c else "",
            "Op": c.opacity if c else "",
            "Net g": str(self.grams),
            "Vol ml": self.ml,
            "Cost EUR": comma(self.cost),
            "RRP EUR": comma(self.retail),
            "Stock": str(self.stock),
            "MOQ": str(self.moq),
            "Pack": str(self.pack),
            "Group": self.group,
            "L mm": str(length or ""),
            "W mm": str(width or ""),
            "H mm": str(height or ""),
            "Origin": "BE" if self.range in ("Terrae", "Scripta") else "FR",
            "Haz": "J" if c and c.pigment in ("PY35", "PO20", "PR108", "PV14", "PB35") else "N",
            "Picture": f"{HOST}/pictures/{self.number}.svg",
            "Picture 2": f"{HOST}/pictures/{self.number}-swatch.svg" if c else "",
            "Since": self.since,
            "Text": self.text(),
            "Remark": "",
        }
        return list((cells | self.wrong).values())

    def text(self) -> str:
        if self.colour is None:
            return f"{self.name}, {self.form}."
        french = self.colour.french
        return (
            f"<p><b>{self.colour.name}</b> ({french}) from the {self.range} range; "
            f"pigment {self.colour.pigment}.</p>"
        )


def comma(value: Decimal) -> str:
    """1234.5 as the supplier writes it: 1.234,50."""
    return f"{value:,.2f}".translate(str.maketrans(",.", ".,"))


def _article(rng: random.Random, number: int, form: Form, colour: Colour) -> Article:
    base = Decimal(form.base) * (1 + Decimal(colour.dearness - 1) * Decimal("0.35"))
    cost = (base * Decimal(rng.randrange(96, 105)) / 100).quantize(Decimal("0.01"), ROUND_HALF_UP)
    return Article(
        number=f"{number:06d}",
        name=f"{form.range} {form.medium} {colour.name}, {form.form}",
        range=form.range,
        form=form.form,
        group=form.group,
        grams=form.grams,
        ml=form.ml,
        cost=cost,
        medium=form.medium,
        colour=colour,
        stock=rng.choice([0, 6, 12, 18, 24, 48, 60, 96, 120, 240]),
        moq=rng.choice([1, 1, 3, 6]),
        pack=rng.choice([1, 1, 6, 12]),
        millimetres=form.millimetres,
        since=f"{rng.randrange(1, 29):02d}.{rng.randrange(1, 13):02d}.{rng.randrange(2015, 2026)}",
    )


def articles() -> list[Article]:
    """Every sound article of the first week."""
    rng = random.Random(20261116)
    made = []
    for f, form in enumerate(FORMS):
        for c, colour in enumerate(COLOURS):
            made.append(_article(rng, 4000 + f * 100 + c, form, colour))
    for n, (name, form_name, group, ml, grams, cost) in enumerate(OTHERS):
        made.append(
            Article(
                number=f"{7000 + n:06d}", name=name, range="Quarrow Atelier", form=form_name,
                group=group, grams=grams, ml=ml, cost=Decimal(cost), stock=rng.randrange(2, 40),
                since="01.03.2021",
            )
        )  # fmt: skip
    # A supplier lists what is in production: a scattering of colours is not made in every form.
    return [a for a in made if a.colour is None or rng.random() > 0.075 or a.range == "Aquaria"] + [
        _extra(rng, n) for n in range(130)
    ]


def _extra(rng: random.Random, n: int) -> Article:
    """Refill pans and half-tone pastels that widen the list."""
    colour = COLOURS[n % len(COLOURS)]
    tint = "light" if n < 65 else "dark"
    base = _article(rng, 7200 + n, FORMS[21], colour)
    return replace(base, name=f"Pastellane pastel {colour.name} {tint}, stick")


def first_week() -> list[Article]:
    """The first delivery, faults planted."""
    return plant(articles())


def plant(sound: list[Article]) -> list[Article]:
    """The faults a person meets in such a file, at fixed places."""
    rows = list(sound)

    def spoil(places: list[int], **wrong: str) -> None:
        for place in places:
            rows[place] = replace(rows[place], wrong=rows[place].wrong | wrong)

    spoil([57, 311, 702, 938], **{"Cost EUR": "call us"})
    spoil([415], **{"Cost EUR": "-3,20"})
    spoil([88, 640], **{"Stock": "n/a"})
    spoil([203, 1010], **{"Désignation": ""})
    for place in (19, 404, 777, 1100):
        last = rows[place].ean[-1]
        spoil([place], EAN=rows[place].ean[:-1] + str((int(last) + 3) % 10))
    for place in range(7, len(rows), 41):
        spoil([place], **{"Désignation": "  " + rows[place].name + " "})
    for place in range(11, len(rows), 53):
        colour = rows[place].colour
        spoil([place], Col=(colour.code.lower() + " ") if colour else "")
    spoil([150], Text='Says "made in the old mill"\nand two lines of it.')
    rows.insert(500, rows[120])
    rows.insert(820, replace(rows[260], cost=rows[260].cost + 1))
    return rows


def second_week() -> list[Article]:
    """A week later: prices of one range up, some gone, some new, a new colour and a new group."""
    rng = random.Random(20261123)
    sound = []
    for a in articles():
        if int(a.number) % 97 == 0:
            continue  # gone
        moved = replace(a, stock=max(0, a.stock - rng.choice([0, 0, 0, 3, 6])))
        if a.range == "Olivar":
            raised = (a.cost * Decimal("1.04")).quantize(Decimal("0.01"), ROUND_HALF_UP)
            moved = replace(moved, cost=raised)
        sound.append(moved)
    numbers = iter(range(8000, 9000))
    fresh = [_article(rng, next(numbers), form, TURQUOISE) for form in FORMS[:9]]
    fresh += [_article(rng, next(numbers), CASEIN, colour) for colour in COLOURS[25:37]]
    return plant(sound) + fresh


def quarrow_csv(rows: list[Article], broken: bool) -> bytes:
    """The file as it arrives: semicolons, decimal commas, Windows-1252."""
    out = io.StringIO(newline="")
    writer = csv.writer(out, delimiter=";", lineterminator="\r\n")
    writer.writerow(COLUMNS)
    writer.writerows(a.row() for a in rows)
    text = out.getvalue()
    if broken:
        lines = text.split("\r\n")
        lines[333] += "ask for; the new label"
        lines[901] = ";".join(lines[901].split(";")[:19])
        text = "\r\n".join(lines)
    return text.encode("cp1252")


def catalog_csv() -> bytes:
    """The store's catalog of some 400 earlier products, in the store schema's order."""
    names = [f.name for f in SCHEMA.fields]
    out = io.StringIO(newline="")
    writer = csv.DictWriter(out, ["supplier", *names], restval="", lineterminator="\r\n")
    writer.writeheader()
    for index, a in enumerate(articles()):
        if index % 4 == 1 and a.colour:
            writer.writerow(_stored(a))
    gone = replace(articles()[0], number="003999", name="Aquaria watercolour Smalt, half pan")
    writer.writerow(_stored(gone))
    for product in OTHER_PRODUCTS:
        writer.writerow(product)
    return out.getvalue().encode("utf-8")


def _stored(a: Article) -> dict[str, str]:
    colour = a.colour or COLOURS[0]
    old_cost = (a.cost * Decimal("0.97")).quantize(Decimal("0.01"), ROUND_HALF_UP)
    return {
        "supplier": "Quarrow Pigments",
        "sku": f"QP-{a.number}",
        "supplier_sku": a.number,
        "gtin": a.ean,
        "name": a.name[:1].upper() + a.name[1:],
        "brand": "Quarrow",
        "category": STORE_PLACES.get(a.group, "Painting"),
        "cost": str(old_cost),
        "price": str((old_cost * 2 - Decimal("0.05")).quantize(Decimal("0.1"), ROUND_HALF_UP))
        + "5",
        "vat_rate": "20",
        "stock": str(a.stock + 6),
        "colour": STORE_COLOURS[colour.code],
        "pigment": colour.pigment,
        "net_weight": f"{Decimal(a.grams) / 1000:.3f}",
        "picture": f"{HOST}/pictures/{a.number}.svg",
    }


def other_suppliers() -> dict[str, bytes]:
    """The files of the other four suppliers by name, and the former platform's reading."""
    files = {}
    for week in (1, 2):
        files[f"sollund-week-{week}.xml"] = sollund.book(week)
        files[f"brindlecombe-week-{week}.xlsx"] = brindlecombe.workbook(week)
        files[f"castelune-week-{week}.zip"] = castelune.parcel(week)
        files[f"former-platform-week-{week}.csv"] = former.export(week)
    document = former.reading().model_dump_json(indent=1, exclude_none=True)
    files["former-platform-reading.json"] = (document + "\n").encode()
    return files


BUNDLES: dict[str, Callable[[], Bundle]] = {
    "quarrow": quarrow_bundle,
    "sollund": sollund_bundle,
    "brindlecombe": brindlecombe_bundle,
    "castelune": castelune_bundle,
    "former-platform": former_bundle,
}


def main() -> None:
    """Write every demo file."""
    DATA.mkdir(exist_ok=True)
    (DATA / "quarrow-week-1.csv").write_bytes(quarrow_csv(first_week(), broken=True))
    (DATA / "quarrow-week-2.csv").write_bytes(quarrow_csv(second_week(), broken=False))
    for name, data in other_suppliers().items():
        (DATA / name).write_bytes(data)
    (DATA / "catalog.csv").write_bytes(catalog_csv())
    for name, make_bundle in BUNDLES.items():
        bundle = make_bundle().model_dump_json(indent=1, exclude_none=True)
        (DATA / f"{name}-crosswalk.json").write_text(bundle + "\n", encoding="utf-8")
    page = Path(__file__).parents[3] / "docs" / "formulas.md"
    if page.exists():
        page.write_text(with_functions(page.read_text("utf-8")), encoding="utf-8")
    categories = json.dumps(CATEGORIES, indent=1, ensure_ascii=False)
    (DATA / "categories.json").write_text(categories + "\n", encoding="utf-8")
    names = {path: {"fr": fr, "de": de} for path, (fr, de) in CATEGORY_NAMES.items()}
    (DATA / "category-names.csv").write_bytes(write_names(names))
    descriptor = json.dumps(to_descriptor(SCHEMA), indent=1, ensure_ascii=False)
    (DATA / "store-schema.json").write_text(descriptor + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
