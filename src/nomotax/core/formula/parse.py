"""Formula text to a tree, by the grammar of OpenFormula (ODF 1.3 part 4, section 5)."""

from __future__ import annotations

from decimal import Decimal
from functools import lru_cache
from typing import Any

from lark import Lark, Token, Transformer, Tree, UnexpectedInput, v_args
from lark.exceptions import UnexpectedCharacters, UnexpectedEOF, UnexpectedToken, VisitError
from lark.tree import Meta

from nomotax.core.errors import FormulaError
from nomotax.core.formula.tree import Call, Constant, Missing, Node, Place, Reference
from nomotax.core.numbers import SCALE

DEEPEST = 100
LONGEST = 8_000
#: Values, operators and functions of one formula; the time it takes grows with their number.
MOST_PARTS = 1_000
_MOST_DIGITS = 24

# Unary signs bind tighter than ^, as the standard has it: -2^2 is 4.
_GRAMMAR = r"""
?start: "="? compared
?compared: joined | compared COMPARE joined -> binary
?joined: sum | joined JOIN sum -> binary
?sum: product | sum SIGN product -> binary
?product: power | product TIMES power -> binary
?power: unary | power POWER unary -> binary
?unary: percent | SIGN unary -> signed
?percent: primary | percent PERCENT -> percent
?primary: NUMBER -> number
    | TEXT -> text
    | REFERENCE -> reference
    | NAME "(" _arguments? ")" -> call
    | NAME -> name
    | "(" compared ")"
_arguments: argument (_SEPARATOR argument)*
?argument: compared | -> missing
COMPARE: "<=" | ">=" | "<>" | "=" | "<" | ">"
JOIN: "&"
SIGN: "+" | "-"
TIMES: "*" | "/"
POWER: "^"
PERCENT: "%"
_SEPARATOR: ";" | ","
NUMBER: /\d+(\.\d*)?([eE][+-]?\d{1,3})?|\.\d+([eE][+-]?\d{1,3})?/
TEXT: /"([^"]|"")*"/
REFERENCE: /\[([^\]]|\]\])*\]/
NAME: /[A-Za-z_][A-Za-z0-9_.]*/
%ignore /\s+/
"""

_SAID = {
    "COMPARE": "a comparison",
    "JOIN": "&",
    "SIGN": "+ or -",
    "TIMES": "* or /",
    "RPAR": ")",
    "LPAR": "(",
    "_SEPARATOR": ";",
    "NUMBER": "a number",
    "TEXT": 'a text in "quotes"',
    "REFERENCE": "a [column]",
    "NAME": "a function",
    "$END": "the end",
}


class _Builder(Transformer[Token, Node]):
    """Lark's tree to ours."""

    @v_args(meta=True)
    def number(self, meta: Meta, found: list[Token]) -> Node:
        place = _place(meta)
        value = Decimal(str(found[0]))
        if value.adjusted() >= _MOST_DIGITS:
            raise FormulaError("This number is too large.", start=place.start, end=place.end)
        # What is smaller than the last place of a number is nothing.
        return Constant(value if value.adjusted() >= -SCALE else Decimal(0), place)

    @v_args(meta=True)
    def text(self, meta: Meta, found: list[Token]) -> Node:
        return Constant(str(found[0])[1:-1].replace('""', '"'), _place(meta))

    @v_args(meta=True)
    def reference(self, meta: Meta, found: list[Token]) -> Node:
        name = str(found[0])[1:-1].replace("]]", "]")
        if name.startswith("=:"):
            return Reference("fact", name[2:].strip(), _place(meta))
        if name.startswith("="):
            return Reference("field", name[1:].strip(), _place(meta))
        return Reference("column", name, _place(meta))

    @v_args(meta=True)
    def name(self, meta: Meta, found: list[Token]) -> Node:
        word, place = str(found[0]).upper(), _place(meta)
        if word in ("TRUE", "FALSE"):
            return Constant(word == "TRUE", place)
        raise FormulaError(
            f"'{found[0]}' stands alone.",
            start=place.start,
            end=place.end,
            remedy=f"Write [{found[0]}] for a column, [={found[0]}] for a store field, "
            f'"{found[0]}" for a text, or {found[0]}(...) for a function.',
        )

    @v_args(meta=True)
    def call(self, meta: Meta, found: list[Any]) -> Node:
        return Call(str(found[0]).upper(), _arguments(found[1:]), _place(meta))

    @v_args(meta=True)
    def binary(self, meta: Meta, found: list[Any]) -> Node:
        left, sign, right = found
        return Call(str(sign), (left, right), _place(meta))

    @v_args(meta=True)
    def signed(self, meta: Meta, found: list[Any]) -> Node:
        return Call("NEGATED", (found[1],), _place(meta)) if found[0] == "-" else found[1]

    @v_args(meta=True)
    def percent(self, meta: Meta, found: list[Any]) -> Node:
        return Call("%", (found[0],), _place(meta))

    @v_args(meta=True)
    def missing(self, meta: Meta, found: list[Any]) -> Node:
        return Missing(_place(meta))


