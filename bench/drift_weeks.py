"""Made-up suppliers and their weeks: ordinary ones, and ones in which one known thing is wrong.

A supplier has a trade and habits of its own (how far prices and stocks move, what is empty, what
comes and goes), lives through a few ordinary weeks, and then sends one more. Everything hangs on
the seed alone. ``STRANGE`` are the changes, each with what must be found; ``QUIET`` those of which
nothing may be said but notes.
"""

from __future__ import annotations

import math
import random
import string
import unicodedata
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace

import polars as pl

Row = dict[str, str]

_TRADES = (
    ("en", ("Code", "Barcode", "Name", "Group", "Maker", "Cost", "Retail", "Currency", "Weight",
            "Unit", "Length mm", "On hand", "Colour", "Text", "Valid from", "Exported", "Eco"),
     ("Ropes", "Blocks", "Cleats", "Winches", "Sails", "Paint"),
     ("rope", "block", "cleat", "winch", "sail", "varnish"),
     ("red", "blue", "black", "white", "green")),
    ("de", ("Artikel", "GTIN", "Titel", "Gruppe", "Hersteller", "EK", "VK", "Währung", "Gewicht",
            "Einheit", "Länge", "Bestand", "Farbe", "Text", "Gültig ab", "Stand", "Bio"),
     ("Käse > Hart", "Käse > Weich", "Wurst", "Öle", "Gewürze"),
     ("Bergkäse", "Weißkäse", "Mettwurst", "Rapsöl", "Kümmel"),
     ("gelb", "weiß", "grün", "schwarz", "rötlich")),
    ("fr", ("Réf", "Code-barres", "Désignation", "Rayon", "Éditeur", "Achat", "Public", "Devise",
            "Poids", "Unité", "Hauteur", "Dispo", "Couleur", "Résumé", "Parution", "Extrait", "Neuf"),
     ("Romans", "Essais", "Jeunesse / Albums", "Jeunesse / Contes", "Théâtre"),
     ("L'été à Sète", "La forêt", "Où va-t-on", "Le garçon", "Noël"),
     ("bleu", "beige", "doré", "violet", "écru")),
    ("tr", ("Kod", "Barkod", "Ürün", "Bölüm", "Üretici", "Alış", "Satış", "Para", "Ağırlık",
            "Birim", "Boy", "Stok", "Renk", "Açıklama", "Geçerli", "Tarih", "Yeni"),
     ("Çadır", "Uyku", "Mutfak", "Işık"),
     ("çadır", "uyku tulumu", "tencere", "fener", "şişe"),
     ("kırmızı", "yeşil", "gümüş", "mavi", "açık sarı")),
    ("ja", ("品番", "JAN", "品名", "分類", "メーカー", "仕入", "定価", "通貨", "重量", "単位", "長さ",
            "在庫", "色", "説明", "発売日", "作成日", "新品"),
     ("鍋", "包丁", "皿", "箸"), ("鉄鍋", "出刃包丁", "小皿", "塗箸", "土鍋"),
     ("赤", "青", "黒", "白", "茶")),
    ("sv", ("Artnr", "Streckkod", "Benämning", "Avdelning", "Märke", "Inpris", "Utpris", "Valuta",
            "Vikt", "Enhet", "Bredd", "Saldo", "Kulör", "Beskrivning", "Från", "Datum", "Utgår"),
     ("Hammare", "Sågar", "Mätning", "Spik och skruv", "Färg"),
     ("hammare", "såg", "måttband", "spik", "lackfärg"),
     ("röd", "blå", "grå", "svart", "gul")),
)  # fmt: skip
_PARTS = ("key", "gtin", "name", "category", "maker", "cost", "retail", "currency", "weight",
          "unit", "length", "stock", "colour", "text", "valid", "exported", "flag")  # fmt: skip
_ALWAYS = {"key", "name", "category", "cost", "stock"}
_MAKERS = ("Orvandel", "Kesterling", "Tuvasso", "Brannick", "Helvari", "Ostquill", "Parvenn")
_OTHER_WORDS = {
    "en": ("It is made with care and lasts for years.", "Keep it dry and out of the sun."),
    "de": (
        "Mit Sorgfalt hergestellt und lange haltbar.",
        "Kühl und trocken lagern, nie gefrieren.",
    ),
    "fr": ("Une histoire que l'on n'oublie pas de sitôt.", "À lire au coin du feu, l'hiver venu."),
    "tr": ("Uzun ömürlü ve hafif bir üründür.", "Güneşten uzak, serin yerde saklayınız."),
    "ja": ("丁寧に作られた長く使える品です。", "湿気の少ない所で保管してください。"),
    "sv": ("Tillverkad för hand och håller länge.", "Förvaras torrt och inte i solen."),
}
_DUTCH_COLOURS = ("rood", "blauw", "zwart", "wit", "groen")


