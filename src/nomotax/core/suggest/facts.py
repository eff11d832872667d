"""What is known of a delivery's columns where they are looked at as possible answers."""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from itertools import groupby

import numpy as np
import polars as pl
from numpy.typing import NDArray

from nomotax.core.crosswalk.evidence import KeyFacts, unit_in_name
from nomotax.core.money.currencies import codes
from nomotax.core.reading.profile import ColumnProfile
from nomotax.core.suggest.lexicon import LANGUAGES, Bag, Languages, Lexicon, lexicon
from nomotax.core.suggest.spelling import fold, tokens
from nomotax.core.units.table import find_unit

#: So many rows are looked at.
ROWS = 400
#: A number, with at most a currency before it and a unit behind.
_NUMBER = r"^([A-Z]{3}|[€$£¥])?\s?[-+]?\d[\d.,\s'’]*(\s?[^\W\d_]{1,4}[²³]?|\s?[%€$£\"″]|\s?zł)?$"
#: Characters that a number has at most.
_LONGEST = 40
#: Rows that two columns of amounts are compared in, at least; what retail is of cost, usually.
_FEW, _MARKUPS = 5, (1.15, 5.0)
#: What stands between a joined table's name and its column's.
_JOINED = ": "
#: What a unit by itself measures, where that is one thing.
_MEASURED = {"mass": "weight", "volume": "volume", "area": "area"}
_OTHER_WORDS = frozenset({"are", "ares", "cup", "cups", "pt"})
#: So many headings begin alike; what says no more than what rows are.
_SEVERAL = 3
_WHAT_ROWS_ARE = frozenset({"item", "variant", "model", "size", "color", "piece"})
_KINDS_OF_ROWS = frozenset({"item", "variant", "model", "parent", "picture"})
#: The share of rows that is nearly all, and how far off a rounded price of a piece may be.
_NEARLY_ALL, _ROUNDED = 0.95, 0.02
#: A language's tag (ISO 639-1) behind a name; "no" is left out, since it ends "Art. No".
_LANGUAGE = re.compile(r"(?<=\w)[\s:._(-]+(en|fr|de|es|it|nl|pt|da|sv|fi|pl|cs)\)?$", re.IGNORECASE)
#: What goes before the part that says what a column is: ``size.price``, ``stock: price``.
_PARTS = re.compile(r"[.@]|: ")
_UNHELPFUL = re.compile(
    r"^(col|column|spalte|colonne|columna|kolumn|kolom|kolumna|sloupec|field|feld|champ|campo|f|c|x"
    r"|unnamed|var|attr)?[\s_.:-]*\d{1,3}$|^$"
)


