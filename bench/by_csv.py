"""The same job as a loop over the standard library's csv module."""

from __future__ import annotations

import csv
import re
import sys
from datetime import datetime
from decimal import ROUND_HALF_UP, Decimal
from pathlib import Path

from bench.by_pandas import CENT, GRAM, TENTH, price
from bench.job import COLOURS, OPACITY, PLACES, SCHEMA
from nomotax.core.gtin import check_digit

COMMA = re.compile(r"[+-]?(?:\d+|\d{1,3}(?:\.\d{3})+)(?:,\d+)?")
SKU = re.compile(r"[A-Z]{2}-[A-Z0-9-]+")
PIGMENT = re.compile(r"P[A-Za-z]{1,2}\d+(?::\d)?")
LINK = re.compile(r"https?://[^\s/]+(?:/\S*)?")


def number(text: str) -> Decimal:
    text = text.strip()
    if not COMMA.fullmatch(text):
        raise ValueError(text)
    return Decimal(text.replace(".", "").replace(",", "."))


def trimmed(text: str) -> str:
    return " ".join(text.split())


def product(row: dict[str, str]) -> list[object]:
    cost = number(row["Cost"])
    gtin, article = trimmed(row["EAN"]), trimmed(row["ArtNo"])
    good = [
        "QP-" + article, article, gtin, trimmed(row["Name"])[:80], "Quarrow",
        trimmed(row["Range"]), PLACES["/".join(row["Group"].split("/")[:2])],
        cost.quantize(CENT, ROUND_HALF_UP), price(cost),
        number(row["RRP"]).quantize(CENT, ROUND_HALF_UP), "20", int(number(row["Stock"])),
        int(number(row["MOQ"])), datetime.strptime(row["Since"].strip(), "%d.%m.%Y").date(),
        COLOURS[row["Col"].strip().upper()], trimmed(row["Pigment"]), trimmed(row["LF"]),
        OPACITY[row["Op"].strip().upper()],
        number(row["Vol ml"]).quantize(TENTH, ROUND_HALF_UP),
        (number(row["Net g"]) * GRAM).quantize(GRAM, ROUND_HALF_UP),
        (number(row["L mm"]) * TENTH).quantize(TENTH, ROUND_HALF_UP),
        {"j": "true", "n": "false"}[row["Haz"].strip().lower()], trimmed(row["Picture"]),
    ]  # fmt: skip
    right = (
        int(gtin[-1]) == check_digit(gtin[:-1])
        and SKU.fullmatch(good[0])
        and len(good[0]) <= 24
        and len(good[3]) <= 80
        and PIGMENT.fullmatch(good[15])
        and LINK.fullmatch(good[22])
        and min(good[7], good[9], good[11]) >= 0
        and good[8] >= Decimal("0.05")
        and good[12] >= 1
    )
    if not right:
        raise ValueError(article)
    return good


def main() -> None:
    seen: set[object] = set()
    rejected = 0
    with Path(sys.argv[1]).open(newline="") as feed, Path(sys.argv[2]).open("w", newline="") as out:
        writer = csv.writer(out)
        writer.writerow(SCHEMA.names)
        for row in csv.DictReader(feed, delimiter=";"):
            try:
                good = product(row)
            except (ValueError, KeyError):
                rejected += 1
                continue
            if good[0] in seen:
                rejected += 1
                continue
            seen.add(good[0])
            writer.writerow(good)
    print({"good": len(seen), "rejected": rejected})


if __name__ == "__main__":
    main()
