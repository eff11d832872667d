"""Functions on text. Positions count characters from 1."""

from __future__ import annotations

import re
from collections.abc import Callable

import polars as pl

from nomotax.core.errors import CrosswalkError
from nomotax.core.formula.functions.numbers import half_away
from nomotax.core.formula.registry import Outcome, function
from nomotax.core.formula.terms import Sheet, Term, Trouble, shortened
from nomotax.core.numbers import NUMBER, SCALE, DecimalMark, read_number

_MOST_REPEATS = 1_000
#: Places behind the point of a number that is written, and digits of a form before it.
_MOST_PLACES, _MOST_DIGITS = SCALE, 40


def _counted(count: pl.Expr | None) -> pl.Expr:
    return pl.lit(1) if count is None else pl.max_horizontal(count, pl.lit(0))


def _before(start: pl.Expr) -> Trouble:
    return Trouble("is a place before the text; places count from 1", start < 1, _seen(start))


def _fewer_than_none(count: pl.Expr) -> Trouble:
    return Trouble("is no count of characters", count < 0, _seen(count))


def _seen(number: pl.Expr) -> pl.Expr:
    return number.cast(pl.String)


def _as_number(count: pl.Expr) -> pl.Expr:
    return count.cast(pl.Int64).cast(NUMBER)


@function(
    "text",
    "LEFT(text; count)",
    "The first characters of a text; one when no count is given.",
    'LEFT("cobalt"; 3)',
    "cob",
    takes="tw?",
    gives="t",
)
def left(sheet: Sheet, text: pl.Expr, count: pl.Expr | None = None) -> Outcome:
    return text.str.head(_counted(count))


@function(
    "text",
    "RIGHT(text; count)",
    "The last characters of a text; one when no count is given.",
    'RIGHT("cobalt"; 2)',
    "lt",
    takes="tw?",
    gives="t",
)
def right(sheet: Sheet, text: pl.Expr, count: pl.Expr | None = None) -> Outcome:
    return text.str.tail(_counted(count))


@function(
    "text",
    "MID(text; start; count)",
    "So many characters from a position on.",
    'MID("AB-1200-X"; 4; 4)',
    "1200",
    takes="tww",
    gives="t",
)
def mid(sheet: Sheet, text: pl.Expr, start: pl.Expr, count: pl.Expr) -> Outcome:
    made = text.str.slice(pl.max_horizontal(start, pl.lit(1)) - 1, _counted(count))
    return Term("text", made, (_before(start), _fewer_than_none(count)))


@function(
    "text",
    "LEN(text)",
    "How many characters a text has; 0 when it is empty.",
    'LEN("lake")',
    "4",
    takes="t",
    gives="n",
)
def length(sheet: Sheet, text: pl.Expr) -> Outcome:
    return _as_number(text.fill_null("").str.len_chars())


@function("text", "UPPER(text)", "All letters large.", 'UPPER("raw")', "RAW", takes="t", gives="t")
def upper(sheet: Sheet, text: pl.Expr) -> Outcome:
    return text.str.to_uppercase()


@function("text", "LOWER(text)", "All letters small.", 'LOWER("RAW")', "raw", takes="t", gives="t")
def lower(sheet: Sheet, text: pl.Expr) -> Outcome:
    return text.str.to_lowercase()


@function(
    "text",
    "PROPER(text)",
    "Each word with a large first letter.",
    'PROPER("raw UMBER")',
    "Raw Umber",
    takes="t",
    gives="t",
)
def proper(sheet: Sheet, text: pl.Expr) -> Outcome:
    return text.str.to_titlecase()


@function(
    "text",
    "TRIM(text)",
    "Without blanks at the ends, and with one blank for several inside. Only blanks count: line "
    "breaks and hard spaces stay.",
    'TRIM("  raw   umber ")',
    "raw umber",
    takes="t",
    gives="t",
)
def trim(sheet: Sheet, text: pl.Expr) -> Outcome:
    return text.str.replace_all(r" +", " ").str.strip_chars(" ")


