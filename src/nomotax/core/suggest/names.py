"""What the names of fields and columns say for each other."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache

from rapidfuzz import fuzz

from nomotax.core.kinds import FieldKind
from nomotax.core.schema.model import Role, StoreField, StoreSchema
from nomotax.core.suggest.facts import ColumnFacts, Facts, languages_of
from nomotax.core.suggest.lexicon import Bag, Languages, lexicon
from nomotax.core.suggest.spelling import tokens
from nomotax.core.suggest.weighing import NOTHING, Piece

#: Concepts that many fields share: they say little alone.
_GENERAL = {
    **dict.fromkeys(
        ("number", "item", "link", "quantity", "days", "class", "included", "use"), 0.3
    ),
    **dict.fromkeys(("price", "date", "type", "group", "rate", "second"), 0.45),
    **dict.fromkeys(("description", "weight", "size", "net", "gross", "country", "unit"), 0.75),
    **dict.fromkeys(("minimum", "maximum", "piece", "left", "right"), 0.5),
}
_BY_ROLE: Mapping[Role, tuple[str, ...]] = {
    Role.KEY: ("item", "number"),
    Role.GROUP: ("parent", "model", "number"),
    Role.TITLE: ("title",),
    Role.TEXT: ("description", "long"),
    Role.COST: ("price", "buying"),
    Role.PRICE: ("price", "retail"),
    Role.LIST_PRICE: ("price", "recommended"),
    Role.STOCK: ("stock",),
    Role.PICTURE: ("picture",),
    Role.PICTURES: ("picture",),
}
_BY_KIND: Mapping[FieldKind, tuple[str, ...]] = {
    FieldKind.GTIN: ("barcode",),
    FieldKind.CATEGORY: ("category",),
    FieldKind.CATEGORIES: ("category",),
}
#: How badly two names fit that say different things of one group: both do, only the field does,
#: only the column does.
_CONTRASTS: Mapping[str, tuple[float, float, float]] = {
    "whose": (-4.0, -1.0, -1.0),
    "level": (-5.0, -1.5, -2.0),
    "netgross": (-1.5, -0.2, -0.2),
    "extent": (-3.0, -0.4, -1.0),
    "bound": (-4.0, -1.0, -1.0),
    "pricekind": (-3.5, -0.7, -1.5),
    "quantity": (-4.5, -1.5, -2.0),
    "moment": (-4.0, -1.0, -1.5),
    "document": (-4.0, -1.5, -1.0),
    "dimension": (-5.0, -1.5, -1.5),
    "count": (-4.0, -1.0, -1.0),
    "side": (-4.0, -1.0, -1.0),
}
#: What goes without saying.
_UNSAID = {"piece", "number", "item", "long"}
#: A name that says the same is worth this much in log odds.
_OWN, _SAME, _LAST, _ALIKE = 16.0, 7.5, 4.0, 7.5
#: As much as a text in the store's own language, said in the heading, is worth.
_OWN_TONGUE = 0.7


@dataclass(frozen=True)
class Asked:
    """A field that is asked about: what each of its names says, the names folded, of these its
    label and name, and the languages that the store's own names are likely in."""

    field: StoreField
    says: tuple[Bag, ...]
    spelt: frozenset[str]
    own: frozenset[str]
    schema: StoreSchema
    languages: Languages = frozenset()


def languages_of_schema(schema: StoreSchema) -> Languages:
    """The languages that the store's own names are likely in."""
    labels = [t for f in schema.fields for t in (f.title, f.name.replace("_", " ")) if t]
    words = [a for f in schema.fields for a in f.allowed[:20]]
    return languages_of(labels, words)


@lru_cache(maxsize=4096)
def asked(field: StoreField, schema: StoreSchema, languages: Languages) -> Asked:
    """What a field's label, name and synonyms say."""
    texts = [field.label, field.name.replace("_", " "), *field.synonyms]
    extra = _BY_ROLE.get(field.role, ()) if field.role else _BY_KIND.get(field.kind, ())
    bags = [_with(lexicon("terms").read(t, languages), extra) for t in dict.fromkeys(texts)]
    if field.kind is FieldKind.IDENTIFIER and any("supplier" in b.concepts for b in bags):
        # In a supplier's file an item's number is the supplier's.
        bags.append(Bag({"item": 0.7, "number": 0.7}))
    spelt = ["".join(tokens(t)) for t in texts]
    own = frozenset([*spelt[:1], "".join(tokens(field.name))])
    return Asked(field, tuple(b for b in bags if b), frozenset(spelt), own, schema, languages)


