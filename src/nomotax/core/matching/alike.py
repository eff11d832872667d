"""When two values that tell a product are the same."""

from __future__ import annotations

from collections.abc import Collection, Sequence

import polars as pl

from nomotax.core.crosswalk.identity import Ignored

#: Between the values of one way; stands in no value that was typed.
_APART = "\x1f"
#: Blanks of any script, and characters that nobody sees.
_BLANKS = r"[\s\u{00AD}\u{200B}-\u{200F}\u{2060}\u{FEFF}]"
_PUNCTUATION = r"[\p{P}\p{S}]"


def alike(value: pl.Expr, ignore: Collection[Ignored]) -> pl.Expr:
    """A text that two values have in common when they are the same; null where nothing is left.

    Blanks around a value never tell products apart. Punctuation is what Unicode holds to be
    punctuation or symbols; ``case`` compares in lower case after NFKC.
    """
    value = value.str.strip_chars()
    if "blanks" in ignore:
        value = value.str.replace_all(_BLANKS, "")
    if "punctuation" in ignore:
        value = value.str.replace_all(_PUNCTUATION, "").str.strip_chars()
    if "case" in ignore:
        # Upper case first: the sharp s, say, is then the same as two of the other.
        value = value.str.normalize("NFKC").str.to_uppercase().str.to_lowercase()
    if "leading_zeros" in ignore:
        # A zero that is all there is stays.
        value = value.str.replace(r"(?s)^0+(.)", "${1}")
    # What has been worked out is named once here: as a condition it would be worked out again.
    return value.replace("", None)


def told_by(values: Sequence[pl.Expr], ignore: Collection[Ignored]) -> pl.Expr:
    """The same of several values together; null where one of them is."""
    return pl.concat_str([alike(v, ignore) for v in values], separator=_APART)
