"""Texts that came to harm, or come in another language."""

from __future__ import annotations

import html
import re
import unicodedata
from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from functools import lru_cache

import numpy as np
import polars as pl
from babel import Locale, UnknownLocaleError

from nomotax.core.drift.cells import Mask
from nomotax.core.drift.model import DriftFinding, Severity
from nomotax.core.drift.week import Beside, Week

#: Code pages in which one text is often taken for another.
_PAGES = (
    "cp1252", "latin-1", "cp1250", "cp1251", "cp1253", "cp1254", "cp1257", "iso8859-2", "cp437",
    "cp850", "cp852", "cp866", "koi8-r", "shift_jis", "gb18030", "mac_roman",
)  # fmt: skip
#: Fewer letters do not tell a language.
_ENOUGH = 150
#: So many different cells are looked at.
_LOOKED = 2000
_LATIN = r"[^\x00-\x7F]"
#: Signs that a text was decoded with the wrong table, whatever it was before.
_SIGNS = r"�|[ÃÂÐÑÅÄ][\u0080-\u00bf]|â€"
_ENTITY = r"&(#\d{2,6}|#x[0-9a-fA-F]{2,5}|[a-zA-Z]{2,8});"


@lru_cache(maxsize=20_000)
def _mended(text: str) -> frozenset[str]:
    """What a text may have been before it was decoded with the wrong table."""
    found = set()
    for page in _PAGES:
        try:
            raw = text.encode(page)
        except UnicodeEncodeError:
            continue
        for right in ("utf-8", *_PAGES[:12]):
            if right == page:
                continue
            try:
                found.add(raw.decode(right))
            except UnicodeDecodeError:
                continue
    return frozenset(found)


def _bare(text: str) -> str:
    parts = unicodedata.normalize("NFKD", text.translate(_LETTERS))
    return "".join(c for c in parts if not unicodedata.combining(c))


_LETTERS = str.maketrans({"ł": "l", "Ł": "L", "đ": "d", "Đ": "D", "ø": "o", "Ø": "O", "ß": "ss",
                          "æ": "ae", "Æ": "AE", "œ": "oe"})  # fmt: skip


def _wrong_table(old: str, new: str) -> bool:
    return old in _mended(new)


def _question_marks(old: str, new: str) -> bool:
    if "?" not in new and "�" not in new and "_" not in new:
        return False
    pattern = "".join("[?�_]{1,4}" if ord(c) > 127 else re.escape(c) for c in old)
    return re.fullmatch(pattern, new) is not None


def _without_accents(old: str, new: str) -> bool:
    return _bare(old) == new or _bare(old) == _bare(new)


def _letters_lost(old: str, new: str) -> bool:
    return "".join(c for c in old if ord(c) < 128) == new


def _as_entities(old: str, new: str) -> bool:
    return "&" in new and html.unescape(new) == old


#: How a text comes to harm, the likeliest first.
_HARMS: tuple[tuple[str, Callable[[str, str], bool]], ...] = (
    ("are garbled, as when read in the wrong encoding", _wrong_table),
    ("have ? or � in place of letters", _question_marks),
    ("have lost their accents", _without_accents),
    ("have lost their letters with accents", _letters_lost),
    ("have &…; in place of letters", _as_entities),
)


@dataclass
class Harm:
    """Texts of one column that came to harm: in which rows of both deliveries, in how many fresh
    ones, how many in which way, and one of them before and now."""

    column: str
    rows: Mask
    fresh: int = 0
    ways: dict[str, int] = field(default_factory=dict)
    example: tuple[str, str] = ("", "")

    def __bool__(self) -> bool:
        return bool(self.ways)


def harm(one: Beside) -> Harm:
    """What came to harm in a column."""
    found = Harm(one.name, np.zeros(one.old.len(), dtype=bool))
    if one.was.number > 0.9 or one.was.date > 0.9:
        return found
    for (old, new), rows in _changed_texts(one):
        way = _way(old, new)
        if way:
            found.rows[rows] = True
            found.ways[way] = found.ways.get(way, 0) + len(rows)
            found.example = found.example if found.example[0] else (old, new)
    signs = int(one.fresh.str.contains(_SIGNS).sum() or 0)
    if signs and not one.old.str.contains(_SIGNS).any():
        found.fresh = signs
        found.ways.setdefault(_HARMS[0][0], signs)
    return found


