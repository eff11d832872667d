"""Sollund Paper Mill: nested XML, sizes as repeated children, inches, pounds, US dollars."""

from __future__ import annotations

import random
from collections.abc import Iterator
from dataclasses import dataclass
from decimal import ROUND_HALF_UP, Decimal
from typing import Any

from lxml import etree

from nomotax.demo.suppliers.goods import Moved, gtin, wrong

NAME = "Sollund Paper Mill"
HOST = "http://files.sollund.example"
_BOOK = "http://sollund.example/pricebook"
_GOODS = "http://sollund.example/goods"
_XLINK = "http://www.w3.org/1999/xlink"
_SPACES: Any = {"book": _BOOK, None: _GOODS, "xlink": _XLINK}
_SHELVES = (
    ("Papers > Watercolour > Cold pressed", "Fjordvann", "cold pressed", (90, 140, 300)),
    ("Papers > Watercolour > Hot pressed", "Fjordvann", "hot pressed", (90, 140, 300)),
    ("Papers > Watercolour > Rough", "Fjordvann", "rough", (140, 200, 300)),
    ("Papers > Drawing > Fine grain", "Lysark", "fine grain", (60, 80, 98)),
    ("Papers > Drawing > Toned", "Skumring", "toned", (80, 98)),
    ("Papers > Printmaking", "Trykkeri", "velvety", (110, 130)),
    ("Papers > Pastel", "Kritt", "toothed", (98, 140)),
    ("Pads > Sketch", "Lysark", "smooth", (50, 60)),
    ("Pads > Mixed media", "Allsidig", "vellum", (98, 140)),
    ("Boards > Illustration", "Fast", "plate", (240, 300)),
    ("Papers > Charcoal", "Sotark", "laid", (60, 80)),
    ("Papers > Calligraphy", "Skrift", "smooth", (70, 90)),
    ("Pads > Watercolour", "Fjordvann", "cold pressed, glued", (90, 140)),
    ("Rolls > Watercolour", "Fjordvann", "cold pressed, roll", (140, 300)),
    ("Envelopes", "Skrift", "laid, gummed", (60, 70)),
    ("Papers > Marker", "Streklys", "bleedproof", (50, 70)),
)  # fmt: skip
_TINTS = ("natural white", "bright white", "cream", "grey")
_SIZES = (("9", "12"), ("11", "15"), ("12 1/2", "18"), ("15", "22"), ("18", "24"), ("22", "30"),
          ("29 1/2", "41"))  # fmt: skip


@dataclass(frozen=True)
class Size:
    code: str
    width: str
    height: str
    pounds: Decimal
    pack: int
    price: str
    stock: int
    number: int


@dataclass(frozen=True)
class Paper:
    ref: str
    shelf: str
    line: str
    surface: str
    weight: int
    tint: str
    sizes: tuple[Size, ...]


def _inches(text: str) -> Decimal:
    whole, _, half = text.partition(" ")
    return Decimal(whole) + (Decimal("0.5") if half else 0)


def _sizes(rng: random.Random, ref: str, weight: int, first: int) -> Iterator[Size]:
    for n, (width, height) in enumerate(_SIZES):
        if rng.random() < 0.18:
            continue
        pack = rng.choice([1, 5, 10, 20, 25])
        area = _inches(width) * _inches(height)
        # The basis weight is that of 500 sheets of 22 x 30 inches.
        pounds = area / Decimal(22 * 30) * weight / 500 * pack
        price = area * weight * pack / Decimal(26000) + Decimal("0.80")
        yield Size(
            code=f"{ref}-{width.split()[0]:0>2}{height:0>2}",
            width=width,
            height=height,
            pounds=pounds.quantize(Decimal("0.001"), ROUND_HALF_UP),
            pack=pack,
            price=f"{price.quantize(Decimal('0.01'), ROUND_HALF_UP)}",
            stock=rng.choice([0, 4, 12, 30, 75, 200]),
            number=5_100_000 + first + n,
        )


