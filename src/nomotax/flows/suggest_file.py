"""Suggestions for one file and a store's schema: no server, no database."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

import polars as pl

from nomotax.core.crosswalk.evidence import Evidence
from nomotax.core.crosswalk.model import Bundle, Crosswalk
from nomotax.core.crosswalk.steps.lookups import UseCategoryTable, UseValueTable
from nomotax.core.kinds import FieldKind
from nomotax.core.lookups.tables import CategoryTable, ValueTable
from nomotax.core.lookups.tree import written
from nomotax.core.reading.model import Reading
from nomotax.core.reading.profile import profile_table
from nomotax.core.schema.model import Role, StoreField, StoreSchema
from nomotax.core.suggest.facts import Facts, column_facts
from nomotax.core.suggest.fills import Suggestion, ranking, suggest
from nomotax.core.suggest.meaning import Meaning
from nomotax.core.suggest.names import languages_of_schema
from nomotax.core.suggest.paths import Places
from nomotax.core.suggest.sayings import Arriving
from nomotax.core.suggest.weighing import MOST, Proposal
from nomotax.core.suggest.words import rank, yes_or_no
from nomotax.flows.map_file import inspect_file, read_bytes

#: Titles of the products beneath a path that are looked at.
_TITLES = 8


@dataclass(frozen=True)
class Suggested:
    """``columns`` are proposed for fields, ``words`` for the words of the columns that were chosen,
    ``paths`` for the paths of the category column; best first, the first of each ``columns`` entry
    chosen so that no column feeds two fields."""

    columns: Mapping[str, list[Suggestion]]
    words: Mapping[str, Mapping[str, list[Proposal]]]
    paths: Mapping[str, list[Proposal]]
    reading: Reading
    name: str
    separator: str = ""


def read_tree(path: Path) -> list[str]:
    """A store's categories: one whole path a line, parts `` > `` apart."""
    lines = read_bytes(path).decode("utf-8-sig").splitlines()
    return list(dict.fromkeys(written(line) for line in lines if line.strip()))


def suggest_file(
    path: Path,
    schema: StoreSchema,
    categories: list[str],
    meaning: Meaning | None = None,
    password: str = "",
) -> Suggested:
    """What the columns, words and paths of a file are likely to be in a store.

    Raises ``UnreadableFile``.
    """
    found, table = inspect_file(path, password)
    profiles = profile_table(table)
    frame = table.frame
    facts = column_facts(profiles, frame)
    evidence = Evidence(
        supplier=path.stem,
        among=profiles,
        decimal=found.reading.decimal,
        categories=frozenset(categories),
        says_yes=yes_or_no,
    )
    ranked = ranking(schema, facts, evidence)
    chosen = {s.field: s for s in suggest(schema, ranked, Crosswalk())}
    columns = {name: _columns_of(name, chosen, ranked) for name in schema.names}
    words = {
        name: _words_of(schema[name], frame[one.column], facts, schema)
        for name, one in chosen.items()
        if schema[name].kind in (FieldKind.CHOICE, FieldKind.YES_NO)
    }
    asked = next((f.name for f in schema.of_kind(FieldKind.CATEGORY) if f.name in chosen), None)
    if asked is None or not categories:
        return Suggested(columns, words, {}, found.reading, path.stem)
    separator = facts[chosen[asked].column].profile.separator
    places = Places(categories, languages=languages_of_schema(schema), meaning=meaning)
    title = next((s.column for s in ranked if schema[s.field].role is Role.TITLE), None)
    paths = _paths_of(frame, chosen[asked].column, title, separator, places, facts)
    return Suggested(columns, words, paths, found.reading, path.stem, separator)


def _columns_of(
    name: str, chosen: Mapping[str, Suggestion], ranked: list[Suggestion]
) -> list[Suggestion]:
    """The one chosen, then the others; none where no column was left to choose."""
    if name not in chosen:
        return []
    others = [s for s in ranked if s.field == name and s.column != chosen[name].column]
    return [chosen[name], *others][:MOST]


def _distinct(cells: pl.Series) -> list[str]:
    words = cells.drop_nulls().str.strip_chars().unique(maintain_order=True)
    return [w for w in words.to_list() if w]


def _words_of(
    field: StoreField, cells: pl.Series, facts: Facts, schema: StoreSchema
) -> dict[str, list[Proposal]]:
    if field.kind is FieldKind.YES_NO:
        return {w: _yes_no(w, facts) for w in _distinct(cells)}
    store = languages_of_schema(schema)
    return {w: rank(w, field.allowed, facts.languages, store) for w in _distinct(cells)}


def _yes_no(word: str, facts: Facts) -> list[Proposal]:
    says = yes_or_no(word, facts.languages)
    if says is None:
        return []
    place = "true" if says else "false"
    return [Proposal(place=place, score=99, sure=True, reason=f"'{word}' says {_SAID[says]}")]


_SAID = {True: "yes", False: "no"}


def _paths_of(
    frame: pl.DataFrame,
    column: str,
    title: str | None,
    separator: str,
    places: Places,
    facts: Facts,
) -> dict[str, list[Proposal]]:
    """Every distinct path of a column with its likely places."""
    arriving = {
        path: Arriving(
            tuple(p for p in map(str.strip, path.split(separator) if separator else [path]) if p),
            _titles(frame, column, path, title),
        )
        for path in _distinct(frame[column])
    }
    usable = {path: one for path, one in arriving.items() if one.parts}
    ranked = places.rank(list(usable.values()), facts.languages)
    return dict(zip(usable, ranked, strict=True))


def _titles(frame: pl.DataFrame, column: str, path: str, title: str | None) -> tuple[str, ...]:
    if title is None:
        return ()
    beneath = frame.filter(pl.col(column).str.strip_chars() == path)[title].drop_nulls()
    return tuple(beneath.head(_TITLES).to_list())


def accepted(found: Suggested, schema: StoreSchema) -> Bundle:
    """A crosswalk of all that is sure: columns, and the words and paths of their tables."""
    sure = [one[0] for one in found.columns.values() if one and one[0].sure]
    crosswalk = Crosswalk(fills={s.field: s.fill for s in sure})
    values, trees = [], []
    for one in sure:
        for step in one.fill.steps:
            if isinstance(step, UseValueTable):
                words = found.words.get(one.field, {})
                values.append(ValueTable(name=step.table, entries=_sure(words)))
            elif isinstance(step, UseCategoryTable):
                separator = found.separator
                placed = _sure(found.paths)
                trees.append(CategoryTable(name=step.table, separator=separator, placements=placed))
    return Bundle(
        name=found.name,
        reading=found.reading,
        crosswalk=crosswalk,
        value_tables=tuple(values),
        category_tables=tuple(trees),
    )


def _sure(proposed: Mapping[str, list[Proposal]]) -> dict[str, str]:
    return {asked: own[0].place for asked, own in proposed.items() if own and own[0].sure}
