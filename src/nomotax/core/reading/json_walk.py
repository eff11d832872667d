"""Walks a JSON document of any length value by value, holding no more than one value at a time.

The values themselves are read by the standard library's decoder.
"""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Iterator
from json.scanner import make_scanner
from typing import IO, Any, TypeVar

T = TypeVar("T")

_CHUNK = 1 << 20
#: A break this near the end of what has been read may be no break but a value cut in two.
_NEAR = 16
_NEXT = re.compile(r"[ \t\r\n]*,[ \t\r\n]*(?=[^ \t\r\n])")
_BLANK = re.compile(r"[ \t\r\n]*")


class BrokenJson(Exception):
    """The text is no JSON, or ends before its end."""


def _refuse(name: str) -> Any:
    raise BrokenJson(f"{name} is no JSON value")


_DECODER = json.JSONDecoder(parse_int=str, parse_float=str, parse_constant=_refuse, strict=False)

#: What ``raw_decode`` calls, without its own work for each value.
_scan = make_scanner(_DECODER)  # type: ignore[arg-type]  # a decoder is what it takes


def parse_value(text: str) -> Any:
    """One whole document; numbers keep the digits they are written with.

    Raises ``BrokenJson``.
    """
    try:
        return _DECODER.decode(text)
    except json.JSONDecodeError as error:
        raise BrokenJson(f"{error.msg} at character {error.pos + 1}") from error


class JsonWalk:
    """A place in a JSON text that moves forward only."""

    def __init__(self, stream: IO[str]) -> None:
        self._stream = stream
        self._text = ""
        self._at = 0
        self._gone = 0
        self._ended = False

    def elements(self, steps: list[str]) -> Iterator[list[Any]]:
        """The elements of every list at ``steps`` (member names, ``[]`` for the elements of a
        list), some at a time.

        Everything else is walked over, so a break behind the records is found too.
        """
        yield from self._descend(steps, "[", self._elements)
        self._finish()

    def members(self, steps: list[str]) -> Iterator[list[tuple[str, Any]]]:
        """The members of every object at ``steps``, with their names."""
        yield from self._descend(steps, "{", self._members)
        self._finish()

    def _finish(self) -> None:
        if self._peek():
            raise self._broken("there is more text behind the end")

    def _descend(
        self, steps: list[str], wanted: str, leaf: Callable[[], Iterator[list[T]]]
    ) -> Iterator[list[T]]:
        opening = self._peek()
        if not steps and opening == wanted:
            yield from leaf()
        elif steps and steps[0] == "[]" and opening == "[":
            for _ in self._entries("]"):
                yield from self._descend(steps[1:], wanted, leaf)
        elif steps and opening == "{":
            for _ in self._entries("}"):
                if self._name() == steps[0]:
                    yield from self._descend(steps[1:], wanted, leaf)
                else:
                    self._value()
        else:
            self._value()

    def _elements(self) -> Iterator[list[Any]]:
        for _ in self._entries("]"):
            yield [self._value()]
            yield self._whole_elements()

    def _whole_elements(self) -> list[Any]:
        """The elements that follow, as long as they are whole in what has been read: nearly all
        of a file, in a tight loop. Leaves off behind an element."""
        text, at, decode, between = self._text, self._at, _scan, ","
        found: list[Any] = []
        try:
            while True:
                if not text.startswith(between, at):
                    comma = _NEXT.match(text, at)
                    if comma is None:
                        break
                    between = comma.group()
                value, end = decode(text, at + len(between))
                if end == len(text):
                    break
                at = end
                found.append(value)
        except (json.JSONDecodeError, StopIteration):
            pass  # tried once more with more text, and told there if it is broken
        self._at = at
        return found

    def _members(self) -> Iterator[list[tuple[str, Any]]]:
        for _ in self._entries("}"):
            yield [(self._name(), self._value())]

    def _entries(self, closing: str) -> Iterator[None]:
        """Stands before each entry of a list or an object in turn, then behind its end."""
        self._at += 1
        if self._peek() == closing:
            self._at += 1
            return
        while True:
            yield
            sign = self._peek()
            self._at += 1
            if sign == closing:
                return
            if sign != ",":
                self._at -= 1
                raise self._broken(f"'{closing}' or ',' is missing")

    def _name(self) -> str:
        if self._peek() != '"':
            raise self._broken("a member's name is missing")
        name = self._value()
        if self._peek() != ":":
            raise self._broken("':' is missing behind a member's name")
        self._at += 1
        return str(name)

    def _value(self) -> Any:
        """The value that begins here; more is read until it is whole."""
        if not self._peek():
            raise self._broken("it ends too early")
        while True:
            try:
                value, end = _DECODER.raw_decode(self._text, self._at)
            except json.JSONDecodeError as error:
                cut = error.pos >= len(self._text) - _NEAR or error.msg.startswith("Unterminated")
                if self._ended or not cut:
                    early = self._ended and cut
                    self._at = error.pos
                    said = "it ends too early" if early else error.msg.lower()
                    raise self._broken(said) from error
                self._read_on()
                continue
            if end == len(self._text) and not self._ended:
                self._read_on()  # a number may go on behind what has been read
                continue
            self._at = end
            return value

    def _peek(self) -> str:
        """The next sign that is no blank, "" at the end."""
        while True:
            blank = _BLANK.match(self._text, self._at)
            self._at = blank.end() if blank else self._at
            if self._at < len(self._text):
                return self._text[self._at]
            if self._ended:
                return ""
            self._read_on()

    def _read_on(self) -> None:
        # A value that is not whole yet doubles what is held, so that it is tried a few times only.
        rest = self._text[self._at :]
        more = self._stream.read(max(_CHUNK, len(rest)))
        self._ended = not more
        self._gone += self._at
        self._text, self._at = rest + more, 0

    def _broken(self, said: str) -> BrokenJson:
        return BrokenJson(f"{said} (character {self._gone + self._at + 1:,})")
