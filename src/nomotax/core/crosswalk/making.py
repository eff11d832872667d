"""One way to make a fill: a column for a field, with the steps that its values need and what is
taken for granted on the way. Hands and suggestions alike come through here; a person's word for
what was assumed is put in by ``stating``.
"""

from __future__ import annotations

import re
from collections.abc import Callable

from nomotax.core.crosswalk.assumptions import About, Assumption
from nomotax.core.crosswalk.evidence import (
    Evidence,
    KeyFacts,
    cell_currencies,
    cell_units,
    currency_columns,
    list_sign,
    number_style,
    separator_of,
    slash_order,
    unit_column,
    unit_in_name,
    words_of,
)
from nomotax.core.crosswalk.model import DateOrder, Fill, Part, Since, Step
from nomotax.core.crosswalk.plain import prefix_of
from nomotax.core.crosswalk.steps.currency import Amount, Exchange
from nomotax.core.crosswalk.steps.lists import Join, Split, TakeEntries
from nomotax.core.crosswalk.steps.lookups import UseCategoryTable, UseValueTable
from nomotax.core.crosswalk.steps.measures import Measure
from nomotax.core.crosswalk.steps.text import Affix, Trim
from nomotax.core.crosswalk.steps.values import Convert, Date, Number, YesNo
from nomotax.core.kinds import FieldKind
from nomotax.core.money.currencies import currency_in_name, currency_of
from nomotax.core.reading.profile import ColumnProfile
from nomotax.core.reading.shapes import level_sign
from nomotax.core.schema.model import Role, StoreField
from nomotax.core.units.table import UNITS, find_unit

#: The steps and what they take for granted.
Made = tuple[list[Step], list[Assumption]]
_LIST_KINDS = (FieldKind.LINKS, FieldKind.TEXTS, FieldKind.CATEGORIES)
_YEAR_FIRST = (
    "date (year-month-day)",
    "date and time (ISO 8601)",
    "date (year month day, no marks)",
)
_YES = ("y", "yes", "true", "1", "j", "ja", "oui", "si", "sí", "tak", "sim", "x")
_NO = ("n", "no", "false", "0", "nein", "non", "nie", "nej", "não", "nee", "ne")


def make_fill(field: StoreField, column: ColumnProfile, evidence: Evidence) -> Fill:
    """The column with the steps its values need to become the field's kind. What no evidence
    settles is an open assumption: its rows wait for a person."""
    steps, assumed = _maker(field)(field, column, evidence)
    return Fill(parts=(Part(column=column.name),), steps=tuple(steps), assumptions=tuple(assumed))


#: Steps that evidence puts first; those behind them are a person's.
_HEAD = frozenset(
    ["trim", "number", "convert", "exchange", "amount", "measure", "date", "yes_no", "split",
     "join", "take", "affix", "value_table", "category_table"]
)  # fmt: skip


def made_instead(field: StoreField, fill: Fill, column: ColumnProfile, evidence: Evidence) -> Fill:
    """The fill with another column in place of its source: the steps that the new column needs,
    then those that stood behind the old one's (a ladder, a formula)."""
    made = make_fill(field, column, evidence)
    at = next((i for i, s in enumerate(fill.steps) if s.do not in _HEAD), len(fill.steps))
    kept = {n: getattr(fill, n) for n in ("when_empty", "on_problem", "writes", "since")}
    said = tuple(a for a in fill.assumptions if a.about == "since")
    steps, assumptions = (*made.steps, *fill.steps[at:]), (*made.assumptions, *said)
    return made.model_copy(update={"steps": steps, "assumptions": assumptions, **kept})


def made_since(fill: Fill, column: ColumnProfile | None) -> Fill:
    """The fill with a column that says from which day its values hold; None for at once."""
    others = tuple(a for a in fill.assumptions if a.about != "since")
    if column is None:
        return fill.model_copy(update={"since": None, "assumptions": others})
    order, told = _date_order(column, "since")
    since = Since(column=column.name, order=order)
    return fill.model_copy(update={"since": since, "assumptions": (*others, *told)})


