"""A copy of a data folder's database in which long work is done while others write, and what it added taken over in one short step."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from sqlalchemy import URL, Table, create_engine, event, literal_column, select
from sqlalchemy.exc import IntegrityError, OperationalError
from sqlalchemy.orm import Session

from openstake.store.backup import copy_database
from openstake.store.database import NAME, storage_error_of
from openstake.store.models import Base, new_id
from openstake.store.package import LINKS, PARENTS, SHARED, of_job, tables
from openstake.store.unpack import Unpacked

_ROWID: Any = literal_column("rowid")
# The copy is thrown away where anything fails.
_PRAGMAS = ("journal_mode=MEMORY", "synchronous=OFF", "foreign_keys=ON")


class OvertakenError(Exception):
    """Somebody has written what the work rests on in the meantime: it is done anew, while others wait."""


class Staging:
    """A session on a copy of the database, and which rows were there when it was made."""

    def __init__(self, session: Session, path: Path) -> None:
        self.session, self._path = session, path
        self._last = {table.name: _last_row(session, table) for table in _taken()}

    def take_over(self, session: Session, found: Unpacked) -> Unpacked:
        """Add to a session of the database what was added here, which must be committed, and return what it was.

        OvertakenError where since the copy somebody changed a line of the job, or what is shared by jobs.
        """
        if any(self._is_changed(session, table, found.job) for table in tables().values()):
            raise OvertakenError
        connection = session.connection()
        connection.detach()  # from its pool: it is closed after this transaction, and the copy with it
        connection.exec_driver_sql("PRAGMA defer_foreign_keys = ON")  # rows of a table name each other in any order
        connection.exec_driver_sql("ATTACH ? AS staged", (str(self._path),))
        try:
            for table in _taken():
                columns = ", ".join(f'"{item.name}"' for item in table.columns)
                rows = f'SELECT {columns} FROM staged."{table.name}" WHERE rowid > {self._last[table.name]} ORDER BY rowid'
                connection.exec_driver_sql(f'INSERT INTO main."{table.name}" ({columns}) {rows}')
        except IntegrityError:
            raise OvertakenError from None
        return found

    def _is_changed(self, session: Session, table: Table, job_id: str) -> bool:
        newer = select(_ROWID).select_from(table).where(self._last[table.name] < _ROWID)
        if table.name in SHARED:
            return session.execute(newer).first() is not None
        if "replaces_id" not in table.c:
            return False  # what is new here is not in a package that was made before; if it is, its key is there already
        return session.execute(newer.where(of_job(table, job_id))).first() is not None


def _taken() -> list[Table]:
    """Return the tables that a package is put into, in an order in which each names rows of those before it alone."""
    of_package = {*tables(), LINKS, PARENTS, "device"}
    return [table for table in Base.metadata.sorted_tables if table.name in of_package]


def _last_row(session: Session, table: Table) -> int:
    return session.scalar(select(_ROWID).select_from(table).order_by(_ROWID.desc()).limit(1)) or 0


@contextmanager
def staged(folder: Path) -> Iterator[Staging]:
    """Copy the database of a folder for as long as the context lasts; StorageError where the disk does not hold it."""
    path = folder / f"package-{new_id()}.draft"
    engine = create_engine(URL.create("sqlite", database=str(path)))
    event.listen(engine, "connect", _prepare)
    event.listen(engine, "begin", lambda connection: connection.exec_driver_sql("BEGIN"))
    try:
        path.touch(0o600)
        copy_database(folder / NAME, path)
        with Session(engine, expire_on_commit=False, info={"folder": folder}) as session:
            yield Staging(session, path)
    except OperationalError as error:
        raise storage_error_of(error) or error from error
    except sqlite3.OperationalError as error:
        wrapped = OperationalError("", {}, error)
        raise storage_error_of(wrapped) or wrapped from error
    finally:
        engine.dispose()
        path.unlink(missing_ok=True)


def _prepare(connection: Any, _: Any) -> None:
    connection.isolation_level = None  # SQLAlchemy says BEGIN itself
    for pragma in _PRAGMAS:
        connection.execute(f"PRAGMA {pragma}")
