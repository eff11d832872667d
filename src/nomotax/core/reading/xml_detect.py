"""Which elements of an XML file are its records, told from its head."""

from __future__ import annotations

import math
from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path

from lxml import etree

from nomotax.core.errors import UnreadableFile
from nomotax.core.reading.model import Detection, Offer, XmlReading
from nomotax.core.reading.xml_parts import (
    SAFE,
    Element,
    attribute_name,
    element_name,
    refuse_entities,
)

HEAD_BYTES = 2 << 20


def detect_xml(path: Path) -> Detection:
    """The elements that repeat in the head of the file, the likeliest chosen."""
    refuse_entities(path)
    seen, whole = _walk_head(path)
    repeated = [p for p, n in seen.counts.items() if n > 1 and "/" in p]
    if not repeated:
        repeated = [p for p in seen.counts if seen.leaves.get(p)]
    if not repeated:
        raise UnreadableFile(
            "This XML holds no records: nothing in it repeats.",
            where="first bytes",
            remedy="Ask the supplier for the file with products.",
        )
    ranked = sorted(repeated, key=lambda p: -seen.score(p))
    best = _whole_record(seen, ranked[0], repeated)
    best = _scattered(seen, best) or best
    ranked = [best, *(p for p in ranked if p != best)]
    offers = tuple(
        Offer(
            kind="records",
            name=p,
            count=seen.counts[p],
            detail=", ".join(list(seen.leaves.get(p, {}))[:8]),
            more=not whole,
        )
        for p in ranked[:20]
    )
    number = f"{seen.counts[best]:,}{'' if whole else ' and more'}"
    why = {
        "format": "it starts like XML",
        "records": f"{number} of them, with {len(seen.leaves.get(best, {}))} values each",
    }
    return Detection(XmlReading(records=best), why, offers)


def _scattered(seen: _Seen, best: str) -> str:
    """``//item`` where records like ``best``, or like the one that it holds, stand elsewhere as
    well, so that none is lost. "" where they do not."""
    inside = [p for p in seen.counts if p.startswith(best + "/")]
    held = [p for p in (best, *inside) if seen.counts[p] >= seen.counts[best]]
    for path in held:
        own, name = set(seen.leaves.get(path, {})), path.rsplit("/", 1)[-1]
        if len(own) < 2 or len(own) * 2 < len(seen.leaves.get(best, {})):
            continue
        alike = [p for p in seen.counts if p.rsplit("/", 1)[-1] == name
                 and len(own & set(seen.leaves.get(p, {}))) * 2 >= len(own)]  # fmt: skip
        outside = [p for p in alike if p != best and p not in inside]
        if outside and not any(name in p.split("/")[:-1] for p in alike):
            made = f"//{name}"
            seen.counts[made] = sum(seen.counts[p] for p in alike)
            seen.leaves[made] = dict.fromkeys(own)
            return made
    return ""


#: An element with so many values of its own is a record, not a mere container.
_OWN_VALUES = 3


def _whole_record(seen: _Seen, best: str, repeated: list[str]) -> str:
    """The outermost record around ``best``: where a product holds its sizes, the product, so
    that one without any size is not lost."""
    path = best
    while "/" in path:
        path = path.rsplit("/", 1)[0]
        inner = [
            p for p in repeated if p.startswith(path + "/") and seen.counts[p] > seen.counts[path]
        ]
        stems = tuple(p.removeprefix(path + "/").replace("/", ".") for p in inner)
        own = [n for n in seen.leaves.get(path, {}) if not n.startswith(stems)]
        if path in repeated and len(own) >= _OWN_VALUES:
            best = path
    return best


@dataclass
class _Seen:
    counts: dict[str, int] = field(default_factory=dict)
    leaves: dict[str, dict[str, None]] = field(default_factory=dict)
    #: Paths with the attributes of elements there, so that each kind is noted once.
    kinds: set[tuple[str, ...]] = field(default_factory=set)

    def score(self, path: str) -> float:
        return len(self.leaves.get(path, {})) * math.sqrt(self.counts[path])


def _walk_head(path: Path) -> tuple[_Seen, bool]:
    """Elements by path in the head of the file, and whether the head is the whole."""
    parser = etree.XMLPullParser(events=("start", "end"), **SAFE)
    seen, stack = _Seen(), list[str]()
    with path.open("rb") as stream:
        head = stream.read(HEAD_BYTES)
        whole = not stream.read(1)
    with suppress(etree.XMLSyntaxError):  # the read itself tells where it breaks
        parser.feed(head)
    try:
        for event, element in parser.read_events():
            if event == "start":
                stack.append(element_name(element))
                _note(seen, stack, element)
            else:
                stack.pop()
    except etree.XMLSyntaxError:
        pass
    return seen, whole


def _note(seen: _Seen, stack: list[str], element: Element) -> None:
    path = "/".join(stack)
    seen.counts[path] = seen.counts.get(path, 0) + 1
    keys = element.keys()
    if (path, *keys) in seen.kinds:
        return
    seen.kinds.add((path, *keys))
    names = [f"@{attribute_name(element, k)}" for k in keys] or [""]
    for depth in range(1, len(stack)):
        above = "/".join(stack[:depth])
        below = ".".join(stack[depth:])
        leaves = seen.leaves.setdefault(above, {})
        for name in names:
            leaves[below + name] = None
    own = seen.leaves.setdefault(path, {})
    own.update(dict.fromkeys(n for n in names if n))
