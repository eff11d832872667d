"""A store's category tree, edited by hand: which paths there are after an edit, and where each
path that goes away leads.

A tree is a set of whole paths in which every parent stands; parts are written `` > `` apart.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from nomotax.core.errors import Conflict, NotFound, UnfitValue

SIGN = " > "
LONGEST = 500


class TreeEdit(BaseModel):
    """One edit of the tree.

    ``to`` is, for rename, the new name of the last part; for move, the category it goes below
    ("": to the top); for merge, the category it becomes part of, with all that is below it; for
    delete, where the products of it and of all below it go ("": nowhere). Add needs none.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    do: Literal["add", "rename", "move", "merge", "delete"]
    path: str = Field(min_length=1, max_length=LONGEST)
    to: str = Field(default="", max_length=LONGEST)


@dataclass(frozen=True)
class TreeChange:
    """``paths`` is the tree afterwards. ``moves`` has each path that was taken away with the path
    that stands for it, "" for none. ``lossy`` where two paths may have become one."""

    paths: frozenset[str]
    moves: Mapping[str, str]
    lossy: bool = False


def parts_of(path: str) -> tuple[str, ...]:
    """The parts of a path, without blanks around them and without empty ones."""
    return tuple(p.strip() for p in path.split(SIGN.strip()) if p.strip())


def written(path: str) -> str:
    """The path as it is kept."""
    return SIGN.join(parts_of(path))


def as_name(part: str) -> str:
    """A part that stands for itself: one that holds the sign of paths would become two."""
    return part.strip().replace(SIGN.strip(), "-")


def with_parents(path: str) -> Iterator[str]:
    """The path and all above it, from the top."""
    parts = parts_of(path)
    return (SIGN.join(parts[:depth]) for depth in range(1, len(parts) + 1))


def below(tree: Collection[str], path: str) -> list[str]:
    """The path itself, if it is there, and all below it, in order."""
    return sorted(p for p in tree if p == path or p.startswith(path + SIGN))


def edited(tree: Collection[str], edit: TreeEdit) -> TreeChange:
    """The tree after an edit.

    Raises ``NotFound`` for a category that is not there, ``Conflict`` where the place is taken,
    ``UnfitValue`` for a name that is none or a category that would go below itself.
    """
    if edit.do == "add":
        return _added(tree, edit.path)
    _known(tree, edit.path)
    if edit.do == "rename":
        return _renamed(tree, edit.path, edit.to)
    if edit.do == "move":
        return _moved_below(tree, edit.path, edit.to)
    if edit.do == "merge":
        return _merged(tree, edit.path, edit.to)
    return _deleted(tree, edit.path, edit.to)


def inverse(edit: TreeEdit, moves: Mapping[str, str]) -> TreeEdit | None:
    """The edit that takes this one back, which led to ``moves``; None where only the records of it
    can."""
    if edit.do in ("merge", "delete"):
        return None
    if edit.do == "add":
        return TreeEdit(do="delete", path=written(edit.path))
    now = moves.get(edit.path, edit.path)
    *above, name = parts_of(edit.path)
    if edit.do == "rename":
        return TreeEdit(do="rename", path=now, to=name)
    return TreeEdit(do="move", path=now, to=SIGN.join(above))


def _known(tree: Collection[str], path: str) -> None:
    if path not in tree:
        raise NotFound(f"There is no category '{path}'.")


def _added(tree: Collection[str], path: str) -> TreeChange:
    if not parts_of(path):
        raise UnfitValue("A category needs a name.")
    if written(path) in tree:
        raise Conflict(f"The category '{written(path)}' is there already.")
    return TreeChange(frozenset(tree) | frozenset(with_parents(path)), {})


def _renamed(tree: Collection[str], path: str, name: str) -> TreeChange:
    if len(parts_of(name)) != 1:
        raise UnfitValue(
            f"'{name}' is no name of one category.",
            remedy="Give one name without >; to put it elsewhere, move it.",
        )
    *above, _ = parts_of(path)
    return _onto(tree, path, SIGN.join([*above, *parts_of(name)]))


def _moved_below(tree: Collection[str], path: str, above: str) -> TreeChange:
    if above:
        _known(tree, above)
    if above in below(tree, path):
        raise UnfitValue(f"'{path}' cannot go below itself.")
    name = parts_of(path)[-1]
    return _onto(tree, path, SIGN.join([*parts_of(above), name]))


def _onto(tree: Collection[str], path: str, target: str) -> TreeChange:
    if target == path:
        return TreeChange(frozenset(tree), {})
    if target in tree:
        raise Conflict(
            f"The category '{target}' is there already.",
            remedy="To make one of the two, merge them.",
        )
    moves = {p: target + p.removeprefix(path) for p in below(tree, path)}
    return TreeChange(_after(tree, moves), moves)


def _merged(tree: Collection[str], path: str, into: str) -> TreeChange:
    _known(tree, into)
    if into in below(tree, path):
        raise UnfitValue(f"'{path}' cannot become part of itself.")
    moves = {p: into + p.removeprefix(path) for p in below(tree, path)}
    return TreeChange(_after(tree, moves), moves, lossy=True)


def _deleted(tree: Collection[str], path: str, to: str) -> TreeChange:
    gone = below(tree, path)
    if to:
        _known(tree, to)
    if to in gone:
        raise UnfitValue(f"'{to}' would be deleted as well; its products need another place.")
    return TreeChange(frozenset(tree) - frozenset(gone), dict.fromkeys(gone, to), lossy=True)


def _after(tree: Collection[str], moves: Mapping[str, str]) -> frozenset[str]:
    kept = frozenset(tree) - frozenset(moves)
    return kept | {new for new in moves.values() if new}
