"""What the values of a column say for the kind of a field, and columns for each other."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import lru_cache

from nomotax.core.kinds import FieldKind
from nomotax.core.money.currencies import is_currency_word
from nomotax.core.schema.model import Role, StoreField
from nomotax.core.suggest.facts import ColumnFacts, Facts
from nomotax.core.suggest.lexicon import lexicon
from nomotax.core.suggest.names import Asked
from nomotax.core.suggest.places import is_country, is_language
from nomotax.core.suggest.weighing import NOTHING, Piece
from nomotax.core.suggest.words import answered, yes_or_no
from nomotax.core.units.table import find_unit

_NEVER = -9.0
_LINK = r"(?i)^https?://"
_PICTURE = r"(?i)\.(png|jpe?g|gif|webp|svg|tiff?)(\?\S*)?$"
_DOCUMENT = r"(?i)\.(pdf|docx?|xlsx?)(\?\S*)?$"
_DATE = (
    r"^(\d{4}[-/.]\d{1,2}[-/.]\d{1,2}|\d{1,2}[-/. ]\d{1,2}[-/. ]\d{2,4}|(19|20)\d\d(0[1-9]|1[0-2])"
    r"(0[1-9]|[12]\d|3[01]))([T ]\d\d:\d\d\S*)?$"
)
_CODE = r"^[\w./ -]{1,40}$"
_NO_MONEY = ("GTIN", "yes/no", "date (year-month-day)")
#: What counts as few, as most, as hardly any.
_FEW, _MOSTLY, _HARDLY = 5, 0.7, 0.05
_BARCODE = r"^\d{8}$|^\d{12,14}$"


def _barcode(field: StoreField, column: ColumnFacts) -> Piece:
    if column.profile.looks_like != "GTIN" and column.matching(_BARCODE) < 0.8:
        return Piece(_NEVER)
    if column.profile.looks_like != "GTIN":
        return Piece(-1.0)
    return Piece(3.0, "its check digits are right")


def _identifier(field: StoreField, column: ColumnFacts) -> Piece:
    profile = column.profile
    if profile.looks_like in ("picture link", "link", "html", "yes/no") or column.listed:
        return Piece(_NEVER)
    different = profile.distinct / max(1, profile.filled)
    coded = column.matching(_CODE)
    weight = -2.0 if profile.looks_like == "GTIN" else 0.0
    if profile.longest > 60 or coded < 0.8 or _spaced(column) > 0.5:
        return Piece(-3.5)
    if field.unique or field.required or field.role is Role.KEY:
        full = profile.filled >= profile.rows * 0.98
        weight += 1.5 if different > 0.98 and full else -3.0
        return Piece(weight, "hardly any row has that of another" if weight > 0 else "")
    if profile.looks_like.startswith("decimal"):
        weight -= 2.5
    if profile.distinct <= 1 or column.matching(r"\d") < 0.5:
        weight -= 2.0
    return Piece(weight)


def _spaced(column: ColumnFacts) -> float:
    """The share of cells with several words."""
    return column.matching(r"[^\W\d_]{2,} +[^\W\d_]{2,}")


def _link(field: StoreField, column: ColumnFacts) -> Piece:
    linked = column.matching(_LINK)
    file = column.matching(_PICTURE)
    if linked < 0.7 and file < 0.7:
        return Piece(_NEVER)
    if field.role in (Role.PICTURE, Role.PICTURES):
        return Piece(3.0, "its links are pictures") if file > 0.6 else Piece(-4.0)
    if column.matching(_DOCUMENT) > 0.6:
        return Piece(2.0, "its links are documents")
    return Piece(-3.5 if file > 0.6 else 0.5)


def _date(field: StoreField, column: ColumnFacts) -> Piece:
    if column.matching(_DATE) < 0.8:
        return Piece(_NEVER)
    return Piece(2.5, "it holds dates")


def _yes_no(field: StoreField, column: ColumnFacts) -> Piece:
    words = column.words
    if not words or len(words) > 3:
        return Piece(_NEVER)
    if all(yes_or_no(w) is not None for w in words):
        return Piece(1.5, "it holds yes and no")
    return Piece(_NEVER)


def _money(field: StoreField, column: ColumnFacts) -> Piece:
    if column.numeric < 0.8 or column.profile.looks_like in (
        "GTIN",
        "yes/no",
        "date (year-month-day)",
    ):
        return Piece(_NEVER)
    if column.dimension:
        return Piece(-4.0)
    if column.matching(r"[.,]\d\d$") > 0.5 or column.profile.looks_like == "money":
        return Piece(1.0, "it holds amounts")
    return Piece(-0.5)


def _whole(field: StoreField, column: ColumnFacts) -> Piece:
    if column.numeric < 0.8 or column.profile.looks_like in ("GTIN", "html"):
        return Piece(_NEVER)
    if column.matching(r"[.,]\d*[1-9]\d*$") > 0.2 and column.matching(r"[.,]0+\D*$") < 0.5:
        return Piece(-3.5)
    if column.matching(_DATE) > 0.9:
        return Piece(-2.0)
    return Piece(0.5)


def _decimal(field: StoreField, column: ColumnFacts) -> Piece:
    return (
        Piece(0.3)
        if column.numeric >= 0.8 and column.profile.looks_like != "GTIN"
        else Piece(_NEVER)
    )


def _measure(field: StoreField, column: ColumnFacts) -> Piece:
    if column.numeric < 0.7 or column.profile.looks_like in ("GTIN", "yes/no"):
        return Piece(_NEVER)
    own = field.dimension or ""
    units = {u.dimension for u in map(find_unit, column.profile.units) if u}
    there = units or ({column.dimension} if column.dimension else set())
    if there and own not in there:
        return Piece(-3.0)
    return Piece(1.2, "its unit measures the same") if there else NOTHING


def _category(field: StoreField, column: ColumnFacts) -> Piece:
    profile = column.profile
    if profile.longest < 3 or column.numeric > 0.5 or column.matching(_LINK) > 0.3:
        return Piece(-6.0)
    few = profile.distinct <= max(12, profile.filled * 0.6)
    if field.kind is FieldKind.CATEGORIES and "list" not in profile.looks_like:
        # One path a cell is the category, not what it has beside its own.
        return Piece(-3.0)
    if profile.looks_like == "category path":
        return Piece(4.5, "its values are paths")
    if column.matching(r"\d") > 0.7:
        # Codes of groups, not names.
        return Piece(-7.0)
    return Piece(1.2 if few else -2.5)


def _choice(field: StoreField, column: ColumnFacts) -> Piece:
    words = [w for w, _ in column.counted[:25]]
    if not words or column.profile.distinct > max(60, 4 * len(field.allowed)):
        return Piece(-5.0)
    known = answered(field.allowed, tuple(words))
    share = known / len(words)
    if share == 0:
        return Piece(-2.0)
    said = f"{known} of its {len(words)} words are in the store's list"
    return Piece(5.0 * share * min(1.0, 0.4 + len(words) / 8) - 0.7, said)


def _title(field: StoreField, column: ColumnFacts) -> Piece:
    profile = column.profile
    different = profile.distinct / max(1, profile.filled)
    if column.numeric > 0.3 or column.matching(_LINK) > 0.1 or profile.longest < 5:
        return Piece(-6.0)
    if _spaced(column) < 0.3 and column.matching(r"\w\s+\w") < 0.5:
        return Piece(-2.0)
    if profile.looks_like == "html" or column.length > 110:
        return Piece(-2.5)
    return Piece(
        1.8 if different > 0.7 else 0.0, "each is a name of its own" if different > 0.7 else ""
    )


def _rich_text(field: StoreField, column: ColumnFacts) -> Piece:
    if column.numeric > 0.2 or column.matching(_LINK) > 0.3:
        return Piece(-6.0)
    length = column.length
    if column.profile.looks_like == "html" or length > 60:
        return Piece(2.2, "it holds longer texts")
    return Piece(-2.5 if length < 25 else -0.5)


def _text(field: StoreField, column: ColumnFacts) -> Piece:
    if field.role is Role.TITLE:
        return _title(field, column)
    says = _says(field)
    if column.matching(_LINK) > 0.3 or column.profile.looks_like == "GTIN":
        return Piece(-5.0)
    for concepts, known, what in _LISTS:
        if says & concepts:
            return _listed(column, known, what)
    if says & {"brand", "maker"}:
        return _brand(column)
    if column.profile.looks_like == "html" or column.length > 90:
        return Piece(0.5 if "description" in says else -2.5)
    return NOTHING


def _texts(field: StoreField, column: ColumnFacts) -> Piece:
    no_texts = column.numeric > 0.5 or column.matching(_LINK) > 0.3
    return Piece(-6.0 if no_texts else 0.0)


#: Texts that are known by their words: what a field says, and what its words are.
_LISTS: tuple[tuple[frozenset[str], Callable[[str], bool], str], ...] = (
    (frozenset({"origin", "country"}), is_country, "country names"),
    (frozenset({"language"}), is_language, "languages"),
    (frozenset({"currency"}), is_currency_word, "currencies"),
)


def _brand(column: ColumnFacts) -> Piece:
    """A brand is a short word that many rows share."""
    profile = column.profile
    if column.numeric > 0.3 or profile.longest > 60:
        return Piece(-4.0)
    return Piece(0.0 if profile.distinct <= max(20, profile.filled * 0.5) else -2.0)


def _listed(column: ColumnFacts, known: Callable[[str], bool], what: str) -> Piece:
    words = column.words[:30]
    share = sum(map(known, words)) / len(words) if words else 0.0
    return Piece(4.0, f"it holds {what}") if share > 0.7 else Piece(-2.5)


@lru_cache(maxsize=1024)
def _says(field: StoreField) -> frozenset[str]:

    texts = (field.label, field.name.replace("_", " "), *field.synonyms)
    return frozenset().union(*(lexicon("terms").read(t).concepts for t in texts))


_BY_KIND: Mapping[FieldKind, Callable[[StoreField, ColumnFacts], Piece]] = {
    FieldKind.GTIN: _barcode,
    FieldKind.IDENTIFIER: _identifier,
    FieldKind.LINK: _link,
    FieldKind.LINKS: _link,
    FieldKind.DATE: _date,
    FieldKind.YES_NO: _yes_no,
    FieldKind.MONEY: _money,
    FieldKind.INTEGER: _whole,
    FieldKind.DECIMAL: _decimal,
    FieldKind.MEASURE: _measure,
    FieldKind.CATEGORY: _category,
    FieldKind.CATEGORIES: _category,
    FieldKind.CHOICE: _choice,
    FieldKind.TEXT: _text,
    FieldKind.TEXTS: _texts,
    FieldKind.RICH_TEXT: _rich_text,
}


def kind(asked: Asked, column: ColumnFacts, facts: Facts) -> Piece:
    """The values are such as the field takes."""
    if not column.filled or asked.field.kind is FieldKind.OPTIONS:
        # Not even a column of the field's own name fills it.
        return Piece(3 * _NEVER)
    weigh = _BY_KIND.get(asked.field.kind)
    return weigh(asked.field, column) if weigh else NOTHING


def cartons(asked: Asked, column: ColumnFacts, facts: Facts) -> Piece:
    """A barcode of 14 digits is a carton's, one of 13 a piece's."""
    if asked.field.kind is not FieldKind.GTIN or column.profile.looks_like != "GTIN":
        return NOTHING
    carton = any(bag.concepts.keys() & {"carton", "pallet", "inner"} for bag in asked.says)
    long = column.matching(r"^[1-9]\d{13}$") > 0.7
    if carton:
        return Piece(1.5, "it has 14 digits") if long else Piece(-2.0)
    return Piece(-3.0) if long else Piece(0.5)


def prices(asked: Asked, column: ColumnFacts, facts: Facts) -> Piece:
    """A cost lies under the retail price, row by row; where headings say nothing, this tells."""
    role = asked.field.role
    if asked.field.kind is not FieldKind.MONEY or role not in (
        Role.COST,
        Role.PRICE,
        Role.LIST_PRICE,
    ):
        return NOTHING
    under, over = facts.ordered.get(column.name, ("", ""))
    if role is Role.COST:
        return (
            Piece(2.0, f"it lies under '{under}'")
            if under and not over
            else Piece(-2.0 if over else 0)
        )
    if over and not under:
        return Piece(2.0, f"it lies over '{over}'")
    return Piece(-1.5 if under and not over else 0.0)


def neighbours(asked: Asked, column: ColumnFacts, facts: Facts) -> Piece:
    """Where headings say nothing: a brand stands within titles, a title is told by them."""
    if column.helpful or asked.field.kind is not FieldKind.TEXT:
        return NOTHING
    if asked.field.role is Role.TITLE:
        return Piece(1.5) if column.place <= len(facts.columns) // 3 else NOTHING
    if "brand" in _says(asked.field) or "maker" in _says(asked.field):
        held = _held_elsewhere(column, facts)
        return Piece(4.0, "its words stand in the titles") if held > 0.6 else Piece(-1.5)
    return Piece(-1.0)


def _held_elsewhere(column: ColumnFacts, facts: Facts) -> float:
    """The share of rows whose cell stands in a longer cell of the row, in the best column."""
    best = 0.0
    for other in facts.columns:
        if other is column or other.profile.longest <= column.profile.longest:
            continue
        pairs = zip(column.cells.to_list(), other.cells.to_list(), strict=True)
        seen = [(a, b) for a, b in pairs if a and b]
        if seen and len(column.words) > 1 and column.numeric < 0.2:
            held = sum(len(a) > 2 and a.casefold() in b.casefold() for a, b in seen)
            best = max(best, held / len(seen))
    return best


def packs(asked: Asked, column: ColumnFacts, facts: Facts) -> Piece:
    """A carton's price is a piece's times the pieces in it: no cost, and it tells the pieces."""
    said = {concept for bag in asked.says for concept in bag.concepts}
    if asked.field.kind is FieldKind.MONEY and column.name in facts.packs:
        one, count = facts.packs[column.name]
        told = f"it is '{one}' times '{count}'"
        return Piece(1.5, told) if said & {"carton", "packqty", "inner", "pallet"} else Piece(-2.5)
    if "packqty" in said and asked.field.kind in (FieldKind.INTEGER, FieldKind.DECIMAL):
        for many, (one, count) in facts.packs.items():
            if count == column.name:
                return Piece(2.5, f"'{many}' is '{one}' times it")
    return NOTHING


def picture_text(asked: Asked, column: ColumnFacts, facts: Facts) -> Piece:
    """What a picture shows is said to be a picture's."""
    if asked.field.role not in (Role.PICTURE_TEXT, Role.PICTURE_TEXTS) or not column.helpful:
        return NOTHING
    return Piece(0.0 if {"picture"} & {*column.says.concepts, *column.last.concepts} else -2.5)


