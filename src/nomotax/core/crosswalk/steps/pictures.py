"""Steps on pictures that came with a delivery."""

from __future__ import annotations

from typing import Literal

import polars as pl

from nomotax.core.crosswalk.steps.base import BaseStep
from nomotax.core.flow.context import Context
from nomotax.core.flow.entries import as_list
from nomotax.core.flow.flow import LIST_SIGN, Fault, Flow


class PictureFiles(BaseStep):
    """Puts the picture for its file name, out of the pictures that came in the same archive.

    The name may be a path, or its last part, with the ending or without; web addresses stay as
    they are. Of a list, each entry.
    """

    do: Literal["picture_files"] = "picture_files"

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        named = flow.keep(as_list(flow, LIST_SIGN.strip()))  # one name is a list of one
        index = ctx.pictures
        one = pl.element()
        key = one.str.to_lowercase().str.replace_all("\\", "/", literal=True)
        key = key.str.strip_prefix("./").str.strip_prefix("/")
        known = key.replace_strict(
            list(index.addresses), list(index.addresses.values()), default=None,
            return_dtype=pl.String,
        ) if index.addresses else pl.lit(None, dtype=pl.String)  # fmt: skip
        doubled = key.is_in(sorted(index.doubled)) if index.doubled else pl.lit(False)
        web = one.str.starts_with("http://") | one.str.starts_with("https://")
        address = pl.when(web).then(one).otherwise(known)
        found = flow.keep(named.list.eval(address))
        kept = flow.keep(found.list.drop_nulls())
        lost = named.list.eval(one.filter(address.is_null()))
        unclear = named.list.eval(one.filter(address.is_null() & doubled))
        incomplete = flow.keep(kept.list.len() < named.list.len())
        faults = [
            Fault(
                "several_pictures",
                "is the name of several pictures; give more of its path",
                incomplete & (unclear.list.len() > 0),
                unclear.list.first(),
            )
        ]
        missing = "is no picture that came with this delivery"
        return flow.to(
            kept,
            *(faults if index.doubled else ()),
            Fault("no_picture", missing, incomplete, lost.list.first()),
            numeric=False,
            listed=True,
        )

    def describe(self) -> str:
        return "the picture of that name"
