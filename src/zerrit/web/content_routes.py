"""Routes of contents that are uploaded for the steps of a change."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, File, UploadFile

from zerrit import api
from zerrit.core.documents import MAX_BYTES
from zerrit.web.context import PersonDep, WorkspaceDep
from zerrit.work.snapshots import contents

router = APIRouter(
    prefix="/api/v1/contents",
    tags=["changes"],
    responses={"4XX": {"model": api.Problem}, "5XX": {"model": api.Problem}},
)


@router.post("/missing")
def missing_contents(given: api.DigestsIn, here: WorkspaceDep, _who: PersonDep) -> list[str]:
    """Which contents are not stored yet, by their SHA-256; the others need not be sent."""
    return contents.missing_contents(here, given.digests)


@router.post("", status_code=201)
def save_contents(
    here: WorkspaceDep, _who: PersonDep, files: Annotated[list[UploadFile], File(max_length=1000)]
) -> list[api.ContentOut]:
    """Store files of any bytes, so that `put-file` and `put-folder` steps can name them by their SHA-256."""
    stored = []
    for file in files:
        data = file.file.read(MAX_BYTES + 1)
        stored.append(
            api.ContentOut(digest=contents.save_content(here, file.filename or "a file", data), size=len(data))
        )
    return stored
