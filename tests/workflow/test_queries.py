"""What an answer costs: as many queries whatever a job holds, and the same numbers whether one shot is derived or all."""

from contextlib import contextmanager

import pytest
from sqlalchemy import event, select

from openstake.derive import points
from openstake.derive.job import job_of
from openstake.store.models import Shot
from openstake.store.records import shots
from openstake.store.records.labels import free_name
from openstake.workflow.check.checks import checked
from tests.conftest import as_file
from tests.filled import Filling, fill

CONTROL = "name,east,north,ellipsoidal height\n" + "".join(
    f"Q{n},{703412.361 + 131.7 * n:.3f},{629805.118 + 203.9 * n:.3f},{62.4 + 0.29 * n:.3f}\n" for n in range(6)
)
EPOCHS = 8
LISTS = (
    "checks",
    "checks/plan",
    "checks/settings",
    "steps",
    "plan",
    "points.csv",
    "base",
    "base/earlier",
    "book",
    "marks",
    "points",
    "closing",
    "handover",
    "instrument",
    "fit",
    "fit/use",
    "fit/history",
    "chain",
    "link",
    "sky",
    "sky/seen",
)


@contextmanager
def counted(database):
    """Count the statements that readers send."""
    seen = []

    def note(*sent):
        seen.append(sent[2])

    event.listen(database._engine, "before_cursor_execute", note)
    try:
        yield seen
    finally:
        event.remove(database._engine, "before_cursor_execute", note)


def new_job(crew, name):
    wish = {"name": name, "system": {"kind": "code", "code": 2157}, "length_unit": "m"}
    job = crew.post("/jobs", wish)["id"]
    crew.post(f"/jobs/{job}/control/accept", as_file(CONTROL))
    return job


def fit_of(crew, job, marks):
    """Give some of the job's marks local coordinates, and apply the fit."""
    text = "name,east,north,height\n" + "".join(
        f"Q{n},{5000 + 131.7 * n:.3f},{5000 + 203.9 * n:.3f},{10 + 0.29 * n:.3f}\n" for n in range(marks)
    )
    crew.post(f"/jobs/{job}/fit/file", as_file(text, keep=True))
    chosen = crew.post(f"/jobs/{job}/fit", {"school": "all", "models": {"weights": "alike"}})["chosen_id"]
    crew.post(f"/jobs/{job}/fit/apply", {"chosen_id": chosen, "accepted": True})


@pytest.fixture(scope="module")
def small(shared_program):
    job = new_job(shared_program, "Few")
    shared_program.program.context.database.write(lambda session: fill(session, job, 6, 2, EPOCHS, points=6))
    fit_of(shared_program, job, 2)
    return job


@pytest.fixture(scope="module")
def large(shared_program):
    job = new_job(shared_program, "Many")
    shared_program.program.context.database.write(lambda session: fill(session, job, 250, 20, EPOCHS, points=150))
    fit_of(shared_program, job, 6)
    return job


def queries(crew, job, path):
    """Return how many statements an answer takes, nothing being remembered."""
    points.REMEMBERED.clear()
    with counted(crew.program.context.database) as seen:
        crew.get(f"/jobs/{job}/{path}")
    return len(seen)


@pytest.mark.parametrize("path", LISTS)
@pytest.mark.slow
def test_an_answer_takes_as_many_queries_for_250_shots_and_20_bases_as_for_6_and_2(shared_program, small, large, path):
    few, many = queries(shared_program, small, path), queries(shared_program, large, path)

    assert many == few
    assert many <= {"closing": 110, "steps": 80, "chain": 130}.get(path, 50), "both ask for the whole chain"


def test_a_free_name_takes_as_many_queries_however_far_it_counts(shared_program, small, large):
    """2026-11-27: a name that was taken asked twice for each name behind it."""
    database = shared_program.program.context.database
    asked = []
    for job, points_of_it in ((small, 6), (large, 150)):
        with database.read() as session, counted(database) as seen:
            assert free_name(session, job, "P1") == f"P{points_of_it + 1}"
        asked.append(len(seen))
    assert asked[0] == asked[1] <= 6
    with database.read() as session:
        assert free_name(session, large, "Q1") == "Q6", "the marks Q0 to Q5 are names too"


def test_one_shot_and_all_of_them_come_to_the_same_bits(shared_program, large):
    with shared_program.program.context.database.read() as session:
        job = job_of(session, large)
        shots = session.scalars(select(Shot).where(Shot.job_id == large).order_by(Shot.created_s)).all()
        points.REMEMBERED.clear()
        together = points.derive_all(session, job, shots)
        points.REMEMBERED.clear()
        alone = [points.derive(session, job, shot) for shot in shots[::25]]

    assert [(one.east_m, one.north_m, one.height_m) for one in alone] == [
        (point.east_m, point.north_m, point.height_m) for point in together[::25]
    ]


def test_what_is_remembered_gives_the_same_bits_as_what_is_read(shared_program, large):
    points.REMEMBERED.clear()
    read = shared_program.get(f"/jobs/{large}/checks")["checks"]

    assert shared_program.get(f"/jobs/{large}/checks")["checks"] == read
    assert len(points.REMEMBERED) >= 200


@pytest.mark.slow
def test_more_shots_than_a_query_can_name_come_to_the_same(shared_program, large, monkeypatch):
    few = shared_program.get(f"/jobs/{large}/points.csv")
    monkeypatch.setattr(shots, "_MOST_NAMED", 10)
    points.REMEMBERED.clear()

    assert shared_program.get(f"/jobs/{large}/points.csv") == few