@dataclass(frozen=True)
class ColumnFacts:
    """One column: its profile, its first cells (trimmed, null where blank) and the numbers that
    they are, what its heading says as a whole and in its ``last_part`` (``last``), the
    ``language`` that it ends in, its place among the others. Of cells that hold several entries
    (a JSON array: ``listed``) the first are known."""

    profile: ColumnProfile
    cells: pl.Series
    figures: pl.Series
    says: Bag
    place: int
    last: Bag = field(default_factory=Bag)
    last_part: str = ""
    language: str = ""
    listed: bool = False

    @property
    def name(self) -> str:
        return self.profile.name

    @cached_property
    def called(self) -> str:
        """The heading folded, without blanks and signs."""
        return "".join(tokens(self.name))

    @cached_property
    def last_called(self) -> str:
        """Its last part, folded alike."""
        return "".join(tokens(self.last_part))

    @cached_property
    def helpful(self) -> bool:
        """Whether the heading says anything: ``F1`` and ``Column 12`` do not."""
        return _UNHELPFUL.match(fold(self.name)) is None

    @cached_property
    def words(self) -> tuple[str, ...]:
        """Its distinct cells, most frequent first."""
        return tuple(w for w, _ in self.counted)

    @cached_property
    def counted(self) -> tuple[tuple[str, int], ...]:
        cells = self.cells.drop_nulls()
        return tuple(Counter(cells.to_list()).most_common()) if cells.len() else ()

    @cached_property
    def runs(self) -> int:
        """How many times another cell follows, the blank ones left out."""
        return sum(1 for _ in groupby(self.cells.drop_nulls().to_list()))

    @cached_property
    def filled(self) -> int:
        return self.cells.len() - self.cells.null_count()

    @cached_property
    def numbers(self) -> NDArray[np.float64]:
        """Its cells as numbers where they are some, else not-a-number. For comparing columns with
        each other alone: no value is ever made of these."""
        return self.figures.fill_null(float("nan")).to_numpy()

    @cached_property
    def numeric(self) -> float:
        """The share of filled cells that are numbers."""
        return float(np.isfinite(self.numbers).sum()) / self.filled if self.filled else 0.0

    @cached_property
    def only_units(self) -> bool:
        """Whether its cells are units and nothing else."""
        return bool(self.words) and all(map(find_unit, self.words))

    @cached_property
    def dimension(self) -> str:
        """Of the unit that the heading or the cells name, "" for none."""
        unit = unit_in_name(self.name)
        return unit.dimension if unit is not None else ""

    def matching(self, pattern: str) -> float:
        """The share of filled cells in which the pattern is found."""
        if pattern not in self._matched:
            found = re.compile(pattern)
            held = sum(n for word, n in self.counted if found.search(word))
            self._matched[pattern] = held / self.filled if self.filled else 0.0
        return self._matched[pattern]

    @cached_property
    def _matched(self) -> dict[str, float]:
        return {}

    @cached_property
    def length(self) -> float:
        """The mean length of its filled cells, in characters."""
        return sum(len(word) * n for word, n in self.counted) / max(1, self.filled)

    @cached_property
    def amounts(self) -> bool:
        """Whether its cells look like sums of money."""
        return self.numeric > 0.9 and not self.dimension and self.matching(r"[.,]\d\d?$") > 0.5


def _number(text: pl.Expr) -> pl.Expr:
    """Numbers in either style, as far as their sign for decimals can be told."""
    short = pl.when(text.str.len_chars() <= _LONGEST).then(text)
    bare = short.str.replace_all(r"[^\d.,-]", "")
    both = bare.str.contains(r"\..*,")
    comma = bare.str.contains(r",\d{1,3}$") & ~bare.str.contains(r",\d{3},|,.*\.")
    plain = (
        pl.when(both | comma)
        .then(bare.str.replace_all(".", "", literal=True).str.replace(",", "."))
        .otherwise(bare.str.replace_all(",", ""))
    )
    return pl.when(short.str.contains(_NUMBER)).then(plain).cast(pl.Float64, strict=False)


@dataclass(frozen=True)
class Facts:
    """A delivery's columns, the languages that its headings and words are likely in, and how the
    codes of columns stand to the catalog."""

    columns: tuple[ColumnFacts, ...]
    languages: Languages
    keys: Mapping[str, KeyFacts] = field(default_factory=dict)

    def __getitem__(self, name: str) -> ColumnFacts:
        return self.by_name[name]

    @cached_property
    def by_name(self) -> Mapping[str, ColumnFacts]:
        return {c.name: c for c in self.columns}

    @cached_property
    def ordered(self) -> Mapping[str, tuple[str, str]]:
        """For each column of amounts one that it lies under in nearly all rows, and one that it
        lies over, by a factor such as trades have between cost and retail; "" for none."""
        money = [c for c in self.columns if c.amounts]
        found = {c.name: ("", "") for c in money}
        for one in money:
            for other in money:
                if other is not one and _lies_under(one, other):
                    found[one.name] = (other.name, found[one.name][1])
                    found[other.name] = (found[other.name][0], one.name)
        return found

    @cached_property
    def kinds_of_rows(self) -> frozenset[str]:
        """Columns whose few words all say what a row is: product, variant, picture."""
        read = lexicon("terms").read
        return frozenset(
            c.name
            for c in self.columns
            if 0 < len(c.words) < _FEW + 1
            and all(
                (said := read(w, self.languages).concepts.keys()) and said <= _KINDS_OF_ROWS
                for w in c.words
            )
        )

    @cached_property
    def joined_keys(self) -> frozenset[str]:
        """Columns of joined tables (``stock: article``) that repeat one of the first table."""
        first = [c for c in self.columns if _JOINED not in c.name and c.filled]
        joined = [c for c in self.columns if _JOINED in c.name and c.filled]
        return frozenset(
            c.name
            for c in joined
            if any(_same_cells(c, o) >= _NEARLY_ALL * c.filled for o in first)
        )

    @cached_property
    def packs(self) -> Mapping[str, tuple[str, str]]:
        """For each column of amounts that is another one times a column of whole numbers, row by
        row: the other one and the numbers, as a carton's price is of a piece's."""
        money = [c for c in self.columns if c.amounts]
        counts = [c for c in self.columns if c.numeric > 0.9 and c.matching(r"^\d+$") > 0.9]
        found: dict[str, tuple[str, str]] = {}
        for one in money:
            for other in money:
                times = _times(one, other)
                for count in counts if times is not None else ():
                    if np.mean(count.numbers == times) > _NEARLY_ALL:
                        found[other.name] = (one.name, count.name)
        return found


