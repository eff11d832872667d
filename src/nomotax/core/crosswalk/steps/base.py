"""What every step has in common."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict

from nomotax.core.flow.context import Context
from nomotax.core.flow.flow import Flow


class BaseStep(BaseModel):
    """One small change to a value; ``off`` keeps the step but passes it by."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    off: bool = False

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        """The flow after this step. Raises ``CrosswalkError`` for a look-up nobody saved."""
        raise NotImplementedError

    def columns(self) -> list[str]:
        """Arriving columns that the step looks at beside the value."""
        return []

    def fields(self) -> list[str]:
        """Store fields that the step looks at."""
        return []

    def begins(self) -> bool:
        """Whether the step makes a value of its own, whatever enters it."""
        return False

    def describe(self) -> str:
        """The step in plain words."""
        raise NotImplementedError
