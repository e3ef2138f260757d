"""Packages of a job: written beside the crew's work, and unpacked here, where it makes the job or joins it."""

from __future__ import annotations

import shutil
from collections.abc import Callable
from pathlib import Path
from typing import IO

from sqlalchemy.orm import Session

from openstake.core.errors import FileError, OpenStakeError, StorageError
from openstake.core.progress import Progress, progress_of_thread, tell_progress
from openstake.core.units import counted
from openstake.derive import points
from openstake.derive.job import job_of
from openstake.store.models import new_id
from openstake.store.package import Opened, Package, pack
from openstake.store.records.shots import shots_of_job
from openstake.store.staging import OvertakenError, staged
from openstake.store.unpack import Unpacked, bases_of, tell_book, unpack
from openstake.workflow.chain import page as chain_page
from openstake.workflow.columns import hold_texts
from openstake.workflow.context import Context, file_name
from openstake.workflow.work import Made, Work

MEDIA_TYPE = "application/zip"
MOST_SENT_BYTES = 4 << 30
_LEFT_S = 86_400.0


def write_package(context: Context, job_id: str, out: Path, progress: Progress = tell_progress) -> Package:
    """Write a job as a package; what is written is of one moment."""
    with context.database.read() as session:
        name = job_of(session, job_id).name
        return pack(session, context.data_dir, job_id, name, out, context.now(job_id), progress)


def package_in_words(made: Package) -> str:
    """Return what a package holds, in a sentence."""
    lines = sum(part.lines for part in made.chains)
    sealed = sum(part.sealed for part in made.chains)
    beside = f", {counted(sealed, 'line')} of other jobs sealed" if sealed else ""
    size = f" ({sum(file.bytes for file in made.files) / 1e6:.1f} MB)" if made.files else ""
    return (
        f"{made.name}: {counted(made.rows, 'row')}, {counted(len(made.files), 'file')}{size}, "
        f"{counted(lines, 'line')} of the Book{beside}. Read its fingerprint out to whoever unpacks it."
    )


def begin_package(context: Context, job_id: str) -> Work:
    """Begin to write a job as a package."""
    with context.database.read() as session:
        name = job_of(session, job_id).name

    def do(folder: Path) -> Made:
        out = folder / "package.zip"
        made = write_package(context, job_id, out)
        return Made(
            words=package_in_words(made),
            file=out,
            name=f"{file_name(name)}.zip",
            media_type=MEDIA_TYPE,
            job=job_id,
            fingerprint=made.fingerprint,
        )

    return context.works.begin(f"Package of {name}", do)


def read_package(context: Context, source: Path, progress: Progress | None = None) -> Unpacked:
    """Unpack a package: all of it, or nothing and a FileError."""
    # The one writer is another thread.
    progress = progress or progress_of_thread()
    with Opened(source) as opened:

        def work(session: Session) -> Unpacked:
            made = unpack(session, opened, context.data_dir, progress)
            _read_whole(context, session, made.job, opened)
            return made

        def kept(bring: Callable[[Session], Unpacked]) -> Unpacked:
            def write(session: Session) -> Unpacked:
                before = bases_of(session, opened.package.job)
                made = bring(session)
                tell_book(session, opened, made, before, context.clock.now())
                return made

            return context.database.write(write)

        try:
            try:
                # What takes long is done beside those who write: a base that runs waits for the last step alone.
                with staged(context.data_dir) as staging:
                    found = work(staging.session)
                    staging.session.commit()
                    made = kept(lambda session: staging.take_over(session, found))
            except (OvertakenError, StorageError):  # a disk that does not hold the copy may hold the package
                made = kept(work)
        except BaseException:
            points.REMEMBERED.clear()  # what was read of rows that are not kept
            raise
    context.changed(made.job)
    return made


def _read_whole(context: Context, session: Session, job_id: str, opened: Opened) -> None:
    """Read the job as its front page does, its points and its kit, before it is kept: what no page could show is no job."""
    hold_texts(session, job_id, {name: [row["id"] for row in opened.rows(name)] for name in ("gear", "profile")})
    try:
        chain_page.of_session(context, session, job_id)
        job = job_of(session, job_id)
        job.local_time(context.now(job_id))
        points.derive_all(session, job, shots_of_job(session, job_id))
    except OpenStakeError as error:
        raise FileError(f"The job of this package cannot be read: {error.sentence} Nothing was unpacked.") from None
    except (ArithmeticError, ValueError, LookupError, TypeError, AttributeError) as error:
        raise FileError(
            f"The job of this package cannot be read ({type(error).__name__}: {str(error)[:120]}). Nothing was unpacked."
        ) from None


def begin_unpack(context: Context, stream: IO[bytes]) -> Work:
    """Take a package in and begin to unpack it; its file is taken away at the end."""
    for left in context.data_dir.glob("package-*.draft"):
        if left.stat().st_mtime < context.clock.now() - _LEFT_S:
            left.unlink(missing_ok=True)  # a program that was killed left it
    source = context.data_dir / f"package-{new_id()}.draft"

    def do(_: Path) -> Made:
        try:
            made = read_package(context, source)
        finally:
            source.unlink(missing_ok=True)
        return Made(words=made.words, job=made.job, fingerprint="" if made.unproven else made.fingerprint)

    try:
        with source.open("wb") as out:
            shutil.copyfileobj(stream, out, 1 << 20)
        return context.works.begin("Unpacking", do)
    except BaseException:
        source.unlink(missing_ok=True)
        raise
