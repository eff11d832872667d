"""Which arriving column feeds which field of the store.

Every pair of field and column is weighed by small pieces of evidence (``names`` and ``values``);
then all columns are assigned jointly, so that one column is not the answer to two fields.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from math import log

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import linear_sum_assignment

from nomotax.core.kinds import FieldKind
from nomotax.core.schema.model import Role, StoreField, StoreSchema
from nomotax.core.suggest import names, values
from nomotax.core.suggest.facts import ColumnFacts, Facts
from nomotax.core.suggest.names import Asked
from nomotax.core.suggest.weighing import LEAST, Piece, reason_of, total

#: That one of a file's columns feeds one of a store's fields is unlikely before anything is known.
_BEFORE = -3.0

#: Below these odds nothing is likely enough to be proposed, whatever its rivals.
_WORTH = log(LEAST / (1 - LEAST))
#: From here down no name makes up for what the values say.
_HOPELESS = -8.0
#: Log odds beyond which more makes no difference; rounds of messages until they stand still.
_FAR, _ROUNDS = 25.0, 60
Weigh = Callable[[Asked, ColumnFacts, Facts], Piece]
#: What is weighed after the field's own name and the kind of the values.
EVIDENCE: tuple[Weigh, ...] = (*names.EVIDENCE, *values.EVIDENCE)
_KIND = 1


@dataclass(frozen=True)
class Fit:
    """A column for a field: how likely it is (0 to 1), and why."""

    field: str
    column: str
    likely: float
    reason: str


@dataclass(frozen=True)
class Board:
    """All fields against all columns: ``odds[i, j]`` in log odds of field i and column j. ``twin``
    are the key and the supplier's own number, where both are asked for: a column may feed both.
    """

    fields: tuple[StoreField, ...]
    facts: Facts
    odds: NDArray[np.float64]
    pieces: Mapping[tuple[int, int], tuple[Piece, ...]]
    twin: tuple[int, int] | None = None

    @cached_property
    def likely(self) -> NDArray[np.float64]:
        """How likely each pair is, 0 to 1. The key and its twin are no rivals: the key takes no
        column from others, and has what is left or its twin's."""
        if self.twin is None:
            return marginals(self.odds)
        key, other = self.twin
        found = np.empty_like(self.odds)
        keyless = np.delete(np.arange(len(self.fields)), key)
        found[keyless] = marginals(self.odds[keyless])
        twinless = np.delete(np.arange(len(self.fields)), other)
        found[key] = marginals(self.odds[twinless])[np.flatnonzero(twinless == key)[0]]
        return found


def weigh(schema: StoreSchema, facts: Facts) -> Board:
    """Weighs every column for every field."""
    fields = tuple(f for f in schema.fields if not f.spare)
    languages = names.languages_of_schema(schema)
    asked = [names.asked(f, schema, languages) for f in fields]
    odds = np.full((len(fields), len(facts.columns)), _BEFORE)
    pieces: dict[tuple[int, int], tuple[Piece, ...]] = {}
    for i, one in enumerate(asked):
        for j, column in enumerate(facts.columns):
            found = pieces[i, j] = _pieces(one, column, facts)
            odds[i, j] += total(found)
    _only(fields, facts, odds, pieces)
    return Board(fields, facts, odds, pieces, _twin(asked))


def _pieces(asked: Asked, column: ColumnFacts, facts: Facts) -> tuple[Piece, ...]:
    """All the evidence; where the values already forbid it and no name is the field's own, no more
    is looked at."""
    called, kind = names.own_name(asked, column, facts), values.kind(asked, column, facts)
    first = (called, kind)
    if called.weight + kind.weight < _HOPELESS:
        return first
    return (*first, *(weigh(asked, column, facts) for weigh in EVIDENCE))


def _twin(asked: Sequence[Asked]) -> tuple[int, int] | None:
    key = next((i for i, a in enumerate(asked) if a.field.role is Role.KEY), None)
    other = next((i for i, a in enumerate(asked) if _is_suppliers_number(a)), None)
    return (key, other) if key is not None and other is not None else None


