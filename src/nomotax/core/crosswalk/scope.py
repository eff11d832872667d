"""A scope: some fields of a crosswalk that a run of its own may be of, as stock by the hour."""

from __future__ import annotations

from collections.abc import Mapping

from pydantic import BaseModel, ConfigDict, Field, field_validator

from nomotax.core.crosswalk.model import Crosswalk, Fill
from nomotax.core.schema.model import StoreSchema


class Scope(BaseModel):
    """Fields under a name; a run of them writes no others, makes no products and misses none."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: str = Field(min_length=1, max_length=40, pattern=r"^\S(.*\S)?$")
    fields: tuple[str, ...] = Field(min_length=1, max_length=1000)

    @field_validator("fields")
    @classmethod
    def _once(cls, fields: tuple[str, ...]) -> tuple[str, ...]:
        return tuple(dict.fromkeys(fields))


def within_scope(
    crosswalk: Crosswalk, scope: Scope, schema: StoreSchema, going_over: bool = False
) -> Crosswalk:
    """The crosswalk as far as a scope asks for it. What its rows find their products by, and what
    its fields are filled from or checked by, is filled as well and never written. Where products
    may be ``going_over`` to the offer of another feed, the other fields are there and filled with
    nothing: what they go over with is not of this delivery."""
    fills = crosswalk.all_fills()
    wanted = {name: fills[name] for name in scope.fields if name in fills}
    asked = [schema.key, *crosswalk.identity.fields, *wanted]
    held = _beneath(fills, [n for name in asked for n in _hangs_on(name, fills, schema)], wanted)
    policy = crosswalk.policy.model_copy(update={"products": "change", "missing": "leave"})
    others = {n: Fill(writes=one.writes) for n, one in fills.items() if going_over}
    narrowed = {"fills": others | held | wanted, "parked": {}, "policy": policy}
    return crosswalk.model_copy(update=narrowed)


def _hangs_on(name: str, fills: Mapping[str, Fill], schema: StoreSchema) -> list[str]:
    """A field with those that it is filled from, or checked by."""
    fill = fills.get(name, Fill())
    beside = [schema[name].of, schema[name].starts, schema[name].ends] if name in schema else []
    return [name, *fill.fields, *(one for one in beside if one)]


def _beneath(
    fills: Mapping[str, Fill], asked: list[str], wanted: Mapping[str, Fill]
) -> dict[str, Fill]:
    """Fills that others hang on, however far down, without being written."""
    found: dict[str, Fill] = {}
    while asked:
        name = asked.pop()
        if name in wanted or name in found or name not in fills:
            continue
        found[name] = fills[name].model_copy(update={"writes": "never"})
        asked += found[name].fields
    return found
