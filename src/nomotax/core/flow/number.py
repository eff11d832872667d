"""A value as a number."""

from __future__ import annotations

import polars as pl

from nomotax.core.flow.context import Context
from nomotax.core.flow.flow import Fault, Flow, Severity
from nomotax.core.numbers import DecimalMark, read_number


def read_as(flow: Flow, mark: DecimalMark) -> Flow:
    """A flow that is certainly numeric, its text read with one decimal mark."""
    if flow.numeric:
        return flow
    text = flow.text
    made, wrong = read_number(text, mark, flow.keep)
    said = "comma" if mark == "," else "point"
    fault = Fault("not_a_number", f"is no number with a decimal {said}", wrong, text)
    return flow.to(made, fault, numeric=True)


def as_number(flow: Flow, ctx: Context) -> Flow:
    """A flow that is certainly numeric: text as it arrived in the file's style, other text with a
    point. Where a step has changed the signs of text in a file with commas, a number that can be
    read both ways waits."""
    if flow.numeric or flow.style == "plain" or flow.decimal(ctx) == ".":
        return read_as(flow, ".")
    if flow.style == "arriving":
        return read_as(flow, flow.decimal(ctx))
    text = flow.keep(flow.text)
    comma, point = (read_number(text, mark, flow.keep) for mark in (",", "."))
    both = Fault(
        "two_numbers",
        "can be read with a decimal comma or point; say which in a step 'number'",
        comma.value != point.value,
        text,
        Severity.QUESTION,
    )
    neither = Fault("not_a_number", "is no number", comma.wrong & point.wrong, text)
    return flow.to(pl.coalesce(point.value, comma.value), both, neither, numeric=True)
