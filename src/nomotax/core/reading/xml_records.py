"""XML to flat records, streamed: one element after the other, each forgotten once it is read."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from lxml import etree

from nomotax.core.errors import UnreadableFile
from nomotax.core.reading.flatten import Flat, put, put_all
from nomotax.core.reading.model import ArrivingTable, XmlReading
from nomotax.core.reading.problem import ReadingProblem
from nomotax.core.reading.spool import Spool, Tell, silent
from nomotax.core.reading.xml_detect import detect_xml
from nomotax.core.reading.xml_parts import (
    SAFE,
    Element,
    attribute_name,
    element_name,
    refuse_entities,
)

#: So many bytes are parsed at a time; the records that end in them are freed together.
_STRETCH = 1 << 16
_SPACE_DECLARED = re.compile(r' xmlns(:\w+)?="[^"]*"')
_DEEPEST = 100


def read_xml(
    path: Path, reading: XmlReading, limit: int | None = None, tell: Tell = silent
) -> ArrivingTable:
    """Every record of the file, or the first ``limit``.

    Raises ``UnreadableFile`` when the file declares entities or has no such record. A file that
    breaks off gives what stood before the break, marked incomplete.
    """
    refuse_entities(path)
    anywhere = reading.records.startswith("//")
    wanted = reading.records.strip("/").split("/") if reading.records.strip("/") else []
    if not wanted:
        raise UnreadableFile(
            "Which element becomes a row has not been chosen.",
            remedy="Choose a record element.",
        )
    spool, complete = Spool(tell, strip=True), True
    problems: list[ReadingProblem] = []
    try:
        _Records(wanted, anywhere).walk(path, spool, limit)
    except _Broken as broken:
        complete = False
        problems.append(_tell_break(broken, spool.rows))
    if spool.rows == 0 and complete:
        raise UnreadableFile(
            f"There is no element {reading.records!r} in this file.",
            where="record element",
            remedy=_elsewhere(path),
        )
    return ArrivingTable(spool.finish(), problems, complete, keep=(spool,))


class _Broken(Exception):
    """The document is not well-formed from here on."""

    def __init__(self, parser: Any, error: etree.XMLSyntaxError) -> None:
        entries = [e for e in parser.feed_error_log if e.level >= etree.ErrorLevels.ERROR]
        place = (entries[0].line, entries[0].column) if entries else error.position or (0, 0)
        self.line: int = place[0]
        self.column: int = place[1]
        said = entries[0].message if entries else error.msg or "not well-formed"
        self.said = said.split(", line")[0].strip()


def _tell_break(broken: _Broken, rows: int) -> ReadingProblem:
    line, column, said = broken.line, broken.column, broken.said
    return ReadingProblem(
        kind="broken_off",
        level="broken",
        line=line,
        count=rows,
        message=f"The XML breaks at line {line}, column {column}: {said}. The {rows:,} records "
        "before it can be looked at; ask the supplier for the whole file.",
    )


def _elsewhere(path: Path) -> str:
    offers = detect_xml(path).offers
    names = ", ".join(o.name for o in offers[:6])
    return f"It has: {names}." if names else "Nothing in it repeats."


@dataclass
class _Level:
    """An element above the records, and what is known of it so far."""

    element: Element
    flat: Flat = field(default_factory=dict)


class _Records:
    """Walks a file and gives its records flat, some at a time; values of the elements above stand
    behind a record's own. With ``anywhere`` they are the outermost elements of the last wanted
    name, at whatever depth."""

    def __init__(self, wanted: list[str], anywhere: bool = False) -> None:
        self._wanted = wanted
        self._anywhere = anywhere
        self._levels: list[_Level] = []
        self._above = Flat()
        self._parent: Element = None
        self._last: Element = None
        self._held: list[Element] = []
        #: Whether every record looked at so far is a mere row of texts.
        self._plain = True

    def walk(self, path: Path, spool: Spool, limit: int | None) -> None:
        """Bring the records to ``spool``, or the first ``limit``. Raises ``_Broken`` once those
        before the break are there."""
        for elements in _elements(path, self._wanted[-1].rsplit(":", 1)[-1]):
            if self._all_follow(elements):
                self._held, self._last = elements, elements[-1]
            else:
                for element in elements:
                    self._take(element, spool)
                    if limit is not None and spool.rows + len(self._held) >= limit:
                        break
            if limit is not None and spool.rows + len(self._held) >= limit:
                del self._held[limit - spool.rows :]
                self._bring(spool)
                return
            self._bring(spool)

    def _all_follow(self, elements: list[Element]) -> bool:
        """Whether these are records that stand right behind the last one, without a gap."""
        if self._parent is None or not elements or self._parent[0] is not self._last:
            return False
        return self._parent[1 : len(elements) + 1] == elements and {e.tag for e in elements} == {
            self._last.tag
        }

    def _take(self, element: Element, spool: Spool) -> None:
        above = element.getparent()
        if above is None or above is not self._parent:
            ancestors = list(element.iterancestors())
            ancestors.reverse()
            if not self._is_record([element_name(e) for e in (*ancestors, element)]):
                return
            self._bring(spool)
            self._look_above(ancestors, element)
            _forget_before(above)
            self._parent = above
        elif element_name(element) != self._wanted[-1]:
            return
        elif element.getprevious() is not self._last:
            self._bring(spool)
            self._look_above([level.element for level in self._levels], element)
        self._held.append(element)
        self._last = element

    def _is_record(self, names: list[str]) -> bool:
        """An element with these names from the top down."""
        if self._anywhere:
            return names[-1] == self._wanted[-1] and names[-1] not in names[:-1]
        return names == self._wanted

    def _rows(self, held: list[Element]) -> list[Any] | None:
        """The records where all are mere rows of texts and nothing above joins them, as in most
        large files; looked at for many at once."""
        if not self._plain or self._above or self._parent is None:
            return None
        rows = None if _any_nested(self._parent) else [_row(element) for element in held]
        self._plain = rows is not None and None not in rows
        return rows if self._plain else None

    def _whole(self, element: Element) -> Flat:
        record = _flat(element, 0)
        for key, value in self._above.items():
            record[key if key not in record else f"above: {key}"] = value
        return record

    def _look_above(self, ancestors: list[Element], element: Element) -> None:
        self._levels = _levels(self._levels, ancestors, element)
        self._above = _above(self._levels, [element_name(e) for e in ancestors])

    def _bring(self, spool: Spool) -> None:
        """Hand over what is held, and free it; the last stays, empty, to be known as the one
        before the next."""
        held, self._held = self._held, []
        if not held:
            return
        rows = self._rows(held)
        if rows is None:
            spool.add(self._whole(element) for element in held)
        else:
            spool.add_texts(rows)
        held[-1].clear()
        if self._parent is not None:
            del self._parent[: self._parent.index(held[-1])]


def _above(levels: list[_Level], wanted: list[str]) -> Flat:
    """What the elements above bring to every record, the nearest first."""
    above: Flat = {}
    for level, name in reversed(list(zip(levels, wanted, strict=False))):
        put(above, name, level.flat)
    return above


def _elements(path: Path, local: str) -> Iterator[list[Element]]:
    """Every element of that local name, with those that end in the same stretch of the file.
    Raises ``_Broken``."""
    parser = etree.XMLPullParser(events=("end",), tag=f"{{*}}{local}", **SAFE)
    with path.open("rb") as stream:
        stretch = stream.read(_STRETCH)
        while stretch:
            following = stream.read(_STRETCH)
            broken = None
            try:
                parser.feed(stretch)
                if not following:
                    parser.close()
            except etree.XMLSyntaxError as error:
                broken = _Broken(parser, error)
            yield [element for _, element in parser.read_events()]
            if broken is not None:
                raise broken
            stretch = following


def _levels(known: list[_Level], above: list[Element], record: Element) -> list[_Level]:
    """What the elements above hold beside the records: attributes, and children without any of
    their own. Known levels are kept, so that nothing is read twice."""
    levels: list[_Level] = []
    for depth, element in enumerate(above):
        same = depth < len(known) and known[depth].element is element
        level = known[depth] if same else _Level(element, _attributes(element))
        below = above[depth + 1] if depth + 1 < len(above) else record
        for child in reversed(list(below.itersiblings(preceding=True))):
            if len(child) == 0 and child.text and child.text.strip():
                level.flat[element_name(child)] = child.text
        levels.append(level)
        if not same:
            known = []
    return levels


def _forget_before(element: Element) -> None:
    """Free what stands before the elements above the records, once these have moved on."""
    while element is not None:
        parent = element.getparent()
        while parent is not None and element.getprevious() is not None:
            del parent[0]
        element = parent


def _attributes(element: Element) -> Flat:
    found = element.items()
    if not found:
        return {}
    return {
        "@" + (name if name[0] != "{" else attribute_name(element, name)): value
        for name, value in found
    }


def _flat(element: Element, depth: int) -> Flat:
    if depth > _DEEPEST:
        raise UnreadableFile(
            f"Elements are nested more than {_DEEPEST} deep.", where=f"line {element.sourceline}"
        )
    row = None if _is_nested(element) else _row(element)
    if row is None:
        return _branch(element, depth)
    return {name: text for name, text in row.items() if text and not str(text).isspace()}


def _branch(element: Element, depth: int) -> Flat:
    """An element with whatever may stand in it."""
    out = _attributes(element)
    if len(element) == 0:
        text = element.text
        if text and not text.isspace():
            out[""] = text
        return out
    children = list(element)  # kept: each look at a child again would make it anew
    if _is_mixed(element, children):
        out[""] = _markup(element)
        return out
    for name, child in _by_name(children).items():
        if type(child) is list:
            put_all(out, name, (_flat(c, depth + 1) for c in child))
        elif len(child) or child.keys():
            put(out, name, _flat(child, depth + 1))
        else:
            text = child.text
            if text and not text.isspace():
                out[name] = text
    return out


def _row(element: Element) -> Flat | None:
    """An element that is a mere row of texts, blank ones among them; None where one of its
    children is repeated."""
    # This is where most records go, so no call is made for a tag without a namespace.
    row: Flat = {(t if (t := c.tag)[0] != "{" else element_name(c)): c.text or "" for c in element}
    if len(row) != len(element):
        return None
    own = _attributes(element)
    return {**own, **row} if own else row


#: Whether an element is more than a row of texts: grandchildren, children with attributes, or
#: text of its own between them. One look in C instead of three at each child.
_is_nested = etree.XPath("boolean(*/* | */@* | text()[normalize-space()])")
#: The same of any child of an element.
_any_nested = etree.XPath("boolean(*/*/* | */*/@* | */text()[normalize-space()])")


def _by_name(children: list[Element]) -> dict[str, Any]:
    """The children by name: one alone as it is, several as a list."""
    groups: dict[str, Any] = {}
    for child in children:
        name = element_name(child)
        if name not in groups:
            groups[name] = child
        elif type(groups[name]) is list:
            groups[name].append(child)
        else:
            groups[name] = [groups[name], child]
    return groups


def _is_mixed(element: Element, children: list[Element]) -> bool:
    """Text between the children, as in a description with markup."""
    if element.text and not element.text.isspace():
        return True
    for child in children:
        tail = child.tail
        if tail and not tail.isspace():
            return True
    return False


def _markup(element: Element) -> str:
    parts = [element.text or ""]
    for child in element:
        etree.cleanup_namespaces(child)
        parts.append(etree.tostring(child, encoding="unicode", with_tail=True))
    return _SPACE_DECLARED.sub("", "".join(parts)).strip()
