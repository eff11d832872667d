"""Every kind of step once: the fill, and the same written by hand in Polars for this one feed."""

from __future__ import annotations

import html
from dataclasses import dataclass, field
from decimal import Decimal
from typing import Any

import nh3
import polars as pl

from nomotax.core.crosswalk.model import Bundle, Crosswalk
from nomotax.core.flow.context import Context, Lookups
from nomotax.core.reading.pictures import PictureIndex
from nomotax.core.schema.model import StoreField, StoreSchema

Step = dict[str, Any]
D38 = pl.Decimal(38, 10)
GROUPS = {f"Paint/Group {i}": f"Painting > Group {i}" for i in range(60)}
COLOURS = {f"c{i}": f"Colour {i}" for i in range(40)}
PICTURES = {f"{i}.png": f"picture:{i:032x}.png" for i in range(1000)}
_TAGS = {"p", "b"}
_SHAPES = {
    "link": r"^(https?://[^\s/]+(/\S*)?|picture:[0-9a-f]{32}\.[a-z]+)$",
    "options": r"^[^|:]+: [^|]+( \| [^|:]+: [^|]+)*$",
}


@dataclass(frozen=True)
class Case:
    """A store field: the arriving column, its steps, and a hand's way to the same values."""

    column: str
    steps: list[Step]
    by_hand: pl.Expr
    kind: str = "text"
    more: dict[str, Any] = field(default_factory=dict)

    def fault(self) -> pl.Expr:
        """Where a hand would say that a value is wrong: it is missing, though the feed has one, or
        is not what its field holds."""
        value = pl.col(self.name)
        wrong = value.is_null() if self.column != "code" else pl.lit(False)
        if self.kind in _SHAPES:
            return wrong | ~value.str.contains(_SHAPES[self.kind])
        if self.kind == "category":
            return wrong | ~value.is_in(list(GROUPS.values()))
        return wrong | (value < 0) if self.kind in ("money", "measure") else wrong

    @property
    def name(self) -> str:
        return "f_" + "_".join(dict.fromkeys(s["do"] for s in self.steps))


def feed(rows: int) -> pl.DataFrame:
    """An arriving table of ``rows`` rows, all text, as clean as the hand's programs need it."""
    n = pl.int_range(rows, eager=False)
    text = n.cast(pl.String)

    def say(form: str, *parts: pl.Expr) -> pl.Expr:
        return pl.format(form, *parts)

    return pl.select(
        key=say("K{}", text),
        name=say("  Cobalt  blue, no. {} of the Range ", n % 5000),
        words=say("red {}; blue; red {}; green", n % 50, n % 50),
        html=say("<p>Deep &amp; <b>warm</b> {}</p><script>x</script>\n<i>old</i>", n % 20_000),
        number=say("{}.{},{}", n % 9 + 1, (n % 900 + 100), (n % 90 + 10)),
        amount=say("{},{} EUR", n % 400 + 1, (n % 90 + 10)),
        pack=(n % 12 + 1).cast(pl.String),
        cost=say("{},{}", n % 300 + 1, (n % 90 + 10)),
        grams=(n % 4000 + 1).cast(pl.String),
        ounces=say("{} lb {} oz", n % 9 + 1, n % 16),
        day=say("{}.{}.2026", (n % 28 + 1).cast(pl.String).str.zfill(2), pl.lit("11")),
        yes=pl.when(n % 3 == 0).then(pl.lit("y")).otherwise(pl.lit("n")),
        code=(n % 99_999 + 1).cast(pl.String),
        digits=say("95200{}", (n % 9_999_999).cast(pl.String).str.zfill(7)),
        group=say("Paint/Group {}", n % 60),
        colour=say("C{}", n % 40),
        picture=say("{}.png", n % 1000),
        gap=pl.when(n % 4 != 0).then(text),
    )


def _comma(name: str) -> pl.Expr:
    return pl.col(name).str.replace_all(".", "", literal=True).str.replace(",", ".").cast(D38)


