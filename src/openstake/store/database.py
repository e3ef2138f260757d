"""The database of a data folder: migrated on opening, read by many, written by one thread."""

from __future__ import annotations

import errno
import itertools
import os
import queue
import sqlite3
import threading
from collections.abc import Callable, Iterator
from concurrent.futures import Future
from contextlib import contextmanager, suppress
from contextvars import Context, ContextVar, copy_context
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, TypeVar
from urllib.parse import quote

from sqlalchemy import URL, Connection, Engine, create_engine, event, inspect
from sqlalchemy.exc import IntegrityError, OperationalError
from sqlalchemy.orm import Session, sessionmaker

from openstake.core.errors import ConflictError, FileError, StorageError
from openstake.store.conflicts import join_all
from openstake.store.models import RequestKey

T = TypeVar("T")

NAME = "openstake.db"
# The migration before which two crews' packages could leave a line in disorder.
_LINES_END_WITH_WHAT_HOLDS = "0014"
_NOTHING_WRITTEN = (
    "Nothing can be written to the data folder: the disk is full or cannot be written. Nothing was changed. Make room and try again."
)
_FULL = {sqlite3.SQLITE_FULL, sqlite3.SQLITE_IOERR, sqlite3.SQLITE_READONLY, sqlite3.SQLITE_CANTOPEN}


def _engine(url: URL | str, begin: str = "BEGIN") -> Engine:
    engine = create_engine(url)
    if engine.dialect.name == "sqlite":
        event.listen(engine, "connect", _prepare_sqlite)
        event.listen(engine, "begin", lambda connection: connection.exec_driver_sql(begin))
    return engine


def _prepare_sqlite(connection: Any, _: Any) -> None:
    # SQLAlchemy's "begin" event says BEGIN itself, so the driver must not.
    connection.isolation_level = None
    for pragma in ("journal_mode=WAL", "foreign_keys=ON", "synchronous=FULL", "busy_timeout=10000"):
        connection.execute(f"PRAGMA {pragma}")


_MIGRATIONS = Path(__file__).parent / "migrations"
# What the migrations make of an empty database, all in one: written by `make schema`, and held against them by a test.
_TABLES = Path(__file__).parent / "schema.sql"


def _known_migrations() -> set[str]:
    return {path.name.partition("_")[0] for path in (_MIGRATIONS / "versions").glob("[0-9]*.py")}


def newest_migration() -> str:
    """Return the newest migration: each file begins with its number."""
    return max(_known_migrations())


def _migration_of(connection: Connection) -> str | None:
    """Return the migration that a database stands at; None for a new one."""
    if not inspect(connection).has_table("alembic_version"):
        return None
    found: str | None = connection.exec_driver_sql("SELECT version_num FROM alembic_version").scalar()
    return found


def tables_of(connection: Connection) -> str:
    """Return the statements that make a database's tables, indexes and triggers, and say which migration it stands at."""
    made = connection.exec_driver_sql("SELECT sql FROM sqlite_master WHERE sql IS NOT NULL ORDER BY rowid").scalars()
    statements = [*made, f"INSERT INTO alembic_version VALUES ('{_migration_of(connection)}')"]
    return "".join(f"{statement};\n" for statement in statements)


def _make_tables(connection: Connection) -> bool:
    """Make the tables of a new database at once; False where there is something in it, or the statements are not the newest."""
    script = _TABLES.read_text(encoding="utf-8") if _TABLES.exists() else ""
    if not script.endswith(f"VALUES ('{newest_migration()}');\n") or inspect(connection).get_table_names():
        return False
    statement = ""
    for line in script.splitlines(keepends=True):
        statement += line
        if sqlite3.complete_statement(statement):
            connection.exec_driver_sql(statement)
            statement = ""
    return True


