"""Ranks arriving columns for store fields, with reasons, and proposes the steps that go along.

Names count most, then the field's synonyms, then what the values look like. Every suggestion
says which of these spoke for it.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Sequence, Set
from functools import lru_cache
from typing import Literal

from pydantic import BaseModel
from rapidfuzz import fuzz, process

from nomotax.core.crosswalk.model import Crosswalk, Fill, Part, Step
from nomotax.core.crosswalk.steps.currency import Amount, Exchange
from nomotax.core.crosswalk.steps.lists import TakeEntries
from nomotax.core.crosswalk.steps.lookups import UseCategoryTable, UseValueTable
from nomotax.core.crosswalk.steps.measures import Measure
from nomotax.core.crosswalk.steps.text import Affix, Cut, Trim
from nomotax.core.crosswalk.steps.values import Convert, Date, Number, YesNo
from nomotax.core.crosswalk.trade_words import trade_words
from nomotax.core.reading.profile import ColumnProfile
from nomotax.core.schema.model import FieldKind, Role, StoreField, StoreSchema
from nomotax.core.units.table import UNITS, Unit, find_unit

#: A suggestion at or above this mark is taken by "accept all".
SURE = 70
_LEAST = 45

#: A language's tag (ISO 639-1) behind a name; "no" is left out, since it ends "Art. No".
_LANGUAGE = re.compile(r"(?<=\w)[\s:._(-]+(en|fr|de|es|it|nl|pt|da|sv|fi|pl|cs)\)?$", re.IGNORECASE)
_NUMBERS = ("whole number", "decimal with comma", "decimal with point", "money")
_FITS: dict[FieldKind, tuple[str, ...]] = {
    FieldKind.INTEGER: ("whole number",),
    FieldKind.DECIMAL: _NUMBERS,
    FieldKind.MONEY: _NUMBERS,
    FieldKind.MEASURE: (*_NUMBERS, "measure with unit"),
    FieldKind.YES_NO: ("yes/no",),
    FieldKind.DATE: (
        "date (day.month.year)",
        "date (year-month-day)",
        "date (with slashes)",
        "date (day/month/year)",
        "date (month/day/year)",
        "date and time (ISO 8601)",
    ),
    FieldKind.LINK: ("picture link", "link"),
    FieldKind.LINKS: ("picture link", "link"),
    FieldKind.GTIN: ("GTIN",),
    FieldKind.CATEGORY: ("category path",),
    FieldKind.RICH_TEXT: ("html",),
}


class Suggestion(BaseModel):
    """A column for a field. ``score`` runs from 0 to 100; ``reasons`` say why."""

    field: str
    column: str
    score: int
    reasons: list[str]
    fill: Fill


@lru_cache(maxsize=8192)
def plain(name: str) -> str:
    """A name without case, accents and punctuation, for comparing."""
    stripped = unicodedata.normalize("NFKD", name)
    letters = "".join(c for c in stripped if not unicodedata.combining(c)).lower()
    return re.sub(r"[^a-z0-9]+", " ", letters).strip()


def ranking(
    schema: StoreSchema, columns: Sequence[ColumnProfile], supplier: str
) -> list[Suggestion]:
    """Every column for every field it might fill, best first, whatever is filled already."""
    fields = [f for f in schema.fields if not f.spare]
    found = (s for f in fields for s in rank(f, columns, supplier))
    return sorted(found, key=lambda s: -s.score)


def suggest(
    schema: StoreSchema,
    ranked: Sequence[Suggestion],
    taken: Crosswalk,
    refused: Set[tuple[str, str]] = frozenset(),
) -> list[Suggestion]:
    """Out of a ``ranking``, the best column for each unfilled field, best first; each column is
    proposed once, but for the key, which may share its column. Pairs of field and column that
    were ``refused`` are not proposed again."""
    chosen: dict[str, Suggestion] = {}
    used = set(taken.used_columns())
    for one in ranked:
        if one.field in taken.fills or (one.field, one.column) in refused:
            continue
        # The supplier's number feeds the store's key and its own field.
        shared = one.field == schema.key
        if one.field in chosen or (one.column in used and not shared):
            continue
        chosen[one.field] = one
        if not shared:
            used.add(one.column)
    return sorted(chosen.values(), key=lambda s: -s.score)


def rank(field_: StoreField, columns: Sequence[ColumnProfile], supplier: str) -> list[Suggestion]:
    """Every column that might fill the field, best first, with reasons.

    ``supplier`` names the look-ups that a proposal needs, and the prefix of a key.
    """
    found = []
    for column in columns:
        score, reasons = _score(field_, column)
        if score >= _LEAST:
            fill = propose_fill(field_, column, supplier, columns)
            if field_.role is Role.KEY:
                reasons.append(f"'{prefix_of(supplier)}' in front keeps suppliers' numbers apart")
            found.append(
                Suggestion(
                    field=field_.name, column=column.name, score=score, reasons=reasons, fill=fill
                )
            )
    return sorted(found, key=lambda s: -s.score)


def _score(field_: StoreField, column: ColumnProfile) -> tuple[int, list[str]]:
    if column.looks_like == "empty" or field_.kind is FieldKind.OPTIONS:
        return 0, []
    bare, language = _language_in(column.name)
    if field_.language != language and field_.language is not None:
        return 0, []
    name, why = _name_score(field_, bare)
    if language is not None and field_.language is None:
        # A translation's own field comes first.
        name -= 8
    value, evidence = _value_score(field_, column)
    reasons = [r for r in (why, evidence) if r]
    return max(0, min(100, name + value)), reasons


def _language_in(column: str) -> tuple[str, str | None]:
    """A column's name without the language it ends in (``title: fr``), and that language."""
    found = _LANGUAGE.search(column)
    return (column[: found.start()], found[1].lower()) if found else (column, None)