def test_a_shot_comes_out_where_its_mark_is(shared_program, large):
    """By hand: the shots of a filled job stand on their marks with 6 mm of noise, averaged over 8 epochs."""
    checks = shared_program.get(f"/jobs/{large}/checks")["checks"]

    assert len(checks) == 200
    assert max(check["horizontal_m"] for check in checks) < 0.015


def pages(crew, job, path, key):
    """Walk a list page by page."""
    found, after = [], ""
    while after is not None:
        page = crew.get(f"/jobs/{job}/{path}?after={after}")
        found.append(page[key])
        after = page["next"]
    return found


@pytest.mark.parametrize(("path", "key", "most"), [("checks", "checks", 200), ("book", "lines", 500)])
@pytest.mark.slow
def test_a_long_list_comes_page_by_page_and_whole(shared_program, large, path, key, most):
    listed = pages(shared_program, large, path, key)

    assert all(len(page) <= most for page in listed)
    ids = [item["id"] for page in listed for item in page]
    assert len(ids) == len(set(ids))
    if path == "checks":
        assert len(listed) == 2 and len(ids) == 250
        times = [item["created_s"] for page in listed for item in page]
        assert times == sorted(times, reverse=True)


def test_points_of_the_plan_come_page_by_page(shared_program, large, monkeypatch):
    monkeypatch.setattr("openstake.workflow.job.plan.MOST_POINTS", 60)

    listed = pages(shared_program, large, "plan", "points")

    assert [len(page) for page in listed] == [60, 60, 60, 60, 60, 60, 40], "250 checks and 150 points"
    first = shared_program.get(f"/jobs/{large}/plan")
    assert len(first["marks"]["id"]) == 6
    assert shared_program.get(f"/jobs/{large}/plan?after={first['next']}")["marks"]["id"] == [], "marks come once"


def test_marks_come_page_by_page(shared_program, small, monkeypatch):
    monkeypatch.setattr("openstake.workflow.job.control.MOST_MARKS_SHOWN", 4)

    listed = pages(shared_program, small, "marks", "marks")

    assert [[mark["name"] for mark in page] for page in listed] == [["Q0", "Q1", "Q2", "Q3"], ["Q4", "Q5"]]


def test_an_unknown_place_in_a_list_begins_it_again(shared_program, large):
    assert shared_program.get(f"/jobs/{large}/checks?after=nothing") == shared_program.get(f"/jobs/{large}/checks")


def test_a_stored_shot_reads_its_set_up_and_no_more(shared_program, large):
    """What is judged when a shot is stored: its own epochs, the newest shot on each mark of its set-up and the one before it."""
    with shared_program.program.context.database.read() as session:
        job = job_of(session, large)
        shot = session.scalars(select(Shot).where(Shot.job_id == large, Shot.mark_id.is_not(None)).order_by(Shot.created_s.desc())).first()
        points.REMEMBERED.clear()

        checked(session, job, [shot])

    assert len(points.REMEMBERED) <= 7, "six marks, and the shot before it on its own"


def test_a_height_that_is_corrected_and_put_back_makes_its_shots_stale_and_right_again(shared_program):
    """2026-11-27: "out of date" went by clocks, so an undo left everything out of date."""
    job = new_job(shared_program, "Undone")
    database = shared_program.program.context.database

    def work(session):
        filling = Filling(session, job)
        made = filling.base(0, filling.marks[0], ends=True)
        filling.shots(*made, 3, EPOCHS)
        return made[0].setup_id

    database.write(work)
    reading = shared_program.get(f"/jobs/{job}/base/earlier")["bases"][0]["heights"]["readings"][0]
    fix = {"replaces_id": reading["id"], "reading": "1.600 m", "feature": "bottom", "reason": "misread"}

    def stale():
        return {check["stale"] for check in shared_program.get(f"/jobs/{job}/checks")["checks"]}

    assert stale() == {False}
    shared_program.post(f"/jobs/{job}/base/height", fix)
    assert stale() == {True}
    newest = shared_program.get(f"/jobs/{job}/base/earlier")["bases"][0]["heights"]["readings"]
    changed = next(item for item in newest if item["corrected"])
    back = fix | {"replaces_id": changed["id"], "reading": reading["text"], "reason": "undo"}
    shared_program.post(f"/jobs/{job}/base/height", back)
    assert stale() == {False}


def test_settings_that_change_no_coordinate_leave_checks_as_they_are(shared_program):
    job = new_job(shared_program, "Another client")
    shared_program.program.context.database.write(lambda session: fill(session, job, 6, 2, EPOCHS, points=6))
    settings = shared_program.get(f"/jobs/{job}")["settings_id"]
    shared_program.post(f"/jobs/{job}/settings", {"replaces_id": settings, "changes": {"client": "Another (invented)"}})

    assert {check["stale"] for check in shared_program.get(f"/jobs/{job}/checks")["checks"]} == {False}


def test_what_a_shot_rests_on_is_kept_with_it(shared_program, small):
    with shared_program.program.context.database.read() as session:
        shots = session.scalars(select(Shot).where(Shot.job_id == small)).all()

    # Settings, mark, base coordinate, two readings of the base, the pole, the base reference; a point stands on no mark.
    assert {(shot.kind, len(shot.rests_on)) for shot in shots} == {("check", 7), ("topo", 6)}
