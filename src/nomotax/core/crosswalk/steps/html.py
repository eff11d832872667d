"""Steps on HTML and its entities."""

from __future__ import annotations

import html
import re
from typing import Literal

import nh3

from nomotax.core.crosswalk.steps.base import BaseStep
from nomotax.core.crosswalk.steps.distinct import each_distinct
from nomotax.core.flow.context import Context
from nomotax.core.flow.flow import Flow

_BREAK = re.compile(r"(?i)<(br|/p|/li|/h\d|/div|/tr)\b[^>]*>")
_SPACE = re.compile(r"[ \t\u00a0]*\n[ \t\u00a0\n]*")


class HtmlToText(BaseStep):
    """Takes the tags away; paragraphs, breaks and list entries become lines, or one line."""

    do: Literal["html_to_text"] = "html_to_text"
    lines: bool = True

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        cleaner = nh3.Cleaner(tags=set(), clean_content_tags={"script", "style"})
        between = "\n" if self.lines else " "

        def bare(text: str) -> str:
            kept = html.unescape(cleaner.clean(_BREAK.sub("\n", text)))
            return _SPACE.sub(between, kept).strip()

        return flow.to(each_distinct(flow.text, bare, "[<&]"), numeric=False)

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
        cleaner = nh3.Cleaner(
            tags=tags, attributes=links, clean_content_tags={"script", "style"} - tags
        )
        cleaned = each_distinct(flow.text, lambda text: cleaner.clean(text).strip(), "[<&]")
        return flow.to(cleaned, numeric=False)

    def describe(self) -> str:
        return f"keep only <{'>, <'.join(self.tags)}>" if self.tags else "no tags"


class DecodeEntities(BaseStep):
    """Writes ``&amp;``, ``&eacute;``, ``&#8364;`` as the characters they mean."""

    do: Literal["decode_entities"] = "decode_entities"

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        return flow.to(each_distinct(flow.text, html.unescape, "&"), numeric=False)

    def describe(self) -> str:
        return "decode entities"