def _name_score(field_: StoreField, column: str) -> tuple[int, str]:
    """How well the name fits: as a whole, or the last part of one such as ``size.price`` or
    ``stock: price``, which says what it is where the rest says of what."""
    whole = _one_name_score(field_, column)
    last = re.split(r"[.@]|: ", column)[-1]
    if last in ("", column):
        return whole
    part, why = _one_name_score(field_, last)
    return max(whole, (max(part - 5, 0), why), key=lambda scored: scored[0])


def _one_name_score(field_: StoreField, column: str) -> tuple[int, str]:
    own = [plain(field_.label), plain(_language_in(field_.name)[0])]
    synonyms = [plain(s) for s in field_.synonyms]
    trade = trade_words(field_)
    arriving, label = plain(column), field_.label
    same = [
        (80, own, "same name"),
        (75, synonyms, f"'{column}' is another word for {label}"),
        (72, trade, f"'{column}' is what the trade calls {label}"),
    ]
    for score, names, why in same:
        if _joined(arriving) in map(_joined, names):
            return score, why
    known = [*own, *synonyms, *trade]
    bare = " ".join(w for w in arriving.split() if not find_unit(w) and w not in _CODES)
    if bare and bare in known:
        return 70, f"'{column}' names {label} with its unit or currency"
    return _alike(column, arriving, known, label)


def _alike(column: str, arriving: str, known: list[str], label: str) -> tuple[int, str]:
    """A name that holds a known one, or is written almost like it."""
    inside = max((w for w in known if _within(w, arriving)), key=len, default="")
    if inside:
        return 48 + min(12, len(inside)), f"'{column}' says '{inside}'"
    near = process.extractOne(arriving, known, scorer=fuzz.token_sort_ratio, score_cutoff=72)
    if near is None:
        return 0, ""
    return round(near[1] * 0.6), f"'{column}' is written almost like {label}"