def kind_of_row(asked: Asked, column: ColumnFacts, facts: Facts) -> Piece:
    """Words that say what a row is, product or variant, are no value of the product."""
    return Piece(-16.0 if column.name in facts.kinds_of_rows else 0.0)


def units(asked: Asked, column: ColumnFacts, facts: Facts) -> Piece:
    """A column of nothing but units says what the numbers of another one are in."""
    if not column.only_units:
        return NOTHING
    said = {concept for bag in asked.says for concept in bag.concepts}
    return Piece(0.0 if said & {"unit", "packaging", "piece"} else -4.0)


def rows_of_one(asked: Asked, column: ColumnFacts, facts: Facts) -> Piece:
    """Codes of variants' groups go over a few rows that follow each other."""
    if asked.field.role is not Role.GROUP and asked.field.kind is not FieldKind.CATEGORY:
        return NOTHING
    if (
        column.profile.distinct < _FEW
        or column.matching(r"\d") < _MOSTLY
        or column.matching(r"\s") > _HARDLY
    ):
        return NOTHING
    seen = len(column.words)
    if column.runs > seen * (1 + _HARDLY) or not 1.2 <= column.filled / max(1, seen) <= 40:
        return NOTHING
    if asked.field.kind is FieldKind.CATEGORY:
        return Piece(-3.0)
    return Piece(4.0, "each goes over a few rows that follow each other")