@function(
    "text",
    "CLEAN(text)",
    "Without characters that cannot be printed, line breaks among them.",
    'CLEAN("a" & UNICHAR(10) & "b")',
    "ab",
    takes="t",
    gives="t",
)
def clean(sheet: Sheet, text: pl.Expr) -> Outcome:
    return text.str.replace_all(r"\p{Cc}", "")


def _joined(texts: list[pl.Expr]) -> pl.Expr:
    """One text after the other; empty only where all are."""
    written = pl.concat_str([t.fill_null("") for t in texts])
    return pl.when(pl.any_horizontal(t.is_not_null() for t in texts)).then(written)


@function(
    "text",
    "CONCATENATE(text; ...)",
    "One text after the other. `a & b` does the same.",
    'CONCATENATE("No. "; 7)',
    "No. 7",
    takes="t*",
    gives="t",
)
def concatenate(sheet: Sheet, *texts: pl.Expr) -> Outcome:
    return _joined(list(texts))


@function(
    "text",
    "TEXTJOIN(between; skip empty; text; ...)",
    "Texts with another between them.",
    'TEXTJOIN(", "; TRUE; "oil"; ""; "40 ml")',
    "oil, 40 ml",
    takes="cat*",
    gives="t",
    standard=False,
)
def text_join(sheet: Sheet, between: str, skip: Term, *texts: pl.Expr) -> Outcome:
    if not isinstance(skip.constant, bool):
        raise CrosswalkError("Whether empty texts are skipped must be written as TRUE or FALSE.")
    if skip.constant is False:
        return pl.concat_str([t.fill_null("") for t in texts], separator=between)
    filled = [pl.when(t != "").then(t) for t in texts]
    joined = pl.concat_str(filled, separator=between, ignore_nulls=True)
    return pl.when(joined != "").then(joined)


@function(
    "text",
    "SUBSTITUTE(text; old; new; which)",
    "Another text in place of an old one: everywhere, or only the first, second ... time.",
    'SUBSTITUTE("a-b-c"; "-"; "/"; 2)',
    "a-b/c",
    takes="tttw?",
    gives="t",
)
def substitute(
    sheet: Sheet, text: pl.Expr, old: pl.Expr, new: pl.Expr, which: pl.Expr | None = None
) -> Outcome:
    new = new.fill_null("")
    found = text.str.count_matches(old, literal=True)
    whole = shortened(sheet, Term("text", text), text.str.len_chars() + found * new.str.len_chars())
    text = sheet.keep(whole.value)
    parts = sheet.keep(text.str.split(old))
    if which is None:
        made = parts.list.join(new)
    else:
        before = parts.list.head(pl.max_horizontal(which, pl.lit(0))).list.join(old)
        after = parts.list.slice(pl.max_horizontal(which, pl.lit(0))).list.join(old)
        there = (which >= 1) & (parts.list.len() > which)
        made = pl.when(there).then(pl.concat_str([before, new, after])).otherwise(text)
    # Nothing stands between all letters: an empty old text is not looked for.
    made = pl.when(old.fill_null("") == "").then(text).otherwise(made)
    return Term("text", made, whole.troubles)


@function(
    "text",
    "REPLACE(text; start; count; new)",
    "Another text in place of so many characters.",
    'REPLACE("AB-99"; 4; 2; "07")',
    "AB-07",
    takes="twwt",
    gives="t",
)
def replace_part(
    sheet: Sheet, text: pl.Expr, start: pl.Expr, count: pl.Expr, new: pl.Expr
) -> Outcome:
    begin = pl.max_horizontal(start, pl.lit(1)) - 1
    rest = text.str.slice(begin + _counted(count))
    return pl.concat_str([text.str.head(begin), new.fill_null(""), rest])


