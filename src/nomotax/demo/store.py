"""Ostrelle Art Supply: its product schema, its category tree and what it sold before."""

from __future__ import annotations

from decimal import Decimal

from nomotax.core.gtin import check_digit
from nomotax.core.kinds import FieldKind as K
from nomotax.core.schema.model import Role, StoreField, StoreSchema


def _f(name: str, kind: K = K.TEXT, title: str = "", group: str = "", **more: object) -> StoreField:
    return StoreField.model_validate(
        {"name": name, "kind": kind, "title": title, "group": group, **more}
    )


_LANGUAGES = (("fr", "French"), ("de", "German"))
_MONEY = {"currency": "EUR", "decimals": 2}

SCHEMA = StoreSchema(
    name="Ostrelle products",
    key="sku",
    fields=(
        _f(
            "sku",
            K.IDENTIFIER,
            "SKU",
            "Identity",
            required=True,
            unique=True,
            role=Role.KEY,
            pattern="[A-Z]{2}-[A-Z0-9-]+",
            max_length=24,
            synonyms=("item number", "art no"),
        ),
        _f(
            "supplier_sku",
            K.IDENTIFIER,
            "Supplier's number",
            "Identity",
            max_length=32,
            synonyms=("artno", "article number", "item no", "mpn"),
        ),
        _f("gtin", K.GTIN, "GTIN", "Identity", synonyms=("ean", "upc", "barcode", "ean13")),
        _f(
            "name",
            K.TEXT,
            "Name",
            "Texts",
            required=True,
            max_length=80,
            role=Role.TITLE,
            synonyms=("title", "désignation", "designation", "description short", "label"),
        ),
        _f(
            "description",
            K.RICH_TEXT,
            "Description",
            "Texts",
            max_length=4000,
            role=Role.TEXT,
            synonyms=("text", "long text", "body", "details"),
        ),
        *(
            _f(
                f"name_{tag}",
                K.TEXT,
                f"Name in {language}",
                "Other languages",
                max_length=80,
                language=tag,
                of="name",
                synonyms=("title", "désignation", "bezeichnung", "label"),
            )
            for tag, language in _LANGUAGES
        ),
        *(
            _f(
                f"description_{tag}",
                K.RICH_TEXT,
                f"Description in {language}",
                "Other languages",
                max_length=4000,
                language=tag,
                of="description",
                synonyms=("text", "long text", "body"),
            )
            for tag, language in _LANGUAGES
        ),
        _f("brand", K.TEXT, "Brand", "Texts", max_length=40, synonyms=("maker", "manufacturer")),
        _f(
            "product_line",
            K.TEXT,
            "Line",
            "Texts",
            max_length=40,
            synonyms=("range", "series", "gamme", "collection"),
        ),
        _f(
            "category",
            K.CATEGORY,
            "Category",
            "Placement",
            required=True,
            synonyms=("group", "category path", "department", "product type"),
        ),
        _f("more_categories", K.CATEGORIES, "More categories", "Placement"),
        _f(
            "variant_of",
            K.IDENTIFIER,
            "Variant of",
            "Variants",
            max_length=40,
            role=Role.GROUP,
            synonyms=("parent sku", "group key", "style number"),
        ),
        _f("options", K.OPTIONS, "Options", "Variants", role=Role.OPTIONS),
        _f(
            "cost",
            K.MONEY,
            "Cost",
            "Prices",
            role=Role.COST,
            **_MONEY,
            synonyms=("net price", "purchase price", "buying price", "dealer price"),
        ),
        _f(
            "price",
            K.MONEY,
            "Price",
            "Prices",
            required=True,
            role=Role.PRICE,
            **_MONEY,
            minimum=Decimal("0.05"),
            synonyms=("selling price", "retail price"),
        ),
        _f(
            "list_price",
            K.MONEY,
            "List price",
            "Prices",
            role=Role.LIST_PRICE,
            **_MONEY,
            synonyms=("rrp", "msrp", "recommended price"),
        ),
        _f(
            "vat_rate",
            K.CHOICE,
            "VAT rate %",
            "Prices",
            allowed=("20", "10", "0"),
            synonyms=("tax", "vat", "tax class"),
        ),
        _f(
            "stock",
            K.INTEGER,
            "Stock",
            "Stock",
            minimum=Decimal(0),
            role=Role.STOCK,
            synonyms=("quantity", "qty", "on hand", "inventory"),
        ),
        _f(
            "min_order",
            K.INTEGER,
            "Least order",
            "Stock",
            minimum=Decimal(1),
            synonyms=("moq", "minimum order quantity", "min qty"),
        ),
        _f(
            "pack_size",
            K.INTEGER,
            "Pieces a pack",
            "Stock",
            minimum=Decimal(1),
            synonyms=("pack", "pack qty", "units per pack"),
        ),
        _f(
            "available_from",
            K.DATE,
            "Available from",
            "Stock",
            synonyms=("since", "release date", "launch"),
        ),
        _f(
            "colour",
            K.CHOICE,
            "Colour",
            "Properties",
            allowed=(
                "White",
                "Yellow",
                "Orange",
                "Red",
                "Pink",
                "Violet",
                "Blue",
                "Turquoise",
                "Green",
                "Ochre",
                "Brown",
                "Black",
                "Metallic",
            ),
            synonyms=("col", "color", "colour code"),
        ),
        _f(
            "pigment",
            K.TEXT,
            "Pigment index",
            "Properties",
            max_length=16,
            pattern=r"P[A-Za-z]{1,2}\d+(:\d)?",
            synonyms=("colour index", "ci name"),
        ),
        _f(
            "lightfastness",
            K.CHOICE,
            "Lightfastness",
            "Properties",
            allowed=("I", "II", "III", "IV"),
            synonyms=("lf", "light fastness", "astm"),
        ),
        _f(
            "opacity",
            K.CHOICE,
            "Opacity",
            "Properties",
            allowed=("opaque", "semi-opaque", "semi-transparent", "transparent"),
            synonyms=("op", "transparency"),
        ),
        _f(
            "form",
            K.TEXT,
            "Form",
            "Properties",
            max_length=40,
            synonyms=("format", "packaging", "container"),
        ),
        _f(
            "volume",
            K.MEASURE,
            "Volume",
            "Measures",
            unit="ml",
            decimals=1,
            synonyms=("vol", "content", "vol ml"),
        ),
        _f(
            "net_weight",
            K.MEASURE,
            "Net weight",
            "Measures",
            unit="kg",
            decimals=3,
            synonyms=("weight", "net g", "net wt"),
        ),
        _f("length", K.MEASURE, "Length", "Measures", unit="cm", decimals=1, synonyms=("l mm",)),
        _f("width", K.MEASURE, "Width", "Measures", unit="cm", decimals=1, synonyms=("w mm",)),
        _f("height", K.MEASURE, "Height", "Measures", unit="cm", decimals=1, synonyms=("h mm",)),
        _f(
            "origin",
            K.TEXT,
            "Country of origin",
            "Trade",
            pattern="[A-Z]{2}",
            synonyms=("country", "made in"),
        ),
        _f(
            "hazardous",
            K.YES_NO,
            "Hazardous",
            "Trade",
            synonyms=("haz", "dangerous goods", "hazard"),
        ),
        _f(
            "picture",
            K.LINK,
            "Picture",
            "Pictures",
            role=Role.PICTURE,
            synonyms=("image", "image url", "photo", "main image"),
        ),
        _f(
            "more_pictures",
            K.LINKS,
            "More pictures",
            "Pictures",
            role=Role.PICTURES,
            synonyms=("picture 2", "image 2", "gallery", "additional images"),
        ),
        _f(
            "picture_text",
            K.TEXT,
            "Text of the picture",
            "Pictures",
            max_length=200,
            role=Role.PICTURE_TEXT,
            of="picture",
            synonyms=("alt", "alt text", "image caption"),
        ),
        _f(
            "more_picture_texts",
            K.TEXTS,
            "Texts of more pictures",
            "Pictures",
            role=Role.PICTURE_TEXTS,
            of="more_pictures",
        ),
        *(_f(f"spare_{n}", K.TEXT, f"Spare {n}", "Spare", spare=True) for n in range(1, 6)),
    ),
)

