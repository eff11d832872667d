"""Values that a field would not take, if its demands were others."""

from __future__ import annotations

import polars as pl

from nomotax.core.flow.context import Context
from nomotax.core.flow.flow import Flow
from nomotax.core.layers import Layers
from nomotax.core.schema.checks import conform
from nomotax.core.schema.model import StoreField

_TWICE = "stands in several products"


def breaking(field: StoreField, held: pl.DataFrame) -> pl.DataFrame:
    """Of ``held`` (key and value, in the store's writing) those that the field does not take, with
    why: key, value, why. Empty values are none of them."""
    layers = Layers()
    flow = conform(field, Flow(pl.col("value"), layers=layers), Context()).settled()
    reasons = [pl.when(f.mask.fill_null(False)).then(pl.lit(f.message)) for f in flow.faults]
    if field.unique:
        reasons.append(pl.when(pl.col("value").is_duplicated()).then(pl.lit(_TWICE)))
    why = pl.coalesce([*reasons, pl.lit(None, dtype=pl.String)]).alias("why")
    frame = held.lazy().filter(pl.col("value").fill_null("") != "")
    told = layers.apply(frame).select("key", "value", why)
    return told.filter(pl.col("why").is_not_null()).collect()
