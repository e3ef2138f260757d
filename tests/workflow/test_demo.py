"""The demo's morning in Alder Ford: every state of a link, a finding of each severity, and nothing made twice."""

import numpy as np
import pytest

from openstake.app import build
from openstake.core.chain import State
from openstake.core.judge.finding import Severity
from tests.conftest import Crew

ALDER = "Alder Ford Footbridge"


def chain_of(crew):
    return crew.get(f"/jobs/{crew.job(ALDER)}/chain")


def test_the_demo_shows_every_state_and_a_finding_of_each_severity(shared_office):
    chain = chain_of(shared_office)
    assert {link["state"] for link in chain["links"]} == {str(state) for state in State} - {"not needed"}
    steps = {step["step"]: step["state"] for step in shared_office.get(f"/jobs/{shared_office.job(ALDER)}/steps")["steps"]}
    assert steps["fit"] == "not needed"
    assert {item["finding"]["severity"] for item in chain["findings"]} == {str(severity) for severity in Severity}
    assert chain["weakest"]["name"] == "control" and chain["stops"] == 1


def test_its_checks_are_what_the_ground_has(shared_office):
    """AF4 was knocked 83 mm east, 47 mm south; the others stand where the list says.  Three sigma of an average of a minute by the
    stand-in's noise (4 mm, 7 mm up, remembered for 30 s) is 10 mm and 17 mm; the base height was read 0.7 mm apart."""
    checks = shared_office.get(f"/jobs/{shared_office.job(ALDER)}/checks")["checks"]
    truth = {"AF2": (0.0, 0.0, 0.0), "AF3": (0.0, 0.0, 0.0), "AF4": (0.083, -0.047, 0.006)}
    assert {check["mark_name"] for check in checks} == set(truth)
    for check in checks:
        off = np.array([check["east_m"], check["north_m"], check["up_m"]]) - truth[check["mark_name"]]
        assert np.all(np.abs(off) < [0.010, 0.010, 0.018]), check["mark_name"]
        assert check["stale"] is (check["mark_name"] != "AF4") and check["epochs"] == 61


def test_the_morning_after_says_what_was_checked_and_what_became_of_it(own_office):
    crew, job = own_office, own_office.job(ALDER)
    assert chain_of(crew)["morning"] is None, "the base runs"
    crew.post(f"/jobs/{job}/base/end", {})
    items = {item["press"]: item for item in chain_of(crew)["morning"]["items"]}
    assert items["Check AF2"]["state"] == "out of date" and "corrected after" in items["Check AF2"]["why"]
    assert items["Check AF4"]["state"] == "disagrees" and "It disagreed on" in items["Check AF4"]["why"]


@pytest.mark.slow
def test_the_book_of_the_demo_is_whole_in_the_order_of_its_day_and_nothing_is_made_twice(tmp_path):
    folder = tmp_path / "data"
    made = []
    for _ in range(2):
        program = build(folder, practice=False, demo=True, web_dir=None)
        crew = Crew(program)
        made.append([(job["id"], job["name"]) for job in crew.get("/jobs")["jobs"]])
        book = crew.get(f"/jobs/{crew.job(ALDER)}/book")
        program.close()
        assert book["verification"]["whole"]
        times = [line["at_s"] for line in book["lines"]]
        assert times == sorted(times, reverse=True)
    assert made[0] == made[1] and [name for _, name in made[0]] == ["Carrow Sluice", "Nettle Brook Culvert", ALDER]