def _with(bag: Bag, extra: tuple[str, ...]) -> Bag:
    """A role says something of a field whatever it is called."""
    added = {c: 0.6 for c in extra if c not in bag.concepts}
    return Bag({**bag.concepts, **added}, bag.unknown)


def own_name(asked: Asked, column: ColumnFacts, facts: Facts) -> Piece:
    """The column is called as the field is: that counts more than what its values look like."""
    if column.called in asked.own:
        return Piece(_OWN, "the field's own name")
    if column.last_called and column.last_called in asked.own:
        return Piece(_LAST, f"'{column.last_part}' is the field's own name")
    if column.called in asked.spelt:
        return Piece(_SAME, f"'{column.name}' is another word for {asked.field.label}")
    return NOTHING


def meaning(asked: Asked, column: ColumnFacts, facts: Facts) -> Piece:
    """The names say the same, in whatever language."""
    if not column.helpful:
        return NOTHING
    kind = asked.field.kind
    says = _in_place(column.says, kind)
    scored = [(_likeness(bag, says), bag) for bag in asked.says]
    if column.last:
        part = _in_place(column.last, kind)
        says = Bag({**part.concepts, **says.concepts}, says.unknown)
        scored += [(_likeness(bag, part) - 0.08, bag) for bag in asked.says]
    if not scored:
        return Piece(-1.0)
    like, bag = max(scored, key=lambda s: s[0])
    if like <= 0:
        # What is not understood speaks for nothing, nor against.
        return Piece(-1.0 if column.says.concepts else 0.0)
    shared = [c for c in bag.concepts if c in says.concepts]
    said = " and ".join(_spoken(c) for c in shared[:3]) or f"'{column.name}'"
    return Piece(_ALIKE * like - 0.5, f"'{column.name}' says {said}")


@lru_cache(maxsize=8192)
def _in_place(bag: Bag, kind: FieldKind) -> Bag:
    """What a heading says where it may be this kind of field: *net* alone, over amounts, is a
    cost, *carton* alone, over whole numbers, how many are in one."""
    concepts = dict(bag.concepts)
    if kind is FieldKind.INTEGER and concepts.keys() == {"carton"}:
        return Bag({"packqty": 0.9}, bag.unknown)
    if kind is FieldKind.MONEY and concepts.keys() <= {"net", "gross", "price"}:
        said = "buying" if "net" in concepts else "recommended" if "gross" in concepts else ""
        concepts |= {"price": 0.7, said: 0.7} if said else {}
    for said, also, weight in _CLOSE:
        if said in concepts and also not in concepts:
            concepts[also] = weight * concepts[said]
    return Bag(concepts, bag.unknown)


#: What is said, what it may mean as well, and how likely that is.
_CLOSE = (
    ("description", "title", 0.45),
    ("maker", "brand", 0.6),
    ("brand", "maker", 0.6),
    ("retail", "recommended", 0.5),
    ("recommended", "retail", 0.5),
    ("arrival", "launch", 0.4),
    ("country", "origin", 0.8),
    ("origin", "country", 0.6),
    ("use", "compatible", 0.4),
    ("fabric", "material", 0.6),
    ("material", "fabric", 0.6),
    ("scent", "flavour", 0.5),
    ("flavour", "scent", 0.5),
    ("type", "style", 0.4),
    ("theme", "style", 0.4),
    ("packaging", "unit", 0.4),
    ("unit", "packaging", 0.4),
    ("outlet", "discontinued", 0.5),
    ("discontinued", "outlet", 0.5),
    ("category", "group", 0.5),
    ("group", "category", 0.6),
    ("group", "parent", 0.6),
    ("title", "second", 0.2),
)


def _spoken(concept: str) -> str:
    return _WORDS.get(concept, concept)


_WORDS = {
    "perunit": "price per amount",
    "leadtime": "lead time",
    "packqty": "pack size",
    "minorder": "least order",
    "orderunit": "order unit",
    "colortemp": "colour temperature",
    "ipclass": "protection class",
    "safetysheet": "safety sheet",
    "sizeguide": "size guide",
    "ovenproof": "oven-proof",
    "color": "colour",
    "smallparts": "small parts",
    "unnumber": "UN number",
}


