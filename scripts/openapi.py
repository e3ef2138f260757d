"""Write docs/openapi.json from the API's schemas, or with --check say whether it is stale."""

import json
import sys
import tempfile
from pathlib import Path

from openstake.api.server import create_app
from openstake.live.hub import Hub
from openstake.store.database import Database
from openstake.workflow.context import Context

TARGET = Path(__file__).parent.parent / "docs" / "openapi.json"

with tempfile.TemporaryDirectory() as folder:
    database = Database.in_folder(Path(folder))
    app = create_app(Context(database, Hub(), Path(folder), None), None)
    with app.app_context():
        text = json.dumps(app.extensions["spec"].spec, indent=1, sort_keys=True) + "\n"
    database.close()
if "--check" in sys.argv:
    if not TARGET.exists() or TARGET.read_text() != text:
        sys.exit("docs/openapi.json is stale: run make schema.")
else:
    TARGET.write_text(text)
