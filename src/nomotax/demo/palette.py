"""The colours, forms and groups the demo suppliers sell. Colour names are those of pigments."""

from __future__ import annotations

from typing import NamedTuple


class Colour(NamedTuple):
    name: str
    french: str
    code: str
    pigment: str
    rgb: str
    lightfast: str
    opacity: str
    dearness: int


def _colours() -> list[Colour]:
    table = """
Titanium White|Blanc de titane|W|PW6|f7f6f1|I|O|1
Zinc White|Blanc de zinc|W|PW4|f3f4f2|I|T|1
Buff Titanium|Beige de titane|W|PW6:1|e6dcc6|I|O|1
Lemon Yellow|Jaune citron|Y|PY3|f6e63b|II|ST|1
Hansa Yellow|Jaune hansa|Y|PY74|f8cf2c|I|ST|1
Cadmium Yellow|Jaune de cadmium|Y|PY35|f6b915|I|O|3
Naples Yellow|Jaune de Naples|Y|PY53|efd18b|I|O|2
Indian Yellow|Jaune indien|Y|PY110|e8a11c|I|T|2
Nickel Azo Yellow|Jaune azo nickel|Y|PY150|c9a31f|I|T|2
Cadmium Orange|Orange de cadmium|O|PO20|ee7a1d|I|O|3
Pyrrole Orange|Orange pyrrole|O|PO73|ea5a24|I|SO|2
Benzimida Orange|Orange benzimida|O|PO62|f0862a|I|ST|2
Cadmium Red|Rouge de cadmium|R|PR108|d4261f|I|O|3
Pyrrole Red|Rouge pyrrole|R|PR254|c81f27|I|SO|2
Naphthol Red|Rouge naphtol|R|PR170|c3202f|II|ST|1
Perylene Maroon|Marron pérylène|R|PR179|7c1d28|I|T|2
Venetian Red|Rouge de Venise|R|PR101|a64a33|I|O|1
Madder Lake|Laque de garance|R|PR83|9d1b36|III|T|2
Quinacridone Rose|Rose quinacridone|P|PV19|c52563|I|T|2
Opera Pink|Rose opéra|P|PR122|e2418f|III|T|1
Potter's Pink|Rose de potier|P|PR233|b98580|I|ST|3
Quinacridone Magenta|Magenta quinacridone|V|PR202|8f1f55|I|T|2
Dioxazine Violet|Violet dioxazine|V|PV23|42266b|II|T|1
Manganese Violet|Violet de manganèse|V|PV16|6c3d7c|I|ST|2
Cobalt Violet|Violet de cobalt|V|PV14|9a5aa0|I|ST|4
Ultramarine Blue|Bleu outremer|B|PB29|2438a3|I|T|1
Cobalt Blue|Bleu de cobalt|B|PB28|2356b1|I|ST|4
Cerulean Blue|Bleu céruléen|B|PB35|3f86b7|I|SO|4
Phthalo Blue|Bleu phtalo|B|PB15|123e83|I|T|1
Prussian Blue|Bleu de Prusse|B|PB27|132f4c|I|T|1
Indanthrone Blue|Bleu indanthrène|B|PB60|262c57|I|T|2
Viridian|Vert émeraude|G|PG18|2f7a61|I|T|3
Phthalo Green|Vert phtalo|G|PG7|0e5b4b|I|T|1
Chromium Oxide Green|Vert oxyde de chrome|G|PG17|5c7a4a|I|O|2
Green Earth|Terre verte|G|PG23|7c8b6b|I|T|1
Sap Green|Vert de vessie|G|PG36|5f7f2d|I|T|1
Cobalt Green|Vert de cobalt|G|PG50|49917f|I|SO|4
Yellow Ochre|Ocre jaune|E|PY43|c9973f|I|SO|1
Raw Sienna|Terre de Sienne naturelle|E|PBr7|b07e3c|I|ST|1
Burnt Sienna|Terre de Sienne brûlée|E|PBr7|8a4526|I|ST|1
Raw Umber|Terre d'ombre naturelle|N|PBr7|6b5438|I|SO|1
Burnt Umber|Terre d'ombre brûlée|N|PBr7|523523|I|SO|1
Vandyke Brown|Brun Van Dyck|N|PBr8|40301f|II|ST|1
Ivory Black|Noir d'ivoire|K|PBk9|26241f|I|SO|1
Lamp Black|Noir de fumée|K|PBk6|1d1e20|I|O|1
Payne's Grey|Gris de Payne|K|PBk7|39424e|I|ST|1
Pewter Silver|Argent étain|M|PW20|a9abae|I|O|2
Antique Gold|Or ancien|M|PW20|b28d3f|I|O|2
"""
    rows = [line.split("|") for line in table.strip().splitlines()]
    return [
        Colour(n, french, code, pigment, rgb, fast, opacity, int(dear))
        for n, french, code, pigment, rgb, fast, opacity, dear in rows
    ]


COLOURS = _colours()
TURQUOISE = Colour("Cobalt Turquoise", "Turquoise de cobalt", "T", "PG50", "1f9a9a", "I", "SO", 4)


class Form(NamedTuple):
    range: str
    form: str
    medium: str
    group: str
    ml: str
    grams: int
    base: str
    millimetres: tuple[int, int, int]


