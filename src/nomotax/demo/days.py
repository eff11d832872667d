"""What the demo's suppliers send from day to day: ordinary lists, in which stock moves and now and
then a price, and lists in which something has gone wrong."""

from __future__ import annotations

import random
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from decimal import ROUND_HALF_UP, Decimal
from functools import partial
from typing import Any, TypeVar

from nomotax.demo.make import Article, articles, plant, quarrow_csv
from nomotax.demo.suppliers import brindlecombe, castelune, sollund
from nomotax.demo.suppliers.brindlecombe import Brush
from nomotax.demo.suppliers.castelune import Item
from nomotax.demo.suppliers.goods import archive
from nomotax.demo.suppliers.sollund import Paper, Size

Goods = TypeVar("Goods", Article, Brush, Item, Size)
_CENT = Decimal("0.01")
#: What each kind of goods calls its price.
_PRICES: Mapping[type, str] = {Article: "cost", Brush: "trade", Item: "pack_price", Size: "price"}


def _sold(one: Goods, day: int, number: int) -> Goods:
    """An article some days on: each sells at its own pace, and is filled up again; one price in
    sixty moves by a little, and stays there."""
    own = random.Random(number)
    pace, first = own.randrange(3), one.stock
    left = (first - pace * day) % (first + 1) if first else 0
    price = Decimal(getattr(one, _PRICES[type(one)]))
    if own.random() < 1 / 60 and day >= own.randrange(14):
        price *= Decimal(own.choice(["0.98", "1.02", "1.03"]))
    return _priced(replace(one, stock=left), price)


def _priced(one: Goods, price: Decimal) -> Goods:
    exact = price.quantize(_CENT, ROUND_HALF_UP)
    told: Any = {_PRICES[type(one)]: str(exact) if isinstance(one, Size) else exact}
    return replace(one, **told)


def _each(day: int, change: Callable[[Goods], Goods], goods: list[Goods]) -> list[Goods]:
    return [change(_sold(one, day, n)) for n, one in enumerate(goods)]


def _same(one: Goods) -> Goods:
    return one


def _times(factor: str, one: Goods) -> Goods:
    return _priced(one, Decimal(getattr(one, _PRICES[type(one)])) * Decimal(factor))


def _quarrow(day: int, change: Callable[[Article], Article] = _same) -> bytes:
    return quarrow_csv(plant(_each(day, change, articles())), broken=False)


def _sollund(day: int, change: Callable[[Size], Size] = _same) -> bytes:
    def moved(papers: list[Paper]) -> list[Paper]:
        return [replace(p, sizes=tuple(_each(day, change, list(p.sizes)))) for p in papers]

    return sollund.book(1, moved)


def _brindlecombe(day: int, change: Callable[[Brush], Brush] = _same, part: int = 1) -> bytes:
    def moved(brushes: list[Brush]) -> list[Brush]:
        return _each(day, change, brushes)[: len(brushes) // part]

    return brindlecombe.workbook(1, moved)


def _castelune(day: int, change: Callable[[Item], Item] = _same) -> bytes:
    return castelune.parcel(1, partial(_each, day, change))


@dataclass(frozen=True)
class Strange:
    """A list in which something is wrong: what, in words, and a pattern of what is to be said of
    it when it comes."""

    what: str
    make: Callable[[int], bytes]
    told: str


@dataclass(frozen=True)
class Rounds:
    """What a supplier sends: a file of this ending each day, but for what is ``strange`` by its
    day, from 1 on."""

    ending: str
    ordinary: Callable[[int], bytes]
    strange: Mapping[int, Strange]


def _page(day: int) -> bytes:
    return b"<!doctype html><html><body><h1>Please sign in again</h1></body></html>"


def _renamed(day: int) -> bytes:
    return _quarrow(day).replace(b"Cost EUR", b"Net EUR", 1)


def _single(day: int) -> bytes:
    return _castelune(day, lambda one: _priced(one, one.pack_price / one.pack))


def _dumped(day: int) -> bytes:
    """The list of another supplier under this one's name."""
    return archive([("castelune/items.csv", _quarrow(day)), ("castelune/prices.csv", b"a;b\r\n")])


def _cut(day: int) -> bytes:
    whole = _sollund(day)
    return whole[: len(whole) * 2 // 3]


ROUNDS: Mapping[str, Rounds] = {
    "Quarrow Pigments": Rounds("csv", _quarrow, {
        3: Strange("prices in cents", lambda day: _quarrow(day, partial(_times, "100")),
                   r"100|median|Price"),
        6: Strange("a column of another name", _renamed, r"Cost EUR"),
        10: Strange("a web page in place of the list", _page, r"web page|HTML"),
    }),
    "Sollund Paper Mill": Rounds("xml", _sollund, {
        4: Strange("a file cut off in the middle", _cut, r"broke off|cut|end|XML"),
        8: Strange("another currency's amounts",
                   lambda day: _sollund(day, partial(_times, "10.4")), r"[Pp]rice|times"),
    }),
    "Brindlecombe Brushes": Rounds("xlsx", _brindlecombe, {
        5: Strange("half of the list", lambda day: _brindlecombe(day, part=2), r"rows"),
        11: Strange("everything sold out",
                    lambda day: _brindlecombe(day, lambda one: replace(one, stock=0)),
                    r"[Ss]tock"),
    }),
    "Castelune Wholesale": Rounds("zip", _castelune, {
        9: Strange("the list of another supplier", _dumped, r"column|file|read"),
        12: Strange("prices of single pieces for packs", _single, r"[Pp]rice|times"),
    }),
}  # fmt: skip
