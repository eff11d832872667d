"""The crosswalk: the saved, versioned agreement from one feed to the store schema."""

from __future__ import annotations

from dataclasses import fields
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from nomotax.core.crosswalk.assumptions import Assumption
from nomotax.core.crosswalk.identity import Identity
from nomotax.core.crosswalk.policy import Policy
from nomotax.core.crosswalk.steps.currency import Amount, Exchange
from nomotax.core.crosswalk.steps.formulas import Formula, OnlyIf
from nomotax.core.crosswalk.steps.html import CleanHtml, DecodeEntities, HtmlToText
from nomotax.core.crosswalk.steps.identifiers import CheckDigit, Gtin, LeadingZeros
from nomotax.core.crosswalk.steps.lists import (
    DropEntries,
    Join,
    Options,
    OrderEntries,
    Split,
    TakeEntries,
    UniqueEntries,
)
from nomotax.core.crosswalk.steps.lookups import (
    UseCategoryTable,
    UseChain,
    UseLadder,
    UseValueTable,
)
from nomotax.core.crosswalk.steps.measures import Measure
from nomotax.core.crosswalk.steps.numbers import Clamp, NumberIn, PerUnit, Round, Scale
from nomotax.core.crosswalk.steps.patterns import ReplacePattern, TakePattern
from nomotax.core.crosswalk.steps.pictures import PictureFiles
from nomotax.core.crosswalk.steps.text import (
    Affix,
    Case,
    Cut,
    Default,
    OneLine,
    Pad,
    Pick,
    Replace,
    Slug,
    Trim,
)
from nomotax.core.crosswalk.steps.values import Convert, Date, Number, YesNo
from nomotax.core.flow.context import Context, Lookups
from nomotax.core.flow.flow import Flow
from nomotax.core.kinds import Writes
from nomotax.core.lookups.tables import CategoryTable, ValueTable
from nomotax.core.pricing.ladder import Ladder
from nomotax.core.pricing.rates import Rate
from nomotax.core.reading.model import Reading
from nomotax.core.schema.model import StoreSchema

Step = Annotated[
    Trim
    | Case
    | Replace
    | Pick
    | Pad
    | Affix
    | Cut
    | OneLine
    | Slug
    | ReplacePattern
    | TakePattern
    | HtmlToText
    | CleanHtml
    | DecodeEntities
    | Default
    | OnlyIf
    | Formula
    | Number
    | NumberIn
    | Round
    | Scale
    | Clamp
    | PerUnit
    | Convert
    | Date
    | YesNo
    | Split
    | Join
    | TakeEntries
    | DropEntries
    | UniqueEntries
    | OrderEntries
    | Options
    | PictureFiles
    | LeadingZeros
    | CheckDigit
    | Gtin
    | Measure
    | Amount
    | Exchange
    | UseValueTable
    | UseCategoryTable
    | UseLadder
    | UseChain,
    Field(discriminator="do"),
]


class Chain(BaseModel):
    """Steps saved under a name, for several fields and feeds. A chain holds no chain."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: str
    steps: tuple[Step, ...] = ()

    @model_validator(mode="after")
    def _flat(self) -> Chain:
        if any(s.do == "chain" for s in self.steps):
            raise ValueError("a saved chain cannot hold another")
        return self

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        """The flow after all the steps that are on."""
        for step in self.steps:
            flow = flow if step.off else step.apply(flow, ctx).settled()
        return flow


Fact = Literal["row", "feed", "supplier", "supplier_code", "received"]


class Part(BaseModel):
    """A piece of a fill's source: an arriving column, own text, another store field as it is
    filled, or a fact about the row or the feed. Exactly one is set.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    column: str | None = None
    text: str | None = None
    field: str | None = None
    fact: Fact | None = None

    @model_validator(mode="after")
    def _just_one(self) -> Part:
        given = [x for x in (self.column, self.text, self.field, self.fact) if x is not None]
        if len(given) != 1:
            raise ValueError("a part is one of: a column, a text, a field, a fact")
        return self


DateOrder = Literal["dmy", "mdy", "ymd"]


