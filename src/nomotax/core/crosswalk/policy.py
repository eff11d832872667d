"""What the runs of a crosswalk may do to the catalog."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from nomotax.core.kinds import Writes

#: What happens to a product that the feed brought and does not bring any more.
Missing = Literal["leave", "stock_0", "hide", "archive", "take_out"]
#: When a field of a product that is in the catalog may be written, in words.
WRITTEN: dict[Writes, str] = {
    "always": "always",
    "new": "only of new products",
    "empty": "only where the store's is empty",
    "never": "never",
}
_PRODUCTS = {
    "both": "makes and changes products",
    "make": "only makes new products",
    "picked": "changes products, and makes those that are picked",
    "change": "only completes products in the catalog",
}
_MISSING = {
    "stock_0": "sets the stock of those it no longer brings to 0",
    "hide": "hides those it no longer brings",
    "archive": "archives those it no longer brings",
    "take_out": "takes those it no longer brings out of the catalog",
}


class Policy(BaseModel):
    """``products``: whether runs make products, change those that are in the catalog, or both, and
    if so of all articles or of the *picked* ones;
    ``others``: whether they may change products of other suppliers; ``missing``: what happens to
    products that the feed brought and does not bring ``after`` so many applied deliveries in a
    row; ``state``: how the products that they make stand in the store."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    products: Literal["both", "make", "change", "picked"] = "both"
    others: Literal["refuse", "change"] = "refuse"
    missing: Missing = "leave"
    after: int = Field(default=1, ge=1, le=20)
    state: Literal["live", "hidden"] = "live"

    def in_words(self) -> list[str]:
        """What it says, a sentence's end each."""
        said = [_PRODUCTS[self.products]]
        said += ["makes them hidden"] * (self.state == "hidden" and self.products != "change")
        said += ["also changes products of other suppliers"] * (self.others == "change")
        if self.missing != "leave":
            times = f" for {self.after} deliveries" if self.after > 1 else ""
            said.append(_MISSING[self.missing] + times)
        return said
