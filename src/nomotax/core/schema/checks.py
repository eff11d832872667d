"""What the store schema demands of a value: its kind first, then its limits."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from decimal import Decimal

import polars as pl

from nomotax.core.flow.context import Context
from nomotax.core.flow.entries import as_list
from nomotax.core.flow.flow import LIST_SIGN, Fault, Flow, Severity
from nomotax.core.flow.number import as_number
from nomotax.core.gtin import has_right_check_digit, whole_digits
from nomotax.core.kinds import DECIMAL_KINDS, FieldKind
from nomotax.core.numbers import NUMBER
from nomotax.core.reading.damage import damaged_codes, damaged_texts
from nomotax.core.reading.lists import in_words
from nomotax.core.schema.model import Role, StoreField

#: A web address, or a picture that came with a delivery (see ``core.reading.pictures``).
_ADDRESS = r"(https?://[^\s/]+(/\S*)?|picture:[0-9a-f]{32}\.[a-z]+)"
_LINK = f"^{_ADDRESS}$"
_LINKS = rf"^{_ADDRESS}( \| {_ADDRESS})*$"
#: Where one address ends and the next begins, without a blank or a bar between them.
_NEXT = r"\s*[,;]\s*((?:https?://|picture:))"
DAMAGED = "is a barcode that a spreadsheet has damaged"
#: Options of a variant, in order: ``Size: 30 x 40 cm | Colour: Blue``.
_OPTIONS = r"^[^|:]+: [^|]+( \| [^|:]+: [^|]+)*$"


#: What a value of these kinds is; all others are text.
TYPES: dict[FieldKind, pl.DataType] = {
    **dict.fromkeys(DECIMAL_KINDS, NUMBER),
    FieldKind.INTEGER: pl.Int64(),
    FieldKind.YES_NO: pl.Boolean(),
    FieldKind.DATE: pl.Date(),
}


def conform(field: StoreField, flow: Flow, ctx: Context) -> Flow:
    """The flow as a value of the field's kind, with a fault wherever it is not one.

    Types: Decimal(38, decimals), Int64, Boolean, Date, else String.
    """
    flow = _KINDS.get(field.kind, _as_text)(field, flow, ctx)
    flow = flow.to(flow.keep(flow.value))
    return flow.to(flow.value, *_limits(field, flow))


def _as_text(field: StoreField, flow: Flow, ctx: Context) -> Flow:
    text = flow.keep(flow.text if flow.numeric or flow.listed else in_words(flow.text))
    flow = flow.to(flow.keep(pl.when(text != "").then(text)), numeric=False)
    if field.kind not in (FieldKind.TEXT, FieldKind.IDENTIFIER):
        return flow
    # A code that a spreadsheet turned into 9.52E+12 is none any more.
    look = damaged_codes if field.kind is FieldKind.IDENTIFIER else damaged_texts
    damaged = flow.value.map_batches(look, return_dtype=pl.Boolean, is_elementwise=True)
    return flow.to(flow.value, Fault("damaged_barcode", DAMAGED, damaged, flow.value))


def _as_decimal(field: StoreField, flow: Flow, ctx: Context) -> Flow:
    number = as_number(flow, ctx).settled()
    # Half away from zero: what a price list in the trade calls commercial rounding.
    rounded = number.value.round(field.decimals, mode="half_away_from_zero")
    return number.to(rounded.cast(pl.Decimal(38, field.decimals)))


def _as_integer(field: StoreField, flow: Flow, ctx: Context) -> Flow:
    number = as_number(flow, ctx).settled()
    whole = number.value.round(0, mode="half_away_from_zero")
    fault = Fault("not_whole", "is not a whole number", number.value != whole, flow.text)
    return number.to(whole.cast(pl.Int64, strict=False), fault)


def _as_yes_no(field: StoreField, flow: Flow, ctx: Context) -> Flow:
    word = flow.text.str.to_lowercase()
    value = flow.keep(pl.when(word == "true").then(True).when(word == "false").then(False))
    fault = Fault(
        "not_yes_or_no", "is neither true nor false", value.is_null() & (word != ""), flow.text
    )
    return flow.to(value, fault, numeric=False)


def _as_date(field: StoreField, flow: Flow, ctx: Context) -> Flow:
    text = flow.text
    value = flow.keep(text.str.to_date("%Y-%m-%d", strict=False))
    fault = Fault(
        "not_a_date", "is no date as year-month-day", value.is_null() & (text != ""), text
    )
    return flow.to(value, fault, numeric=False)


def _as_choice(field: StoreField, flow: Flow, ctx: Context) -> Flow:
    flow = _as_text(field, flow, ctx)
    fault = Fault(
        "not_allowed",
        f"is none of: {', '.join(field.allowed)}",
        ~flow.value.is_in(list(field.allowed)),
        flow.value,
    )
    return flow.to(flow.value, fault)


def _as_category(field: StoreField, flow: Flow, ctx: Context) -> Flow:
    flow = _as_text(field, flow, ctx)
    # The path "" stands for a branch that is not sold, which its own fault tells.
    if not ctx.categories:
        return flow
    unknown = ~flow.value.is_in(sorted(ctx.categories))
    fault = Fault(
        "unknown_category", "is no category of this store", unknown, flow.value, Severity.QUESTION
    )
    return flow.to(flow.value, fault)


def _as_link(field: StoreField, flow: Flow, ctx: Context) -> Flow:
    flow = _as_text(field, flow, ctx)
    several = flow.value.str.contains(_NEXT)
    return flow.to(
        flow.value,
        Fault(
            "several_links", "holds several addresses; split it, or take one", several, flow.value
        ),
        Fault("not_a_link", "is no web address", ~flow.value.str.contains(_LINK), flow.value),
    )


def _as_links(field: StoreField, flow: Flow, ctx: Context) -> Flow:
    arrived = flow.text if flow.numeric or flow.listed else in_words(flow.text, " | ")
    parted = arrived.str.replace_all(_NEXT, " | $1").str.replace_all(r"\s*[|\s]\s*", " | ")
    text = flow.keep(parted.str.strip_chars(" |"))
    value = flow.keep(pl.when(text != "").then(text))
    fault = Fault(
        "not_a_link", "is no list of web addresses", ~value.str.contains(_LINKS), flow.text
    )
    return flow.to(value, fault, numeric=False)


def _entries(flow: Flow, blanks: bool = False) -> tuple[Flow, pl.Expr]:
    """A list as text, and its entries."""
    entries = flow.keep(as_list(flow, LIST_SIGN.strip(), blanks).list.drop_nulls())
    joined = flow.keep(entries.list.join(LIST_SIGN))
    return flow.to(flow.keep(pl.when(joined != "").then(joined)), numeric=False), entries


def _as_texts(field: StoreField, flow: Flow, ctx: Context) -> Flow:
    # Alternative texts belong to pictures by their place, so blank ones keep theirs.
    return _entries(flow, field.role is Role.PICTURE_TEXTS)[0]


def _as_categories(field: StoreField, flow: Flow, ctx: Context) -> Flow:
    flow, entries = _entries(flow)
    if not ctx.categories:
        return flow
    strange = ~pl.element().is_in(sorted(ctx.categories))
    unknown = entries.list.eval(pl.element().filter(strange))
    fault = Fault(
        "unknown_category",
        "is no category of this store",
        unknown.list.len() > 0,
        unknown.list.first(),
        Severity.QUESTION,
    )
    return flow.to(flow.value, fault)


def _as_options(field: StoreField, flow: Flow, ctx: Context) -> Flow:
    text = flow.keep(flow.text)
    flow = flow.to(flow.keep(pl.when(text != "").then(text)), numeric=False)
    shape = Fault(
        "not_options",
        "are no options such as 'Size: 3 | Colour: Blue'",
        ~flow.value.str.contains(_OPTIONS),
        flow.value,
    )
    names = flow.keep((pl.lit("| ") + flow.value).str.extract_all(r"\| [^|:]+: "))
    twice = Fault(
        "option_twice", "name an option twice", names.list.n_unique() < names.list.len(), flow.value
    )
    return flow.to(flow.value, shape, twice)


def _as_gtin(field: StoreField, flow: Flow, ctx: Context) -> Flow:
    text = flow.text
    bare = whole_digits(text.str.replace_all(r"[\s-]", ""))
    value = flow.keep(pl.when(text != "").then(bare))
    number = flow.keep(value.cast(pl.UInt64, strict=False))
    shape = Fault(
        "not_a_gtin",
        "is no GTIN of 8, 12, 13 or 14 digits",
        ~value.str.contains(r"^(\d{8}|\d{12,14})$"),
        text,
    )
    digit = Fault(
        "wrong_check_digit", "has a wrong check digit", ~has_right_check_digit(value, number), text
    )
    return flow.to(value, shape, digit, numeric=False)


_KINDS: dict[FieldKind, Callable[[StoreField, Flow, Context], Flow]] = {
    **dict.fromkeys(DECIMAL_KINDS, _as_decimal),
    FieldKind.INTEGER: _as_integer,
    FieldKind.YES_NO: _as_yes_no,
    FieldKind.DATE: _as_date,
    FieldKind.CHOICE: _as_choice,
    FieldKind.CATEGORY: _as_category,
    FieldKind.LINK: _as_link,
    FieldKind.LINKS: _as_links,
    FieldKind.TEXTS: _as_texts,
    FieldKind.CATEGORIES: _as_categories,
    FieldKind.OPTIONS: _as_options,
    FieldKind.GTIN: _as_gtin,
}


def _limits(field: StoreField, flow: Flow) -> Iterator[Fault]:
    value = flow.value
    untyped = field.kind not in (FieldKind.YES_NO, FieldKind.DATE)
    seen = flow.text if untyped else value.cast(pl.String)
    if field.required:
        yield Fault("missing", "is required and has no value", value.is_null(), pl.lit(""))
    if field.max_length is not None:
        yield Fault(
            "too_long",
            f"is longer than {field.max_length} characters",
            value.cast(pl.String).str.len_chars() > field.max_length,
            seen,
        )
    if field.pattern is not None:
        yield Fault(
            "wrong_pattern",
            f"does not fit the pattern {field.pattern}",
            ~value.cast(pl.String).str.contains(f"^(?:{field.pattern})$"),
            seen,
        )
    lowest = field.minimum
    if lowest is None and field.kind is FieldKind.MONEY:
        lowest = Decimal(0)
    if field.numeric and lowest is not None:
        yield Fault("too_small", f"is below {lowest}", value < _number(lowest), seen)
    if field.numeric and field.maximum is not None:
        yield Fault("too_large", f"is above {field.maximum}", value > _number(field.maximum), seen)


def _number(value: Decimal) -> pl.Expr:
    return pl.lit(value, dtype=NUMBER)