def shapes_by_itself(fill: Fill) -> bool:
    """Whether the fill shortens, prefixes or prices: such a one is never taken unseen."""
    return any(s.do in ("cut", "affix", "ladder", "take") for s in fill.steps if not s.off)


def _maker(field: StoreField) -> Callable[[StoreField, ColumnProfile, Evidence], Made]:
    if field.role is Role.KEY:
        return _key
    return _MAKERS.get(field.kind, _text)


def _key(field: StoreField, column: ColumnProfile, evidence: Evidence) -> Made:
    """Codes as they are, unless the store's pattern or its catalog asks for a prefix."""
    prefix, facts = prefix_of(evidence.supplier), evidence.keys.get(column.name, KeyFacts())
    words = words_of(column)
    if facts.tried and facts.as_is * 2 >= facts.tried:
        says = f"{facts.as_is} of {facts.tried} codes are keys of the catalog as they are"
        return [Trim()], [Assumption(about="prefix", says=says)]
    why = _prefix_reason(field, words, prefix, facts)
    if not why or (words and all(w.startswith(prefix) for w in words)):
        return [Trim()], []
    says = f"'{prefix}' in front, because {why}"
    return [Trim(), Affix(before=prefix)], [Assumption(about="prefix", says=says, choice=prefix)]


def _prefix_reason(field: StoreField, words: list[str], prefix: str, facts: KeyFacts) -> str:
    if facts.prefixed * 2 >= facts.tried > 0:
        return f"{facts.prefixed} of {facts.tried} codes are keys of the catalog with it"
    pattern = re.compile(field.pattern) if field.pattern else None
    if pattern and words and not any(pattern.fullmatch(w) for w in words):
        if all(pattern.fullmatch(prefix + w) for w in words):
            return f"the store's codes look like {field.pattern}"
        return ""
    if facts.others:
        return f"{facts.others} of {facts.tried} codes belong to another supplier's products"
    return ""


def _measure(field: StoreField, column: ColumnProfile, evidence: Evidence) -> Made:
    target = field.unit or ""
    dimension = UNITS[target].dimension
    heading = unit_in_name(column.name, dimension)
    unit = heading.code if heading else ""
    beside = unit_column(column, evidence.among, dimension)
    if cell_units(column) or beside is not None:
        step = Measure(target=target, stated=unit, column=beside.name if beside else "")
        doubt = _unit_doubt(unit, beside)
        if doubt:
            return [step], [Assumption(about="unit", says=doubt, choice=unit, state="open")]
        where = f"in the column '{beside.name}'" if beside else "in its cells"
        also = f", else {unit} by the heading" if unit else ""
        return [step], [Assumption(about="unit", says=f"its units stand {where}{also}")]
    number, styled = _number_step(column, evidence)
    if unit:
        steps: list[Step] = [number]
        steps += [Convert(source=unit, target=target)] if unit != target else []
        says = f"read as {unit}, because of the heading '{column.name}'"
        return steps, [*styled, Assumption(about="unit", says=says, choice=unit)]
    return [number], [*styled, *_without_unit(field, column, evidence)]


def _without_unit(field: StoreField, column: ColumnProfile, evidence: Evidence) -> list[Assumption]:
    target = field.unit or ""
    if UNITS[target].dimension == "count":
        return []
    if evidence.own_export:
        return [Assumption(about="unit", says=f"read as {target}: the store wrote this file",
                           choice=target)]  # fmt: skip
    other = unit_in_name(column.name)
    said = f"nothing says in which unit '{column.name}' is"
    if other is not None:
        said = f"the heading '{column.name}' says {other.code}, which is no {field.dimension}"
    return [Assumption(about="unit", says=said, choice=target, state="open")]


def _unit_doubt(heading: str, beside: ColumnProfile | None) -> str:
    """What the heading and the column of units say against each other."""
    if not heading or beside is None:
        return ""
    codes = {u.code for w in words_of(beside) if (u := find_unit(w))}
    if heading in codes:
        return ""
    return f"the heading says {heading}, but '{beside.name}' says {', '.join(sorted(codes))}"