def migrate(url: URL | str, folder: Path | None = None, revision: str = "head") -> str | None:
    """Bring a database to a migration, the newest one, whole or not at all; returns the one that it stood at.

    `folder` is where passwords that stood in it are taken to.
    """
    engine = create_engine(url)
    if engine.dialect.name == "sqlite":
        # The driver would end the transaction at every change of a table.
        event.listen(engine, "connect", lambda connection, _: setattr(connection, "isolation_level", None))
        event.listen(engine, "begin", lambda connection: connection.exec_driver_sql("BEGIN"))
    try:
        with engine.connect() as connection:
            before = _migration_of(connection)
            if before is not None and before not in _known_migrations():
                raise FileError(
                    f"{folder or 'This data folder'} was written by a newer version of the program (its migration {before[:20]}; this version knows "
                    f"up to {newest_migration()}). Use that version; nothing was changed."
                )
            if revision == "head" and before == newest_migration():
                return before
            if revision == "head" and engine.dialect.name == "sqlite" and _make_tables(connection):
                connection.commit()
                return before
            # It takes a fifth of a second to import, and nearly every start needs none of it.
            from alembic import command
            from alembic.config import Config

            config = Config()
            config.set_main_option("script_location", str(_MIGRATIONS).replace("%", "%%"))
            config.attributes.update(connection=connection, folder=folder)
            command.upgrade(config, revision)
            connection.commit()
            return before
    finally:
        engine.dispose()


class RequestToWrite:
    """A request that carries a key: its first transaction stores the key, so that it can never be done twice."""

    def __init__(self, key: str) -> None:
        self.key = key
        self.stored = False


_REQUEST: ContextVar[RequestToWrite | None] = ContextVar("request", default=None)


@contextmanager
def of_request(key: str) -> Iterator[RequestToWrite]:
    """Write what follows in this thread as one request under a key."""
    request = RequestToWrite(key)
    token = _REQUEST.set(request)
    try:
        yield request
    finally:
        _REQUEST.reset(token)


@dataclass(order=True, kw_only=True)
class _Job:
    order: tuple[int, int]
    work: Callable[[Session], Any] | None = field(compare=False)
    future: Future[Any] = field(compare=False)
    request: RequestToWrite | None = field(compare=False, default=None)
    asked_in: Context = field(compare=False, default_factory=copy_context)


_URGENT, _USUAL, _LAST = range(3)


class Database:
    """Reads run anywhere; writes run one after the other in a thread of their own, each in one transaction."""

    def __init__(self, url: URL | str, folder: Path | None = None) -> None:
        try:
            before = migrate(url, folder)
        except OperationalError as error:
            raise storage_error_of(error) or error from None
        self._engine = _engine(url)
        # What lies beside the database (geoid grids) is found from the session that names it.
        beside = {"folder": folder}
        self._sessions = sessionmaker(self._engine, expire_on_commit=False, info=beside)
        self._writer_engine = _engine(url, "BEGIN IMMEDIATE")
        self._writer_sessions = sessionmaker(self._writer_engine, expire_on_commit=False, info=beside)
        self._queue: queue.PriorityQueue[_Job] = queue.PriorityQueue()
        self._numbers = itertools.count()
        self._thread = threading.Thread(target=self._write_all, name="writer", daemon=True)
        self._thread.start()
        if before is not None and before < _LINES_END_WITH_WHAT_HOLDS:
            self.write(join_all)

    @classmethod
    def in_folder(cls, folder: Path) -> Database:
        """Open the database of a folder, made where there is none; nobody else may read its files."""
        folder.mkdir(parents=True, exist_ok=True)
        path = folder / NAME
        path.touch(0o600)
        path.chmod(0o600)
        return cls(URL.create("sqlite", database=str(path)), folder)

    def read(self) -> Session:
        """Return a session for reading; use it as a context."""
        return self._sessions()

    def write(self, work: Callable[[Session], T], urgent: bool = False) -> T:
        """Run `work` in one transaction and return its result once it is on the disk; what is urgent goes first.

        A row that someone else has replaced in the meantime is a ConflictError, a disk that takes nothing a StorageError.
        """
        future: Future[T] = Future()
        order = (_URGENT if urgent else _USUAL, next(self._numbers))
        self._queue.put(_Job(order=order, work=work, future=future, request=_REQUEST.get()))
        if not self._thread.is_alive():
            self._refuse_queued()
        try:
            return future.result()
        except IntegrityError as error:
            if "UNIQUE" not in str(error.orig) or ".replaces_id" not in str(error.orig):
                raise
            raise ConflictError(
                "Someone else has changed this in the meantime. Look at the present value and try again.", detail=str(error.orig)
            ) from error
        except OperationalError as error:
            raise storage_error_of(error) or error from error

    def _write_all(self) -> None:
        while (job := self._queue.get()).work is not None:
            try:
                with self._writer_sessions.begin() as session:
                    _claim(session, job.request)
                    result = job.asked_in.run(job.work, session)
            except BaseException as error:  # handed to whoever asked
                job.future.set_exception(error)
            else:
                if job.request is not None:
                    job.request.stored = True
                job.future.set_result(result)

    def close(self) -> None:
        """Finish what is queued and close."""
        self._queue.put(_Job(order=(_LAST, next(self._numbers)), work=None, future=Future()))
        self._thread.join(2.0)
        self._refuse_queued()
        self._engine.dispose()
        self._writer_engine.dispose()

    def _refuse_queued(self) -> None:
        """Answer what nobody will write any more: whoever waits for it goes on."""
        with suppress(queue.Empty):
            while True:
                job = self._queue.get_nowait()
                if not job.future.done():
                    job.future.set_exception(StorageError("The program has ended. Nothing was stored."))


