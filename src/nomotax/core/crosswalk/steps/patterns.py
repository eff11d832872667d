"""Steps with patterns. The engine is linear in the text, so no pattern can run away."""

from __future__ import annotations

from typing import Literal

import polars as pl
from pydantic import Field

from nomotax.core.crosswalk.steps.base import BaseStep
from nomotax.core.errors import CrosswalkError
from nomotax.core.flow.context import Context
from nomotax.core.flow.flow import Flow


def check_pattern(pattern: str) -> None:
    """Raises ``CrosswalkError`` saying what is wrong with a pattern."""
    try:
        pl.select(pl.lit("").str.contains(pattern))
    except pl.exceptions.ComputeError as error:
        said = [line.strip() for line in str(error).splitlines() if line.strip()]
        reason = next((s for s in said if s.startswith("error:")), said[0])
        raise CrosswalkError(
            f"The pattern {pattern!r} cannot be used: {reason.removeprefix('error: ')}.",
            remedy="Put a backslash before a sign that is meant as itself. Looking ahead or "
            "behind, and repeating what was found, are not possible.",
        ) from error


class ReplacePattern(BaseStep):
    """Puts ``put`` wherever the pattern fits; ``$1`` stands for what its first group found."""

    do: Literal["replace_pattern"] = "replace_pattern"
    find: str = Field(min_length=1, max_length=1000)
    put: str = ""

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        check_pattern(self.find)
        made = flow.text.str.replace_all(self.find, self.put)
        return flow.to(made, numeric=False, style="changed")

    def describe(self) -> str:
        return f"replace pattern '{self.find}' by '{self.put}'"


class TakePattern(BaseStep):
    """Keeps what the pattern (its first group, where it has one) finds first; empty where it
    finds nothing."""

    do: Literal["take_pattern"] = "take_pattern"
    find: str = Field(min_length=1, max_length=1000)

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        check_pattern(self.find)
        has_group = pl.select(pl.lit("").str.extract_groups(self.find).struct.unnest()).width > 0
        return flow.to(flow.text.str.extract(self.find, int(has_group)), numeric=False)

    def describe(self) -> str:
        return f"take '{self.find}'"
