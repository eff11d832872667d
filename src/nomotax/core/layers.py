"""Intermediate columns of a plan."""

from __future__ import annotations

import polars as pl


class Layers:
    """Intermediate columns of a plan, in layers: each reads only the layers before it.

    Nested expressions would be worked out again wherever they are used; a column is not.
    """

    def __init__(self) -> None:
        self.steps: list[list[pl.Expr]] = []
        self._layer_of: dict[str, int] = {}

    def keep(self, expr: pl.Expr) -> pl.Expr:
        """Give ``expr`` a column of its own, unless it is one or a written constant already."""
        if expr.meta.is_column() or expr.meta.is_literal():
            return expr
        roots = expr.meta.root_names()
        layer = 1 + max((self._layer_of.get(name, -1) for name in roots), default=-1)
        name = f"__step{len(self._layer_of)}"
        self._layer_of[name] = layer
        while len(self.steps) <= layer:
            self.steps.append([])
        self.steps[layer].append(expr.alias(name))
        return pl.col(name)

    def apply(self, frame: pl.LazyFrame) -> pl.LazyFrame:
        for step in self.steps:
            frame = frame.with_columns(step)
        return frame
