"""Write the published JSON Schema of profiles to docs/formats; a test fails while it is stale."""

import json
from pathlib import Path

from openstake.wire.profile import profile_schema

TARGET = Path(__file__).parent.parent / "docs" / "formats" / "profile.schema.json"

if __name__ == "__main__":
    TARGET.write_text(json.dumps(profile_schema(), indent=2, ensure_ascii=False) + "\n")