def _money(value: pl.Expr, places: int = 2) -> pl.Expr:
    return value.round(places, mode="half_away_from_zero").cast(pl.Decimal(38, places))


def _lit(text: str) -> pl.Expr:
    return pl.lit(Decimal(text), dtype=D38)


def _entries(name: str) -> pl.Expr:
    trimmed = pl.col(name).str.split(";").list.eval(pl.element().str.strip_chars())
    return trimmed.list.eval(pl.element().filter(pl.element() != ""))


def _listed(entries: pl.Expr) -> pl.Expr:
    return entries.list.join(" | ")


def _apiece(texts: pl.Series, work: Any) -> pl.Series:
    """Each different text worked once, as a hand that cares for speed would do it."""
    distinct = texts.unique()
    made = pl.Series([work(t) for t in distinct], dtype=pl.String)
    return texts.replace_strict(distinct, made, return_dtype=pl.String)


def _each(name: str, work: Any) -> pl.Expr:
    return pl.col(name).map_batches(lambda s: _apiece(s, work), return_dtype=pl.String)


def _clean(text: str) -> str:
    return nh3.clean(text, tags=_TAGS, attributes={}, url_schemes={"http", "https"}).strip()


def _check_digit() -> pl.Expr:
    number = pl.col("digits").cast(pl.UInt64)
    total = pl.lit(0, dtype=pl.UInt64)
    for place in range(12):
        total = total + (number // 10**place) % 10 * (1 if place % 2 else 3)
    return pl.col("digits") + ((10 - total % 10) % 10).cast(pl.String)


def _laddered() -> pl.Expr:
    """Markup 100 % to 50, margin 40 % above; prices end in .95, never below the cost."""
    cost = _comma("cost")
    raw = pl.when(cost < 50).then(cost * _lit("2")).otherwise(cost / _lit("0.6"))
    cents = (raw * _lit("1000000")).round(0, mode="half_away_from_zero").cast(pl.Int64)
    step, tail = 1_000_000, 950_000
    near = (cents - tail + step // 2) // step * step + tail
    floor = (cost * _lit("1000000")).ceil().cast(pl.Int64)
    near = pl.max_horizontal(near, pl.lit(tail, dtype=pl.Int64))
    lift = pl.max_horizontal((floor - near + step - 1) // step, pl.lit(0, dtype=pl.Int64))
    return _money((near + lift * step).cast(D38) / _lit("1000000"))


_NAME = pl.col("name")
_TRIMMED = _NAME.str.replace_all(r"\s+", " ").str.strip_chars()
_NUMBER: Step = {"do": "number"}
_SPLIT: Step = {"do": "split", "at": ";"}
_POUND, _OUNCE = "0.45359237", "0.028349523125"
_KG = {"unit": "kg", "decimals": 3}
_EUR = {"currency": "EUR"}

CASES = (
    Case("name", [{"do": "trim"}], _TRIMMED),
    Case("name", [{"do": "case", "to": "upper"}], _NAME.str.to_uppercase()),
    Case(
        "name",
        [{"do": "replace", "find": "no.", "put": "#"}],
        _NAME.str.replace_all("no.", "#", literal=True),
    ),
    Case(
        "name",
        [{"do": "pick", "at": ",", "part": 2}],
        _NAME.str.split(",").list.get(1, null_on_oob=True).str.strip_chars(),
    ),
    Case("code", [{"do": "pad", "length": 8}], pl.col("code").str.pad_start(8, "0")),
    Case("key", [{"do": "affix", "before": "Q-"}], pl.lit("Q-") + pl.col("key")),
    Case("key", [{"do": "cut", "length": 4, "whole_words": False}], pl.col("key").str.slice(0, 4)),
    Case(
        "html",
        [{"do": "one_line"}],
        pl.col("html").str.replace_all(r"\s+", " ").str.strip_chars(),
    ),
    Case(
        "name",
        [{"do": "slug"}],
        _NAME.str.normalize("NFKD")
        .str.replace_all(r"\p{M}", "")
        .str.to_lowercase()
        .str.replace_all(r"[^a-z0-9]+", "-")
        .str.strip_chars("-"),
    ),
    Case(
        "name",
        [{"do": "replace_pattern", "find": r"no\. (\d+)", "put": "#$1"}],
        _NAME.str.replace_all(r"no\. (\d+)", "#$1"),
    ),
    Case(
        "name",
        [{"do": "take_pattern", "find": r"no\. (\d+)"}],
        _NAME.str.extract(r"no\. (\d+)"),
    ),
    Case("html", [{"do": "decode_entities"}], _each("html", html.unescape)),
    Case("html", [{"do": "clean_html", "tags": ["p", "b"]}], _each("html", _clean)),
    Case("gap", [{"do": "default", "text": "none"}], pl.col("gap").fill_null("none")),
    Case(
        "code",
        [{"do": "only_if", "formula": '[yes] = "y"'}],
        pl.when(pl.col("yes") == "y").then("code"),
    ),
    Case(
        "code",
        [{"do": "formula", "formula": 'UPPER([colour]) & "/" & LEN([code])'}],
        pl.col("colour").str.to_uppercase() + "/" + pl.col("code").str.len_chars().cast(pl.String),
    ),
    Case("number", [_NUMBER], _money(_comma("number")), "money", _EUR),
    Case(
        "amount",
        [{"do": "number_in"}],
        _money(pl.col("amount").str.extract(r"([\d,]+)").str.replace(",", ".").cast(D38)),
        "money",
        _EUR,
    ),
    Case(
        "number",
        [_NUMBER, {"do": "round", "places": 0}],
        _money(_comma("number").round(0, mode="half_away_from_zero")),
        "money",
        _EUR,
    ),
    Case(
        "number",
        [_NUMBER, {"do": "scale", "times": "3", "by": "4", "plus": "1"}],
        _money(_comma("number") * _lit("3") / _lit("4") + _lit("1")),
        "money",
        _EUR,
    ),
    Case(
        "cost",
        [_NUMBER, {"do": "clamp", "least": "20", "most": "200"}],
        _money(_comma("cost").clip(_lit("20"), _lit("200"))),
        "money",
        _EUR,
    ),
    Case(
        "cost",
        [_NUMBER, {"do": "per_unit", "column": "pack"}],
        _money(_comma("cost") / pl.col("pack").cast(D38)),
        "money",
        _EUR,
    ),
    Case(
        "grams",
        [_NUMBER, {"do": "convert", "source": "g", "target": "kg"}],
        _money(pl.col("grams").cast(D38) / _lit("1000"), 3),
        "measure",
        _KG,
    ),
    Case(
        "ounces",
        [{"do": "measure", "target": "kg"}],
        _money(
            pl.col("ounces").str.extract(r"(\d+) lb").cast(D38) * _lit(_POUND)
            + (
                pl.col("ounces").str.extract(r"(\d+) oz").cast(pl.Decimal(38, 12))
                * pl.lit(Decimal(_OUNCE), dtype=pl.Decimal(38, 12))
            ).cast(D38),
            3,
        ),
        "measure",
        _KG,
    ),
    Case(
        "amount",
        [{"do": "amount", "currency": "EUR"}],
        _money(pl.col("amount").str.strip_suffix(" EUR").str.replace(",", ".").cast(D38)),
        "money",
        _EUR,
    ),
    Case(
        "cost",
        [_NUMBER, {"do": "exchange", "source": "USD", "target": "EUR"}],
        _money(_comma("cost") * _lit("0.9125")),
        "money",
        _EUR,
    ),
    Case("day", [{"do": "date", "order": "dmy"}], pl.col("day").str.to_date("%d.%m.%Y"), "date"),
    Case("yes", [{"do": "yes_no"}], pl.col("yes") == "y", "yes_no"),
    Case("words", [_SPLIT], _listed(_entries("words"))),
    Case("words", [_SPLIT, {"do": "join", "between": ", "}], _entries("words").list.join(", ")),
    Case(
        "words",
        [_SPLIT, {"do": "take", "start": 1, "count": 2}],
        _listed(_entries("words").list.head(2)),
    ),
    Case(
        "words",
        [_SPLIT, {"do": "drop", "words": ["blue"]}],
        _listed(
            _entries("words").list.eval(
                pl.element().filter(pl.element().str.to_lowercase() != "blue")
            )
        ),
    ),
    Case(
        "words",
        [_SPLIT, {"do": "unique"}],
        _listed(_entries("words").list.unique(maintain_order=True)),
    ),
    Case("words", [_SPLIT, {"do": "order"}], _listed(_entries("words").list.sort())),
    Case(
        "key",
        [
            {
                "do": "options",
                "options": [
                    {"name": "Colour", "column": "colour"},
                    {"name": "Pack", "column": "pack"},
                ],
            }
        ],
        pl.format("Colour: {} | Pack: {}", "colour", "pack"),
        "options",
    ),
    Case(
        "picture",
        [{"do": "picture_files"}],
        pl.col("picture").replace_strict(PICTURES, return_dtype=pl.String),
        "link",
    ),
    Case("code", [{"do": "leading_zeros", "length": 6}], pl.col("code").str.zfill(6)),
    Case("digits", [{"do": "check_digit", "how": "add"}], _check_digit()),
    Case("digits", [{"do": "gtin", "length": 13}], pl.lit("0") + pl.col("digits")),
    Case(
        "colour",
        [{"do": "value_table", "table": "colours"}],
        pl.col("colour").str.to_lowercase().replace_strict(COLOURS, return_dtype=pl.String),
    ),
    Case(
        "group",
        [{"do": "category_table", "table": "groups"}],
        pl.col("group").replace_strict(GROUPS, return_dtype=pl.String),
        "category",
    ),
    Case("cost", [_NUMBER, {"do": "ladder", "ladder": "l"}], _laddered(), "money", _EUR),
    Case("name", [{"do": "chain", "chain": "tidy"}], _TRIMMED.str.to_lowercase()),
    Case(
        "html",
        [{"do": "html_to_text", "lines": False}],
        _each("html", lambda t: html.unescape(nh3.clean(t, tags=set())).replace("\n", " ").strip()),
    ),
)

_LOOKUPS = Bundle.model_validate(
    {
        "crosswalk": {},
        "value_tables": [{"name": "colours", "entries": COLOURS}],
        "category_tables": [{"name": "groups", "placements": GROUPS}],
        "ladders": [
            {
                "name": "l",
                "ending": "95",
                "rungs": [
                    {"start": "0", "kind": "markup", "amount": "100"},
                    {"start": "50", "kind": "margin", "amount": "40"},
                ],
            }
        ],
        "rates": [{"source": "USD", "target": "EUR", "rate": "0.9125", "day": "2026-11-20"}],
        "chains": [{"name": "tidy", "steps": [{"do": "trim"}, {"do": "case", "to": "lower"}]}],
    }
).lookups()


def context() -> Context:
    """What the engine's steps may ask about."""
    lookups: Lookups = _LOOKUPS
    pictures = PictureIndex(PICTURES)
    facts = {"received": "2026-11-23"}
    return Context(",", lookups, frozenset(GROUPS.values()), facts, pictures=pictures)


def crosswalk(cases: tuple[Case, ...]) -> Crosswalk:
    """The fills of these cases, and the key."""
    fills = {c.name: {"parts": [{"column": c.column}], "steps": c.steps} for c in cases}
    return Crosswalk.model_validate({"fills": {"key": {"parts": [{"column": "key"}]}} | fills})


def schema(cases: tuple[Case, ...]) -> StoreSchema:
    """A field for each case."""
    fields = [StoreField.model_validate({"name": c.name, "kind": c.kind} | c.more) for c in cases]
    key = StoreField(name="key", required=True)
    return StoreSchema(name="steps", key="key", fields=(key, *fields))
