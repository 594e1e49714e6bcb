"""How a server is maintained."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

from zerrit.settings.kind import Place


class Retention(BaseModel):
    """How many snapshots stay: the last ones, and one each for a number of days, weeks and months.

    `watched`: contents of watched files stay that this number of the last deploys and rollbacks replaced or wrote.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    last: Annotated[int, Field(ge=1, le=10_000)] = 20
    daily: Annotated[int, Field(ge=0, le=1000)] = 14
    weekly: Annotated[int, Field(ge=0, le=1000)] = 8
    monthly: Annotated[int, Field(ge=0, le=1000)] = 12
    watched: Annotated[int, Field(ge=1, le=10_000)] = 10


class Maintenance(BaseModel):
    """How a server is maintained.

    `announcement` is what players are told, `{minutes}` in it the time that is left. `crash_places` are folders outside
    of the game's own where crash files appear, reached by the same connection. `settle` is how many seconds a started game
    must stay up, `patience` how many it has to stop, to start and to say that it is ready; zero for the service's own.
    `may_rehearse`: the gamebook's command for a rehearsal may be run on the machine of the service; `must_rehearse`: no
    deploy without one. `may_pack`: commands of the gamebook that pack folders may be run there. `refused_files` are patterns of names, such as `*.exe`, that the host does not take.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    announcement: Annotated[str, Field(max_length=300)] = ""
    crash_places: Annotated[list[Place], Field(max_length=10)] = Field(default_factory=list)
    settle: Annotated[float, Field(ge=0, le=3600)] = 0
    patience: Annotated[float, Field(ge=0, le=7200)] = 0
    retention: Retention = Retention()
    may_rehearse: bool = False
    must_rehearse: bool = False
    may_pack: bool = False
    refused_files: Annotated[list[Annotated[str, Field(min_length=1, max_length=200)]], Field(max_length=50)] = Field(
        default_factory=list
    )