def _forms() -> list[Form]:
    table = """
Aquaria|half pan|watercolour|Paint/Watercolour/Half pans|1,8|6|2.10|20,16,10
Aquaria|full pan|watercolour|Paint/Watercolour/Full pans|3,6|10|3.40|31,20,11
Aquaria|tube 5 ml|watercolour|Paint/Watercolour/Tubes|5|14|2.95|75,18,18
Aquaria|tube 15 ml|watercolour|Paint/Watercolour/Tubes|15|30|5.60|110,24,24
Gouverna|tube 20 ml|gouache|Paint/Gouache/Tubes|20|38|3.15|115,26,26
Gouverna|jar 60 ml|gouache|Paint/Gouache/Jars|60|118|6.80|52,52,48
Olivar|tube 40 ml|oil|Paint/Oil/Tubes to 60 ml|40|82|4.70|130,30,30
Olivar|tube 120 ml|oil|Paint/Oil/Large tubes|120|215|10.90|165,42,42
Olivar|tube 200 ml|oil|Paint/Oil/Large tubes|200|352|16.20|190,50,50
Acrelle|tube 60 ml|acrylic|Paint/Acrylic/Tubes|60|96|3.25|140,35,35
Acrelle|bottle 120 ml|acrylic|Paint/Acrylic/Bottles|120|168|5.10|130,48,48
Acrelle|bottle 250 ml|acrylic|Paint/Acrylic/Bottles|250|322|8.40|160,60,60
Acrelle|tub 500 ml|acrylic|Paint/Acrylic/Tubs|500|640|14.60|110,95,95
Terrae|jar 50 g|pigment|Pigment/Dry/Small jars||50|3.90|60,45,45
Terrae|jar 100 g|pigment|Pigment/Dry/Small jars||100|6.30|75,55,55
Terrae|jar 250 g|pigment|Pigment/Dry/Large jars||250|13.50|95,75,75
Terrae|jar 500 g|pigment|Pigment/Dry/Large jars||500|24.00|120,95,95
Terrae|bag 1000 g|pigment|Pigment/Dry/Bags||1000|41.00|240,160,60
Scripta|bottle 30 ml|ink|Ink/Drawing ink|30|68|3.60|85,38,38
Scripta|bottle 100 ml|ink|Ink/Drawing ink|100|176|8.20|115,52,52
Encausta|cake 40 ml|encaustic|Paint/Encaustic|40|48|5.90|60,60,18
Pastellane|stick|pastel|Dry media/Soft pastel||12|1.35|65,11,11
Pastellane|large stick|pastel|Dry media/Soft pastel||38|2.90|80,18,18
"""
    forms = []
    for line in table.strip().splitlines():
        r, form, medium, group, ml, grams, base, mm = line.split("|")
        length, width, height = (int(n) for n in mm.split(","))
        forms.append(Form(r, form, medium, group, ml, int(grams), base, (length, width, height)))
    return forms


FORMS = _forms()
CASEIN = Form("Caselle", "tube 30 ml", "casein", "Paint/Casein", "30", 56, "4.40", (120, 28, 28))

#: Auxiliaries and sets: name, form, group, ml, grams, cost, millimetres.
OTHERS = [
    ("Gum arabic solution", "bottle 75 ml", "Auxiliaries/Mediums/Watercolour", "75", 120, "4.20"),
    ("Ox gall", "bottle 75 ml", "Auxiliaries/Mediums/Watercolour", "75", 118, "4.60"),
    ("Masking fluid", "bottle 45 ml", "Auxiliaries/Mediums/Watercolour", "45", 84, "3.90"),
    ("Linseed oil, cold-pressed", "bottle 250 ml", "Auxiliaries/Mediums/Oil", "250", 380, "7.40"),
    ("Stand oil", "bottle 125 ml", "Auxiliaries/Mediums/Oil", "125", 210, "6.10"),
    ("Alkyd gel medium", "tube 60 ml", "Auxiliaries/Mediums/Oil", "60", 96, "5.30"),
    ("Acrylic gloss medium", "bottle 250 ml", "Auxiliaries/Mediums/Acrylic", "250", 310, "6.90"),
    ("Modelling paste", "tub 500 ml", "Auxiliaries/Mediums/Acrylic", "500", 780, "9.80"),
    ("Dammar varnish", "bottle 125 ml", "Auxiliaries/Varnish", "125", 205, "7.70"),
    ("Matt varnish", "spray 400 ml", "Auxiliaries/Varnish", "400", 420, "8.90"),
    ("Rabbit-skin glue", "bag 500 g", "Auxiliaries/Binders", "", 500, "13.20"),
    ("Methyl cellulose", "bag 250 g", "Auxiliaries/Binders", "", 250, "6.60"),
    ("Studio set watercolour, 12 half pans", "box", "Sets/Watercolour", "", 260, "26.50"),
    ("Travel set watercolour, 24 half pans", "box", "Sets/Watercolour", "", 410, "49.00"),
    ("Atelier set oil, 40 tubes in a beech case", "case", "Sets/Oil", "", 5200, "268.00"),
    ("Master cabinet, all 48 colours with easel", "cabinet", "Sets/Oil", "", 18400, "1234.50"),
    ("Starter set acrylic, 10 tubes", "box", "Sets/Acrylic", "", 1150, "31.80"),
    ("Pigment library, 48 jars of 50 g", "case", "Sets/Pigment", "", 6900, "1048.00"),
]