def _arguments(found: list[Node]) -> tuple[Node, ...]:
    """``TODAY()`` has no argument, not one that was left out."""
    if len(found) == 1 and isinstance(found[0], Missing):
        return ()
    return tuple(found)


def _place(meta: Meta) -> Place:
    return Place(getattr(meta, "start_pos", 0), getattr(meta, "end_pos", 0))


@lru_cache(maxsize=1)
def _parser() -> Lark:
    return Lark(_GRAMMAR, parser="lalr", propagate_positions=True)


@lru_cache(maxsize=512)
def parse(text: str) -> Node:
    """The tree of a formula. Raises ``FormulaError`` with the place of the mistake."""
    _check_size(text)
    try:
        found = _parser().parse(text)
    except UnexpectedInput as error:
        raise _mistake(text, error) from error
    _check_parts(found)
    try:
        return _Builder().transform(found)
    except VisitError as error:
        raise error.orig_exc from error


def _check_size(text: str) -> None:
    if not text.strip().lstrip("="):
        raise FormulaError("The formula is empty.", start=0, end=len(text))
    if len(text) > LONGEST:
        raise FormulaError(
            f"The formula is longer than {LONGEST:,} characters.", start=LONGEST, end=len(text)
        )


def _check_parts(found: Tree[Token]) -> None:
    waiting, parts = [(found, 1)], 0
    while waiting:
        one, depth = waiting.pop()
        parts += 1
        if parts > MOST_PARTS:
            place = _place(one.meta)
            raise FormulaError(
                f"The formula has more than {MOST_PARTS:,} parts.",
                start=place.start,
                end=place.end,
                remedy="Fill another field with a part of it, and use that as [=field].",
            )
        if depth > DEEPEST:
            place = _place(one.meta)
            raise FormulaError(
                f"The formula is nested more than {DEEPEST} deep.",
                start=place.start,
                end=place.end,
                remedy="Fill another field with a part of it, and use that as [=field].",
            )
        waiting += [(c, depth + 1) for c in one.children if isinstance(c, Tree)]


def _mistake(text: str, error: UnexpectedInput) -> FormulaError:
    if isinstance(error, UnexpectedCharacters):
        return _strange(text, error.pos_in_stream or 0)
    expected: set[str] = set()
    start = end = len(text)
    if isinstance(error, UnexpectedToken):
        expected = set(error.accepts or error.expected)
        if error.token.type != "$END":
            start = error.token.start_pos or 0
            end = error.token.end_pos or start + 1
    elif isinstance(error, UnexpectedEOF):
        expected = set(error.expected)
    found = f"'{text[start:end]}' does not fit here" if start < len(text) else "It ends too early"
    return FormulaError(f"{found}; {_wanted(expected)} should follow.", start=start, end=end)


def _strange(text: str, at: int) -> FormulaError:
    sign = text[at]
    said = f"'{sign}' means nothing here."
    if sign == '"':
        said = "This text has no closing quote."
    elif sign == "[":
        said = "This column name has no closing ]."
    end = len(text) if sign in '"[' else at + 1
    return FormulaError(said, start=at, end=end)


def _wanted(expected: set[str]) -> str:
    if "NUMBER" in expected:
        return "a value"
    words = [_SAID[e] for e in ("RPAR", "_SEPARATOR", "LPAR") if e in expected]
    return " or ".join(words) or "an operator"