def _found(sheet: Sheet, wanted: pl.Expr, text: pl.Expr, start: pl.Expr | None) -> Term:
    """The position of a text within another, counted in characters."""
    begin = pl.lit(0) if start is None else pl.max_horizontal(start, pl.lit(1)) - 1
    rest = sheet.keep(text.fill_null("").str.slice(begin))
    parts = sheet.keep(rest.str.split(wanted))
    there = sheet.keep((wanted != "") & (parts.list.len() > 1))
    at = parts.list.first().str.len_chars().cast(pl.Int64) + 1 + begin
    troubles = [Trouble("does not hold the text that is looked for", ~there, text)]
    troubles += [] if start is None else [_before(start)]
    return Term("number", pl.when(there).then(_as_number(at)), tuple(troubles))


@function(
    "text",
    "FIND(wanted; text; start)",
    "Where a text stands in another, from 1. Large and small letters differ.",
    'FIND("x"; "20x30")',
    "3",
    takes="ttw?",
    gives="n",
)
def find(sheet: Sheet, wanted: pl.Expr, text: pl.Expr, start: pl.Expr | None = None) -> Outcome:
    return _found(sheet, wanted, text, start)


@function(
    "text",
    "SEARCH(wanted; text; start)",
    "Where a text stands in another, from 1. Large and small letters are the same.",
    'SEARCH("X"; "20x30")',
    "3",
    takes="ttw?",
    gives="n",
)
def search(sheet: Sheet, wanted: pl.Expr, text: pl.Expr, start: pl.Expr | None = None) -> Outcome:
    return _found(sheet, wanted.str.to_lowercase(), text.str.to_lowercase(), start)


@function(
    "text",
    "EXACT(text; text)",
    "Whether two texts are the same, letter for letter.",
    'EXACT("Red"; "red")',
    "false",
    takes="tt",
    gives="l",
)
def exact(sheet: Sheet, one: pl.Expr, other: pl.Expr) -> Outcome:
    return one.fill_null("") == other.fill_null("")


@function(
    "text",
    "REPT(text; count)",
    "A text several times over, at most 1,000 times.",
    'REPT("ab"; 3)',
    "ababab",
    takes="tw",
    gives="t",
)
def rept(sheet: Sheet, text: pl.Expr, count: pl.Expr) -> Outcome:
    times = sheet.keep(count.clip(0, _MOST_REPEATS))
    whole = shortened(sheet, Term("text", text), text.str.len_chars() * times)
    made = whole.value.repeat_by(times).list.join("")
    return Term("text", pl.when(whole.value.is_not_null()).then(made), whole.troubles)


@function(
    "text",
    "T(value)",
    "The value if it is a text, else empty.",
    "T(7)",
    "",
    takes="a",
    gives="t",
)
def only_text(sheet: Sheet, value: Term) -> Outcome:
    return value.value if value.kind == "text" else pl.lit("")


def _characters(number: pl.Expr, of: Callable[[int], str | None]) -> Term:
    """The characters of numbers; those that stand for none are named."""
    made = number.map_batches(
        lambda numbers: pl.Series([n if n is None else of(n) for n in numbers], dtype=pl.String),
        return_dtype=pl.String,
        is_elementwise=True,
    )
    nothing = Trouble("is the number of no character", made.is_null(), _seen(number))
    return Term("text", made, (nothing,))


def _unicode(number: int) -> str | None:
    there = 0 < number < 0x110000 and not 0xD800 <= number < 0xE000
    return chr(number) if there else None


def _windows(number: int) -> str | None:
    if not 0 < number < 256:
        return None
    return bytes([number]).decode("cp1252", errors="ignore") or None


def _first_number(text: pl.Expr, of: Callable[[str], int | None]) -> Term:
    made = text.map_batches(
        lambda texts: pl.Series([of(t[0]) if t else None for t in texts], dtype=pl.Int64),
        return_dtype=pl.Int64,
        is_elementwise=True,
    )
    strange = Trouble("begins with no character of Windows-1252", made.is_null(), text)
    return Term("number", _as_number(made), (strange,))


def _in_windows(letter: str) -> int | None:
    found = letter.encode("cp1252", errors="ignore")
    return found[0] if found else None


