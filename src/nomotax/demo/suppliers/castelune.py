"""Castelune Wholesale: a ZIP of related CSV files (items, texts, prices, stock, tree, pictures),
prices a pack, a category tree by numbers of its own."""

from __future__ import annotations

import csv
import io
import random
from dataclasses import dataclass
from decimal import ROUND_HALF_UP, Decimal

from nomotax.demo.pictures import draw
from nomotax.demo.suppliers.goods import Moved, archive, gtin, wrong

NAME = "Castelune Wholesale"
_TREE = (
    (100, 0, "Studio"), (110, 100, "Easels"), (120, 100, "Lighting"), (130, 100, "Storage"),
    (200, 0, "Drawing"), (210, 200, "Pencils"), (220, 200, "Charcoal"), (230, 200, "Erasers"),
    (240, 200, "Markers"), (300, 0, "Supports"), (310, 300, "Stretched canvas"),
    (320, 300, "Canvas rolls"), (330, 300, "Panels"), (400, 0, "Tools"), (410, 400, "Knives"),
    (420, 400, "Rollers"), (430, 400, "Cutting"),
)  # fmt: skip
_KINDS = {
    110: ("Field easel", "Chevalet de campagne", "Feldstaffelei", 6),
    120: ("Daylight lamp", "Lampe lumière du jour", "Tageslichtlampe", 4),
    130: ("Brush case", "Trousse à pinceaux", "Pinseletui", 5),
    210: ("Graphite pencil", "Crayon graphite", "Bleistift", 16),
    220: ("Willow charcoal", "Fusain de saule", "Weidenkohle", 9),
    230: ("Kneaded eraser", "Gomme mie de pain", "Knetgummi", 4),
    240: ("Brush marker", "Feutre pinceau", "Pinselstift", 24),
    310: ("Cotton canvas", "Châssis coton", "Baumwoll-Keilrahmen", 22),
    320: ("Linen roll", "Rouleau de lin", "Leinenrolle", 7),
    330: ("Birch panel", "Panneau de bouleau", "Birkenplatte", 12),
    410: ("Painting knife", "Couteau à peindre", "Malmesser", 18),
    420: ("Foam roller", "Rouleau mousse", "Schaumroller", 5),
    430: ("Paper knife", "Cutter", "Papiermesser", 6),
}
_BRANDS = ("Castelune Studio", "Mirador", "Vaugrand", "Halle 9", "Pontarin", "Lys & Co")
_SOLD = {"en": "sold by the pack of", "fr": "vendu par lot de", "de": "verkauft im Gebinde zu"}


@dataclass(frozen=True)
class Item:
    number: str
    node: int
    names: tuple[str, str, str]
    brand: str
    pack: int
    pack_price: Decimal
    kilograms: str
    stock: int

    @property
    def gtin(self) -> str:
        return gtin(7_300_000 + int(self.number))


def items(week: int) -> list[Item]:
    """The range of a week; the second lacks some items and has new markers."""
    # What is new draws for itself: articles that were there before are as they were.
    known, added, made, number = random.Random(31), random.Random(37), [], 400
    for node, (english, french, german, count) in _KINDS.items():
        for brand in _BRANDS:
            for n in range(count + (4 if week == 2 and node == 240 else 0)):
                number += 1 if n < count else 0
                fresh = n >= count
                own = 9000 + n + _BRANDS.index(brand) * 10 if fresh else number
                rng = added if fresh else known
                price = Decimal(rng.randrange(180, 9000)) / 100 if not fresh else Decimal("21.60")
                pack, stock = rng.choice([1, 1, 6, 10, 12]), rng.randrange(0, 90)
                grams = rng.randrange(8, 2400)
                size = f"no. {n + 1}"
                names = (f"{english} {size}", f"{french} {size}", f"{german} {size}")
                if week == 2 and number % 71 == 0:
                    continue
                made.append(
                    Item(
                        f"{own:05d}", node, names, brand, pack,
                        (price * pack).quantize(Decimal("0.01"), ROUND_HALF_UP),
                        f"{grams / 1000:.3f}", stock,
                    )
                )  # fmt: skip
    return made


def parcel(week: int, moved: Moved[Item] = list) -> bytes:
    """The ZIP of a week, faults planted, with its items as they have ``moved``."""
    range_ = moved(items(week))
    files = [
        ("castelune/items.csv", _items(range_)),
        ("castelune/texts.csv", _texts(range_)),
        ("castelune/prices.csv", _prices(range_, week)),
        ("castelune/stock.csv", _stock(range_, week)),
        ("castelune/tree.csv", _csv([("node", "parent", "name"), *_TREE], ";")),
        ("castelune/READ ME.txt", b"Questions: desk@castelune.example\r\n"),
    ]
    files += [
        (f"castelune/pictures/{i.number}.svg", draw(f"{i.number}.svg").encode())
        for i in range_
        if int(i.number) % 3 == 0
    ]
    return archive(files)


def _csv(rows: list[tuple[object, ...]], delimiter: str) -> bytes:
    out = io.StringIO(newline="")
    csv.writer(out, delimiter=delimiter, lineterminator="\r\n").writerows(rows)
    return out.getvalue().encode("utf-8")


def _items(range_: list[Item]) -> bytes:
    head = ("item", "ean", "label", "node", "brand", "pack_qty", "weight_kg", "picture")
    rows: list[tuple[object, ...]] = [head]
    for place, i in enumerate(range_):
        code = wrong(i.gtin) if place % 149 == 20 else i.gtin
        picture = f"pictures/{i.number}.svg" if int(i.number) % 3 == 0 else ""
        rows.append((i.number, code, i.names[0], i.node, i.brand, i.pack, i.kilograms, picture))
    return _csv(rows, ";")


def _texts(range_: list[Item]) -> bytes:
    """Three languages a row each; this file's numbers have lost their zeros."""
    rows: list[tuple[object, ...]] = [("item", "lang", "title", "text")]
    for place, i in enumerate(range_):
        for lang, name in zip(("en", "fr", "de"), i.names, strict=True):
            if place % 90 == 33 or (lang == "de" and place % 25 == 4):
                continue
            text = f"{name} ({i.brand}), {_SOLD[lang]} {i.pack}."
            rows.append((int(i.number), lang, name, text))
    return _csv(rows, ";")


def _prices(range_: list[Item], week: int) -> bytes:
    rows: list[tuple[object, ...]] = [("item", "pack_price", "currency", "valid_from")]
    for place, i in enumerate(range_):
        price = i.pack_price * (Decimal("1.02") if week == 2 and i.node == 310 else 1)
        exact = price.quantize(Decimal("0.01"), ROUND_HALF_UP)
        rows.append((i.number, exact, "EUR", f"2026-11-{9 + 7 * week:02d}"))
        if place in (12, 240):
            rows.append((i.number, exact + 1, "EUR", "2026-12-01"))  # next month's, already in
    return _csv(rows, ",")


def _stock(range_: list[Item], week: int) -> bytes:
    rows: list[tuple[object, ...]] = [("article", "free", "next_delivery")]
    for place, i in enumerate(range_):
        if place % 130 == 60:
            continue
        rows.append((i.number, max(i.stock - week, 0), ""))
    rows += [("99871", 4, ""), ("99872", 9, ""), ("", 3, "")]
    return _csv(rows, ";")
