"""What every reader of XML needs: safe parsing, and names as the file writes them."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from nomotax.core.errors import UnreadableFile

_PROLOG = 256 * 1024
#: So many tags are remembered; a file of more is not made of records.
_MOST_NAMES = 10_000
SAFE: dict[str, Any] = {
    "resolve_entities": False,
    "no_network": True,
    "load_dtd": False,
    "huge_tree": False,
    "remove_comments": True,
    "remove_pis": True,
}

Element = Any  # lxml's element is a C type whose stubs know less than we use


def refuse_entities(path: Path) -> None:
    """Raises ``UnreadableFile`` for a file that declares entities."""
    with path.open("rb") as stream:
        prolog = stream.read(_PROLOG).replace(b"\0", b"")
    if b"<!ENTITY" in prolog:
        raise UnreadableFile(
            "This XML declares entities, which can be made to expand without end; it is not read.",
            where="document type declaration",
            remedy="Ask the supplier for a file without entity declarations.",
        )


_names: dict[tuple[str, str | None], str] = {}


def element_name(element: Element) -> str:
    """The local name, with the prefix where the file gives one; worked out once a tag."""
    tag: str = element.tag
    if tag[0] != "{":
        return tag
    key = (tag, element.prefix)
    known = _names.get(key)
    if known is None:
        local = tag[tag.index("}") + 1 :]
        known = f"{element.prefix}:{local}" if element.prefix else local
        if len(_names) < _MOST_NAMES:
            _names[key] = known
    return known


def attribute_name(element: Element, name: str) -> str:
    """The same of an attribute."""
    if name[0] != "{":
        return name
    space, local = name[1:].split("}", 1)
    prefix = next((p for p, uri in element.nsmap.items() if uri == space and p), "")
    return f"{prefix}:{local}" if prefix else local