def _claim(session: Session, request: RequestToWrite | None) -> None:
    """Store a request's key in its first transaction; ConflictError where it is there already."""
    if request is None or request.stored:
        return
    if session.get(RequestKey, request.key) is not None:
        raise ConflictError("This was sent before and is stored. Look at the present values.")
    session.add(RequestKey(key=request.key))
    session.flush()


def storage_error_of(error: OSError | OperationalError) -> StorageError | None:
    """Return what a failing write of a file or of the database means to people; None for errors of another kind."""
    if isinstance(error, OperationalError):
        code = getattr(error.orig, "sqlite_errorcode", 0) & 0xFF
        return StorageError(_NOTHING_WRITTEN) if code in _FULL else None
    if error.errno not in (errno.ENOSPC, errno.EDQUOT, errno.EROFS, errno.EIO, errno.EFBIG):
        return None
    return StorageError(f"A file could not be written ({os.strerror(error.errno or 0)}). Make room on the disk and try again.")


def address_to_read(path: Path) -> str:
    """Return the address of a database that is read and not written, by SQLite's URI; also on a disk that is read-only.

    There its shared memory cannot be made beside it, and need not: nobody writes it.  Source: SQLite, URI filenames and WAL.
    """
    log = path.with_name(f"{path.name}-wal")
    is_still = not os.access(path.parent, os.W_OK) and not (log.exists() and log.stat().st_size)
    return f"file:{quote(str(path.resolve()))}?mode=ro{'&immutable=1' if is_still else ''}"


class ReadOnly:
    """The database of a folder for reading alone: beside a program that runs, or of a copy.  Nothing is migrated."""

    def __init__(self, folder: Path) -> None:
        path = folder / NAME
        if not path.is_file():
            raise FileError(f"{folder} is not a data folder: it holds no {NAME}.")
        address = address_to_read(path)
        self._engine = create_engine("sqlite://", creator=lambda: sqlite3.connect(address, uri=True))
        self._sessions = sessionmaker(self._engine, info={"folder": folder})
        try:
            with self._engine.connect() as connection:
                present = _migration_of(connection)
        except Exception as error:  # what is no database raises many kinds
            raise FileError(f"{path} cannot be read as a database: {getattr(error, 'orig', error)}.") from None
        if present != newest_migration():
            self.close()
            raise FileError(f"{folder} was written by another version. Start this version on it once, or use that one.")

    def read(self) -> Session:
        """Return a session; use it as a context."""
        return self._sessions()

    def close(self) -> None:
        self._engine.dispose()
