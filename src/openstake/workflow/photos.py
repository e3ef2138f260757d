"""Photos of set-ups and shots: kept under their SHA-256, told in the Book."""

from __future__ import annotations

import hashlib
import threading
from collections.abc import Callable, Collection
from dataclasses import dataclass

from sqlalchemy.orm import Session

from openstake.core.describe import one_line
from openstake.core.errors import FileError, NotFoundError
from openstake.core.limits import ShortText
from openstake.derive.job import JobNow
from openstake.store.models import Photo, new_id
from openstake.store.records.kits import photo_rows
from openstake.wire.pictures import kind_at_sight, written_anew
from openstake.workflow.command import Transaction, carry_out
from openstake.workflow.context import Context

_MOST_PHOTO_BYTES = 8 << 20
ONE_AT_A_TIME = threading.Lock()  # decoded a photo may be 200 MB


@dataclass(frozen=True)
class PhotoQuery:
    """The name of a photo that is sent."""

    name: ShortText = "photo"


@dataclass(frozen=True)
class PhotoView:
    """A photo."""

    id: str
    name: str
    created_s: float


def keep_photo(
    context: Context, job_id: str, name: str, content: bytes, owner: Callable[[Session, JobNow, float], tuple[str, str]]
) -> PhotoView:
    """Attach a photo (JPEG, PNG, WebP or GIF, at most 8 MB) to what `owner` names: its id, and what it is called in a sentence.

    Its pixels are kept, and nothing else that was in the file.
    """
    name = one_line(name, "A photo's name", "name") or "photo"
    if len(content) > _MOST_PHOTO_BYTES:
        raise FileError(f"The photo has {len(content) / 1e6:.1f} MB; at most {_MOST_PHOTO_BYTES >> 20} MB are taken.")
    with ONE_AT_A_TIME:
        content, kind = written_anew(content, name)
    digest = hashlib.sha256(content).hexdigest()
    folder = context.data_dir / "photos"
    folder.mkdir(parents=True, exist_ok=True)
    path = folder / f"{digest}.{kind.ending}"
    if not path.exists():
        draft = path.with_suffix(f".{new_id()}.draft")
        try:
            draft.write_bytes(content)
            draft.replace(path)
        finally:
            draft.unlink(missing_ok=True)

    def work(tx: Transaction) -> PhotoView:
        owner_id, called = owner(tx.session, tx.job, tx.now_s)
        row = tx.add(
            Photo(owner_id=owner_id, job_id=job_id, name=name[:200], media_type=kind.media_type, file=path.name, created_s=tx.now_s)
        )
        tx.tell("photo", f"Photo {row.name} attached to {called}.", photo=row.id, sha256=digest)
        return PhotoView(row.id, row.name, row.created_s)

    return carry_out(context, job_id, work)


def photos_of(session: Session, owner_ids: Collection[str]) -> dict[str, list[PhotoView]]:
    """Return the photos of set-ups or shots, by their ids, in one query."""
    found: dict[str, list[PhotoView]] = {owner_id: [] for owner_id in owner_ids}
    for row in photo_rows(session, owner_ids):
        found[row.owner_id].append(PhotoView(row.id, row.name, row.created_s))
    return found


def photo_file(context: Context, job_id: str, photo_id: str) -> tuple[bytes, str]:
    """Return a photo's bytes, and the media type that its decoder says: what its row says of it is nobody's word."""
    with context.database.read() as session:
        row = session.get(Photo, photo_id)
    if row is None or row.job_id != job_id:
        raise NotFoundError("There is no such photo in this job.")
    path = context.data_dir / "photos" / row.file
    if not path.is_file():
        raise FileError(f"The photo {row.name} has gone from the data folder.")
    content = path.read_bytes()
    return content, kind_at_sight(content, row.name).media_type
