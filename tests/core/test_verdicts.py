"""Decisions by any mix of filters and single lines, against deciding field by field."""

from __future__ import annotations

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from nomotax.core.changes.later import LATER
from nomotax.core.changes.marks import NEW, OLD
from nomotax.core.changes.verdicts import DECLINED, HELD, Chosen, Verdict, Verdicts

FIELDS = ("price", "title", "stock")
KEYS = "abcd"
LINES = st.lists(
    st.tuples(
        st.sampled_from(KEYS), st.sampled_from(["new", "changed", "same", "gone"]),
        st.sets(st.sampled_from(FIELDS)), st.sets(st.sampled_from(FIELDS[:1])),
    ),
    min_size=1, max_size=6,
)  # fmt: skip
CHOSEN = st.one_of(
    st.builds(Chosen, keys=st.lists(st.sampled_from(KEYS), min_size=1).map(tuple)),
    st.builds(Chosen, status=st.sampled_from(["", "new", "changed"]),
              field=st.sampled_from(["", "price"])),
)  # fmt: skip
RULES = st.lists(
    st.one_of(
        st.builds(
            Verdict, verdict=st.sampled_from(["accept", "decline", "decline"]), of=CHOSEN,
            field=st.sampled_from(["", "", *FIELDS]),
        ),
        st.builds(
            Verdict, verdict=st.just("release"), reason=st.just("seen"),
            of=st.one_of(CHOSEN, st.builds(Chosen, guard=st.sampled_from(["far", "cost"]))),
        ),
        st.builds(
            Verdict, verdict=st.just("correct"), field=st.sampled_from(FIELDS),
            of=st.builds(Chosen, keys=st.sampled_from(KEYS).map(lambda key: (key,))),
            value=st.sampled_from(["old", "by hand", None]),
        ),
    ),
    max_size=6,
)  # fmt: skip


def frame_of(lines):
    frame = pl.DataFrame(
        [(key, status, sorted(now), sorted(later - now)) for key, status, now, later in lines],
        schema={"key": pl.String, "status": pl.String, "fields": pl.List(pl.String),
                LATER: pl.List(pl.String)}, orient="row",
    )  # fmt: skip
    news = (
        pl.Series(NEW + f, ["new" if f in now | later else "old" for _, _, now, later in lines])
        for f in FIELDS
    )
    return frame.with_columns(*news, *(pl.lit("old").alias(OLD + f) for f in FIELDS))


def means(rule, line, at, guarded):
    """Whether a rule is about a line."""
    key, status, now, later = line
    if rule.of.keys is not None:
        return key in rule.of.keys
    fits = not rule.of.field or rule.of.field in now | later
    return fits and rule.of.status in ("", status) and at in guarded.get(rule.of.guard, {at})


def one_by_one(line, rules):
    """What a line writes at once and later, what it does not, and its values: by the book."""
    _, status, now, later = line
    values = {f: "new" if f in now | later else "old" for f in FIELDS}
    now, later = set(now), later - now
    for rule in rules:
        if rule.verdict == "correct" and status in ("new", "changed"):
            values[rule.field] = rule.value
            later -= {rule.field}
            now = now - {rule.field} | ({rule.field} if rule.value != "old" else set())
    declined = set()
    for rule in rules:
        if rule.verdict != "release" and not (rule.field and status == "new"):
            about = {rule.field} if rule.field else {*FIELDS}
            declined = declined | about if rule.verdict == "decline" else declined - about
    return now - declined, later - declined, (now | later) & declined, values


@given(LINES, RULES, st.data())
def test_rules_leave_what_deciding_one_by_one_would(lines, rules, data):
    frame, places = frame_of(lines), range(len(lines))
    guarded = {name: data.draw(st.sets(st.sampled_from(places))) for name in ("far", "cost")}
    series = {name: pl.Series(sorted(at), dtype=pl.UInt32) for name, at in guarded.items()}
    verdicts = Verdicts(frame.height, series)
    about = [[n for n in places if means(rule, lines[n], n, guarded)] for rule in rules]
    for rule, at in zip(rules, about, strict=True):
        verdicts = verdicts.after(rule, pl.Series(at, dtype=pl.UInt32))
    assert verdicts.lines == [len(at) for at in about]
    shown = data.draw(st.lists(st.sampled_from(places), unique=True).map(sorted))
    at = pl.Series(shown, dtype=pl.UInt32)
    left = verdicts.left(verdicts.corrected(frame[shown], at), at)
    assert left.columns == [*frame.columns, DECLINED, HELD]
    apart, changed = set(verdicts.apart()), False
    for place, row in zip(shown, left.iter_rows(named=True), strict=True):
        own = [rule for rule, at in zip(rules, about, strict=True) if place in at]
        now, later, declined, values = one_by_one(lines[place], own)
        holding = {name for name, at in guarded.items() if place in at}
        for rule in own:
            if rule.verdict == "release":
                holding -= {rule.of.guard} if rule.of.guard else holding
        assert row[HELD] == bool(holding)
        assert {*row["fields"]} == (set() if holding else now)
        assert {*row[LATER]} == (set() if holding else later)
        assert {*row[DECLINED]} == declined
        assert {f: row[NEW + f] for f in FIELDS} == values
        assert (place in apart) == any(rule.field for rule in own)
        changed |= bool(holding or declined or values != dict(frame[place].select(
            pl.col(NEW + f).alias(f) for f in FIELDS).row(0, named=True)))  # fmt: skip
    assert bool(verdicts) or not changed


@pytest.mark.parametrize(
    "said",
    [
        {"of": {"keys": []}},
        {"of": {"keys": ["a"], "colour": "red"}},
        {"verdict": "release", "of": {}, "reason": "  "},
        {"verdict": "correct", "of": {"keys": ["a"]}, "value": "1"},
        {"verdict": "correct", "of": {"status": "changed"}, "field": "price", "value": "1"},
    ],
)
def test_a_decision_about_nothing_or_for_no_reason_is_none(said):
    with pytest.raises(ValidationError):
        Verdict.model_validate({"verdict": "decline"} | said)
