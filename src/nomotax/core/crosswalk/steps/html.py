"""Steps on HTML and its entities."""

from __future__ import annotations

import html
import re
from collections.abc import Callable
from typing import Literal

import nh3
import polars as pl

from nomotax.core.crosswalk.flow import Context, Flow
from nomotax.core.crosswalk.steps.base import BaseStep

_SPACE = re.compile(r"[ \t\u00a0]*\n[ \t\u00a0\n]*")


def _each_distinct(text: pl.Expr, change: Callable[[str], str], needs: str) -> pl.Expr:
    """``change`` once for each distinct text in which the pattern ``needs`` is found."""

    def all_of(texts: pl.Series) -> pl.Series:
        touched = texts.filter(texts.str.contains(needs)).unique().drop_nulls()
        if touched.len() == 0:
            return texts
        made = pl.Series([change(t) for t in touched], dtype=pl.String)
        return texts.replace(touched, made)

    return text.map_batches(all_of, return_dtype=pl.String, is_elementwise=True)


class HtmlToText(BaseStep):
    """Takes the tags away; paragraphs, breaks and list entries become lines, or one line."""

    do: Literal["html_to_text"] = "html_to_text"
    lines: bool = True

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        return flow.to(_each_distinct(flow.text, self._bare, "[<&]"), numeric=False)

    def _bare(self, text: str) -> str:
        broken = re.sub(r"(?i)<(br|/p|/li|/h\d|/div|/tr)\b[^>]*>", "\n", text)
        bare = html.unescape(nh3.clean(broken, tags=set(), clean_content_tags={"script", "style"}))
        return _SPACE.sub("\n" if self.lines else " ", bare).strip()

    def describe(self) -> str:
        return "HTML to text"


class CleanHtml(BaseStep):
    """Keeps only the tags in ``tags``, without attributes but a link's address; scripts and
    styles go with all that is in them."""

    do: Literal["clean_html"] = "clean_html"
    tags: tuple[str, ...] = ("p", "br", "ul", "ol", "li", "b", "strong", "i", "em")

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        tags = {t.strip("<>/ ").lower() for t in self.tags}
        links = {"a": {"href"}} if "a" in tags else {}

        def clean(text: str) -> str:
            return nh3.clean(
                text, tags=tags, attributes=links, clean_content_tags={"script", "style"} - tags
            ).strip()

        return flow.to(_each_distinct(flow.text, clean, "[<&]"), numeric=False)

    def describe(self) -> str:
        return f"keep only <{'>, <'.join(self.tags)}>" if self.tags else "no tags"


class DecodeEntities(BaseStep):
    """Writes ``&amp;``, ``&eacute;``, ``&#8364;`` as the characters they mean."""

    do: Literal["decode_entities"] = "decode_entities"

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        return flow.to(_each_distinct(flow.text, html.unescape, "&"), numeric=False)

    def describe(self) -> str:
        return "decode entities"
