"""What is odd in a column: what a person should look at before trusting it."""

from __future__ import annotations

import polars as pl

from nomotax.core.reading.damage import EXPONENT
from nomotax.core.reading.shapes import Shape, currencies, slash_halves

_PLACEHOLDERS = (
    r"(?i)^(n/?a|#n/a|null|none|nil|nan|tbd|tba|tbc|-+|\?+|\.+|x+|unknown|k\.?a\.?|call( us)?|"
    r"on request|auf anfrage|sur demande|#ref!|#value!|#div/0!|#name\?)$"
)
_MOJIBAKE = r"Ã[\u0080-\u00bf]|Â[\u0080-\u00bf]|â€|Ð[\u0080-\u00bf]|Ñ[\u0080-\u00bf]"
_NUMERIC = ("whole number", "decimal with comma", "decimal with point", "money", "percentage")


_COMMA = r"^[^\d]{0,4}-?\d+(\.\d{3})*,\d{1,2}\D{0,4}$"
_POINT = r"^[^\d]{0,4}-?\d+(,\d{3})*\.\d{1,2}\D{0,4}$"
_SIGNS = {
    "with blanks at an end": pl.col("c") != pl.col("t"),
    "with characters lost to a wrong encoding": pl.col("t").str.contains("�", literal=True),
    "that look decoded with a wrong encoding (as in Ã©)": pl.col("t").str.contains(_MOJIBAKE),
    "barcodes damaged by a spreadsheet (as in 9.52E+12)": pl.col("t").str.contains(EXPONENT),
    "with invisible characters": pl.col("t").str.contains(r"[\u200b\u200e\u200f\u00ad\ufeff]"),
    "with non-breaking spaces": pl.col("t").str.contains("\u00a0", literal=True),
}


#: How a column says that its dates are written in both orders.
MONTH_FIRST = "with the month first"


def oddities(cells: pl.Series, shape: Shape, distinct: int, filled: int) -> list[str]:
    """What is odd in the looked-at ``cells``, in plain words; ``distinct`` of ``filled`` cells
    of the whole column are different."""
    frame = pl.DataFrame({"c": cells}).with_columns(pl.col("c").str.strip_chars().alias("t"))
    text = frame["t"]
    hits = frame.select(
        *(mask.sum().alias(what) for what, mask in _SIGNS.items()),
        pl.col("t").str.contains(_PLACEHOLDERS).sum().alias("stand-ins"),
        pl.col("t").str.contains(_COMMA).sum().alias("comma"),
        pl.col("t").str.contains(_POINT).sum().alias("point"),
    ).row(0, named=True)
    found = [f"{hits[what]:,} {what}" for what in _SIGNS if hits[what]]
    if hits["stand-ins"]:
        found.append(_placeholders(text, shape))
    if hits["comma"] and hits["point"] and hits["comma"] + hits["point"] > text.len() // 2:
        found.append(
            f"{hits['comma']:,} with a decimal comma, {hits['point']:,} with a decimal point"
        )
    found += [*_mixed(text, shape), _doubled(shape, distinct, filled), _others(text, shape)]
    return [f for f in found if f]


def _placeholders(text: pl.Series, shape: Shape) -> str:
    if shape.name in ("text", "yes/no", "list", "category path") and shape.share == 1.0:
        frequent = text.filter(text.str.contains(_PLACEHOLDERS))
        if frequent.len() * 3 > text.len():
            return ""
    hits = text.filter(text.str.contains(_PLACEHOLDERS))
    if not hits.len() or shape.name == "yes/no":
        return ""
    word = hits.value_counts(sort=True).row(0)[0]
    return f"{hits.len():,} hold a stand-in for nothing, as {word!r}"


def _mixed(text: pl.Series, shape: Shape) -> list[str]:
    """Two writings in one column, where taking one for the other would change the value."""
    found = []
    days, months = slash_halves(text) if shape.name.startswith("date (") else (0, 0)
    if days and months:
        found.append(f"{days:,} dates with the day first, {months:,} {MONTH_FIRST}")
    if shape.name == "money" and len(currencies(text)) > 1:
        found.append("several currencies: " + ", ".join(currencies(text)[:4]))
    if len(shape.units) > 1 and shape.name == "measure with unit":
        found.append("several units: " + ", ".join(shape.units))
    return found


def _doubled(shape: Shape, distinct: int, filled: int) -> str:
    """A column that is nearly a key, and is not."""
    if filled < 20 or distinct == filled or distinct < filled * 0.95:
        return ""
    if shape.name in _NUMERIC or shape.name.startswith("date"):
        return ""
    return f"{filled - distinct:,} repeat an earlier value, though nearly all are different"


def _others(text: pl.Series, shape: Shape) -> str:
    if shape.share >= 1.0 or shape.name in ("category path", "list"):
        return ""
    others = round((1 - shape.share) * text.len())
    if not others:
        return ""
    if shape.name == "GTIN":
        return f"{others:,} with a wrong check digit"
    return f"{others:,} not like {shape.name}"
