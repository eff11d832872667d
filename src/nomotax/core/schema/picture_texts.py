"""Alternative texts beside the pictures that they describe."""

from __future__ import annotations

import polars as pl

from nomotax.core.flow.entries import as_list
from nomotax.core.flow.flow import LIST_SIGN, Fault, Flow

_FITTED = pl.Struct({"texts": pl.String, "doubt": pl.Boolean})


def fit_pictures(flow: Flow, pictures: pl.Expr, arrived: Flow) -> Flow:
    """Texts as they belong to ``pictures``; ``arrived`` are those before they were checked.

    Where a picture is blank, what stands in its place among the texts goes with it. Whether texts
    that are as few as the pictures left have left a place open for the blank one, nothing says:
    such a row is at fault. So are more texts than pictures, since nobody can say which is whose.
    """
    places = as_list(arrived, LIST_SIGN.strip(), blanks=True)
    both = pl.struct(flow.value.alias("texts"), places.alias("places"))
    fitted = flow.keep(both.map_batches(_fit, return_dtype=_FITTED, is_elementwise=True))
    doubt = Fault(
        "texts_in_doubt",
        "may stand one place off: a picture among theirs is blank; give a text or none for it",
        fitted.struct.field("doubt"),
        flow.value,
    )
    flow = flow.to(flow.keep(fitted.struct.field("texts")), doubt)
    texts = flow.value.str.count_matches(LIST_SIGN, literal=True) + 1
    shown = (pictures.str.count_matches(LIST_SIGN, literal=True) + 1).fill_null(0)
    fault = Fault("more_texts", "are more texts than there are pictures", texts > shown, flow.value)
    return flow.to(flow.value, fault)


def _fit(both: pl.Series) -> pl.Series:
    texts, places = both.struct.field("texts"), both.struct.field("places")
    blank = pl.element().fill_null("") == ""
    gaps = places.list.eval(blank).list.any().fill_null(False) & texts.is_not_null()
    fitted = [
        _in_place(text, shown) if gap else (text, False)
        for text, shown, gap in zip(texts, places.to_list(), gaps, strict=True)
    ]
    rows = [{"texts": text, "doubt": doubt} for text, doubt in fitted]
    return pl.Series(both.name, rows, dtype=_FITTED)


def _in_place(text: str, shown: list[str | None]) -> tuple[str | None, bool]:
    """The texts of the pictures that are there, and whether that is in doubt."""
    entries = text.split(LIST_SIGN)
    there = sum(bool(picture) for picture in shown)
    lost = any(one and not picture for one, picture in zip(entries, shown, strict=False))
    if lost and len(entries) <= there:
        return text, True
    kept = [one for one, picture in zip(entries, shown, strict=False) if picture]
    return LIST_SIGN.join([*kept, *entries[len(shown) :]]).rstrip(" |") or None, False
