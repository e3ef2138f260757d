"""The database of a data folder: migrated on opening, read by many, written by one thread."""

from __future__ import annotations

import queue
import threading
from collections.abc import Callable
from concurrent.futures import Future
from pathlib import Path
from typing import Any, TypeVar

from alembic import command
from alembic.config import Config
from sqlalchemy import Engine, create_engine, event
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session, sessionmaker

from openstake.core.errors import ConflictError

T = TypeVar("T")


def _engine(url: str) -> Engine:
    engine = create_engine(url)
    if engine.dialect.name == "sqlite":
        event.listen(engine, "connect", _prepare_sqlite)
        event.listen(engine, "begin", lambda connection: connection.exec_driver_sql("BEGIN"))
    return engine


def _prepare_sqlite(connection: Any, _: Any) -> None:
    # SQLAlchemy's "begin" event says BEGIN itself, so the driver must not.
    connection.isolation_level = None
    for pragma in ("journal_mode=WAL", "foreign_keys=ON", "synchronous=FULL", "busy_timeout=10000"):
        connection.execute(f"PRAGMA {pragma}")


def migrate(url: str) -> None:
    """Bring a database to the newest migration."""
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    config.set_main_option("sqlalchemy.url", url.replace("%", "%%"))
    command.upgrade(config, "head")


class Database:
    """Reads run anywhere; writes run one after the other in a thread of their own, each in one transaction."""

    def __init__(self, url: str, folder: Path | None = None) -> None:
        migrate(url)
        self._engine = _engine(url)
        # What lies beside the database (geoid grids) is found from the session that names it.
        beside = {"folder": folder}
        self._sessions = sessionmaker(self._engine, expire_on_commit=False, info=beside)
        self._writer_engine = create_engine(url)
        if self._writer_engine.dialect.name == "sqlite":
            event.listen(self._writer_engine, "connect", _prepare_sqlite)
            event.listen(self._writer_engine, "begin", lambda c: c.exec_driver_sql("BEGIN IMMEDIATE"))
        self._writer_sessions = sessionmaker(self._writer_engine, expire_on_commit=False, info=beside)
        self._queue: queue.Queue[tuple[Callable[[Session], Any], Future[Any]] | None] = queue.Queue()
        self._thread = threading.Thread(target=self._write_all, name="writer", daemon=True)
        self._thread.start()

    @classmethod
    def in_folder(cls, folder: Path) -> Database:
        folder.mkdir(parents=True, exist_ok=True)
        return cls(f"sqlite:///{folder / 'openstake.db'}", folder)

    def read(self) -> Session:
        """Return a session for reading; use it as a context."""
        return self._sessions()

    def write(self, work: Callable[[Session], T]) -> T:
        """Run `work` in one transaction and return its result once it is on the disk.

        A row that someone else has replaced in the meantime is a ConflictError.
        """
        future: Future[T] = Future()
        self._queue.put((work, future))
        try:
            return future.result()
        except IntegrityError as error:
            raise ConflictError(
                "Someone else has changed this in the meantime. Look at the present value and try again.",
                detail=str(error.orig),
            ) from error

    def _write_all(self) -> None:
        while (item := self._queue.get()) is not None:
            work, future = item
            try:
                with self._writer_sessions.begin() as session:
                    result = work(session)
            except BaseException as error:  # handed to whoever asked
                future.set_exception(error)
            else:
                future.set_result(result)

    def close(self) -> None:
        """Finish what is queued and close."""
        self._queue.put(None)
        self._thread.join(2.0)
        self._engine.dispose()
        self._writer_engine.dispose()
