"""What the values of a column look like: numbers and their writing, dates and their order,
links, lists, measures, paths, languages."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

import polars as pl

from nomotax.core.gtin import has_right_check_digit

ENOUGH = 0.9
_PEEK = 400
_WHOLE = r"(0|[1-9]\d*)"
CURRENCIES = {"€": "EUR", "$": "USD", "£": "GBP", "¥": "JPY", "zł": "PLN", "₽": "RUB", "₺": "TRY"}
_SIGN = r"(€|\$|£|¥|zł|₽|₺|[A-Z]{3})"
UNIT = (
    r"(mm|cm|dm|m|km|in|inch|inches|ft|yd|mg|g|gr|kg|lb|lbs|oz|ml|cl|dl|l|ltr|fl oz|gal|pcs|pc|"
    r"stk|pieces|g/m²|g/m2|gsm|m²|cm²|°C|°F|\"|''|')"
)
_AMOUNT = r"-?[\d.,]+"

#: Shapes in the order they are tried; the first that fits enough cells wins.
SHAPES: tuple[tuple[str, str], ...] = (
    ("picture link", r"(?i)^https?://\S+\.(png|jpe?g|gif|webp|svg|tiff?)(\?\S*)?$"),
    ("link", r"(?i)^https?://\S+$"),
    ("picture file", r"(?i)^[^<>|;]+\.(png|jpe?g|gif|webp|svg|tiff?)$"),
    ("list (JSON)", r'(?s)^\[("|null|\[).*\]$'),
    ("html", r"(?s)<[a-zA-Z][^>]*>.*"),
    ("date (day.month.year)", r"^\d{1,2}\.\d{1,2}\.\d{4}$"),
    ("date (year-month-day)", r"^\d{4}-\d{2}-\d{2}$"),
    ("date and time (ISO 8601)", r"^\d{4}(-\d\d){2}[T ]\d\d:\d\d(:\d\d(\.\d+)?)?(Z|[+-][\d:]+)?$"),
    ("date (with slashes)", r"^\d{1,2}/\d{1,2}/\d{4}$"),
    ("date (year month day, no marks)", r"^(19|20)\d\d(0[1-9]|1[0-2])(0[1-9]|[12]\d|3[01])$"),
    ("yes/no", r"(?i)^(y|n|yes|no|true|false|j|ja|nein|oui|non|o|si|sí|tak|nie|да|нет|0|1)$"),
    ("whole number", r"^-?(0|[1-9]\d{0,8})$"),
    ("decimal with comma", rf"^-?\d{{1,3}}(\.\d{{3}})*,\d+$|^-?{_WHOLE}(,\d+)?$"),
    ("decimal with point", rf"^-?\d{{1,3}}(,\d{{3}})*\.\d+$|^-?{_WHOLE}(\.\d+)?$"),
    ("percentage", r"^-?[\d.,]+ ?%$"),
    ("digits with leading zeros", r"^\d+$"),
    ("measure with unit", rf"(?i)^{_AMOUNT} ?{UNIT}$"),
    ("money", rf"^{_SIGN} ?{_AMOUNT}$|^{_AMOUNT} ?{_SIGN}$"),
    ("dimensions", rf"(?i)^{_AMOUNT}( ?{UNIT})?( ?[x×] ?{_AMOUNT}( ?{UNIT})?){{1,2}}$"),
)  # fmt: skip
_PATHS = (" -> ", "->", " → ", "→", " > ", ">", " / ", "/", " | ", " » ", "»", "\\", "::", " - ")
#: Signs that stand in names as well; the others mean levels even where many paths have but one.
_EVERYDAY = ("/", " / ", " - ", "|", " | ", "\\")
_LISTS = ("|", ";", ", ", ",", "/", "\n")


@dataclass(frozen=True)
class Shape:
    """``name`` of the shape, the share of cells that have it, and what more there is to know:
    the separator of a list or path, the currency of money, the units of measures."""

    name: str
    share: float
    separator: str = ""
    currency: str = ""
    units: tuple[str, ...] = ()
    language: str = ""


#: Shares of the first cells of a column that have each of the shapes, a GTIN's length last.
Peek = tuple[float, ...]
_GTIN_LENGTH = r"^(\d{8}|\d{12,14})$"
_PATTERNS = (*(p for _, p in SHAPES), _GTIN_LENGTH)


def peeks(frame: pl.DataFrame) -> dict[str, Peek]:
    """A look at the first filled cells of every column, all shapes at once."""
    looks = [
        pl.DataFrame({"t": frame[n].drop_nulls().head(_PEEK).str.strip_chars()})
        .lazy()
        .select(_matches(p) for p in _PATTERNS)
        for n in frame.columns
    ]
    found = zip(frame.columns, pl.collect_all(looks), strict=True)
    return {n: tuple(share or 0.0 for share in look.row(0)) for n, look in found}


def _matches(pattern: str) -> pl.Expr:
    return pl.col("t").str.contains(pattern).mean().alias(pattern)


def shape_of(cells: pl.Series, peek: Peek) -> Shape:
    """The shape at least nine in ten of the filled cells have."""
    if cells.len() == 0:
        return Shape("empty", 1.0)
    text = cells.str.strip_chars()
    if peek[-1] >= ENOUGH - 0.15:
        gtin = _gtin(text)
        if gtin is not None:
            return Shape("GTIN", gtin)
    for (name, pattern), first in zip(SHAPES, peek, strict=False):
        share = _share(text, pattern) if first >= ENOUGH - 0.15 else 0.0
        if share >= ENOUGH:
            return _detailed(name, share, text)
    if (text.str.starts_with('["')).any():
        return _of_first_entries(text)
    return _separated(text) or Shape("text", 1.0, language=_language(text))


def _of_first_entries(text: pl.Series) -> Shape:
    """What lists as they arrive (JSON arrays) are lists of: the shape of their first entries."""
    opened = pl.col("t").str.starts_with('["')
    first = pl.col("t").str.extract(r'^\["((?:[^"\\]|\\.)*)"')
    entries = pl.DataFrame({"t": text}).select(
        pl.when(opened).then(first).otherwise("t").alias("t")
    )
    return shape_of(entries["t"].drop_nulls(), peeks(entries)["t"])


def _share(text: pl.Series, pattern: str) -> float:
    return float(str(text.str.contains(pattern).mean()))


def _gtin(text: pl.Series) -> float | None:
    """The share with a right check digit, where nearly all have the length of a GTIN."""
    if _share(text, _GTIN_LENGTH) < ENOUGH:
        return None
    right = pl.DataFrame({"t": text}).select(has_right_check_digit(pl.col("t")).mean()).item()
    return float(right) if right >= 0.5 else None


def _detailed(name: str, share: float, text: pl.Series) -> Shape:
    if name == "date (with slashes)":
        return Shape(_slash_order(text), share)
    if name == "money":
        return Shape(name, share, currency=_currency(text))
    if name in ("measure with unit", "dimensions"):
        return Shape(name, share, units=_units(text))
    if name == "html":
        return Shape(name, share, language=_language(text.str.replace_all(r"<[^>]*>", " ")))
    return Shape(name, share)


def slash_halves(text: pl.Series) -> tuple[int, int]:
    """Dates with slashes that can only be day first, and only month first."""
    parts = text.str.extract_groups(r"^(\d{1,2})/(\d{1,2})/\d{4}$")
    first = parts.struct.field("1").cast(pl.Int32, strict=False)
    second = parts.struct.field("2").cast(pl.Int32, strict=False)
    return int((first > 12).sum()), int((second > 12).sum())


def _slash_order(text: pl.Series) -> str:
    day_first, month_first = slash_halves(text)
    if day_first and not month_first:
        return "date (day/month/year)"
    if month_first and not day_first:
        return "date (month/day/year)"
    return "date (with slashes)"


def currencies(text: pl.Series) -> list[str]:
    """ISO codes of the currencies that stand in the cells, most frequent first."""
    signs = text.str.extract(_SIGN, 1).drop_nulls()
    codes = signs.replace(CURRENCIES).value_counts(sort=True)
    return codes.to_series(0).to_list() if codes.height else []


def _currency(text: pl.Series) -> str:
    found = currencies(text)
    return found[0] if found else ""


def _units(text: pl.Series) -> tuple[str, ...]:
    found = text.str.extract(rf"(?i)[\d.,]+ ?{UNIT}( ?[x×]|$)", 1).drop_nulls()
    counts = found.value_counts(sort=True)
    return tuple(counts.to_series(0).to_list()[:6]) if counts.height else ()


#: The same without blanks, as a person would name them.
LEVEL_SIGNS = tuple(dict.fromkeys(sign.strip() for sign in _PATHS))


def level_sign(cells: Sequence[str]) -> str:
    """The sign between the levels of cells that are known to be category paths, "" where each is
    one level. Where all hold the same everyday sign between words, it is one."""
    text = pl.Series([c.strip() for c in cells if c and c.strip()], dtype=pl.String).unique()
    if text.is_empty() or float(str(text.str.len_chars().mean())) > 300:
        return ""
    found = path_separator(text.to_list())
    if found:
        return found
    shares = {sign: _parted(text, sign) for sign in (*_PATHS, "|", "\t")}
    likely = [s for s in shares if shares[s] >= (ENOUGH if s in _EVERYDAY else 0.5)]
    likely = [s for s in likely if shares[s] >= shares[s.strip()]] or likely
    return likely[0] if likely and not _is_measure(text) else ""


def _parted(text: pl.Series, sign: str) -> float:
    """The share of cells with words on both sides of a sign."""
    return _share(text, rf"\p{{L}}[^/]*{re.escape(sign)}.*\p{{L}}")


def path_separator(cells: Sequence[str]) -> str:
    """The sign between the levels of category paths, "" where these are none."""
    text = pl.Series([c for c in cells if c], dtype=pl.String)
    shape = _separated(text) if text.len() else None
    return shape.separator if shape and shape.name == "category path" else ""


def _separated(text: pl.Series) -> Shape | None:
    """A category path, or a list: the same separator in most cells, short parts between."""
    if float(str(text.str.len_chars().mean())) > 160:
        return None
    text = text.head(2000).unique(maintain_order=True)
    if text.len() < 2:
        return None
    for separator in _PATHS:
        deep = _holding(text, separator)
        if separator not in _EVERYDAY and _holding(text, separator.strip()) > deep:
            continue  # some cells have it without the blanks
        enough = 0.6 if separator in _EVERYDAY else 0.3
        parts = text.str.split(separator) if deep >= enough else text.head(0).str.split(separator)
        if deep >= enough and _first_parts_repeat(parts, text) and not _is_measure(text):
            return Shape("category path", max(deep, ENOUGH), separator=separator)
    for separator in _LISTS:
        share = float(str(text.str.contains(separator, literal=True).mean()))
        if share < 0.5:
            continue
        parts = text.str.split(separator)
        longest = parts.list.eval(pl.element().str.len_chars()).list.max().mean()
        if float(str(longest or 99)) < 30 and _entries_repeat(parts):
            return Shape("list", share, separator=separator)
    return None


def _holding(text: pl.Series, sign: str) -> float:
    return float(str(text.str.contains(sign, literal=True).mean()))


def _is_measure(text: pl.Series) -> bool:
    return _share(text, r"^[\d.,\s/]+") >= ENOUGH


def _first_parts_repeat(parts: pl.Series, text: pl.Series) -> bool:
    """A tree has few trunks: the first part stands for many cells."""
    trunks = parts.list.first().n_unique()
    return trunks <= max(2, parts.len() // 3, text.n_unique() // 2) and trunks < 60


def _entries_repeat(parts: pl.Series) -> bool:
    entries = parts.explode().drop_nulls().str.strip_chars()
    return entries.n_unique() <= max(3, entries.len() // 8)


def _language(text: pl.Series) -> str:
    """The ISO 639-1 code of the language of running text, "" for short or mixed words."""
    words = text.filter(text.str.count_matches(r"\s") >= 3).head(120)
    if words.len() < 3 or words.len() * 4 < min(text.len(), 120):
        return ""
    import py3langid

    sample = re.sub(r"[\d_]+", " ", " ".join(words.to_list()))[:6000]
    code: str = py3langid.classify(sample)[0]
    return code