def _within(known: str, arriving: str) -> bool:
    """A known name stands in the arriving one: as words of its own, at an end of a compound, or
    cut short (``suggested retail`` for ``suggested retail price``)."""
    if len(known) < 3:
        return False
    if f" {known} " in f" {arriving} " or (" " in arriving and known.startswith(f"{arriving} ")):
        return True
    return len(known) >= 4 and any(
        w != known and (w.endswith(known) or (len(known) >= 5 and w.startswith(known)))
        for w in arriving.split()
    )


def _joined(words: str) -> str:
    """``art no`` and ``ArtNo`` are one name."""
    return words.replace(" ", "")


#: Currencies (ISO 4217) that a supplier may name beside a price.
_CODES = frozenset(
    [
        "aud",
        "brl",
        "cad",
        "chf",
        "cny",
        "czk",
        "dkk",
        "eur",
        "gbp",
        "hkd",
        "huf",
        "inr",
        "jpy",
        "krw",
        "mxn",
        "nok",
        "nzd",
        "pln",
        "ron",
        "sek",
        "sgd",
        "try",
        "usd",
        "zar",
    ]
)


def _value_score(field_: StoreField, column: ColumnProfile) -> tuple[int, str]:
    fits = _FITS.get(field_.kind)
    if field_.kind is FieldKind.CHOICE:
        words = {v.value.strip().lower() for v in column.frequent}
        shared = words & {a.lower() for a in field_.allowed}
        if words and len(shared) == len(words):
            return 25, "its values are the store's own words"
        return (0, "") if column.distinct <= 60 else (-40, "")
    if field_.role is Role.TITLE and not any(" " in v.value.strip() for v in column.frequent):
        return -30, ""  # codes, not names
    if fits is None:
        return (-30, "") if column.looks_like in ("GTIN", "picture link", "html") else (0, "")
    if column.looks_like in fits:
        strong = field_.kind in (FieldKind.GTIN, FieldKind.CATEGORY)
        return (50 if strong else 20), f"its values look like {column.looks_like}"
    # A tree has far fewer places than there are products.
    few = field_.kind is FieldKind.CATEGORY and column.distinct * 10 <= column.filled
    return (0 if few or field_.kind is FieldKind.RICH_TEXT else -40), ""


def prefix_of(supplier: str) -> str:
    """What goes before a supplier's numbers in the store: its initials, ``QP-``."""
    initials = "".join(w[0] for w in plain(supplier).upper().split()[:2])
    return f"{initials}-" if len(initials) == 2 else f"{plain(supplier).upper()[:2]}-"


def propose_fill(
    field_: StoreField, column: ColumnProfile, supplier: str, among: Sequence[ColumnProfile] = ()
) -> Fill:
    """The column with the steps its values need to become the field's kind. ``among`` the other
    columns may be one that says its currency or its unit."""
    steps = _steps(field_, column, supplier, among)
    return Fill(parts=(Part(column=column.name),), steps=tuple(steps))


def _steps(
    field_: StoreField, column: ColumnProfile, supplier: str, among: Sequence[ColumnProfile]
) -> list[Step]:
    short = (supplier.split() or [""])[0]
    if field_.role is Role.KEY:
        prefix = prefix_of(supplier)
        there = all(v.value.strip().startswith(prefix) for v in column.frequent)
        return [Trim()] if there and column.frequent else [Trim(), Affix(before=prefix)]
    if field_.kind is FieldKind.CHOICE and _value_score(field_, column)[0] <= 0:
        return [UseValueTable(table=f"{short} {field_.label.lower()}")]
    by_kind: dict[FieldKind, list[Step]] = {
        FieldKind.MONEY: _money_steps(field_, column, among),
        FieldKind.DECIMAL: [Number()],
        FieldKind.INTEGER: [Number()],
        FieldKind.MEASURE: _measure_steps(field_, column, among),
        FieldKind.YES_NO: [YesNo(yes=("j", "y", "yes", "true", "1"), no=("n", "no", "false", "0"))],
        FieldKind.DATE: [Date(order=_date_order(column))],
        FieldKind.CATEGORY: [UseCategoryTable(table=f"{short} categories")],
        FieldKind.RICH_TEXT: [],
    }
    if field_.kind in by_kind:
        return by_kind[field_.kind]
    if field_.kind is FieldKind.LINK and any(v.value.startswith('["') for v in column.frequent):
        return [TakeEntries(start=1, count=1)]
    cut = field_.max_length is not None and column.longest > field_.max_length
    return [Trim(), Cut(length=field_.max_length or 1)] if cut else [Trim()]


