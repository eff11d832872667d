"""How far things moved from one delivery to the next: what later ones are measured by."""

from __future__ import annotations

from collections.abc import Sequence

from pydantic import BaseModel, ConfigDict

#: A move of less than this (in logarithms) is an ordinary one of any price.
ORDINARY = 0.073


class ColumnMoves(BaseModel):
    """One column over the rows that are in both deliveries.

    ``changed`` of ``compared`` cells are others, ``emptied`` of those filled before are empty,
    ``unseen`` hold a word that was not known. Of the numbers above zero before and after,
    ``ratios``: ``middle`` is the median logarithm of their ratio, ``spread`` the 95 % quantile of
    its size, ``steps`` the 75 % quantile among those that changed, ``far`` the share that moved
    by more than is ordinary, ``farthest`` the size of the greatest. ``zeroed`` is the share of
    those above zero before that are zero now; ``days`` by which most changed dates moved.
    """

    model_config = ConfigDict(frozen=True)

    compared: int = 0
    changed: int = 0
    emptied: int = 0
    unseen: int = 0
    ratios: int = 0
    middle: float = 0.0
    spread: float = 0.0
    steps: float = 0.0
    far: float = 0.0
    farthest: float = 0.0
    zeroed: float = 0.0
    days: int = 0


class Moves(BaseModel):
    """From one delivery to the next: rows in ``both``, ``fresh`` ones, those ``gone``, and each
    column. ``same`` says that no cell but constant ones differed."""

    model_config = ConfigDict(frozen=True)

    both: int = 0
    fresh: int = 0
    gone: int = 0
    same: bool = False
    columns: dict[str, ColumnMoves] = {}


class Usual(BaseModel):
    """The widest that a column has moved in any of the known weeks; ``weeks`` of them, 0 where
    there was but one delivery before."""

    model_config = ConfigDict(frozen=True)

    weeks: int = 0
    changed: float = 0.0
    emptied: float = 0.0
    unseen: float = 0.0
    middle: float = 0.0
    spread: float = 0.0
    steps: float = 0.0
    far: float = 0.0
    farthest: float = 0.0
    zeroed: float = 0.0
    days: tuple[int, ...] = ()


def usual(column: str, moves: Sequence[Moves]) -> Usual:
    """How a column has moved in the past."""
    own = [m.columns[column] for m in moves if column in m.columns and m.columns[column].compared]
    if not own:
        return Usual()
    return Usual(
        weeks=len(own),
        changed=max(m.changed / m.compared for m in own),
        emptied=max(m.emptied / m.compared for m in own),
        unseen=max(m.unseen / m.compared for m in own),
        middle=max(abs(m.middle) for m in own),
        spread=max(m.spread for m in own),
        steps=max(m.steps for m in own),
        far=max(m.far for m in own),
        farthest=max(m.farthest for m in own),
        zeroed=max(m.zeroed for m in own),
        days=tuple({m.days for m in own if m.days}),
    )