def _is_suppliers_number(asked: Asked) -> bool:
    """Whether a field holds the number that the supplier gives the article."""
    if asked.field.role is not None or asked.field.kind is not FieldKind.IDENTIFIER:
        return False
    others = {"maker", "group", "category", "customs"}
    return any("supplier" in b.concepts and not others & set(b.concepts) for b in asked.says)


def _only(
    fields: tuple[StoreField, ...],
    facts: Facts,
    odds: NDArray[np.float64],
    pieces: dict[tuple[int, int], tuple[Piece, ...]],
) -> None:
    """Where headings say nothing, it counts that hardly any other column could fill a field."""
    fitting = np.array(
        [
            [pieces[i, j][_KIND].weight > -2 for j in range(len(facts.columns))]
            for i in range(len(fields))
        ]
    )
    for j, column in enumerate(facts.columns):
        if column.helpful:
            continue
        for i in np.flatnonzero(fitting[:, j]):
            others = int(fitting[i].sum()) - 1
            bonus = Piece(max(0.0, 3.0 - 0.8 * others), "no other column could be it")
            pieces[int(i), j] = (*pieces[int(i), j], bonus)
            odds[i, j] += bonus.weight  # fmt: skip


def fits(board: Board) -> dict[str, list[Fit]]:
    """For each field its likeliest columns, best first: the one that the joint assignment gives it,
    then the others by themselves."""
    if not board.odds.size:
        return {f.name: [] for f in board.fields}
    given = _assigned(board)
    return {f.name: _of_field(board, i, given.get(i)) for i, f in enumerate(board.fields)}


def _assigned(board: Board) -> dict[int, int]:
    """The assignment that is likeliest as a whole. Every field may stay empty."""
    odds = board.odds.copy()
    if board.twin is not None:
        # The key takes no column away; it has the best that is left, or its twin's.
        odds[board.twin[0]] = -np.inf
    empty = np.zeros((odds.shape[0], odds.shape[0]))
    rows, columns = linear_sum_assignment(np.hstack([odds.clip(-99), empty]), maximize=True)
    given = {int(i): int(j) for i, j in zip(rows, columns, strict=True) if j < odds.shape[1]}
    if board.twin is not None:
        key, other = board.twin
        taken = {j for i, j in given.items() if i != other}
        free = [j for j in range(odds.shape[1]) if j not in taken]
        best = max(free, key=lambda j: board.odds[key, j], default=None)
        if best is not None and board.odds[key, best] > 0:
            given[key] = best
    return given


def _of_field(board: Board, i: int, given: int | None) -> list[Fit]:
    odds = board.odds
    order = [int(j) for j in np.argsort(-odds[i], kind="stable") if odds[i, j] >= _WORTH]
    if given is not None:
        order = [given, *(j for j in order if j != given)]
    return [_fit(board, i, j) for j in order]


def _fit(board: Board, i: int, j: int) -> Fit:
    name = board.facts.columns[j].name
    likely = float(board.likely[i, j])
    return Fit(board.fields[i].name, name, likely, reason_of(board.pieces[i, j]))


def marginals(odds: NDArray[np.float64]) -> NDArray[np.float64]:
    """How likely each pair is where a field has at most one column and a column feeds at most one
    field: ``odds[i, j]`` in log odds, shares of the same shape. No row and no column of them adds
    up to more than 1.

    Belief propagation for matchings (the monomer-dimer model), damped: a rival counts as far as it
    has no better place itself.
    """
    weights = np.exp(odds.clip(-_FAR, _FAR))
    field_free, column_free = np.ones_like(weights), np.ones_like(weights)
    for _ in range(_ROUNDS):
        by_columns, by_fields = weights * column_free, weights * field_free
        rivals = by_columns.sum(axis=1, keepdims=True) - by_columns
        others = by_fields.sum(axis=0, keepdims=True) - by_fields
        field_free = np.sqrt(field_free / (1 + rivals.clip(0)))
        column_free = np.sqrt(column_free / (1 + others.clip(0)))
    held = weights * field_free * column_free
    likely = held / (1 + held)
    whole = np.maximum(likely.sum(axis=1, keepdims=True), likely.sum(axis=0, keepdims=True))
    return np.asarray(likely / np.maximum(whole, 1))