def damage(week: Week, harms: Sequence[Harm]) -> Iterator[DriftFinding]:
    """One finding of the harm in all columns together."""
    if not harms:
        return
    rows = np.logical_or.reduce([one.rows for one in harms])
    hits = int(rows.sum()) + max(one.fresh for one in harms)
    ways: Counter[str] = Counter()
    for one in harms:
        ways.update(one.ways)
    way = ways.most_common(1)[0][0]
    share = hits / max(1, week.now.rows)
    severity: Severity = "note" if hits < 2 and share < 0.02 else "warn"
    if share > 0.3 and way == _HARMS[0][0]:
        severity = "hold"
    old, new = next((one.example for one in harms if one.example[0]), ("", ""))
    shown = f": '{old[:40]}' came as '{new[:40]}'" if old else ""
    yield DriftFinding(
        kind="encoding_damaged",
        severity=severity,
        column=harms[0].column if len(harms) == 1 else "",
        rows=hits,
        said=f"Texts in {week.of_rows(hits)} {way}{shown}. It stands in "
        f"{', '.join(repr(one.column) for one in harms[:4])}. Look whether it is read in the "
        "right encoding; if so, ask for the file anew.",
    )


def _changed_texts(one: Beside) -> list[tuple[tuple[str, str], list[int]]]:
    """Different pairs of cells with letters beyond ASCII before, and the rows they stand in."""
    frame = pl.DataFrame({"o": one.old, "n": one.new, "c": one.changed}).with_row_index("i")
    changed = frame.filter("c").drop_nulls()
    changed = changed.filter(pl.col("o").str.contains(_LATIN) | pl.col("n").str.contains(_ENTITY))
    some = changed.group_by("o", "n", maintain_order=True).agg("i").head(_LOOKED)
    return [((o, n), i) for o, n, i in some.rows()]


def _way(old: str, new: str) -> str:
    """In which way a text came to harm, "" where it is just another one."""
    return next((way for way, is_so in _HARMS if is_so(old, new)), "")


def language(week: Week, one: Beside, spared: Mask) -> Iterator[DriftFinding]:
    """Most texts of a column are others, and in another language. ``spared`` rows are known to
    have come to harm."""
    if one.was.number > 0.3 or one.was.date > 0.3 or one.was.filled < 5:
        return
    changed = one.changed & ~one.emptied & ~spared & one.old.is_not_null().to_numpy()
    share = changed.sum() / max(1, one.was.filled)
    if changed.sum() < 5 or share < max(0.2, 2 * one.usual.changed):
        return
    old = one.old.filter(pl.Series(changed))
    new = one.new.filter(pl.Series(changed))
    before, now = _spoken(old.to_list()), _spoken(new.to_list())
    other = bool(before and now and before != now) and not _added_to(old, new)
    if not other and not _translated(one, old, new):
        return
    hits = int(changed.sum())
    which = f" ({_language(before)} before, {_language(now)} now)" if other else ""
    yield DriftFinding(
        kind="language_changed",
        severity="warn",
        column=one.name,
        to=now if other else "",
        rows=hits,
        said=f"'{one.name}' comes in another language in {week.of_rows(hits)}{which}: "
        f"'{old[0][:40]}' is '{new[0][:40]}' now.",
    )


def _added_to(old: pl.Series, new: pl.Series) -> bool:
    """Whether most texts are still there, with more before or behind them."""
    kept = sum(o in n or n in o for o, n in zip(old.to_list(), new.to_list(), strict=True))
    return kept > 0.5 * old.len()


def _language(code: str) -> str:
    """A language's name in English, its code where it has none."""
    try:
        return Locale.parse(code).get_display_name("en") or code
    except (UnknownLocaleError, ValueError):
        return code


def _spoken(texts: Sequence[str]) -> str:
    """The ISO 639-1 code of what texts together are written in, "" where they say too little."""
    import py3langid

    words = re.sub(r"[\d_]+", " ", " ".join(dict.fromkeys(texts[:400])))[:6000]
    if sum(c.isalpha() for c in words) < _ENOUGH:
        return ""
    code: str = py3langid.classify(words)[0]
    return code


def _translated(one: Beside, old: pl.Series, new: pl.Series) -> bool:
    """Few words, each of which became always the same other one, and is a word as they were."""
    pairs = pl.DataFrame({"o": old, "n": new}).unique()
    one_to_one = pairs["o"].n_unique() >= 0.9 * pairs.height and pairs.height >= 3
    repeats = old.len() >= 2 * pairs.height
    letters = new.str.contains(r"^\p{L}[\p{L}\s/&,.-]{2,}$").mean() or 0.0
    was = old.str.contains(r"^\p{L}[\p{L}\s/&,.-]{2,}$").mean() or 0.0
    folded = (old.str.to_lowercase() == new.str.to_lowercase()).mean() or 0.0
    contained = sum(o in n or n in o for o, n in pairs.rows()) / pairs.height
    return (
        one_to_one
        and repeats
        and float(letters) > 0.8  # type: ignore[arg-type]
        and float(was) > 0.8  # type: ignore[arg-type]
        and float(folded) < 0.2  # type: ignore[arg-type]
        and contained < 0.4
    )