@dataclass
class Good:
    """An article as it really is; numbers are what they are, whatever they are written like."""

    key: str
    gtin: str
    name: str
    category: str
    maker: str
    cost: float
    markup: float
    weight: float
    length: int
    stock: int
    colour: str
    text: str
    valid: int
    lasting: float = 1.0


@dataclass
class Supplier:
    """A supplier's habits, and its goods by now."""

    rng: random.Random
    trade: int
    columns: list[str]
    mark: str
    places: int
    pricing: str
    wild: bool
    empty: dict[str, float]
    goods: list[Good] = field(default_factory=list)
    week: int = 0
    serial: int = 0

    @property
    def names(self) -> dict[str, str]:
        return dict(zip(_PARTS, _TRADES[self.trade][1], strict=True))

    @property
    def language(self) -> str:
        return _TRADES[self.trade][0]

    def column(self, part: str) -> str:
        return self.names[part]


def supplier(seed: int, rows: int | None = None) -> Supplier:
    """A supplier with its first goods."""
    rng = random.Random(seed)
    trade = rng.randrange(len(_TRADES))
    columns = [p for p in _PARTS if p in _ALWAYS or rng.random() < 0.62]
    if rng.random() < 0.2:
        rng.shuffle(columns)
    own = Supplier(
        rng=rng,
        trade=trade,
        columns=columns,
        mark=rng.choice(",.") if _TRADES[trade][0] not in ("en", "ja") else ".",
        places=0 if _TRADES[trade][0] == "ja" else 2,
        pricing=rng.choice(("calm", "calm", "creep", "promotions", "daily")),
        wild=rng.random() < 0.25,
        empty={p: rng.choice((0.0, 0.0, 0.06, 0.4)) for p in ("gtin", "maker", "weight", "colour", "text", "length")},
    )  # fmt: skip
    many = rows or int(math.exp(rng.uniform(math.log(18), math.log(420))))
    own.goods = [_good(own) for _ in range(many)]
    return own


def _good(own: Supplier) -> Good:
    rng = own.rng
    own.serial += rng.randint(1, 7)
    _, _, categories, things, colours = _TRADES[own.trade]
    cost = math.exp(rng.gauss(2.6 if own.places else 7.5, 1.1))
    style = own.trade % 3
    key = (
        f"{own.serial:06d}",
        f"K{own.serial}-{rng.randint(10, 99)}",
        f"{'AB'[own.serial % 2]}.{own.serial:05d}",
    )[style]
    return Good(
        key=key,
        gtin=_gtin(f"952{own.serial % 100_000:05d}{rng.randint(1000, 9999)}"),
        name=f"{rng.choice(things)} {rng.choice(('Mira', 'Tolk', 'Senn', 'Aru', 'Quo'))} {own.serial}",
        category=rng.choice(categories),
        maker=rng.choice(_MAKERS),
        cost=cost,
        markup=rng.uniform(1.4, 2.2),
        weight=max(4.0, math.exp(rng.gauss(6, 1.0))),
        length=rng.randint(8, 2400),
        stock=rng.choice((0, *range(3, 90))),
        colour=rng.choice(colours),
        text=" ".join(rng.sample(_OTHER_WORDS[own.language], rng.randint(1, 2))),
        valid=rng.randint(0, 300),
    )  # fmt: skip


def _gtin(digits: str) -> str:
    weights = (1, 3) * 6
    total = sum(int(d) * w for d, w in zip(digits, weights, strict=True))
    return digits + str(-total % 10)


def live(own: Supplier) -> None:
    """A week goes by, and nothing out of the ordinary happens."""
    rng = own.rng
    own.week += 1
    tide = rng.choice((0.91, 1.09)) if own.pricing == "daily" else 1.0
    for good in own.goods:
        _reprice(own, good, tide)
        sold = rng.random() < (0.9 if own.wild else 0.45)
        if sold:
            good.stock = int(good.stock * rng.uniform(0.55 if own.wild else 0.72, 1.0))
        if rng.random() < (0.3 if own.wild else 0.1):
            good.stock += rng.randint(5, 600)
        if rng.random() < 0.02:
            good.valid += rng.randint(7, 90)
    out = rng.uniform(0, 0.07)
    own.goods = [g for g in own.goods if rng.random() > out]
    own.goods += [_good(own) for _ in range(int(len(own.goods) * rng.uniform(0, 0.07)))]


