"""What goes out of date with which correction: any of them, in any order, and all of it back again when they are undone."""

import itertools
import time

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.filled import Filling
from tests.repeats import repeats
from tests.workflow.test_fit import EPOCHS, MARKS, Site, local_list, mark

OTHERS = {"Q1", "Q2", "Q3", "Q4", "Q5"}  # the base stands on Q0
EVERY = {"Q0", *OTHERS}


NUMBERS = itertools.count()


class Day(Site):
    """A site with a check on every mark, a fit in use, and every kind of correction that the program offers, each with its undoing."""

    def __init__(self, crew):
        super().__init__(crew, f"Corrected {next(NUMBERS)}")
        self.give(local_list())
        self.apply()

    def _measure(self, session, source, count):
        filling = Filling(session, self.job)
        filling.now = time.time() - 900.0
        self.base = filling.base(0, filling.marks[0], source=source, ends=False)
        filling.shots(*self.base, count, EPOCHS)

    def height(self, back):
        self.correct_height("1.500 m" if back else "1.502 m")

    def pole(self, back):
        shot = self.get("checks")["checks"][0]["id"]
        seen = self.get(f"shots/{shot}/height")["readings"][0]
        wish = {"replaces_id": seen["id"], "reason": "tried", "scope": "set-up", "feature": "pole"}
        self.post(f"shots/{shot}/height", wish | {"reading": None if back else "1.998 m"})

    def coordinate(self, back):
        q1 = next(item for item in self.get("checks")["checks"] if item["mark_name"] == "Q1")
        if not back:
            self.post("base/reseat", {"mark_id": q1["mark_id"], "shot_ids": [q1["id"]], "accepted": True})
            return
        view = self.get(f"base/reseat?mark_id={q1['mark_id']}")
        undo = {"occupation_id": view["occupation_id"], "coordinate_id": view["undo_id"], "reason": "tried", "unlock": True}
        self.post("base/coordinate", undo)

    def mark(self, back, name="Q2", by_m=0.002, **more):
        found = next(item for item in self.get("marks")["marks"] if item["name"] == name)
        values = {
            "name": name,
            **found["typed"],
            "height_kind": "ellipsoidal",
            "east_m": f"{MARKS[name][0] + (0.0 if back else by_m)}",
            **more,
        }
        self.post(f"marks/{found['id']}", {"values": values, "reason": "the list was wrong"})

    def described(self, back):
        self.mark(back, "Q3", 0.0, note="" if back else "nail beside the gate")

    def far_mark(self, back):
        self.mark(back, "Q4")

    def client(self, back):
        wish = {
            "replaces_id": self.crew.get(f"/jobs/{self.job}")["settings_id"],
            "changes": {"client": "" if back else "Another (invented)"},
        }
        self.post("settings", wish)

    def local(self, back):
        q3 = mark(self.get(), "Q3")
        values = {"name": "Q3", **q3["typed"], "east": f"{float(q3['typed']['east']) + (-0.002 if back else 0.002):.3f}"}
        self.post(f"fit/marks/{q3['line_id']}", {"replaces_id": q3["id"], "values": values, "reason": "the list was wrong"})

    def left_out(self, back):
        q1 = mark(self.get(), "Q1")
        self.post("fit/shots", {"line_id": q1["line_id"], "shot_id": q1["shots"][0]["id"], "used": back})


# By hand, for each kind: the marks whose check rests on it, and whether the fit does (common practice, no source).  A check is the
# difference of a position from a mark; a position hangs on the base's coordinate and height; a fit on positions and local coordinates.
RESTS = {
    "height": (EVERY, True),
    "pole": (EVERY, True),
    "coordinate": (EVERY, True),
    "mark": ({"Q2"}, False),
    "far_mark": ({"Q4"}, False),
    "described": (set(), False),
    "client": (set(), False),
    "local": (set(), True),
    "left_out": (set(), True),
}


def states(day):
    return {link["name"]: link["state"] for link in day.get("chain")["links"]}


def coordinates(day):
    keys = ("point_east_m", "point_north_m", "point_height_m")
    return {check["id"]: [check[key] for key in keys] for check in day.get("checks")["checks"]}


def stale(day):
    return {check["mark_name"] for check in day.get("checks")["checks"] if check["stale"]}


@pytest.mark.slow
@settings(max_examples=repeats(25, 5), deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(kinds=st.lists(st.sampled_from(sorted(RESTS)), min_size=1, max_size=3, unique=True), undone=st.randoms(use_true_random=False))
def test_exactly_the_links_that_rest_on_a_correction_go_out_of_date_and_come_back_with_its_undoing(shared_office, kinds, undone):
    day = Day(shared_office)
    before, places = states(day), coordinates(day)
    assert "out of date" not in before.values() and stale(day) == set()
    done = set()

    def holds():
        marks = set().union(*(RESTS[kind][0] for kind in done))
        assert stale(day) == marks
        expected = {
            name
            for name, goes in {
                "base mark": marks >= OTHERS,
                "control": bool(marks & OTHERS),
                "local grid": any(RESTS[kind][1] for kind in done),
            }.items()
            if goes
        }
        now = states(day)
        assert {name for name in now if now[name] == "out of date"} == expected
        assert {name for name in now if now[name] != before[name]} == expected

    for kind in kinds:
        getattr(day, kind)(back=False)
        done.add(kind)
        holds()
    undone.shuffle(kinds)
    for kind in kinds:
        getattr(day, kind)(back=True)
        done.remove(kind)
        holds()
    assert coordinates(day) == places, "to the same bits"
