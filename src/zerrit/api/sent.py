"""What everything has in common that comes from outside."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict


class Sent(BaseModel):
    """What comes from outside: unknown fields are refused, so that a misspelt one is noticed."""

    model_config = ConfigDict(extra="forbid")