def _likeness(own: Bag, other: Bag) -> float:
    """How much two names share of what they say, 0 to 1."""
    there = other.concepts
    shared = sum(min(w, there[c]) * _weight(c) for c, w in own.concepts.items() if c in there)
    # A short word of the field's own makes it another thing; in a heading it may be a unit.
    left = _size(own) + 0.3 * sum(len(w) <= 2 for w in own.unknown)
    right = _size(other)
    if other.unknown:
        for word in own.unknown:
            shared += 0.8 * max(_alike(word, w) for w in other.unknown)
    if not left or not right or not shared:
        return 0.0
    return 0.55 * shared / left + 0.45 * shared / right


@lru_cache(maxsize=8192)
def _size(bag: Bag) -> float:
    known = sum(w * _weight(c) for c, w in bag.concepts.items())
    return known + 0.8 * len([w for w in bag.unknown if len(w) > 2]) + 0.1


def _weight(concept: str) -> float:
    return _GENERAL.get(concept, 1.0)


def _alike(one: str, other: str) -> float:
    if one == other:
        return 1.0 if len(one) > 1 else 0.4
    if min(len(one), len(other)) < 4:
        return 0.0
    if one.startswith(other) or other.startswith(one):
        return 0.8
    return fuzz.ratio(one, other, score_cutoff=80) / 100


def contrast(asked: Asked, column: ColumnFacts, facts: Facts) -> Piece:
    """The names say different things of one group: a carton is no piece, a minimum no maximum."""
    if not column.helpful or not asked.says:
        return NOTHING
    there = column.last if column.last.concepts else column.says
    there = _in_place(there, asked.field.kind) if there.concepts.keys() == {"carton"} else there
    return Piece(max(_contrast(bag, there) for bag in asked.says))


@lru_cache(maxsize=65536)
def _contrast(own: Bag, other: Bag) -> float:
    mine, theirs = _grouped(tuple(own.concepts)), _grouped(tuple(other.concepts))
    lost = 0.0
    for group in mine.keys() | theirs.keys():
        here, there = mine.get(group, frozenset()), theirs.get(group, frozenset())
        differing, only_mine, only_theirs = _CONTRASTS[group]
        if here and there and not here & there:
            lost += differing * _nearness(here, there)
        else:
            lost += (only_mine if here - there else 0) + (only_theirs if there - here else 0)
    return lost


@lru_cache(maxsize=4096)
def _grouped(concepts: tuple[str, ...]) -> Mapping[str, frozenset[str]]:
    """What is said of each group that contrasts, but for what goes without saying."""
    groups = lexicon("terms").groups
    said = [c for c in concepts if groups[c] in _CONTRASTS and c not in _UNSAID]
    return {g: frozenset(c for c in said if groups[c] == g) for g in {groups[c] for c in said}}


def _nearness(here: frozenset[str], there: frozenset[str]) -> float:
    """A retail price is nearer to a recommended one than to a cost."""
    return 0.35 if here | there <= {"retail", "recommended"} else 1.0


def initials(asked: Asked, column: ColumnFacts, facts: Facts) -> Piece:
    """The heading is the first letters of the field's words."""
    text = "".join(tokens(column.name))
    if not 2 <= len(text) <= 4 or not text.isalpha():
        return NOTHING
    for name in (asked.field.label, asked.field.name.replace("_", " ")):
        words = tokens(name)
        parts = lexicon("terms").parts(words[0]) if len(words) == 1 else words
        if len(parts) > 1 and "".join(p[0] for p in parts) == text:
            return Piece(4.5, f"'{column.name}' are the first letters of {asked.field.label}")
    return NOTHING


def tongue(asked: Asked, column: ColumnFacts, facts: Facts) -> Piece:
    """A translation has a field of its own; elsewhere a text in no stated language comes first,
    then one in the store's own."""
    own = asked.field.language
    if own is not None:
        return Piece(1.0 if own == column.language else -9.0)
    if column.language in asked.languages:
        return Piece(_OWN_TONGUE, "it is in the store's language")
    return Piece(-1.0 if column.language else 0.0)


def known_key(asked: Asked, column: ColumnFacts, facts: Facts) -> Piece:
    """Its codes are keys of this store already."""
    known = facts.keys.get(column.name)
    if asked.field.role is not Role.KEY or known is None or not known.tried:
        return NOTHING
    return Piece(7.0) if known.as_is * 10 >= known.tried * 9 else NOTHING


EVIDENCE = (meaning, contrast, initials, tongue, known_key)
