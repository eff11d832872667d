"""A fetch as a worker makes it, for tests: what came, and what is known after it."""

from __future__ import annotations

from datetime import UTC, datetime

from nomotax.intake.bringing import Known, bring, choose, now_known, opened, same_as_known
from nomotax.intake.spool import Limits


def fetched(source, known=None, limits=None, **secrets):
    """Name and bytes of each delivery that is new, and what is known then."""
    limits, known = limits or Limits(64 << 20, 20), known or Known()
    came, after, looked_at = [], known, datetime.now(UTC)
    with opened(source, secrets, limits) as place:
        found = place.look()
        for group in choose(source, found, known):
            if same_as_known(group, known):
                continue
            with bring(source, place, group, known, limits) as brought:
                if brought is not None:
                    came.append((brought.name, brought.path.read_bytes()))
                    after = now_known(source, found, brought.files, looked_at)
    return came, after