CATEGORIES = [
    "Painting", "Painting > Watercolour", "Painting > Watercolour > Pans",
    "Painting > Watercolour > Tubes", "Painting > Watercolour > Sets", "Painting > Gouache",
    "Painting > Oil", "Painting > Oil > Studio tubes", "Painting > Oil > Large tubes",
    "Painting > Oil > Sets", "Painting > Acrylic", "Painting > Acrylic > Tubes",
    "Painting > Acrylic > Bottles and tubs", "Painting > Acrylic > Sets", "Painting > Encaustic",
    "Drawing", "Drawing > Inks", "Drawing > Pastels", "Drawing > Pastels > Soft pastels",
    "Drawing > Pencils", "Pigments and binders", "Pigments and binders > Dry pigments",
    "Pigments and binders > Dry pigments > Small jars",
    "Pigments and binders > Dry pigments > Studio sizes",
    "Pigments and binders > Binders", "Mediums and varnishes",
    "Mediums and varnishes > For watercolour", "Mediums and varnishes > For oil",
    "Mediums and varnishes > For acrylic", "Mediums and varnishes > Varnishes", "Brushes",
    "Brushes > Watercolour brushes", "Brushes > Bristle brushes", "Paper",
    "Paper > Watercolour paper", "Paper > Drawing paper", "Studio", "Studio > Easels",
]  # fmt: skip