@function(
    "text",
    "UNICHAR(number)",
    "The character with this number in Unicode.",
    "UNICHAR(8364)",
    "€",
    takes="w",
    gives="t",
)
def unichar(sheet: Sheet, number: pl.Expr) -> Outcome:
    return _characters(sheet.keep(number), _unicode)


@function(
    "text",
    "CHAR(number)",
    "The character with this number, 1 to 255, in Windows-1252.",
    "CHAR(65)",
    "A",
    takes="w",
    gives="t",
)
def char(sheet: Sheet, number: pl.Expr) -> Outcome:
    return _characters(sheet.keep(number), _windows)


@function(
    "text",
    "UNICODE(text)",
    "The number of a text's first character in Unicode.",
    'UNICODE("€")',
    "8364",
    takes="t",
    gives="n",
)
def unicode_of(sheet: Sheet, text: pl.Expr) -> Outcome:
    return _first_number(sheet.keep(text), ord)


@function(
    "text",
    "CODE(text)",
    "The number of a text's first character in Windows-1252.",
    'CODE("A")',
    "65",
    takes="t",
    gives="n",
)
def code_of(sheet: Sheet, text: pl.Expr) -> Outcome:
    return _first_number(sheet.keep(text), _in_windows)


@function(
    "text",
    "VALUE(text)",
    "A text as a number, written with a decimal point or as this file writes numbers.",
    'VALUE("12.50")',
    "12.5",
    takes="n",
    gives="n",
)
def value_of(sheet: Sheet, number: pl.Expr) -> Outcome:
    return number


@function(
    "text",
    "NUMBERVALUE(text; decimal; group)",
    'A text as a number with this decimal sign, "," or ".", and this sign between thousands.',
    'NUMBERVALUE("1.234,50"; ",")',
    "1234.5",
    takes="tcc?",
    gives="n",
)
def number_value(sheet: Sheet, text: pl.Expr, decimal: str, group: str | None = None) -> Outcome:
    if decimal not in (",", "."):
        raise CrosswalkError('The decimal sign is "," or ".".')
    if group == decimal:
        raise CrosswalkError("The sign between thousands is another one than the decimal sign.")
    mark: DecimalMark = "," if decimal == "," else "."
    bare = text.str.replace_all(group, "", literal=True) if group else text
    made, wrong = read_number(sheet.keep(bare), mark, sheet.keep)
    return Term("number", made, (Trouble("is no number", wrong, text),))


@function(
    "text",
    "FIXED(number; places; no commas)",
    "A number as text with so many places (two when none are given; below 0 it is rounded to tens, "
    "hundreds ...), and commas at the thousands unless the third value is TRUE.",
    "FIXED(1234.5; 2)",
    "1,234.50",
    takes="nk?a?",
    gives="t",
)
def fixed(
    sheet: Sheet, number: pl.Expr, places: int | None = None, bare: Term | None = None
) -> Outcome:
    if bare is not None and not isinstance(bare.constant, bool):
        raise CrosswalkError("Whether commas are left out must be written as TRUE or FALSE.")
    kept = 2 if places is None else places
    if kept > _MOST_PLACES:
        raise CrosswalkError(f"A number is written with {_MOST_PLACES} places at the most.")
    number = half_away(number, kept) if kept < 0 else number
    plain = bare is not None and bare.constant is True
    return _written(number, max(kept, 0), thousands=not plain)


