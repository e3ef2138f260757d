"""Write docs/causes.md: which pairs of causes look alike, and what the cause-finder says of seeded days with one mistake each."""

from __future__ import annotations

import sys
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
sys.path.insert(0, str(ROOT))

from openstake.core.causes import CAUSES, LOOK_ALIKE, causes_of  # noqa: E402
from tests.core.cases import day_of  # noqa: E402

DAYS = 200
CANNOT_TELL, WRONGLY_ALIKE = "cannot tell", "cannot tell, and it is neither"
SHORT = {
    "pole of these shots": "pole height",
    "base coordinate": "coordinate",
    "base on another mark": "base elsewhere",
    "foot for foot": "foot",
    "pole on another mark": "pole elsewhere",
    "another system": "system",
}


def said(cause: str, days: int = DAYS) -> Counter[str]:
    """Return what is said of so many seeded days with one mistake."""
    found: Counter[str] = Counter()
    for seed in range(days):
        causes = causes_of(*day_of(cause, seed))
        if causes.alike:
            found[CANNOT_TELL if cause in (causes.first.cause, *causes.alike) else WRONGLY_ALIKE] += 1
        else:
            found[causes.first.cause] += 1
    return found


def page() -> str:
    """Return the page, tables computed."""
    with ProcessPoolExecutor() as pool:
        table = dict(zip(CAUSES, pool.map(said, CAUSES), strict=True))
    columns = [*CAUSES, CANNOT_TELL, WRONGLY_ALIKE]
    lines = [
        "# What differs tells the cause",
        "",
        "`core/causes.py` tries every cause on all checks of a base, `core/judge/cause.py` says it. Written by `scripts/causes.py`;",
        "a test holds the table against the program.",
        "",
        f"{DAYS} seeded days of each cause (`tests/core/cases.py`): errors of 5 to 20 sigmas of what shows them, three to seven marks,",
        "times within five hours. Rows: the truth. Columns: what was said. *Cannot tell* is right only for the pairs listed below.",
        "",
        "| truth | right | " + " | ".join(SHORT.get(name, name) for name in columns) + " |",
        "|---|---|" + "---|" * len(columns),
    ]
    for cause in CAUSES:
        row = table[cause]
        judged = DAYS - row[CANNOT_TELL]
        share = 100.0 * row[cause] / judged
        cells = [str(row[name]) if row[name] else "" for name in columns]
        lines.append(f"| {cause} | {share:.1f} % of {judged} | " + " | ".join(cells) + " |")
    lines += ["", "## Pairs that look alike", "", "| | | when |", "|---|---|---|"]
    for pair, why in LOOK_ALIKE.items():
        one, other = sorted(pair, key=CAUSES.index)
        lines.append(f"| {one} | {other} | {why} |")
    return "\n".join(lines) + "\n"


if __name__ == "__main__":
    (ROOT / "docs" / "causes.md").write_text(page())