def _reprice(own: Supplier, good: Good, tide: float) -> None:
    rng = own.rng
    if own.pricing == "promotions":
        good.lasting = rng.uniform(0.62, 0.9) if rng.random() < 0.1 else 1.0
    elif own.pricing == "creep" and rng.random() < 0.6:
        good.cost *= rng.uniform(0.995, 1.02)
    elif own.pricing == "calm" and rng.random() < 0.12:
        good.cost *= rng.uniform(0.97, 1.04)
    elif own.pricing == "daily":
        good.cost *= tide


def written(own: Supplier) -> list[Row]:
    """What the supplier sends of its goods this week."""
    return [_row(own, good) for good in own.goods]


def _row(own: Supplier, good: Good) -> Row:
    chance = random.Random(good.key)
    cost = good.cost * good.lasting
    values = {
        "key": good.key,
        "gtin": good.gtin,
        "name": good.name,
        "category": good.category,
        "maker": good.maker,
        "cost": money(own, cost),
        "retail": money(own, good.cost * good.markup),
        "currency": {"ja": "JPY", "sv": "SEK", "tr": "TRY"}.get(own.language, "EUR"),
        "weight": str(round(good.weight)),
        "unit": "g",
        "length": str(good.length),
        "stock": str(good.stock),
        "colour": good.colour,
        "text": good.text,
        "valid": _day(good.valid),
        "exported": _day(300 + 7 * own.week),
        "flag": "1" if chance.random() < 0.2 else "0",
    }
    for part, rate in own.empty.items():
        if chance.random() < rate:
            values[part] = ""
    return {own.names[p]: values[p] for p in own.columns}


def money(own: Supplier, value: float) -> str:
    """An amount as this supplier writes it."""
    return f"{value:.{own.places}f}".replace(".", own.mark)


def amount(own: Supplier, cell: str) -> float:
    """The amount in a cell."""
    return float(cell.replace(own.mark, "."))


def _day(days: int) -> str:
    month, day = divmod(days, 28)
    return f"{day + 1:02d}/{month % 12 + 1:02d}/{2026 + month // 12}"


def table(rows: Sequence[Row], columns: Sequence[str] | None = None) -> pl.DataFrame:
    """Rows as a table of texts, nothing for what is empty."""
    names = list(columns) if columns is not None else list(rows[0]) if rows else []
    data = {n: [r.get(n) or None for r in rows] for n in names}
    return pl.DataFrame(data, schema=dict.fromkeys(names, pl.String))


@dataclass(frozen=True)
class Week:
    """Earlier deliveries and a new one, what must be found there (``kind`` of ``column``, at
    least as severe), or nothing (``kind`` "")."""

    name: str
    before: list[pl.DataFrame]
    new: pl.DataFrame
    kind: str = ""
    column: str = ""
    least: str = "warn"
    gross: bool = True
    near: tuple[str, ...] = ()
    mark: str = "."


@dataclass
class Change:
    """A thing that goes wrong in the rows of a week. ``needs`` are the parts it is about."""

    name: str
    kind: str
    part: str
    do: Callable[[Supplier, list[Row]], list[Row] | None]
    least: str = "warn"
    gross: bool = True
    near: tuple[str, ...] = ()


def _each(
    part: str, change: Callable[[Supplier, str], str], share: float = 1.0, group: bool = False
):
    """A change of the filled cells of one part: of all, of a share of them, of one category."""

    def do(own: Supplier, rows: list[Row]) -> list[Row] | None:
        name, category = own.names[part], own.names["category"]
        some = _some(own, rows, share, category if group else "")
        filled = [i for i in some if rows[i].get(name)]
        if len(filled) < (3 if share < 0.05 else 5):
            return None
        for i in filled:
            rows[i] = {**rows[i], name: change(own, rows[i][name])}
        return rows

    return do