@function(
    "text",
    "TEXT(value; form)",
    'A number, a date or a time of day in a written form: "0.00", "0.###", "#,##0.00", "00000", '
    '"0%", "0.0 ""kg""", "DD.MM.YYYY", "HH:MM".',
    'TEXT(7; "000")',
    "007",
    takes="ac",
    gives="t",
)
def text_of(sheet: Sheet, value: Term, form: str) -> Outcome:
    if re.fullmatch(r"(?i)[dmy./\- ]*[dy][dmy./\- ]*", form):
        turned = sheet.date(value)
        return Term("text", turned.value.dt.to_string(_date_form(form)), turned.troubles)
    turned = sheet.number(value)
    if re.fullmatch(r"(?i)h{1,2}:mm(:ss)?", form):
        return Term("text", _time_of_day(turned.value, form), turned.troubles)
    before, shape, after = _shape(form)
    number = turned.value * 100 if shape[5] else turned.value
    sure, open_places = len(shape[3] or ""), len(shape[4] or "")
    digits = len(shape[2].strip("#"))
    made = _written(number, sure + open_places, bool(shape[1]), digits, sure)
    made = pl.when(made.is_not_null()).then(pl.lit(before) + made + pl.lit(shape[5] + after))
    return Term("text", made, turned.troubles)


_QUOTED = r'"[^"]*"|[ €$£¥]'


def _shape(form: str) -> tuple[str, re.Match[str], str]:
    """The written form of a number, and what stands before and behind it in quotes."""
    found = re.fullmatch(rf"((?:{_QUOTED})*)([#,0.%]+)((?:{_QUOTED})*)", form)
    shape = re.fullmatch(r"(#,##)?(0*#?)(?:\.(0*)(#*))?(%?)", found[2]) if found else None
    if not found or not shape or not (shape[2] or shape[3] or shape[4]):
        raise CrosswalkError(
            f"The form {form!r} is not known.",
            remedy='Write it like "0.00", "0.###", "#,##0.00", "00000", "0%", "0.0 ""kg""", '
            '"DD.MM.YYYY" or "HH:MM".',
        )
    if len(shape[2]) > _MOST_DIGITS or len((shape[3] or "") + (shape[4] or "")) > _MOST_PLACES:
        raise CrosswalkError(
            f"A number is written with {_MOST_DIGITS} digits and {_MOST_PLACES} places at the most."
        )
    return found[1].replace('"', ""), shape, found[3].replace('"', "")


def _time_of_day(days: pl.Expr, form: str) -> pl.Expr:
    """The part of a day that a number has behind its point, to the second."""
    part = days - days.floor()
    seconds = (part * 86_400).round(0, mode="half_away_from_zero").cast(pl.Int64) % 86_400
    hours = (seconds // 3_600).cast(pl.String)
    if form.lower().startswith("hh"):
        hours = hours.str.pad_start(2, "0")
    parts = [hours, (seconds // 60 % 60).cast(pl.String).str.pad_start(2, "0")]
    if form.lower().endswith("ss"):
        parts.append((seconds % 60).cast(pl.String).str.pad_start(2, "0"))
    return pl.concat_str(parts, separator=":")


def _date_form(form: str) -> str:
    names = {"YYYY": "%Y", "YY": "%y", "MM": "%m", "DD": "%d", "M": "%-m", "D": "%-d"}
    return re.sub(
        r"(?i)y{4}|y{2}|m{1,2}|d{1,2}", lambda found: names.get(found[0].upper(), "%d"), form
    )


def _written(
    number: pl.Expr, places: int, thousands: bool, digits: int = 1, sure: int | None = None
) -> pl.Expr:
    """A number with its places; zeros at the end only as far as the ``sure`` places go."""
    rounded = number.round(places, mode="half_away_from_zero").cast(pl.Decimal(38, places))
    text = rounded.abs().cast(pl.String)
    whole = text.str.split(".").list.first().str.pad_start(digits, "0")
    if thousands:
        # These patterns have no look-ahead, so the digits are grouped from behind.
        grouped = whole.str.reverse().str.replace_all(r"(\d{3})", "${1},")
        whole = grouped.str.reverse().str.strip_chars_start(",")
    tail = pl.lit("") if not places else pl.lit(".") + text.str.split(".").list.last()
    if sure is not None and sure < places:
        kept, further = tail.str.head(1 + sure), tail.str.slice(1 + sure)
        tail = (kept + further.str.strip_chars_end("0")).str.strip_chars_end(".")
    sign = pl.when(rounded < 0).then(pl.lit("-")).otherwise(pl.lit(""))
    return sign + whole + tail
