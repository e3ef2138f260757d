"""What the documents point at is there: files, and the names in them."""

import re
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[1]
PATH = r"(?:src|web|docs|tests|scripts|bench)/[\w./-]+"
PACKAGE = r"(?:core|wire|live|store|workflow|api|cli|standin)/[\w./-]+"  # named without src/openstake
DOCUMENTS = sorted([ROOT / "README.md", *(ROOT / "docs").rglob("*.md")])


@pytest.mark.parametrize("document", DOCUMENTS, ids=lambda path: path.name)
def test_every_file_that_is_named_exists(document):
    text = document.read_text()
    named = re.findall(rf"`({PATH})`", text) + re.findall(rf"]\(({PATH})\)", text)
    named += [f"src/openstake/{name}" for name in re.findall(rf"`({PACKAGE})`", text)]
    assert [name for name in named if not (ROOT / name).exists()] == []


def test_every_name_of_the_walks_is_made_in_its_file():
    walked = re.findall(rf"`({PATH})` `(\w+)`", (ROOT / "docs/architecture.md").read_text())
    made = r"(?:def|class|function|const) {0}\b|^{0}\b.* = "
    missing = [f"{path} {name}" for path, name in walked if not re.search(made.format(name), (ROOT / path).read_text(), re.M)]
    assert len(walked) > 30
    assert missing == []