def _some(own: Supplier, rows: list[Row], share: float, category: str) -> list[int]:
    if category:
        counts: dict[str, int] = {}
        for row in rows:
            counts[row[category]] = counts.get(row[category], 0) + 1
        one = own.rng.choice(sorted(counts))
        return [i for i, row in enumerate(rows) if row[category] == one]
    order = list(range(len(rows)))
    own.rng.shuffle(order)
    return order[: max(1, round(share * len(rows)))]


def _scaled(factor: float) -> Callable[[Supplier, str], str]:
    return lambda own, cell: money(own, amount(own, cell) * factor)


def _whole(factor: float, places: int) -> Callable[[Supplier, str], str]:
    return lambda own, cell: f"{float(cell) * factor:.{places}f}".replace(".", own.mark)


def _without_mark(own: Supplier, cell: str) -> str:
    return cell.replace(own.mark, "")


def _other_mark(own: Supplier, cell: str) -> str:
    return cell.replace(own.mark, ",."[own.mark == ","])


def _garbled(own: Supplier, cell: str) -> str:
    return cell.encode().decode("cp1252", errors="ignore") if not cell.isascii() else cell


def _questioned(own: Supplier, cell: str) -> str:
    return "".join(c if ord(c) < 128 else "?" for c in cell)


def _unaccented(own: Supplier, cell: str) -> str:
    parts = unicodedata.normalize("NFKD", cell)
    return "".join(c for c in parts if not unicodedata.combining(c))


def _drop(part: str):
    return lambda own, rows: [{k: v for k, v in r.items() if k != own.names[part]} for r in rows]


def _rename(part: str, to: str):
    return lambda own, rows: [
        {to if k == own.names[part] else k: v for k, v in r.items()} for r in rows
    ]


def _swap(a: str, b: str, share: float = 1.0):
    def do(own: Supplier, rows: list[Row]) -> list[Row] | None:
        one, other = own.names[a], own.names[b]
        if b not in own.columns:
            return None
        hit = set(_some(own, rows, share, ""))
        return [{**r, one: r[other], other: r[one]} if i in hit else r for i, r in enumerate(rows)]

    return do


def _cut(share: float):
    return lambda own, rows: rows[: max(1, int(len(rows) * share))]


def _less(share: float):
    return lambda own, rows: [r for r in rows if own.rng.random() < share]


def _more(share: float):
    return lambda own, rows: (
        rows + [_row(own, _good(own)) for _ in range(int(len(rows) * share) + 1)]
    )


def _others(own: Supplier, rows: list[Row]) -> list[Row]:
    other = supplier(own.rng.randint(10**6, 10**7), len(rows))
    other = replace(other, trade=own.trade, columns=own.columns, mark=own.mark, places=own.places)
    other.serial = own.serial + 200_000
    other.goods = [_good(other) for _ in rows]
    return written(other)


def _twice(share: float):
    return lambda own, rows: rows + [dict(rows[i]) for i in _some(own, rows, share, "")]


