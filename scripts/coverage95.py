"""Write docs/coverage.md: what is claimed at 95 %, and how often seeded truth lay within it."""

from __future__ import annotations

import sys
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import numpy as np

ROOT = Path(__file__).resolve().parents[1]
sys.path.insert(0, str(ROOT))

from openstake.core.budget import Circumstances, budget_of  # noqa: E402
from openstake.core.iso17123 import Independent, field_test  # noqa: E402
from openstake.core.rtk.still_pole import claim_held  # noqa: E402
from openstake.core.series import mean_of_series  # noqa: E402
from openstake.core.time_correlation import Epochs  # noqa: E402
from tests.core.test_budget import sessions  # noqa: E402
from tests.core.test_equality import LONGER, TENTH, shares  # noqa: E402
from tests.core.test_iso17123 import rows as field_rows  # noqa: E402
from tests.core.test_localfit import covered  # noqa: E402
from tests.core.test_rtk import SIGMA_M, UP_M, wander  # noqa: E402

SEED = 20261201
Table = list[tuple[str, ...]]


def fits() -> Table:
    """Fits with given sigmas and without, at a place among the marks."""
    found: Table = [("marks", "sigmas", "runs", "seen horizontally", "seen in height")]
    for count in (3, 4, 5, 9):
        for weighted, said in ((True, "given"), (False, "by the residuals")):
            flat, up = covered(count, 4000, weighted)
            found.append((str(count), said, "4000", _share(flat), _share(up) if count >= 5 else "–"))
    return found


def budgets() -> Table:
    """Points of simulated sessions."""
    found: Table = [("baseline", "averaged", "coordinate", "sessions", "seen horizontally", "seen in height")]
    for baseline_m, seconds in ((500.0, 5.0), (2000.0, 30.0), (8000.0, 180.0)):
        for absolute, said in ((False, "to the base mark"), (True, "absolute")):
            error = sessions(np.random.default_rng(SEED), 5000, baseline_m, seconds, absolute)
            good = budget_of(Circumstances(baseline_m=baseline_m, absolute=absolute, seconds=seconds))
            flat = np.mean(np.hypot(error[:, 0], error[:, 1]) <= good.horizontal_95_m)
            up = np.mean(np.abs(error[:, 2]) <= good.vertical_95_m)
            found.append((f"{baseline_m / 1000:g} km", f"{seconds:g} s", said, "5000", _share(flat), _share(up)))
    return found


def means() -> Table:
    """Means of series that remember."""
    found: Table = [("epochs", "memory to 1/e", "runs", "seen")]
    for count in (60, 180, 600):
        for memory_s in (0.001, 5.0, 20.0):
            rng, held = np.random.default_rng([SEED, count, int(memory_s)]), 0
            for _ in range(1000):
                values = wander(rng, count, memory_s)[:, 0]
                mean = mean_of_series(values)
                held += abs(mean.mean) <= (mean.half_95 or 0.0)
            found.append((str(count), "none" if memory_s < 1.0 else f"{memory_s:g} s", "1000", _share(held / 1000)))
    return found


def equality() -> Table:
    """Pairs of shots whose receiver claims nothing."""
    found: Table = [("shot", "memory", "pairs", "called unequal", "too short to tell", "a shift of three sigmas found")]
    for cases in (TENTH, LONGER):
        plain, moved = shares(cases, 1000), shares(cases, 200, shift=3.0)
        for (seconds, memory_s), (unequal, short), (seen, _) in zip(cases, plain, moved, strict=True):
            found.append((f"{seconds} s", f"{memory_s:g} s", "1000", _share(unequal), _share(short), _share(seen)))
    return found


def claims() -> Table:
    """A pole that stands, its scatter against the claim."""
    found: Table = [("memory to 1/e", "stretch", "right claim called too small", "half of the scatter claimed, told")]
    for memory_s, stretch_s in ((5.0, 60), (20.0, 150), (50.0, 300), (100.0, 600)):
        named = {1.0: 0, 2.0: 0}
        for seed in range(300):
            for scale in named:
                drawn = wander(np.random.default_rng([seed, SEED]), stretch_s, memory_s, scale)
                held = claim_held(Epochs(drawn, stretch_s - 1.0), (SIGMA_M, SIGMA_M, UP_M))
                named[scale] += any(item.too_small for item in held)
        found.append((f"{memory_s:g} s", f"{stretch_s} s", _share(named[1.0] / 300), _share(named[2.0] / 300)))
    return found


def field_tests() -> Table:
    """Field tests of pairs that are as good as was taken, distance and height difference known."""
    known = Independent(12.0, 0.5)
    done = [field_test(field_rows(seed, sigma_xy=0.008, sigma_h=0.015), independent=known) for seed in range(2000)]
    return [
        ("tests", "fail one of the standard's", "said beforehand", "fail one of those for all together"),
        (
            "2000",
            _share(np.mean([not item.passed for item in done])),
            _share(done[0].by_chance),
            _share(np.mean([not item.passed_corrected for item in done])),
        ),
    ]


PARTS: tuple[tuple[str, str, Callable[[], Table]], ...] = (
    ("Local fit", "How often the truth lay in the circle of 95 %.", fits),
    ("Error budget", "How often the error of a point lay within the budget's 95 %.", budgets),
    ("Mean of a series", "How often the truth lay within the half width of 95 %.", means),
    ("Equality of two shots by their scatter", "Equal pairs should be called unequal in 5 %, or be too short to tell.", equality),
    ("Claim and scatter", "A right claim should hardly ever be called too small; half of the scatter should be told in 90 %.", claims),
    ("Field test", "ISO 17123-8, full test.", field_tests),
)


def page() -> str:
    """Return the page, tables computed."""
    with ProcessPoolExecutor() as pool:
        tables = [item.result() for item in [pool.submit(made) for _, _, made in PARTS]]
    parts = [f"## {title}\n\n{why}\n\n{_markdown(table)}" for (title, why, _), table in zip(PARTS, tables, strict=True)]
    head = (
        "# What is claimed at 95 %, and what was seen\n\n"
        "Seeded simulations, truth known; written by `scripts/coverage95.py`. A share of 1 000 has a standard deviation of 0.7 % at 95 %, "
        "one of 4 000 of 0.3 %.\n"
    )
    return head + "\n" + "\n".join(parts)


def _share(value: float) -> str:
    return f"{100.0 * float(value):.1f} %"


def _markdown(table: Table) -> str:
    head, *rest = table
    lines = [head, tuple("---" for _ in head), *rest]
    return "".join(f"| {' | '.join(line)} |\n" for line in lines)


if __name__ == "__main__":
    (ROOT / "docs" / "coverage.md").write_text(page())
