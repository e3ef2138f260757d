"""Write src/openstake/store/schema.sql: what the migrations make of an empty database, so that a new one is made at once."""

import tempfile
from pathlib import Path

from sqlalchemy import create_engine

from openstake.store.database import migrate, newest_migration, tables_of

TARGET = Path(__file__).parent.parent / "src" / "openstake" / "store" / "schema.sql"

with tempfile.TemporaryDirectory() as folder:
    url = f"sqlite:///{folder}/empty.db"
    migrate(url, revision=newest_migration())
    with create_engine(url).connect() as connection:
        TARGET.write_text(tables_of(connection), encoding="utf-8")
