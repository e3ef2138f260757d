"""What is shipped is told with its licence, from the lock files: nothing that they pin is left out."""

import json
import re
import runpy
from pathlib import Path

from openstake.workflow.about import about

ROOT = Path(__file__).parents[1]


def test_the_list_is_made_from_the_lock_files_and_is_not_stale():
    made = runpy.run_path(str(ROOT / "scripts" / "licences.py"))["licences_text"]()

    assert (ROOT / "src/openstake/licences.json").read_text() == made, "run make schema"


def test_everything_that_is_asked_for_is_in_it_as_it_is_pinned():
    shipped = {item.name: item for item in about().shipped}
    asked = re.findall(r'^  "([a-z0-9-]+)[=>]', (ROOT / "pyproject.toml").read_text().partition("[project.optional")[0], re.M)
    pages = json.loads((ROOT / "web" / "package.json").read_text())

    assert len(asked) > 15 and {*asked, *pages["dependencies"]} <= set(shipped)
    assert not set(pages["devDependencies"]) & set(shipped), "what builds and tests is not shipped"
    for name, version in pages["dependencies"].items():
        assert shipped[name].version == version
    assert all(item.licence and item.version for item in shipped.values())
    assert {"font", "geoid grid"} <= {item.part for item in shipped.values()}
