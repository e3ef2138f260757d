"""A full field test is compared with the full one before it."""

import io

import numpy as np
import pypdf
import pytest

from openstake.core.iso17123 import Measured
from openstake.core.report import Report
from openstake.derive.job import job_of
from openstake.store.models import Shot
from openstake.wire.reportpdf import write_report
from openstake.workflow.check import fieldtests
from openstake.workflow.reports import field_test_parts


@pytest.mark.parametrize(("spread", "passes"), [(0.004, True), (0.012, False)])
def test_the_uncertainty_is_tested_against_that_of_the_earlier_full_test(spread, passes):
    # F of 56 degrees of freedom each at 97.5 %: 1.70 (from memory of the tables); (12/4)² = 9 is far beyond it.
    settled = fieldtests.FieldTestSettled(full=True, sigma_xy_m=0.008, sigma_h_m=0.015, distance_m=None, height_difference_m=None)
    places = [(a, b, c) for a in (1, 2, 3) for b in range(1, 6) for c in (1, 2)]

    def rows(seed, sigma):
        noise = np.random.default_rng(seed).normal(0.0, sigma, (30, 3))
        return [
            Measured(east_m=10.0 * place[2] + e, north_m=n, height_m=h, **dict(zip(("series", "set", "point"), place, strict=True)))
            for place, (e, n, h) in zip(places, noise, strict=True)
        ]

    shots = {f"{a}.{b}.{c}": Shot(created_s=1000.0 + 5400.0 * a + 300.0 * b + 30.0 * c) for a, b, c in places}
    now = fieldtests.SeriesNow(id="t", job_id="j", settled=settled, created_s=0.0, shots=shots)
    view = fieldtests._view(now, rows(1, spread), rows(2, 0.004), "m", 1e6)

    tests = {item.name: item.passed for item in view.result.tests}
    assert tests["s_xy against the earlier test"] == passes
    assert view.quality.startswith("s of a position") and "56 degrees of freedom" in view.quality
    assert not view.open and view.passed == all(tests.values())


def test_the_report_has_every_test_and_every_set(shared_office):
    settled = fieldtests.FieldTestSettled(full=True, sigma_xy_m=0.008, sigma_h_m=0.015, distance_m=None, height_difference_m=None)
    places = [(a, b, c) for a in (1, 2, 3) for b in range(1, 6) for c in (1, 2)]
    noise = np.random.default_rng(4).normal(0.0, 0.004, (30, 3))
    rows = [
        Measured(east_m=10.0 * place[2] + e, north_m=n, height_m=h, **dict(zip(("series", "set", "point"), place, strict=True)))
        for place, (e, n, h) in zip(places, noise, strict=True)
    ]
    shots = {f"{a}.{b}.{c}": Shot(created_s=1000.0 + 5400.0 * a + 300.0 * b + 30.0 * c) for a, b, c in places}
    view = fieldtests._view(fieldtests.SeriesNow(id="t", job_id="j", settled=settled, created_s=0.0, shots=shots), rows, None, "m", 1e6)
    with shared_office.program.context.database.read() as session:
        job = job_of(session, shared_office.job())

    summary, sets = field_test_parts(view, job, "ISO 17123-8")
    text = written_report(Report(title="Field test", job=job.name, printed="now", version="Open Stake", parts=[summary, sets]))
    assert len(sets.table) == 16 and len(summary.table) == len(view.result.tests) + 1
    for item in view.result.tests:
        assert item.name in text and f"{item.statistic:.3g}" in text
    # By hand: the distance of a set less the mean of all, both from the rows above.
    distances = [np.hypot(rows[n + 1].east_m - rows[n].east_m, rows[n + 1].north_m - rows[n].north_m) for n in range(0, 30, 2)]
    assert sets.table[1][3] == f"{distances[0] - np.mean(distances):.3f} m"
    job_id = shared_office.job()
    assert "measured through" in shared_office.get(f"/jobs/{job_id}/reports/iso17123.pdf", 409)["detail"]


def written_report(report):
    pages = pypdf.PdfReader(io.BytesIO(write_report(report))).pages
    return " ".join(" ".join(page.extract_text() for page in pages).split())
