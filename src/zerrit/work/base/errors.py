"""How a use case fails. `kind` becomes the problem type of the service; the message is meant to be shown."""

from __future__ import annotations

from typing import Any

from zerrit.core.errors import ZerritError


class NotFound(ZerritError):
    kind = "not-found"


class WrongState(ZerritError):
    """It cannot be done in the state in which things are; `facts` say more."""

    kind = "wrong-state"

    def __init__(self, message: str, **facts: Any) -> None:
        super().__init__(message)
        self.facts = facts


class Drifted(WrongState):
    """The server's files are no longer those that the change was built on."""

    kind = "drifted"


class Blocked(WrongState):
    """Findings block the change."""

    kind = "blocked-by-findings"


class Outdated(WrongState):
    """Another person edited it in the meantime."""

    kind = "outdated"


class Refused(ZerritError):
    """What was given cannot be used."""

    kind = "refused"


class NotAllowed(ZerritError):
    """The person may not do this; an admin may."""

    kind = "not-allowed"


class SignInFailed(ZerritError):
    kind = "sign-in-failed"


class SignInWaits(ZerritError):
    """There were wrong passwords before, or many sign in at once; `seconds` until the next try is taken."""

    kind = "sign-in-waits"

    def __init__(self, message: str, seconds: float) -> None:
        super().__init__(message)
        self.seconds = seconds
