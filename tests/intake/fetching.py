"""A fetch as a worker makes it, for tests: what came, and what is known after it."""

from __future__ import annotations

from datetime import UTC, datetime

from nomotax.intake.bringing import Known, bring, choose, looked, now_known, same_as_known
from nomotax.intake.spool import Limits


def fetched(source, known=None, limits=None, **secrets):
    """Name and bytes of each delivery that is new, and what is known then."""
    came, after = [], known or Known()
    for one, after in each_fetched(source, known, limits, **secrets):  # noqa: B007
        came.append(one)
    return came, after


def each_fetched(source, known=None, limits=None, **secrets):
    """One delivery after the other, each with what is known when it has been taken."""
    limits, known, looked_at = limits or Limits(64 << 20, 120), known or Known(), datetime.now(UTC)
    with looked(source, secrets, limits) as (place, found):
        groups = choose(source, found, known)
        for n, group in enumerate(groups):
            if same_as_known(group, known):
                continue
            with bring(source, place, group, known, limits) as brought:
                if brought is not None:
                    told = brought.name, brought.path.read_bytes()
                    yield (
                        told,
                        now_known(source, found, known, groups[: n + 1], brought.files, looked_at),
                    )