def _money_steps(
    field_: StoreField, column: ColumnProfile, among: Sequence[ColumnProfile]
) -> list[Step]:
    """An amount, exchanged where a column, the cells or the column's name say another currency.
    While the rate is missing such a field holds its rows: better than a price in wrong money."""
    target = field_.currency or ""
    said = _currency_column(among)
    named = next((w.upper() for w in plain(column.name).split() if w in _CODES), "")
    beside = said.frequent[0].value.strip().upper() if said else ""
    source = column.currency or named or beside or target
    if said and not named:
        several = said.distinct > 1
        first: Step = Amount(currency=target if several else source, column=said.name)
        source = target if several else source
    else:
        first = Amount(currency=source) if column.currency else Number()
    return [first] if source == target else [first, Exchange(source=source, target=target)]


def _currency_column(among: Sequence[ColumnProfile]) -> ColumnProfile | None:
    """The column that holds nothing but currency codes."""
    return next((c for c in among if c.frequent and _all_codes(c)), None)


def _all_codes(column: ColumnProfile) -> bool:
    return all(v.value.strip().lower() in _CODES for v in column.frequent)


def _measure_steps(
    field_: StoreField, column: ColumnProfile, among: Sequence[ColumnProfile]
) -> list[Step]:
    """A number, and a conversion where the column's name states another unit; a measure where
    its cells do, or a column beside it."""
    beside = next((c for c in among if c.name != column.name and _is_unit_of(c, column)), None)
    if beside is not None or column.looks_like == "measure with unit":
        return [Measure(target=field_.unit or "", column=beside.name if beside else "")]
    unit = unit_in_name(column.name)
    if unit is None or field_.unit is None or unit.dimension != UNITS[field_.unit].dimension:
        return [Number()]
    if unit.code == field_.unit:
        return [Number()]
    return [Number(), Convert(source=unit.code, target=field_.unit)]


def _is_unit_of(other: ColumnProfile, column: ColumnProfile) -> bool:
    """A column such as ``width@unit`` beside ``width``, with units in its cells."""
    named = plain(other.name) == f"{plain(column.name)} unit"
    return named and bool(other.frequent) and all(find_unit(v.value) for v in other.frequent)


def _date_order(column: ColumnProfile) -> Literal["dmy", "mdy", "ymd"]:
    if "year-month-day" in column.looks_like:
        return "ymd"
    return "mdy" if "month/day" in column.looks_like else "dmy"


def unit_in_name(name: str) -> Unit | None:
    """A unit that stands as its own word in a column name: ``Net g``, ``Width (mm)``."""
    words = re.split(r"[\s_]+", name)
    return next((u for w in reversed(words) if len(w) < 6 and (u := find_unit(w))), None)


def price_from_cost(schema: StoreSchema, ranked: Sequence[Suggestion]) -> Suggestion | None:
    """A price where only a cost arrives: out of a ``ranking``, the best column for the cost, to go
    through a ladder."""
    cost, price = schema.with_role(Role.COST), schema.with_role(Role.PRICE)
    best = next((s for s in ranked if cost and s.field == cost.name), None)
    if price is None or best is None:
        return None
    return Suggestion(
        field=price.name,
        column=best.column,
        score=min(best.score, SURE),
        reasons=[f"{price.label} is worked out from '{best.column}' with a price ladder"],
        fill=best.fill,
    )