def _outlier(factor: float):
    def do(own: Supplier, rows: list[Row]) -> list[Row]:
        i = own.rng.randrange(len(rows) // 2)
        cell = rows[i][own.names["cost"]]
        rows[i] = {**rows[i], own.names["cost"]: money(own, amount(own, cell) * factor)}
        return rows

    return do


def _fresh(part: str, change: Callable[[Supplier, str], str]):
    """New articles only, a tenth of all, with one part changed."""

    def do(own: Supplier, rows: list[Row]) -> list[Row]:
        new = [_row(own, _good(own)) for _ in range(max(8, len(rows) // 12))]
        name = own.names[part]
        return rows + [{**r, name: change(own, r[name]) if r[name] else ""} for r in new]

    return do


def _accented(own: Supplier, rows: list[Row]) -> bool:
    return sum(any(not v.isascii() for v in r.values()) for r in rows) >= 4


def _if_accented(do):
    return lambda own, rows: (
        do(own, rows) if _accented(own, rows) and own.language != "ja" else None
    )


def _all_cells(change: Callable[[Supplier, str], str], share: float):
    def do(own: Supplier, rows: list[Row]) -> list[Row] | None:
        hit = set(_some(own, rows, share, ""))
        made = [
            {k: change(own, v) for k, v in r.items()} if i in hit else r for i, r in enumerate(rows)
        ]
        changed = sum(a != b for a, b in zip(made, rows, strict=True))
        return made if changed >= 3 else None

    return do


def _const(value: str) -> Callable[[Supplier, str], str]:
    return lambda own, cell: value


def _coloured(own: Supplier, cell: str) -> str:
    return _DUTCH_COLOURS[_TRADES[own.trade][4].index(cell)]


def _day_month(own: Supplier, cell: str) -> str:
    day, month, year = cell.split("/")
    return f"{month}/{day}/{year}" if int(day) <= 12 else cell


def _iso(own: Supplier, cell: str) -> str:
    day, month, year = cell.split("/")
    return f"{year}-{month}-{day}"


def _moved_days(days: int) -> Callable[[Supplier, str], str]:
    def change(own: Supplier, cell: str) -> str:
        day, month, year = (int(p) for p in cell.split("/"))
        return _day(day - 1 + 28 * (month - 1) + 336 * (year - 2026) + days)

    return change


def _letters(own: Supplier, cell: str) -> str:
    return "".join(c for c in cell if c in string.digits) or cell


def _capital_headings(own: Supplier, rows: list[Row]) -> list[Row] | None:
    made = [{k.upper(): v for k, v in r.items()} for r in rows]
    return made if own.names["name"].upper() != own.names["name"] else None


def _grouped(own: Supplier, cell: str) -> str:
    whole, _, rest = cell.partition(own.mark)
    sign = "." if own.mark == "," else ","
    return f"{int(whole):,}".replace(",", sign) + (own.mark + rest if rest else "")


def _one_cost(write: Callable[[Supplier], str]):
    def do(own: Supplier, rows: list[Row]) -> list[Row]:
        i = own.rng.randrange(len(rows) // 2)
        rows[i] = {**rows[i], own.names["cost"]: write(own)}
        return rows

    return do


def _without_category(own: Supplier, rows: list[Row]) -> list[Row]:
    gone = set(_some(own, rows, 0, own.names["category"]))
    return [r for i, r in enumerate(rows) if i not in gone]


def _category_twice(own: Supplier, rows: list[Row]) -> list[Row]:
    return rows + [dict(rows[i]) for i in _some(own, rows, 0, own.names["category"])]


def _entities(own: Supplier, cell: str) -> str:
    return "".join(c if ord(c) < 128 else f"&#{ord(c)};" for c in cell)


def _slip(own: Supplier, rows: list[Row]) -> list[Row]:
    hit = set(_some(own, rows, 0.5, ""))
    names = list(rows[0])
    at = names.index(own.names["name"])
    for i in hit:
        cells = list(rows[i].values())
        moved = [*cells[: at + 1], "", *cells[at + 1 : -1]]
        rows[i] = dict(zip(names, moved, strict=True))
    return rows


STRANGE: tuple[Change, ...] = (
    Change("a column is gone", "column_gone", "maker", _drop("maker")),
    Change("prices are gone", "column_gone", "cost", _drop("cost")),
    Change("the name is called otherwise", "column_renamed", "name", _rename("name", "Item text")),
    Change("the cost is called otherwise", "column_renamed", "cost", _rename("cost", "Net")),
    Change("the stock is called otherwise", "column_renamed", "stock", _rename("stock", "Qty")),
    Change("the key is called otherwise", "column_renamed", "key", _rename("key", "Item no")),
    Change("stock in words", "kind_changed", "stock", _each("stock", lambda o, c: "yes" if c != "0" else "no")),
    Change("prices on request", "kind_changed", "cost", _each("cost", _const("on request"), 0.3)),
    Change("formula errors", "kind_changed", "cost", _each("cost", _const("#REF!"), 0.15), gross=False),
    Change("another decimal mark", "decimal_style_changed", "cost", _each("cost", _other_mark), near=("kind_changed",)),
    Change("another decimal mark in a category", "decimal_style_changed", "cost", _each("cost", _other_mark, group=True), gross=False, near=("kind_changed",)),
    Change("cents", "scale_shifted", "cost", _each("cost", _scaled(100)), least="hold"),
    Change("the mark is lost", "scale_shifted", "cost", _each("cost", _without_mark), near=("decimal_style_changed",)),
    Change("cents in a category", "scale_shifted", "cost", _each("cost", _scaled(100), group=True), gross=False),
    Change("a thousandth", "scale_shifted", "weight", _each("weight", _whole(0.001, 3)), near=("unit_changed",)),
    Change("inches", "scale_shifted", "length", _each("length", _whole(1 / 25.4, 2)), near=("unit_changed",)),
    Change("inches in a category", "scale_shifted", "length", _each("length", _whole(1 / 25.4, 2), group=True), gross=False, near=("unit_changed",)),
    Change("new goods in kg", "scale_shifted", "weight", _fresh("weight", _whole(0.001, 3)), gross=False, near=("unit_changed", "outliers")),
    Change("another currency by name", "currency_changed", "currency", _each("currency", _const("GBP"))),
    Change("a category in another currency by name", "currency_changed", "currency", _each("currency", _const("USD"), group=True), gross=False),
    Change("another unit by name", "unit_changed", "unit", _each("unit", _const("kg")), near=("new_words",)),
    Change("brands are empty", "fill_dropped", "maker", _each("maker", _const(""), 0.6)),
    Change("colours are empty in a category", "fill_dropped", "colour", _each("colour", _const(""), group=True), gross=False),
    Change("barcodes are empty", "fill_dropped", "gtin", _each("gtin", _const(""), 0.2), gross=False),
    Change("one brand everywhere", "constant_column", "maker", _each("maker", _const("Orvandel"))),
    Change("one price everywhere", "constant_column", "cost", _each("cost", lambda o, c: money(o, 9.9)), near=("prices_moved",)),
    Change("half of the list", "rows_dropped", "", _less(0.5), least="hold"),
    Change("three quarters of the list", "rows_dropped", "", _less(0.74)),
    Change("the head of the list", "rows_dropped", "", _cut(0.55), least="hold", near=("truncated",)),
    Change("a third more", "rows_grew", "", _more(0.34)),
    Change("twice as many", "rows_grew", "", _more(1.0)),
    Change("another supplier's file", "wrong_file", "", _others, least="hold"),
    Change("zeros in front are lost", "keys_reformatted", "key", _each("key", lambda o, c: c.lstrip("0")) , least="hold"),
    Change("letters of the key are lost", "keys_reformatted", "key", _each("key", _letters), least="hold"),
    Change("hyphens for dots", "keys_reformatted", "key", _each("key", lambda o, c: c.translate(str.maketrans("-.", "/ "))), least="hold"),
    Change("a third is there twice", "duplicates_up", "key", _twice(0.3)),
    Change("some are there twice", "duplicates_up", "key", _twice(0.06), gross=False),
    Change("codes for colours", "new_words", "colour", _each("colour", lambda o, c: f"C{_TRADES[o.trade][4].index(c) + 10}"), near=("language_changed", "kind_changed")),
    Change("other categories", "new_categories", "category", _each("category", lambda o, c: f"2027 > {c}"), near=("new_words",)),
    Change("other categories in a fifth", "new_categories", "category", _each("category", lambda o, c: f"2027 > {c}", 0.2), gross=False, near=("new_words",)),
    Change("a quarter dearer", "prices_moved", "cost", _each("cost", _scaled(1.25)), near=("currency_changed", "scale_shifted")),
    Change("18 % dearer", "prices_moved", "cost", _each("cost", _scaled(1.18)), gross=False, near=("currency_changed", "scale_shifted")),
    Change("a category 17 % dearer", "prices_moved", "cost", _each("cost", _scaled(1.17), group=True), gross=False, near=("currency_changed", "scale_shifted")),
    Change("one price a hundred times", "outliers", "cost", _outlier(100), near=("scale_shifted",)),
    Change("one price five times", "outliers", "cost", _outlier(5), least="note", gross=False),
    Change("all sold out", "stock_emptied", "stock", _each("stock", _const("0"), 0.9), near=("constant_column",)),
    Change("many sold out", "stock_emptied", "stock", _each("stock", _const("0"), 0.55), gross=False, near=("constant_column",)),
    Change("colours in Dutch", "language_changed", "colour", _each("colour", _coloured), near=("new_words",)),
    Change("texts in another language", "language_changed", "text", _each("text", lambda o, c: "Dit artikel wordt met zorg gemaakt en gaat vele jaren mee, als het droog wordt bewaard.")),
    Change("garbled", "encoding_damaged", "", _if_accented(_all_cells(_garbled, 1.0))),
    Change("a part garbled", "encoding_damaged", "", _if_accented(_all_cells(_garbled, 0.3)), gross=False),
    Change("question marks", "encoding_damaged", "", _if_accented(_all_cells(_questioned, 1.0))),
    Change("accents are lost", "encoding_damaged", "", _if_accented(_all_cells(_unaccented, 1.0)), least="note", gross=False),
    Change("last week's again", "stale", "", lambda own, rows: []),
    Change("month first", "dates_shifted", "valid", _each("valid", _day_month)),
    Change("dates year first", "dates_shifted", "valid", _each("valid", _iso), near=("kind_changed",)),
    Change("dates a month off", "dates_shifted", "valid", _each("valid", _moved_days(28))),
    Change("cost and retail change places", "shuffled_columns", "cost", _swap("cost", "retail"), near=("prices_moved",)),
    Change("the cost column is empty", "fill_dropped", "cost", _each("cost", _const(""))),
    Change("nothing for brands", "fill_dropped", "maker", _each("maker", _const("N/A"), 0.5), near=("new_words",)),
    Change("new goods without barcodes", "fill_dropped", "gtin", _fresh("gtin", _const("")), gross=False),
    Change("headings in capitals", "column_renamed", "name", _capital_headings),
    Change("a heading with its unit", "column_renamed", "weight", _rename("weight", "Weight (kg)")),
    Change("amounts with their currency", "kind_changed", "cost", _each("cost", lambda o, c: f"{c} EUR"), near=("currency_changed",)),
    Change("weights with their unit", "kind_changed", "weight", _each("weight", lambda o, c: f"{c} g"), near=("unit_changed",)),
    Change("dates as serial numbers", "kind_changed", "valid", _each("valid", lambda o, c: str(46000 + int(c[:2]))), near=("dates_shifted",)),
    Change("yes and no for one and zero", "kind_changed", "flag", _each("flag", lambda o, c: "yes" if c == "1" else "no"), near=("new_words",)),
    Change("barcodes in powers of ten", "keys_reformatted", "gtin", _each("gtin", lambda o, c: f"{c[0]}.{c[1:3]}E+12"), near=("kind_changed",)),
    Change("capital keys", "keys_reformatted", "key", _each("key", lambda o, c: c.lower()), near=("wrong_file",), least="hold"),
    Change("a suffix on keys of a category", "keys_reformatted", "key", _each("key", lambda o, c: c + "-N", group=True), gross=False, near=("rows_dropped",)),
    Change("thousands are grouped", "decimal_style_changed", "retail", _each("retail", _grouped)),
    Change("stock in dozens", "scale_shifted", "stock", _each("stock", lambda o, c: str(int(c) * 1000))),
    Change("retail by a tenth", "scale_shifted", "retail", _each("retail", _scaled(0.1)), near=("shuffled_columns",)),
    Change("ten prices lose their mark", "scale_shifted", "cost", _each("cost", _scaled(100), 0.04), gross=False, least="note", near=("outliers",)),
    Change("a category in another currency", "prices_moved", "cost", _each("cost", _scaled(1.09), group=True), gross=False, least="note", near=("currency_changed", "scale_shifted")),
    Change("cheaper by a third", "prices_moved", "cost", _each("cost", _scaled(0.67)), near=("currency_changed", "scale_shifted")),
    Change("retail alone a fifth dearer", "prices_moved", "retail", _each("retail", _scaled(1.2)), near=("currency_changed", "scale_shifted")),
    Change("nines for a price", "outliers", "cost", _one_cost(lambda o: money(o, 99999.99 if o.places else 99999))),
    Change("nothing for a price", "outliers", "cost", _one_cost(lambda o: money(o, 0.0)), gross=False),
    Change("a price below zero", "outliers", "cost", _one_cost(lambda o: money(o, -5.0)), gross=False),
    Change("a category sold out", "stock_emptied", "stock", _each("stock", _const("0"), group=True), gross=False),
    Change("a category is gone", "rows_dropped", "", _without_category),
    Change("nine tenths are gone", "rows_dropped", "", _less(0.1), least="hold", near=("wrong_file",)),
    Change("no rows at all", "rows_dropped", "", lambda own, rows: [], least="hold", near=("wrong_file", "truncated")),
    Change("a category is there twice", "duplicates_up", "key", _category_twice, gross=False),
    Change("status in other words", "new_words", "unit", _each("unit", _const("gram")), least="note", gross=False, near=("unit_changed",)),
    Change("names in capitals of another table", "encoding_damaged", "name", _if_accented(_each("name", _entities)), gross=False),
    Change("two weeks ago again", "stale", "", lambda own, rows: [], gross=False),
    Change("dates a year back", "dates_shifted", "valid", _each("valid", lambda o, c: f"{c[:6]}{int(c[6:]) - 1}")),
    Change("cells slip by one", "shuffled_columns", "", _slip, near=("kind_changed",), gross=False),
    Change("name and text change places in some", "shuffled_columns", "name", _swap("name", "text", 0.4), gross=False),
)  # fmt: skip


def _reversed_columns(own: Supplier, rows: list[Row]) -> list[Row]:
    return [dict(reversed(list(r.items()))) for r in rows]


def _sorted_rows(own: Supplier, rows: list[Row]) -> list[Row]:
    return sorted(rows, key=lambda r: r[own.names["name"]])


def _yearly(own: Supplier, rows: list[Row]) -> list[Row]:
    name, retail = own.names["cost"], own.names["retail"]
    for i, row in enumerate(rows):
        by = own.rng.uniform(1.02, 1.055)
        both = {n: money(own, amount(own, row[n]) * by) for n in (name, retail) if n in row}
        rows[i] = {**row, **both}
    return rows


def _promotions(own: Supplier, rows: list[Row]) -> list[Row]:
    name = own.names["cost"]
    for i in _some(own, rows, 0.1, ""):
        off = own.rng.uniform(0.62, 0.92)
        rows[i] = {**rows[i], name: money(own, amount(own, rows[i][name]) * off)}
    return rows


def _restocked(own: Supplier, rows: list[Row]) -> list[Row]:
    name = own.names["stock"]
    return [{**r, name: str(int(r[name]) + own.rng.choice((0, 300, 900)))} for r in rows]


def _blanks(own: Supplier, rows: list[Row]) -> list[Row]:
    return [{k: f" {v} " if v else "" for k, v in r.items()} for r in rows]


def _season(own: Supplier, rows: list[Row]) -> list[Row]:
    new = [_row(own, _good(own)) for _ in range(max(1, len(rows) // 15))]
    return rows + [{**r, own.names["category"]: "Season"} for r in new]


def _few_new_words(own: Supplier, rows: list[Row]) -> list[Row]:
    name = own.names["maker"]
    if name not in rows[0]:
        return rows
    new = [_row(own, _good(own)) for _ in range(max(1, len(rows) // 30))]
    return rows + [{**r, name: "Wexel"} for r in new]


QUIET: dict[str, Callable[[Supplier, list[Row]], list[Row]]] = {
    "an ordinary week": lambda own, rows: rows,
    "another order of columns": _reversed_columns,
    "sorted by name": _sorted_rows,
    "the yearly price list": _yearly,
    "promotions": _promotions,
    "containers arrive": _restocked,
    "blanks around cells": _blanks,
    "a small season": _season,
    "a new brand": _few_new_words,
}


def strange_week(change: Change, seed: int) -> Week | None:
    """A week in which one thing goes wrong; None where this supplier's file has nothing of it."""
    own = supplier(seed)
    if change.part and change.part not in own.columns:
        own.columns = [p for p in _PARTS if p in own.columns or p == change.part]
    if change.kind == "scale_shifted" and change.name == "the mark is lost" and not own.places:
        return None
    if change.kind == "decimal_style_changed" and not own.places:
        return None
    before = _history(own)
    last = before[-1]
    live(own)
    if change.kind == "stale":
        old = before[-2] if change.name.startswith("two") else last
        made = old.to_dicts()
        rows = [{k: v or "" for k, v in r.items()} for r in made]
    else:
        done = change.do(own, written(own))
        if done is None:
            return None
        rows = done
    new = table(rows, None if rows else last.columns)
    if change.kind != "stale" and _nothing_changed(change, own, new):
        return None
    return Week(
        name=change.name,
        before=before,
        new=new,
        kind=change.kind,
        column=own.names[change.part] if change.part else "",
        least=change.least,
        gross=change.gross,
        near=change.near,
        mark=own.mark,
    )


def _nothing_changed(change: Change, own: Supplier, new: pl.DataFrame) -> bool:
    """Keys without zeros lose none."""
    return change.kind == "keys_reformatted" and new.equals(table(written(own)))


def _history(own: Supplier) -> list[pl.DataFrame]:
    before = [table(written(own))]
    for _ in range(own.rng.randint(1, 4)):
        live(own)
        before.append(table(written(own)))
    return before


def quiet_week(seed: int, name: str) -> Week:
    """A week of which nothing but notes may be told."""
    own = supplier(seed)
    before = _history(own)
    live(own)
    return Week(name=name, before=before, new=table(QUIET[name](own, written(own))), mark=own.mark)