#: Fields that tell products apart.
_TELLING = (Role.KEY, Role.TITLE, Role.GROUP)
_TELLING_KINDS = (FieldKind.GTIN, FieldKind.IDENTIFIER)


def tells_apart(field: StoreField) -> bool:
    """Whether a field tells products apart: a key, a name, a number, a barcode."""
    return field.role in _TELLING or field.kind in _TELLING_KINDS


def says_one_thing(column: ColumnFacts) -> bool:
    """Whether a column has the same value in all of its rows."""
    return column.profile.distinct == 1 and column.profile.filled > 1


def same_in_all(asked: Asked, column: ColumnFacts, facts: Facts) -> Piece:
    """What tells products apart is not the same for all of them."""
    if not tells_apart(asked.field) or not says_one_thing(column):
        return NOTHING
    said = {concept for bag in asked.says for concept in bag.concepts}
    others = [c for c in facts.columns if c.name != column.name and not says_one_thing(c)]
    likely = any(
        said & set(other.says.concepts) or kind(asked, other, facts).weight >= 1 for other in others
    )
    return Piece(-25.0 if likely else -6.0, "it says the same in every row")


def joined_key(asked: Asked, column: ColumnFacts, facts: Facts) -> Piece:
    """A table that was joined repeats the key that it was joined by: the first of them is meant."""
    return Piece(-4.0) if column.name in facts.joined_keys else NOTHING


EVIDENCE = (
    cartons,
    prices,
    packs,
    picture_text,
    kind_of_row,
    units,
    rows_of_one,
    joined_key,
    same_in_all,
    neighbours,
)
