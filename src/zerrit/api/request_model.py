"""What everything has in common that comes from outside."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

#: A number of something that is kept. The database holds none larger.
Number = Annotated[int, Field(ge=0, le=2**63 - 1)]
#: Seconds that one waits for an answer to be complete.
Patience = Annotated[float, Field(ge=0, le=60)]


class Sent(BaseModel):
    """What comes from outside: unknown fields are refused, so that a misspelled one is noticed."""

    model_config = ConfigDict(extra="forbid")
