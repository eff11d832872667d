"""What a store says about whose values hold."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, field_validator, model_validator

#: Feeds, the preferred one first.
Order = tuple[int, ...]
#: By what one offer is taken before another: the order of the feeds, what it costs, or its day.
Choice = Literal["order", "cheapest", "newest"]


class Sources(BaseModel):
    """``order`` are the feeds whose offers stand against each other; a product goes by one of
    them: the first, the cheapest, or the newest, and by the order where that does not decide. With
    ``in_stock`` an offer that has none is passed over while another has some. What the offer taken
    leaves empty, the next ones fill.

    ``fields`` go by an order of their own: the first feed that fills the field, whoever the
    product goes by. What no feed of an order says, each feed writes as if there were none.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    order: Order = ()
    choose: Choice = "order"
    in_stock: bool = True
    fields: dict[str, Order] = {}

    @field_validator("order")
    @classmethod
    def _once(cls, order: Order) -> Order:
        if len(set(order)) < len(order):
            raise ValueError("a feed stands twice in an order")
        return order

    @model_validator(mode="after")
    def _some(self) -> Sources:
        for name, order in self.fields.items():
            if not order:
                raise ValueError(f"the order of {name} names no feed; leave the field out")
            self._once(order)
        return self

    @property
    def feeds(self) -> list[int]:
        """All that are named, each once."""
        every = [*self.order, *(feed for order in self.fields.values() for feed in order)]
        return list(dict.fromkeys(every))

    def competes(self, feed: int) -> bool:
        """Whether its offers stand against others."""
        return feed in self.order and len(self.order) > 1
