"""The fix history: what a picture of it must not hide, whatever stretch it covers."""

from dataclasses import replace

import pytest
from sqlalchemy import insert

from openstake.live.clock import VirtualClock
from openstake.live.network import outside_of
from openstake.store.models import EpochRow, OccupationEnd
from openstake.workflow.watch.history import SLICES, HistoryQuery, history
from tests.filled import Filling, angle_text

NOW_S = 1_795_700_000.0
FIXED, FLOAT, SINGLE = 4, 5, 1
CIRCLE_OF_ONE_SIGMA = 2.4477  # 95 % of a circular normal distribution: √(−2 ln 0.05)


def at(context, now_s):
    """Return a context in which it is a given moment."""
    return replace(context, outside=outside_of(VirtualClock(now_s)))


@pytest.fixture(scope="module")
def shown(shared_office):
    """Return what is shown of epochs given as seconds ago, quality and what else differs from the usual."""
    job, database = shared_office.job(), shared_office.program.context.database
    context = at(shared_office.program.context, NOW_S)

    def received(session, epochs):
        filling = Filling(session, job)
        base, listening, *_ = filling.base(0, filling.marks[0], ends=False)
        usual = {
            "listening_id": listening.id,
            "latitude_text": angle_text(53.1, "NS", 2),
            "age_s": 1.0,
            "satellites": 20,
            "longitude_text": angle_text(-6.2, "EW", 3),
            "sigma_east_m": 0.01,
            "sigma_north_m": 0.01,
            "sigma_up_m": 0.02,
        }
        rows = [usual | {"host_s": NOW_S - ago_s, "quality": quality, **more} for ago_s, quality, more in epochs]
        session.execute(insert(EpochRow), rows)
        return base.id

    def show(epochs, seconds):
        base_id = database.write(lambda session: received(session, epochs))
        found = history(context, job, HistoryQuery(seconds=seconds))
        database.write(lambda session: session.add(OccupationEnd(occupation_id=base_id, ended_s=NOW_S)))
        return found

    return show


def every_second(first_ago_s, last_ago_s, quality, **more):
    return [(ago_s, quality, more) for ago_s in range(first_ago_s, last_ago_s - 1, -1)]


def test_epochs_of_one_solution_are_one_run(shown):
    found = shown([*every_second(300, 200, FIXED), *every_second(199, 150, FLOAT), *every_second(149, 1, FIXED)], 600)
    assert [run.status.value for run in found.runs] == ["fixed", "float", "fixed"]
    assert [NOW_S - run.from_s for run in found.runs] == [300, 199, 149]
    # A run lasts until the next begins: no hole of a second between two colours.
    assert [NOW_S - run.to_s for run in found.runs] == [199, 149, 1]


def test_a_silence_ends_the_run_and_breaks_every_line(shown):
    found = shown([*every_second(300, 250, FIXED), *every_second(200, 150, FIXED)], 600)
    assert [(NOW_S - run.from_s, NOW_S - run.to_s) for run in found.runs] == [(300, 250), (200, 150)]
    gap = found.age_s.index(None)
    assert 200 < NOW_S - found.host_s[gap] < 250
    assert found.satellites[gap] is found.horizontal_95_m[gap] is found.vertical_95_m[gap] is None


@pytest.mark.slow
def test_one_bad_second_in_twelve_hours_shows(shown):
    epochs = every_second(43_190, 1, FIXED)
    epochs[20_000] = (epochs[20_000][0], SINGLE, {"age_s": 31.0, "satellites": 4, "sigma_up_m": 3.0})
    found = shown(epochs, 43_200)
    assert len(found.host_s) <= SLICES + 1
    assert [run.status.value for run in found.runs] == ["fixed", "single", "fixed"]
    assert (max(found.age_s), min(found.satellites)) == (31.0, 4)
    assert max(found.vertical_95_m) == pytest.approx(3.0 * 1.96, rel=1e-3)


def test_the_claim_is_shown_at_95_percent(shown):
    found = shown(every_second(60, 50, FIXED), 600)
    assert found.horizontal_95_m == pytest.approx([0.01 * CIRCLE_OF_ONE_SIGMA] * len(found.host_s), rel=5e-3)


def test_where_nobody_claims_no_accuracy_there_is_none(shown):
    found = shown(every_second(60, 50, FIXED, sigma_east_m=None, sigma_north_m=None, sigma_up_m=None), 600)
    assert set(found.horizontal_95_m) == set(found.vertical_95_m) == {None}


def test_what_is_older_than_the_stretch_is_left_out(shown):
    found = shown([*every_second(900, 700, FLOAT), *every_second(60, 50, FIXED)], 600)
    assert [run.status.value for run in found.runs] == ["fixed"]


def test_without_epochs_there_is_nothing(shown):
    found = shown([(900, FIXED, {})], 600)
    assert found.runs == [] and found.host_s == [] and found.to_s - found.from_s == 600


def kinds(found):
    return [(event.kind, NOW_S - event.at_s) for event in found.events]


def test_what_happened_to_the_fix_is_told_beside_it(shown):
    found = shown(
        [
            *every_second(300, 280, SINGLE, age_s=None),
            *every_second(279, 270, FLOAT),
            *every_second(269, 200, FIXED),
            *every_second(199, 180, SINGLE, age_s=None),
            *every_second(179, 170, FLOAT),
            *every_second(169, 100, FIXED),
        ],
        600,
    )
    # The first fix is no initialisation anew: nothing was lost before it.
    assert kinds(found) == [("link lost", 199), ("link back", 179), ("initialised anew", 169)]


def test_a_switch_of_the_source_is_told_where_the_station_changes(shown):
    found = shown([*every_second(300, 200, FIXED, station_id=900), *every_second(199, 100, FIXED, station_id=17)], 600)
    assert kinds(found) == [("source switched", 199)]
    assert found.events[0].words == "base 17 and no longer 900"


@pytest.mark.slow
def test_a_stretch_of_the_past_is_shown_as_finely_as_the_present(shared_office):
    job, database = shared_office.job("Nettle Brook Culvert"), shared_office.program.context.database
    context = at(shared_office.program.context, NOW_S)

    def work(session):
        filling = Filling(session, job)
        _, listening, *_ = filling.base(0, filling.marks[0], ends=False)
        usual = {
            "listening_id": listening.id,
            "latitude_text": angle_text(44.1, "NS", 2),
            "age_s": 1.0,
            "satellites": 20,
            "longitude_text": angle_text(-72.2, "EW", 3),
            "quality": FIXED,
        }
        rows = [usual | {"host_s": NOW_S - n / 5.0} for n in range(5 * 7200)]
        session.execute(insert(EpochRow), rows)

    database.write(work)
    whole, minute = (history(context, job, HistoryQuery(seconds, to_s)) for seconds, to_s in ((7200, 0), (60, NOW_S - 3600)))

    assert len(whole.host_s) <= SLICES + 1
    assert 290 <= len(minute.host_s) <= SLICES + 1, "every epoch of a minute at 5 Hz is there"
    assert (minute.from_s, minute.to_s) == (NOW_S - 3660, NOW_S - 3600)
    assert minute.host_s[0] >= minute.from_s and minute.host_s[-1] <= minute.to_s
