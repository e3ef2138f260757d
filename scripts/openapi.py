"""Write docs/openapi.json from the shapes that the API publishes, and docs/package.schema.json from the tables."""

import json
import tempfile
from pathlib import Path

from openstake.api.server import create_app, openapi_text
from openstake.live.hub import Hub
from openstake.store.database import Database
from openstake.store.package import schema
from openstake.workflow.context import Context

TARGET = Path(__file__).parent.parent / "docs" / "openapi.json"

with tempfile.TemporaryDirectory() as folder:
    database = Database.in_folder(Path(folder))
    TARGET.write_text(openapi_text(create_app(Context(database=database, hub=Hub(), data_dir=Path(folder), practice=None), None)))
    database.close()
(TARGET.parent / "package.schema.json").write_text(json.dumps(schema(), indent=1, ensure_ascii=False) + "\n")
