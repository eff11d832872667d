"""Decisions by any mix of filters and single lines, against deciding field by field."""

from __future__ import annotations

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from nomotax.core.changes.later import LATER
from nomotax.core.changes.verdicts import DECLINED, Chosen, Verdict, Verdicts

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
    st.builds(
        Verdict, verdict=st.sampled_from(["accept", "decline", "decline"]), of=CHOSEN,
        field=st.sampled_from(["", "", *FIELDS]),
    ),
    max_size=6,
)  # fmt: skip


def frame_of(lines):
    return pl.DataFrame(
        [(key, status, sorted(now), sorted(later - now)) for key, status, now, later in lines],
        schema={"key": pl.String, "status": pl.String, "fields": pl.List(pl.String),
                LATER: pl.List(pl.String)}, orient="row",
    )  # fmt: skip


def means(rule, line):
    """Whether a rule is about a line."""
    key, status, now, later = line
    if rule.of.keys is not None:
        return key in rule.of.keys
    fits = not rule.of.field or rule.of.field in now | later
    return fits and rule.of.status in ("", status)


@given(LINES, RULES, st.data())
def test_rules_leave_what_deciding_one_by_one_would(lines, rules, data):
    frame = frame_of(lines)
    verdicts = Verdicts(frame.height)
    for rule in rules:
        at = [n for n, line in enumerate(lines) if means(rule, line)]
        verdicts = verdicts.after(rule, pl.Series(at, dtype=pl.UInt32))
    assert verdicts.lines == [sum(means(rule, line) for line in lines) for rule in rules]
    shown = data.draw(st.lists(st.sampled_from(range(len(lines))), unique=True).map(sorted))
    left = verdicts.left(frame[shown], pl.Series(shown, dtype=pl.UInt32))
    assert left.columns == [*frame.columns, DECLINED]
    apart = set(verdicts.apart())
    for place, row in zip(shown, left.iter_rows(named=True), strict=True):
        line = lines[place]
        _, status, now, later = line
        writes = now | later
        for rule in rules:
            if rule.field and status == "new":
                continue
            if means(rule, line):
                about = {rule.field} if rule.field else {*FIELDS}
                taken = about & (now | later)
                writes = writes | taken if rule.verdict == "accept" else writes - taken
        assert {*row["fields"]} == now & writes
        assert {*row[LATER]} == (later - now) & writes
        assert {*row[DECLINED]} == (now | later) - writes
        assert (place in apart) == any(r.field and means(r, line) for r in rules)
    assert bool(verdicts) == any(r.verdict == "decline" for r in rules)


@pytest.mark.parametrize("of", [{"keys": []}, {"keys": ["a"], "colour": "red"}])
def test_a_decision_about_nothing_is_none(of):
    with pytest.raises(ValidationError):
        Verdict.model_validate({"verdict": "decline", "of": of})