def _same_cells(one: ColumnFacts, other: ColumnFacts) -> int:
    """The number of rows in which both hold the same."""
    return int((one.cells == other.cells).fill_null(False).sum())


def _times(one: ColumnFacts, other: ColumnFacts) -> NDArray[np.float64] | None:
    """How many times the one the other is, where that is a whole number in nearly all rows, and
    not always 1; a price of a piece may be rounded."""
    with np.errstate(divide="ignore", invalid="ignore"):
        factor = other.numbers / one.numbers
    known = np.isfinite(factor)
    whole: NDArray[np.float64] = np.round(factor)
    if known.sum() < _FEW or not np.median(whole[known]) > 1:
        return None
    near = np.abs(factor - whole)[known] <= _ROUNDED * whole[known]
    return whole if near.mean() > _NEARLY_ALL else None


def _lies_under(one: ColumnFacts, other: ColumnFacts) -> bool:
    both = np.isfinite(one.numbers) & np.isfinite(other.numbers) & (one.numbers > 0)
    if both.sum() < _FEW:
        return False
    factor = other.numbers[both] / one.numbers[both]
    least, most = _MARKUPS
    dearer = float((factor > 1).mean())
    return least <= float(np.median(factor)) <= most and dearer > _NEARLY_ALL


def column_facts(
    profiles: Sequence[ColumnProfile],
    sample: pl.DataFrame,
    keys: Mapping[str, KeyFacts] | None = None,
) -> Facts:
    """The facts of a delivery: its profiles, and some of its rows as text."""
    known = [p.name for p in profiles if p.name in sample.columns]
    # All columns at once: one by one, starting the work takes longer than the work.
    text = pl.col(known).cast(pl.String).str.strip_chars()
    rows = sample.head(ROWS).select(pl.when(text != "").then(text))
    listed = _listed(rows)
    rows = rows.with_columns(
        pl.when(_is_array(pl.col(n)))
        .then(pl.col(n).str.json_path_match("$[0]"))
        .otherwise(pl.col(n))
        for n in listed
    )
    figures = rows.select(_number(pl.all()))
    cells = {name: rows[name] for name in known}
    headings = [p.name for p in profiles]
    texts = [p.language for p in profiles if p.language]
    words = [w for c in cells.values() for w in c.drop_nulls().unique().head(30).to_list()]
    languages = languages_of(headings, words, texts)
    around = _around(headings)
    columns = (
        _column(p, cells[p.name], figures[p.name], at, languages, around, p.name in listed)
        for at, p in enumerate(profiles)
        if p.name in cells
    )
    return Facts(tuple(columns), languages, keys or {})


