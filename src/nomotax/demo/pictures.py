"""Draws the demo's product pictures: tubes, pans, jars and swatches in their colour."""

from __future__ import annotations

import re

from nomotax.core.errors import NotFound
from nomotax.demo.palette import COLOURS, FORMS, TURQUOISE

_SIZE = 480


def draw(name: str) -> str:
    """An SVG for ``004123.svg``, or another view of it: ``004123-swatch.svg``, ``81007_2.jpg``.
    Raises ``NotFound``."""
    found = re.fullmatch(r"(\d+)(?:[-_](\w+))?\.(?:svg|jpg)", name)
    if found is None:
        raise NotFound(f"There is no picture {name!r}.")
    number, view = int(found[1]), found[2] or ""
    rgb, shape = _look(number)
    close = view in ("swatch", "detail", "2", "3", "4")
    body = _swatch(rgb, number) if close else _SHAPES[shape](rgb)
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {_SIZE} {_SIZE}">'
        '<rect width="480" height="480" fill="#f4f1ea"/>'
        f"{body}</svg>"
    )


def _look(number: int) -> tuple[str, str]:
    if 4000 <= number < 4000 + 100 * len(FORMS):
        form, colour = divmod(number - 4000, 100)
        rgb = COLOURS[colour].rgb if colour < len(COLOURS) else "b9b2a4"
        return rgb, _shape(FORMS[form].form)
    if 7200 <= number < 7400:
        return COLOURS[(number - 7200) % len(COLOURS)].rgb, "stick"
    if number < 2000 or number >= 10_000:
        return _other_look(number)
    if 8000 <= number < 8009:
        return TURQUOISE.rgb, _shape(FORMS[number - 8000].form)
    if 8009 <= number < 9000:
        return COLOURS[25 + (number - 8009) % 12].rgb, "tube"
    return "b9b2a4", "bottle"


def _other_look(number: int) -> tuple[str, str]:
    """What is not paint: brushes, tools and paper."""
    if number >= 10_000:
        return ("efe9dc", "f6f1e4", "e4ddcc", "d9d2c0")[number % 4], "sheet"
    return COLOURS[number % len(COLOURS)].rgb, "brush" if number < 400 else "stick"


def _shape(form: str) -> str:
    for word in ("pan", "tube", "stick", "bottle", "jar", "bag", "tub", "cake"):
        if word in form:
            return {"bag": "jar", "tub": "jar", "cake": "pan"}.get(word, word)
    return "bottle"


def _tube(rgb: str) -> str:
    return (
        '<g transform="rotate(28 240 240)">'
        '<path d="M180 70 h120 l-8 260 q-52 26 -104 0 z" fill="#d9d6cf"/>'
        f'<path d="M184 150 h112 l-5 150 q-51 22 -102 0 z" fill="#{rgb}"/>'
        '<rect x="174" y="56" width="132" height="26" rx="3" fill="#c3bfb6"/>'
        '<path d="M214 344 h52 v16 h-52 z" fill="#b1ada3"/>'
        '<rect x="206" y="358" width="68" height="52" rx="6" fill="#3a3833"/></g>'
    )


def _pan(rgb: str) -> str:
    return (
        '<path d="M110 180 h260 l30 60 v90 q0 14 -14 14 h-292 q-14 0 -14 -14 v-90 z" '
        'fill="#fdfcf9" stroke="#cfcabf" stroke-width="3"/>'
        f'<path d="M128 196 h224 l24 52 h-272 z" fill="#{rgb}"/>'
        '<path d="M150 208 q80 -16 150 8" stroke="#ffffff" stroke-opacity=".35" '
        'stroke-width="10" fill="none" stroke-linecap="round"/>'
    )


def _jar(rgb: str) -> str:
    return (
        '<rect x="130" y="150" width="220" height="240" rx="20" fill="#e9e6df"/>'
        f'<rect x="142" y="230" width="196" height="148" rx="12" fill="#{rgb}"/>'
        '<rect x="120" y="104" width="240" height="56" rx="10" fill="#2f2d29"/>'
        '<rect x="170" y="262" width="140" height="70" fill="#fdfcf9" fill-opacity=".92"/>'
    )


def _bottle(rgb: str) -> str:
    return (
        '<path d="M200 90 h80 v70 q70 30 70 100 v120 q0 20 -20 20 h-180 q-20 0 -20 -20 v-120 '
        f'q0 -70 70 -100 z" fill="#{rgb}"/>'
        '<rect x="192" y="58" width="96" height="46" rx="6" fill="#2f2d29"/>'
        '<rect x="150" y="270" width="180" height="80" fill="#fdfcf9" fill-opacity=".92"/>'
    )


def _stick(rgb: str) -> str:
    return (
        '<g transform="rotate(-32 240 240)">'
        f'<rect x="70" y="210" width="340" height="64" rx="6" fill="#{rgb}"/>'
        '<rect x="70" y="210" width="340" height="16" rx="6" fill="#ffffff" fill-opacity=".22"/>'
        '<rect x="170" y="206" width="130" height="72" fill="#fdfcf9" fill-opacity=".9"/></g>'
    )


def _brush(rgb: str) -> str:
    return (
        '<g transform="rotate(38 240 240)">'
        f'<path d="M232 190 h16 l5 250 q-13 16 -26 0 z" fill="#{rgb}"/>'
        '<path d="M229 132 h22 l-3 60 h-16 z" fill="#c3bfb6"/>'
        '<path d="M229 132 q-10 -48 11 -96 q21 48 11 96 z" fill="#5b4636"/></g>'
    )


def _sheet(rgb: str) -> str:
    return (
        '<path d="M122 96 h206 l44 44 v256 h-250 z" fill="#cfc8b8" transform="translate(8 10)"/>'
        f'<path d="M122 96 h206 l44 44 v256 h-250 z" fill="#{rgb}" stroke="#cfc8b8"/>'
        '<path d="M328 96 v44 h44 z" fill="#ffffff" fill-opacity=".7" stroke="#cfc8b8"/>'
    )


def _swatch(rgb: str, seed: int) -> str:
    edge = " ".join(f"L{60 + i * 36} {150 + (seed * (i + 3)) % 29}" for i in range(11))
    return (
        f'<path d="M60 170 {edge} L420 330 Q240 {340 + seed % 30} 60 330 z" fill="#{rgb}"/>'
        f'<path d="M60 250 L420 250 L420 330 Q240 {340 + seed % 30} 60 330 z" '
        'fill="#ffffff" fill-opacity=".28"/>'
    )


_SHAPES = {"tube": _tube, "pan": _pan, "jar": _jar, "bottle": _bottle, "stick": _stick,
           "brush": _brush, "sheet": _sheet}  # fmt: skip