def papers(week: int) -> list[Paper]:
    """Every paper of a week; the second drops one shelf's tint, adds one and raises prices."""
    rng = random.Random(2026)
    made, number = [], 0
    for s, (shelf, line, surface, weights) in enumerate(_SHELVES):
        for weight in weights:
            for t, tint in enumerate(_TINTS):
                number += 10
                ref = f"SP-{s + 1}{weight:03d}{t}"
                sizes = tuple(_sizes(rng, ref, weight, number))
                if (week == 1 and (s, t) == (5, 3)) or (week == 2 and (s, t) == (8, 2)):
                    continue
                made.append(Paper(ref, shelf, line, surface, weight, tint, sizes))
    return made


def book(week: int, moved: Moved[Paper] = list) -> bytes:
    """The XML of a week, faults planted, with its papers as they have ``moved``."""
    root = etree.Element(
        f"{{{_BOOK}}}pricebook",
        nsmap=_SPACES,
        attrib={"currency": "USD", "valid-from": f"2026-11-{9 + 7 * week}"},
    )
    root.append(etree.Comment(" sizes in inches, weights in pounds, prices ex works "))
    _leaf(root, "maker", NAME)
    shelf = None
    for number, paper in enumerate(moved(papers(week))):
        if shelf is None or shelf.get("path") != paper.shelf:
            shelf = etree.SubElement(root, f"{{{_GOODS}}}shelf", path=paper.shelf)
        _paper(shelf, paper, number, week)
    return etree.tostring(root, xml_declaration=True, encoding="UTF-8", pretty_print=True)


def _leaf(parent: etree._Element, tag: str, text: str, unit: str = "") -> etree._Element:
    element = etree.SubElement(parent, f"{{{_GOODS}}}{tag}")
    if unit:
        element.set("unit", unit)
    element.text = text
    return element


def _paper(shelf: etree._Element, paper: Paper, number: int, week: int) -> None:
    element = etree.SubElement(shelf, f"{{{_GOODS}}}paper", ref=paper.ref)
    _leaf(element, "name", f"{paper.line} {paper.surface} {paper.weight} lb, {paper.tint}")
    _leaf(element, "line", paper.line)
    _leaf(element, "surface", paper.surface)
    _leaf(element, "basis", str(paper.weight), unit="lb")
    _leaf(element, "tint", paper.tint)
    text = _leaf(element, "text", "")
    text.text = etree.CDATA(
        f"<p><b>{paper.line}</b>, {paper.surface}: pure cotton & sized twice.</p>"
    )
    sizes = etree.SubElement(element, f"{{{_GOODS}}}sizes")
    if number == 17:
        return  # a paper that is announced and comes in no size yet
    for n, size in enumerate(paper.sizes):
        _size(sizes, size, number * 10 + n, week)


def _size(sizes: etree._Element, size: Size, place: int, week: int) -> None:
    code = gtin(size.number)
    if place % 173 == 5:
        code = wrong(code)
    element = etree.SubElement(sizes, f"{{{_GOODS}}}size", code=size.code)
    if place % 211 != 7:
        element.set("gtin", code)
    _leaf(element, "width", size.width, unit="in")
    _leaf(element, "height", size.height, unit="in")
    _leaf(element, "mass", str(size.pounds), unit="lb")
    _leaf(element, "pack", str(size.pack))
    price = size.price
    if week == 2:
        raised = Decimal(price) * Decimal("1.03")
        price = str(raised.quantize(Decimal("0.01"), ROUND_HALF_UP))
    _leaf(element, "price", "on request" if place % 307 == 11 else price)
    _leaf(element, "stock", str(size.stock))
    for view in ("sheet", "deckle")[: 1 + place % 2]:
        picture = etree.SubElement(element, f"{{{_GOODS}}}picture")
        picture.set(f"{{{_XLINK}}}href", f"{HOST}/pictures/{size.number % 10**6:06d}-{view}.svg")