#: What the categories are called in French and in German.
CATEGORY_NAMES = {
    "Painting": ("Peinture", "Malen"),
    "Painting > Watercolour": ("Aquarelle", "Aquarell"),
    "Painting > Watercolour > Pans": ("Godets", "Näpfchen"),
    "Painting > Watercolour > Tubes": ("Tubes", "Tuben"),
    "Painting > Watercolour > Sets": ("Coffrets", "Kästen"),
    "Painting > Gouache": ("Gouache", "Gouache"),
    "Painting > Oil": ("Huile", "Öl"),
    "Painting > Oil > Studio tubes": ("Tubes d'atelier", "Studientuben"),
    "Painting > Oil > Large tubes": ("Grands tubes", "Große Tuben"),
    "Painting > Acrylic": ("Acrylique", "Acryl"),
    "Painting > Encaustic": ("Encaustique", "Enkaustik"),
    "Drawing": ("Dessin", "Zeichnen"),
    "Drawing > Inks": ("Encres", "Tuschen"),
    "Drawing > Pastels": ("Pastels", "Pastelle"),
    "Drawing > Pencils": ("Crayons", "Stifte"),
    "Pigments and binders": ("Pigments et liants", "Pigmente und Bindemittel"),
    "Mediums and varnishes": ("Médiums et vernis", "Malmittel und Firnisse"),
    "Brushes": ("Pinceaux", "Pinsel"),
    "Brushes > Watercolour brushes": ("Pinceaux aquarelle", "Aquarellpinsel"),
    "Brushes > Bristle brushes": ("Brosses en soie", "Borstenpinsel"),
    "Paper": ("Papier", "Papier"),
    "Paper > Watercolour paper": ("Papier aquarelle", "Aquarellpapier"),
    "Paper > Drawing paper": ("Papier à dessin", "Zeichenpapier"),
    "Studio": ("Atelier", "Atelier"),
    "Studio > Easels": ("Chevalets", "Staffeleien"),
}

#: Where the store puts what Quarrow groups its own way (for the catalog of earlier products).
STORE_PLACES = {
    "Paint/Watercolour/Half pans": "Painting > Watercolour > Pans",
    "Paint/Watercolour/Full pans": "Painting > Watercolour > Pans",
    "Paint/Watercolour/Tubes": "Painting > Watercolour > Tubes",
    "Paint/Gouache/Tubes": "Painting > Gouache",
    "Paint/Gouache/Jars": "Painting > Gouache",
    "Paint/Oil/Tubes to 60 ml": "Painting > Oil > Studio tubes",
    "Paint/Oil/Large tubes": "Painting > Oil > Large tubes",
    "Paint/Acrylic/Tubes": "Painting > Acrylic > Tubes",
    "Paint/Acrylic/Bottles": "Painting > Acrylic > Bottles and tubs",
    "Paint/Acrylic/Tubs": "Painting > Acrylic > Bottles and tubs",
    "Pigment/Dry/Small jars": "Pigments and binders > Dry pigments > Small jars",
    "Pigment/Dry/Large jars": "Pigments and binders > Dry pigments > Studio sizes",
    "Pigment/Dry/Bags": "Pigments and binders > Dry pigments > Studio sizes",
    "Ink/Drawing ink": "Drawing > Inks",
    "Paint/Encaustic": "Painting > Encaustic",
    "Dry media/Soft pastel": "Drawing > Pastels > Soft pastels",
}

STORE_COLOURS = {
    "W": "White", "Y": "Yellow", "O": "Orange", "R": "Red", "P": "Pink", "V": "Violet",
    "B": "Blue", "G": "Green", "E": "Ochre", "N": "Brown", "K": "Black", "M": "Metallic",
    "T": "Turquoise",
}  # fmt: skip


def _other_products() -> list[dict[str, str]]:
    """What the store sells from other suppliers; one has taken a number in Quarrow's shape."""
    made = []
    for n in range(60):
        kind = "round" if n % 2 else "flat"
        made.append(
            _other(
                f"BB-{100 + n}",
                "Brindlecombe Brushes",
                f"Brush {kind}, size {n // 2}",
                "Brushes > Watercolour brushes",
                Decimal("2.40") + n,
            )
        )
    for n in range(45):
        made.append(
            _other(
                f"SP-{300 + n}",
                "Sollund Paper Mill",
                f"Watercolour block {n + 1}",
                "Paper > Watercolour paper",
                Decimal("6.10") + n,
            )
        )
    made.append(
        _other(
            "QP-007001", "Brindlecombe Brushes", "Brush case, roll-up", "Brushes", Decimal("9.00")
        )
    )
    return made


def _other(sku: str, supplier: str, name: str, category: str, cost: Decimal) -> dict[str, str]:
    digits = f"95250{sum(map(ord, sku)) * 37 % 10_000_000:07d}"
    return {
        "supplier": supplier, "sku": sku, "name": name, "brand": supplier.split(maxsplit=1)[0],
        "category": category, "cost": f"{cost:.2f}", "price": f"{cost * 2 + Decimal('0.95'):.2f}",
        "vat_rate": "20", "stock": str(len(name)), "gtin": digits + str(check_digit(digits)),
    }  # fmt: skip


OTHER_PRODUCTS = _other_products()