def _listed(rows: pl.DataFrame) -> frozenset[str]:
    """The columns with cells that are arrays of texts, as nested files have them."""
    arrays = rows.select(_is_array(pl.all()).any())
    return frozenset(name for name in rows.columns if arrays[name].item())


def _is_array(cell: pl.Expr) -> pl.Expr:
    return cell.str.starts_with('["') & cell.str.ends_with('"]')


def _around(headings: Sequence[str]) -> frozenset[str]:
    """What stands before the last part of several headings and says no more than what the rows
    are: ``sizes.size`` of ``sizes.size.price``."""
    found = Counter(_parted(heading)[0] for heading in headings)
    read = lexicon("terms").read
    return frozenset(
        outer
        for outer, times in found.items()
        if outer and times >= _SEVERAL and read(outer).concepts.keys() <= _WHAT_ROWS_ARE
    )


def _within(heading: str, around: frozenset[str]) -> str:
    """A heading without what is around it, the longest of these."""
    held = (a for a in around if heading.startswith(a) and _PARTS.match(heading, len(a)))
    longest = max(held, key=len, default="")
    return _PARTS.sub("", heading[len(longest) :], count=1) if longest else heading


def _parted(heading: str) -> tuple[str, str]:
    """A heading's outer parts and its last one; no outer ones where it has one alone."""
    bare = heading.rstrip(".")
    ends = [m.start() for m in _PARTS.finditer(bare)]
    last = _PARTS.split(bare)[-1]
    return (bare[: ends[-1]], last) if ends and last else ("", bare)


def _column(
    profile: ColumnProfile,
    cells: pl.Series,
    figures: pl.Series,
    at: int,
    languages: Languages,
    around: frozenset[str],
    listed: bool,
) -> ColumnFacts:
    found = _LANGUAGE.search(profile.name)
    bare = profile.name[: found.start()] if found else profile.name
    bare = _within(_without_measure(bare), around)
    outer, last = _parted(bare)
    return ColumnFacts(
        profile,
        cells,
        figures,
        _heading(bare, languages),
        at,
        _heading(last, languages) if outer else Bag(),
        last if outer else "",
        found[1].lower() if found else "",
        listed,
    )


def _heading(text: str, languages: Languages) -> Bag:
    """What a heading says; a unit and nothing else says what it measures."""
    unit = find_unit(text) if len(text) > 1 and text.lower() not in _OTHER_WORDS else None
    if unit is not None and unit.dimension in _MEASURED:
        return Bag({_MEASURED[unit.dimension]: 0.8})
    return lexicon("terms").read(text, languages)


def _without_measure(name: str) -> str:
    """A heading without the unit or currency it names, where something else is left."""
    words = re.split(r"[\s_]+", name)
    kept = [w for w in words if not _is_measure(w.strip("()[]/"))]
    return " ".join(kept) if kept and len(kept) < len(words) else name


def _is_measure(word: str) -> bool:
    return word in codes() or (word.islower() and len(word) <= 3 and find_unit(word) is not None)


def languages_of(
    headings: Iterable[str], words: Iterable[str] = (), texts: Iterable[str] = ()
) -> Languages:
    """The one or two languages that headings and words are likeliest in; none where they could be
    any. ``texts`` are those that longer texts beside them were found to be in."""
    votes: defaultdict[str, float] = defaultdict(float)
    for heading in headings:
        _vote(votes, heading, lexicon("terms"), 1.0)
    for word in words:
        if len(word) <= 24:
            _vote(votes, word, lexicon("values"), 0.3)
    for language in texts:
        if language in LANGUAGES:
            votes[language] += 3.0
    if not votes:
        return frozenset()
    ranked = sorted(votes.items(), key=lambda v: (-v[1], v[0]))[:2]
    most = ranked[0][1]
    return frozenset(language for language, n in ranked if n >= most * 0.85)


def _vote(votes: defaultdict[str, float], text: str, words: Lexicon, weight: float) -> None:
    """A word that only few languages have says more than one that all share."""
    for language, n in words.spoken(tokens(text)).items():
        votes[language] += weight * n
