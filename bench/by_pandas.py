"""The same job, written by hand in pandas with Python's decimal for the money."""

from __future__ import annotations

import sys
from decimal import ROUND_CEILING, ROUND_HALF_UP, Decimal

import numpy as np
import pandas as pd

from bench.job import COLOURS, OPACITY, PLACES

CENT, TENTH, GRAM = Decimal("0.01"), Decimal("0.1"), Decimal("0.001")
COMMA = r"^[+-]?(?:\d+|\d{1,3}(?:\.\d{3})+)(?:,\d+)?$"


def number(column):
    text = column.str.strip()
    fits = text.str.match(COMMA)
    plain = text.str.replace(".", "", regex=False).str.replace(",", ".", regex=False)
    return plain.where(fits).map(Decimal, na_action="ignore")


def rounded(values, step):
    return values.map(lambda v: v.quantize(step, ROUND_HALF_UP), na_action="ignore")


def price(cost):
    if cost < 5:
        raw = cost * Decimal("2.1")
    elif cost < 20:
        raw = cost * 2
    elif cost < 100:
        raw = cost / Decimal("0.52")
    else:
        raw = cost / Decimal("0.56")
    floor = cost + Decimal("0.40")
    wanted = max(raw, floor)
    tail = Decimal("0.95")
    ended = max((wanted - tail).quantize(Decimal(1), ROUND_HALF_UP) + tail, tail)
    if ended < floor:
        ended += (floor - ended).quantize(Decimal(1), ROUND_CEILING)
    return ended.quantize(CENT)


def gtin_right(text):
    digits = pd.to_numeric(text, errors="coerce").fillna(-1).astype("int64").to_numpy()
    total = np.zeros(len(digits), dtype="int64")
    rest = digits.copy()
    for place in range(14):
        rest, digit = np.divmod(rest, 10)
        total += digit * (3 if place % 2 else 1)
    return text.str.match(r"^(?:\d{8}|\d{12,14})$") & (total % 10 == 0)


def trimmed(column):
    return column.str.replace(r"\s+", " ", regex=True).str.strip()


def main() -> None:
    feed = pd.read_csv(sys.argv[1], sep=";", dtype=str, keep_default_na=False)
    cost = number(feed["Cost"])
    branch = feed["Group"].str.split("/").str[:2].str.join("/")
    out = pd.DataFrame(
        {
            "sku": "QP-" + trimmed(feed["ArtNo"]),
            "supplier_sku": trimmed(feed["ArtNo"]),
            "gtin": trimmed(feed["EAN"]),
            "name": trimmed(feed["Name"]).str[:80],
            "brand": "Quarrow",
            "product_line": trimmed(feed["Range"]),
            "category": branch.map(PLACES),
            "cost": rounded(cost, CENT),
            "price": cost.map(price, na_action="ignore"),
            "list_price": rounded(number(feed["RRP"]), CENT),
            "vat_rate": "20",
            "stock": number(feed["Stock"]).map(int, na_action="ignore"),
            "min_order": number(feed["MOQ"]).map(int, na_action="ignore"),
            "available_from": pd.to_datetime(
                feed["Since"].str.strip(), format="%d.%m.%Y", errors="coerce"
            ),
            "colour": feed["Col"].str.strip().str.upper().map(COLOURS),
            "pigment": trimmed(feed["Pigment"]),
            "lightfastness": trimmed(feed["LF"]),
            "opacity": feed["Op"].str.strip().str.upper().map(OPACITY),
            "volume": rounded(number(feed["Vol ml"]), TENTH),
            "net_weight": rounded(number(feed["Net g"]).map(lambda v: v * GRAM), GRAM),
            "length": rounded(number(feed["L mm"]).map(lambda v: v * TENTH), TENTH),
            "hazardous": feed["Haz"].str.strip().str.lower().map({"j": "true", "n": "false"}),
            "picture": trimmed(feed["Picture"]),
        }
    )
    right = (
        out.notna().all(axis=1)
        & gtin_right(out["gtin"])
        & out["sku"].str.match(r"^(?:[A-Z]{2}-[A-Z0-9-]+)$")
        & (out["sku"].str.len() <= 24)
        & (out["name"].str.len() <= 80)
        & (out["supplier_sku"].str.len() <= 32)
        & (out["brand"].str.len() <= 40)
        & (out["product_line"].str.len() <= 40)
        & out["pigment"].str.match(r"^(?:P[A-Za-z]{1,2}\d+(?::\d)?)$")
        & out["picture"].str.match(r"^https?://[^\s/]+(?:/\S*)?$")
        & (out["cost"] >= 0)
        & (out["price"] >= Decimal("0.05"))
        & (out["list_price"] >= 0)
        & (out["stock"] >= 0)
        & (out["min_order"] >= 1)
        & ~out["sku"].duplicated(keep=False)
    )
    out[right].to_csv(sys.argv[2], index=False, lineterminator="\r\n", date_format="%Y-%m-%d")
    print({"good": int(right.sum()), "rejected": int((~right).sum())})


if __name__ == "__main__":
    main()