def _money(field: StoreField, column: ColumnProfile, evidence: Evidence) -> Made:
    target = field.currency or ""
    heading = currency_in_name(column.name, target)
    cells = cell_currencies(column, target)
    beside = currency_columns(column, evidence.among)
    if cells or beside:
        return _money_by_row(column, beside, cells, heading, target)
    number, styled = _number_step(column, evidence)
    if heading:
        steps: list[Step] = [number]
        steps += [Exchange(source=heading, target=target)] if heading != target else []
        says = f"read as {heading}, because of the heading '{column.name}'"
        return steps, [*styled, Assumption(about="currency", says=says, choice=heading)]
    if evidence.own_export:
        says = f"read as {target}: the store wrote this file"
        return [number], [*styled, Assumption(about="currency", says=says, choice=target)]
    says = f"nothing says in which currency '{column.name}' is"
    told = Assumption(about="currency", says=says, choice=target, state="open")
    return [number], [*styled, told]


def _money_by_row(
    column: ColumnProfile,
    beside: list[ColumnProfile],
    cells: list[str],
    heading: str,
    target: str,
) -> Made:
    """Each row in the money that its cell or the column beside it says; one that says none is
    asked about, unless the heading names it."""
    name = beside[0].name if len(beside) == 1 else ""
    step = Amount(currency=heading, column=name, into=target)
    if len(beside) > 1 and not cells:
        names = " or ".join(f"'{c.name}'" for c in beside)
        says = f"{names} may say the currency"
        return [step], [Assumption(about="currency", says=says, choice=target, state="open")]
    said = {currency_of(w, target) for c in beside[:1] for w in words_of(c)} | set(cells)
    if heading and said and heading not in said:
        where = f"'{name}'" if name else "its cells"
        says = f"the heading says {heading}, but {where} says {', '.join(sorted(said))}"
        return [step], [Assumption(about="currency", says=says, choice=heading, state="open")]
    where = f"in the column '{name}'" if name else "in its cells"
    also = f", else {heading} by the heading" if heading else ""
    return [step], [Assumption(about="currency", says=f"its currency stands {where}{also}")]


def _number_step(column: ColumnProfile, evidence: Evidence) -> tuple[Number, list[Assumption]]:
    """A number in the file's own style, or in that of the column's cells where it is another."""
    mark = evidence.marks.get(column.name, evidence.decimal)
    style, cell = number_style(column, mark)
    if not style:
        return Number(), []
    says = f"read with a decimal {style}, because of cells like '{cell}'"
    told = Assumption(about="numbers", says=says, choice=style)
    return Number(style="comma" if style == "comma" else "point"), [told]


def _number(field: StoreField, column: ColumnProfile, evidence: Evidence) -> Made:
    number, styled = _number_step(column, evidence)
    return [number], styled


def _date(field: StoreField, column: ColumnProfile, evidence: Evidence) -> Made:
    order, told = _date_order(column, "date")
    return [Date(order=order)], told


def _date_order(column: ColumnProfile, about: About) -> tuple[DateOrder, list[Assumption]]:
    """In which order a column writes day, month and year."""
    if column.looks_like in _YEAR_FIRST:
        return "ymd", []
    if "slashes" in column.looks_like:
        says = f"'{_first(column)}' may have the day or the month first"
        return "dmy", [Assumption(about=about, says=says, choice="dmy", state="open")]
    return ("mdy" if slash_order(column) == "mdy" else "dmy"), []


def _first(column: ColumnProfile) -> str:
    return next(iter(words_of(column)), "")


def _yes_no(field: StoreField, column: ColumnProfile, evidence: Evidence) -> Made:
    """Words of other languages that stand in the column are listed beside the usual ones."""
    known = {*_YES, *_NO}
    others = [w for w in dict.fromkeys(map(str.lower, words_of(column))) if w not in known]
    yes = tuple(w for w in others if evidence.says_yes(w) is True)
    no = tuple(w for w in others if evidence.says_yes(w) is False)
    return [YesNo(yes=(*_YES, *yes), no=(*_NO, *no))], []


