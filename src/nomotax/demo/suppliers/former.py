"""The store's former platform: one export with a line for each product, variant and image, ids
of its own, HTML texts, prices with tax."""

from __future__ import annotations

import csv
import io
import random
from decimal import ROUND_HALF_UP, Decimal
from typing import Any

from nomotax.core.reading.model import DelimitedReading
from nomotax.core.reading.reshape import Gather, Unfold
from nomotax.demo.suppliers.goods import gtin

NAME = "Former platform"
HOST = "http://old-shop.ostrelle.example"
COLUMNS = [
    "line", "product_id", "variant_id", "article", "heading", "body", "section_ids", "section",
    "option_a", "value_a", "option_b", "value_b", "gross", "was", "barcode", "grams", "image",
    "image_rank", "image_caption", "online", "touched",
]  # fmt: skip
#: Filled on the lines of variants, entry by entry.
_OF_VARIANTS = ("variant_id", "article", "value_a", "value_b", "gross", "was", "barcode", "grams")
# ruff: noqa: E501 - tables of goods are read best one line each
_GOODS = (
    ("Studio apron", "Studio/Clothing", "Size", ("S", "M", "L", "XL"), "Colour", ("Ecru", "Navy")),
    ("Sketchbook Havre", "Paper/Books", "Format", ("A6", "A5", "A4"), "Ruling", ("blank", "dotted")),
    ("Masking fluid", "Mediums", "Volume", ("30 ml", "75 ml", "250 ml"), "", ("",)),
    ("Palette cups", "Studio/Palettes", "Diameter", ("35 mm", "50 mm"), "Metal", ("tin", "brass")),
    ("Gummed tape", "Paper/Tape", "Width", ("25 mm", "40 mm", "60 mm"), "", ("",)),
    ("Portfolio Aunis", "Studio/Storage", "Format", ("A3", "A2", "A1"), "Colour", ("black", "grey")),
    ("Gift card", "Gifts", "", ("",), "", ("",)),
    ("Brush soap", "Studio/Care", "Weight", ("50 g", "100 g"), "", ("",)),
    ("Spray fixative", "Drawing/Fixatives", "Finish", ("matt", "gloss"), "Volume", ("150 ml", "400 ml")),
    ("Drawing board", "Drawing/Boards", "Format", ("A3", "A2"), "Wood", ("poplar", "birch")),
)  # fmt: skip
#: Numbered from 14 in this order; 3 to 6 are the shop window's: studio, paper, drawing, offers.
SECTIONS = sorted({goods[1] for goods in _GOODS})


def export(week: int) -> bytes:
    """The export of a week: UTF-8 with a byte order mark, commas, line breaks inside cells."""
    out = io.StringIO(newline="")
    writer = csv.DictWriter(out, COLUMNS, restval="", lineterminator="\r\n")
    writer.writeheader()
    rng = random.Random(5)
    for number in range(118):
        base = _GOODS[number % len(_GOODS)]
        lines = list(_lines(rng, number, base, week))
        if week == 2 and number % 23 == 22:
            continue
        writer.writerows(lines)
    return b"\xef\xbb\xbf" + out.getvalue().encode("utf-8")


def _lines(rng: random.Random, number: int, goods: Any, week: int) -> list[dict[str, str]]:
    title, section, option_a, values_a, option_b, values_b = goods
    series = number // len(_GOODS) + 1
    product: dict[str, str] = {
        "line": "product", "product_id": f"{81000 + number * 7}", "heading": f"{title} {series}",
        "body": f"<div class=\"old\"><p>{title}, series {series}.</p>\n<ul><li>in stock</li></ul></div>",
        "section_ids": f"{SECTIONS.index(section) + 14};{3 + number % 4}", "section": section,
        "online": "1" if number % 13 else "0", "touched": f"2026-10-{1 + number % 28:02d} 08:00:00",
    }  # fmt: skip
    lines = [product]
    for a in values_a:
        for b in values_b:
            lines.append(
                _variant(rng, product["product_id"], len(lines), (option_a, a), (option_b, b))
            )
            if week == 2 and number == 3:
                lines[-1]["gross"] = "19.90"
    for rank in range(1, 2 + number % 4):
        lines.append(
            {
                "line": "image", "product_id": product["product_id"], "image_rank": str(rank),
                "image": f"{HOST}/media/{product['product_id']}_{rank}.jpg",
                "image_caption": f"{product['heading']}, view {rank}",
            }
        )  # fmt: skip
    return lines


def _variant(
    rng: random.Random, product: str, n: int, a: tuple[str, str], b: tuple[str, str]
) -> dict[str, str]:
    gross = Decimal(rng.randrange(250, 6900)) / 100
    was = gross * Decimal("1.15") if rng.random() < 0.2 else None
    cents = Decimal("0.01")
    return {
        "line": "variant", "product_id": product, "variant_id": f"{product}{n:02d}",
        "article": f"OS-{product}-{n}", "option_a": a[0], "value_a": a[1], "option_b": b[0],
        "value_b": b[1], "gross": str(gross.quantize(cents)),
        "was": str(was.quantize(cents, ROUND_HALF_UP)) if was else "",
        "barcode": gtin(8_400_000 + int(product) * 10 + n) if n % 5 else "",
        "grams": str(rng.randrange(20, 1800)),
    }  # fmt: skip


def reading() -> DelimitedReading:
    """One row a variant: lines gathered by product, images collected, variants unfolded."""
    gather = Gather(
        by=("product_id",),
        columns={
            "line": "collect", "image": "collect", "image_rank": "collect",
            "image_caption": "collect", **dict.fromkeys(_OF_VARIANTS, "align"),
        },
    )  # fmt: skip
    return DelimitedReading(
        decimal=".", reshape=(gather, Unfold(columns=_OF_VARIANTS, key="product_id"))
    )