class Since(BaseModel):
    """The arriving column with the day from which a value holds, and in which order it writes day,
    month and year. Years of two digits are of this century; a value without a day holds at once."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    column: str
    order: DateOrder = "dmy"

    @property
    def step(self) -> Date:
        """What reads it."""
        return Date(order=self.order, pivot=99)


class Fill(BaseModel):
    """How one store field gets its value.

    ``parts`` are written one after the other; own text between two columns is written only where
    both have a value. ``when_empty`` says whether an empty result leaves the store's value or
    clears it; ``on_problem`` whether a faulty value rejects the row or only skips this field;
    ``writes`` when the field of a product is written: always, only of a new product, only where
    the store's is empty, or never (others may still be filled from it).
    ``since`` says from which day on it holds: until then a product keeps what it has.
    ``assumptions`` are what the steps take for granted; rows wait while one is open.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    parts: tuple[Part, ...] = ()
    steps: tuple[Step, ...] = ()
    when_empty: Literal["leave", "clear"] = "leave"
    on_problem: Literal["reject", "skip"] = "reject"
    writes: Writes = "always"
    since: Since | None = None
    assumptions: tuple[Assumption, ...] = ()

    @property
    def columns(self) -> list[str]:
        """Arriving columns in use, those that steps look at among them; each once."""
        own = [p.column for p in self.parts if p.column is not None]
        own += [c for s in self.steps if not s.off for c in s.columns()]
        return list(dict.fromkeys(own + ([self.since.column] if self.since else [])))

    @property
    def fields(self) -> list[str]:
        """Other store fields in use; each once."""
        own = [p.field for p in self.parts if p.field is not None]
        return list(dict.fromkeys(own + [f for s in self.steps if not s.off for f in s.fields()]))

    @property
    def says_something(self) -> bool:
        """False while nobody has said where the value comes from."""
        return bool(self.parts) or any(s.begins() and not s.off for s in self.steps)


class Crosswalk(BaseModel):
    """Fills by store field; ``parked`` keeps arriving columns in spare fields, ``left_out``
    names those deliberately not used; ``identity`` says how rows find their products, ``policy``
    what its runs may do."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    fills: dict[str, Fill] = Field(default_factory=dict)
    parked: dict[str, str] = Field(default_factory=dict)
    left_out: tuple[str, ...] = ()
    identity: Identity = Identity()
    policy: Policy = Policy()

    @model_validator(mode="before")
    @classmethod
    def _of_before(cls, document: Any) -> Any:
        """Documents written before 0.11 say in another way that the feed makes no products."""
        if isinstance(document, dict) and "only_completes" in document:
            rest = {k: v for k, v in document.items() if k != "only_completes"}
            return rest | {"policy": {"products": "change"}} if document["only_completes"] else rest
        return document

    def used_columns(self) -> dict[str, list[str]]:
        """Arriving columns in use, each with the store fields it feeds."""
        used: dict[str, list[str]] = {}
        for name, fill in self.all_fills().items():
            for column in fill.columns:
                used.setdefault(column, []).append(name)
        return used

    def all_fills(self) -> dict[str, Fill]:
        """The fills, parked columns among them as what they are: a column kept as it is."""
        parked = {f: Fill(parts=(Part(column=c),)) for c, f in self.parked.items()}
        return {**parked, **self.fills}

    def within(self, schema: StoreSchema) -> Crosswalk:
        """Without fills of fields that the store has retired; they rest until it brings them
        back."""
        fills = {n: f for n, f in self.fills.items() if n in schema}
        parked = {c: f for c, f in self.parked.items() if f in schema}
        return self.model_copy(update={"fills": fills, "parked": parked})

    def with_resting(self, before: Crosswalk, schema: StoreSchema) -> Crosswalk:
        """With the fills that ``before`` has for retired fields."""
        fills = {n: f for n, f in before.fills.items() if n not in schema}
        parked = {c: f for c, f in before.parked.items() if f not in schema}
        return self.model_copy(update={"fills": fills | self.fills, "parked": parked | self.parked})

    def undecided(self, columns: list[str]) -> list[str]:
        """Arriving columns nobody has decided about."""
        used = {*self.used_columns(), *self.left_out, self.identity.article}
        return [c for c in columns if c not in used]


class Bundle(BaseModel):
    """A crosswalk with everything it needs to run elsewhere: its reading and look-ups.

    This is the file format (see docs/crosswalk.schema.json).
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    format: Literal["nomotax-crosswalk/1"] = "nomotax-crosswalk/1"
    name: str = ""
    reading: Reading | None = None
    crosswalk: Crosswalk
    value_tables: tuple[ValueTable, ...] = ()
    category_tables: tuple[CategoryTable, ...] = ()
    ladders: tuple[Ladder, ...] = ()
    rates: tuple[Rate, ...] = ()
    facts: dict[str, str] = Field(default_factory=dict)
    chains: tuple[Chain, ...] = ()

    def lookups(self) -> Lookups:
        held = {f.name: getattr(self, f.name) for f in fields(Lookups)}
        return Lookups(**{name: {one.name: one for one in all_} for name, all_ in held.items()})