def _choice(field: StoreField, column: ColumnProfile, evidence: Evidence) -> Made:
    words = {w.lower() for w in words_of(column)}
    if words and words <= {a.lower() for a in field.allowed}:
        return [Trim()], []
    return [UseValueTable(table=f"{evidence.supplier} {field.label.lower()}")], []


def _category(field: StoreField, column: ColumnProfile, evidence: Evidence) -> Made:
    words = words_of(column)
    if evidence.categories and words and all(w in evidence.categories for w in words):
        return [Trim()], [Assumption(about="path", says="its paths are the store's own")]
    separator = column.separator or level_sign(words)
    shown = f"'{separator.strip()}' stands between the levels" if separator else (
        "each cell is one level: no sign between levels was found"
    )  # fmt: skip
    told = Assumption(about="path", says=shown, choice=separator)
    name = "categories" if field.kind is FieldKind.CATEGORY else field.label.lower()
    return [UseCategoryTable(table=f"{evidence.supplier} {name}")], [told]


def _list(field: StoreField, column: ColumnProfile, evidence: Evidence) -> Made:
    sign = list_sign(column)
    # Alternative texts belong to pictures by their place, so blank ones keep theirs.
    blanks = field.role is Role.PICTURE_TEXTS
    steps: list[Step] = [Split(at=sign, blanks=blanks)] if sign else []
    told = [Assumption(about="list", says=f"cut at '{sign}' into entries", choice=sign)]
    if field.kind is FieldKind.CATEGORIES:
        made, assumed = _category(field, column, evidence)
        return [*steps, *made], [*(told if sign else []), *assumed]
    return steps, told if sign else []


def _one_address(field: StoreField, column: ColumnProfile, evidence: Evidence) -> Made:
    sign = separator_of(column)
    if sign or column.looks_like == "list (JSON)" or _is_json(column):
        says = "the first of several addresses in a cell"
        first: list[Step] = [Split(at=sign or ","), TakeEntries(start=1, count=1)]
        return first, [Assumption(about="list", says=says, choice=sign)]
    return [Trim()], []


def _is_json(column: ColumnProfile) -> bool:
    return any(w.startswith('["') for w in words_of(column))


def _text(field: StoreField, column: ColumnProfile, evidence: Evidence) -> Made:
    if _is_json(column) and field.role is Role.PICTURE_TEXT:
        told = Assumption(about="list", says="the first of several texts in a cell")
        return [TakeEntries(start=1, count=1)], [told]
    if _is_json(column) and field.kind is FieldKind.TEXT:
        return [Join(between=", ")], [
            Assumption(about="list", says="its entries are joined by ', '")
        ]
    sign = column.separator if column.looks_like == "list" else ""
    if sign in ("|", ";", "\n") and field.kind is FieldKind.TEXT:
        says = f"its entries, cut at '{sign}', are joined by ', '"
        told = Assumption(about="list", says=says, choice=sign)
        return [Split(at=sign), Join(between=", ")], [told]
    return [Trim()], []


def _rich_text(field: StoreField, column: ColumnProfile, evidence: Evidence) -> Made:
    return [], []


_MAKERS: dict[FieldKind, Callable[[StoreField, ColumnProfile, Evidence], Made]] = {
    FieldKind.MONEY: _money,
    FieldKind.DECIMAL: _number,
    FieldKind.INTEGER: _number,
    FieldKind.MEASURE: _measure,
    FieldKind.YES_NO: _yes_no,
    FieldKind.DATE: _date,
    FieldKind.CHOICE: _choice,
    FieldKind.CATEGORY: _category,
    FieldKind.RICH_TEXT: _rich_text,
    FieldKind.LINK: _one_address,
    **dict.fromkeys(_LIST_KINDS, _list),
}
