"""What suppliers call common fields, in the languages their files come in.

Words are general trade vocabulary (English, German, French, Spanish, Italian, Dutch); a store adds
its own as synonyms of its fields.
"""

from __future__ import annotations

from nomotax.core.schema.model import FieldKind, Role, StoreField

_BY_ROLE: dict[Role, str] = {
    Role.KEY: "sku, article code, item code, product code, item number, article number, code",
    Role.GROUP: "group key, parent sku, parent id, style, style number, model",
    Role.TITLE: "name, title, heading, product name, product title, item name, "
    "short description, article, "
    "designation, bezeichnung, artikelbezeichnung, produktname, titel, libelle, nom, nom produit, "
    "nombre, titulo, denominacion, nome, titolo, denominazione, naam, omschrijving kort",
    Role.TEXT: "description, long description, text, body, details, beschreibung, langtext, "
    "artikeltext, description longue, texte, descripcion, descrizione, beschrijving, omschrijving",
    Role.COST: "cost, net cost, unit cost, net price, wholesale price, wholesale, trade price, "
    "dealer price, purchase price, buying price, ek, ek netto, ek preis, einkaufspreis, "
    "haendlerpreis, handlerpreis, prix d achat, prix achat, prix net, pa ht, precio de compra, "
    "coste, costo, prezzo d acquisto, inkoopprijs",
    Role.LIST_PRICE: "list price, rrp, srp, msrp, retail price, recommended retail price, "
    "suggested retail price, uvp, listenpreis, verkaufspreis, vk, prix public, prix conseille, "
    "ppc, pvp, precio recomendado, prezzo al pubblico, prezzo consigliato, adviesprijs",
    Role.STOCK: "stock, qty, quantity, qty on hand, on hand, quantity on hand, inventory, "
    "available, availability, free stock, bestand, lagerbestand, lager, menge, quantite, "
    "quantite en stock, dispo, disponible, existencias, cantidad, giacenza, quantita, voorraad",
    Role.PICTURE: "picture, image, image url, picture url, photo, main image, image link, bild, "
    "bild url, hauptbild, foto, image principale, imagen, immagine, afbeelding",
}
_BY_KIND: dict[FieldKind, str] = {
    FieldKind.GTIN: "gtin, ean, ean13, ean 13, ean code, upc, upc code, upc a, barcode, bar code, "
    "strichcode, code barre, code barres, codigo de barras, codice a barre, streepjescode",
    FieldKind.CATEGORY: "category, categories, product category, category path, product group, "
    "group, department, kategorie, warengruppe, produktgruppe, categorie, famille, rayon, "
    "categoria, familia, gruppo, productgroep",
}
_BY_NAME: dict[str, str] = {
    "brand": "brand, brand name, manufacturer, maker, label, marke, hersteller, marque, fabricant, "
    "marca, fabricante, produttore, merk, fabrikant",
    "supplier_sku": "sku, item number, item no, item code, item, article number, article no, "
    "article code, part number, product code, product number, model number, stock code, reference, "
    "ref, artikelnummer, artikelnr, art nr, bestellnummer, code article, referencia, codice, "
    "codice articolo, artikelcode",
    "colour": "colour, color, shade, farbe, farbton, couleur, coloris, color nombre, colore, kleur",
    "length": "length, laenge, lange, longueur, largo, lunghezza, lengte",
    "width": "width, breite, largeur, ancho, larghezza, breedte",
    "height": "height, hoehe, hohe, hauteur, alto, altezza, hoogte",
    "net_weight": "weight, net weight, gewicht, nettogewicht, poids, poids net, peso, peso neto, "
    "peso netto",
    "volume": "volume, content, contents, capacity, inhalt, volumen, fuellmenge, contenance, "
    "contenu, volumen neto, contenuto, inhoud",
    "origin": "origin, country of origin, made in, country, herkunft, herkunftsland, "
    "ursprungsland, pays d origine, origine, pais de origen, paese di origine, land van herkomst",
    "pack_size": "pack size, pack, pack qty, units per pack, pieces per pack, ve, "
    "verpackungseinheit, inhalt stk, colisage, unidades por caja, pezzi per confezione",
    "min_order": "min order, minimum order, moq, minimum quantity, mindestmenge, "
    "mindestbestellmenge, quantite minimum, pedido minimo, ordine minimo",
    "vat_rate": "vat, vat rate, tax rate, tax, mwst, mwst satz, ust, tva, taux tva, iva, btw",
    "available_from": "available from, launch date, release date, valid from, verfuegbar ab, "
    "disponible des, date de sortie, lanzamiento",
    "form": "form, shape, type, format, forme, forma, vorm",
    "hazardous": "hazardous, dangerous goods, adr, gefahrgut, gefahrstoff, matiere dangereuse",
}


def trade_words(field: StoreField) -> list[str]:
    """Other names of a field, already plain: by its role, its kind and its own name."""
    found = [
        _BY_ROLE.get(field.role, "") if field.role else "",
        _BY_KIND.get(field.kind, ""),
        _BY_NAME.get(field.name, ""),
    ]
    return [w.strip() for words in found if words for w in words.split(",")]
