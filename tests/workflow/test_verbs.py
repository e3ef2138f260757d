"""What verbs and views say, in process and at once: what wires the steps together is held by these, not by slow walks alone."""

import itertools

import numpy as np
import pyproj
import pytest

from openstake.core.rtk.rover import RoverWatch
from openstake.store.book import write_entry
from openstake.store.models import BaseCoordinate, Reference, new_id
from openstake.workflow.watch import instrument
from tests.conftest import as_file
from tests.core.test_rtk import epoch
from tests.filled import Filling

NUMBERS = itertools.count()
CONTROL = """name,east,north,ellipsoidal height
V1,703400.000,629800.000,62.000
V2,704000.000,629850.000,61.200
V3,703950.000,630400.000,63.100
"""


class Work:
    """A job of its own on three marks in an office without devices."""

    def __init__(self, crew, **more):
        self.crew = crew
        wish = {"name": f"Verbs {next(NUMBERS)}", "system": {"kind": "code", "code": 2157}, "length_unit": "m"} | more
        self.job = crew.post("/jobs", wish)["id"]
        crew.post(f"/jobs/{self.job}/control/accept", as_file(CONTROL))
        self.database = crew.program.context.database

    def get(self, path, status=200):
        return self.crew.get(f"/jobs/{self.job}/{path}", status)

    def post(self, path, body=None, status=200):
        return self.crew.post(f"/jobs/{self.job}/{path}", body, status)

    def mark(self, name):
        return self.crew.mark(self.job, name)

    def filled(self, make):
        """Write rows of a season of work into the job; `make` gets the filling."""
        return self.database.write(lambda session: make(Filling(session, self.job)))


@pytest.fixture
def work(shared_office):
    return Work(shared_office)


# --- the Book, page by page ---


@pytest.mark.parametrize("count", [501, *(pytest.param(count, marks=pytest.mark.slow) for count in (499, 500, 1001))])
def test_a_long_book_comes_page_by_page_newest_first_and_whole(work, count):
    """Five hundred lines a page: the edges on both sides of one page, and of two."""
    begun = len(work.get("book")["lines"])

    def write(session):
        for n in range(count - begun):
            write_entry(session, 1_795_600_000.0 + n, "note", f"Note {n}.", work.job)

    work.database.write(write)
    pages, after = [], ""
    while after is not None:
        page = work.get(f"book?after={after}")
        pages.append(page["lines"])
        after = page["next"]

    assert [len(page) for page in pages] == [min(500, count - 500 * n) for n in range((count + 499) // 500)]
    sequences = [line["sequence"] for page in pages for line in page]
    assert sequences == sorted(set(sequences), reverse=True) and len(sequences) == count
    assert work.get("book")["verification"]["whole"]


def test_lines_are_found_by_words_group_and_day(work):
    work.post("book/notes", {"words": "The ford is too deep for the van."})
    found = work.get("book?text=FORD")["lines"]
    assert [line["sentence"] for line in found] == ["The ford is too deep for the van."]
    assert work.get("book?text=ford&group=kit")["lines"] == []
    groups = {group: [line["kind"] for line in work.get(f"book?group={group}")["lines"]] for group in ("notes", "job")}
    assert groups == {"notes": ["note"], "job": ["control-imported", "job-made"]}
    assert work.get("book?day=2001-01-01")["lines"] == []
    assert "day" in work.get("book?day=someday", 422)["detail"]


# --- heights at the base ---


def test_readings_differ_from_their_mean_and_the_mean_is_that_by_hand(work):
    work.post("base/setup", {"mark_id": work.mark("V1"), "source": "mark"})
    for reading in ("1.5460 m", "1.5480 m", "5.0755 ft"):
        work.post("base/readings", {"reading": reading, "feature": "bottom"})
    opening = work.get("base")["heights"]

    metres = [1.5460, 1.5480, 5.0755 * 0.3048]
    mean = sum(metres) / 3.0
    rows = opening["readings"]
    assert [row["from_mean_m"] for row in rows] == pytest.approx([value - mean for value in metres], abs=1e-9)
    assert opening["opening"]["arp_height_m"] == pytest.approx(mean, abs=1e-9)


def test_readings_that_do_not_agree_have_no_mean_to_differ_from(work):
    work.post("base/setup", {"mark_id": work.mark("V1"), "source": "mark"})
    for reading in ("1.546 m", "1.646 m"):
        work.post("base/readings", {"reading": reading, "feature": "bottom"})
    rows = work.get("base")["heights"]["readings"]
    assert [row["from_mean_m"] for row in rows] == [None, None]


# --- where a base's coordinate comes from, and what a correction does ---


@pytest.mark.parametrize(("source", "off_m", "autonomous"), [("mark", 0.0, False), ("average", 1.5, True), ("network", 1.5, False)])
def test_each_school_of_the_base_coordinate_says_what_it_is_and_what_it_is_good_for(work, source, off_m, autonomous):
    work.filled(lambda filling: filling.base(0, filling.marks[0], source=source, ends=False))
    base = work.get("base")
    shown, codes = base["occupation"], [finding["code"] for finding in base["findings"]]

    assert (shown["source"], shown["source_detail"]) == (source, f"{source} V1")
    assert ("base-autonomous" in codes) is autonomous, codes
    # As the row has it: 12 mm and 16 mm of a known mark; a metre and a half more where it was averaged.
    assert shown["accuracy_horizontal_95_m"] == pytest.approx(0.012 + off_m)
    assert shown["accuracy_vertical_95_m"] == pytest.approx(0.016 + off_m)


def test_every_shot_moves_with_the_base_s_coordinate_and_back_to_the_same_bits(work):
    def measured(filling):
        base = filling.base(0, filling.marks[0], ends=False)
        filling.shots(*base, 3, epochs=5)
        return base[3]

    coordinate = work.filled(measured)
    before = {check["mark_name"]: check for check in work.get("checks")["checks"]}
    keys = ("point_east_m", "point_north_m", "point_height_m")

    def shifted(filling):
        up = np.array([coordinate.x_m, coordinate.y_m, coordinate.z_m])
        moved = up * (1.0 + 0.25 / np.linalg.norm(up))  # along the radius: 0.25 m up, and 0.7 mm north (by hand: f sin 2φ)
        values = {column.name: getattr(coordinate, column.name) for column in BaseCoordinate.__table__.columns}
        del values["id"], values["created_s"]
        return filling.add(
            BaseCoordinate(**values | dict(zip(("x_m", "y_m", "z_m"), map(float, moved), strict=True)) | {"replaces_id": coordinate.id})
        )

    moved = work.filled(shifted)
    work.crew.program.context.changed(work.job)
    after = {check["mark_name"]: check for check in work.get("checks")["checks"]}
    for name, check in after.items():
        assert check["point_height_m"] - before[name]["point_height_m"] == pytest.approx(0.25, abs=0.0005)
        assert check["stale"] and not before[name]["stale"]
    undo = {"occupation_id": coordinate.occupation_id, "coordinate_id": coordinate.id, "reason": "tried"}
    assert moved.replaces_id == coordinate.id
    work.post("base/coordinate", undo)
    back = {check["mark_name"]: check for check in work.get("checks")["checks"]}
    assert {name: [check[key] for key in keys] for name, check in back.items()} == {
        name: [check[key] for key in keys] for name, check in before.items()
    }


# --- checks ---


def test_one_shot_moves_a_base_with_the_scatter_of_its_own_epochs(work):
    """Of eight epochs with 6 mm of noise an axis (tests/filled.py) numpy has the same: about their mean, less one."""

    def measured(filling):
        base = filling.base(0, filling.marks[0], source="average", ends=False)
        return filling.shots(*base, 1, 8)[0].id

    shot = work.filled(measured)
    found = work.get(f"base/reseat?mark_id={work.mark('V1')}")["shots"][0]
    wish = {"mark_id": work.mark("V1"), "shot_ids": [shot], "reason": "autonomous"}
    preview = work.post("base/reseat/preview", wish)
    assert preview["scatter_horizontal_m"] == found["scatter_horizontal_m"]
    assert 0.004 < preview["scatter_horizontal_m"] < 0.016 and 0.002 < preview["scatter_up_m"] < 0.012


def test_a_check_is_observed_minus_known_and_says_it_in_words(work):
    def measured(filling):
        filling.shots(*filling.base(0, filling.marks[0], ends=False), 3, epochs=5, off_m=(0.030, 0.0, 0.100))

    work.filled(measured)
    for check in work.get("checks")["checks"]:
        # Noise of 6 mm a component over five epochs: 2.7 mm; four sigmas.
        assert check["east_m"] == pytest.approx(0.030, abs=0.011) and check["up_m"] == pytest.approx(0.100, abs=0.011)
        assert "high" in check["words"] and not check["agrees"]
        assert check["horizontal_m"] == pytest.approx(np.hypot(check["east_m"], check["north_m"]), abs=1e-6)


def test_repeats_of_one_initialisation_prove_little_and_of_two_more(work):
    def measured(filling):
        base = filling.base(0, filling.marks[0], ends=False)
        filling.marks = filling.marks[1:2]
        filling.shots(*base, 2, epochs=5)
        filling.now += 3600.0
        filling.shots(*base, 1, epochs=5)

    work.filled(measured)
    newest, second, first = work.get("checks")["checks"]
    codes = [[item["code"] for item in check["findings"]] for check in (newest, second, first)]
    assert "repeats-agree" in codes[0], codes
    assert "repeat-not-independent" in codes[1] and "repeats-agree" not in codes[2]


# --- system ---


@pytest.mark.parametrize("factor", ["0.98", "1.02", "10001", "-1", "none", ""])
def test_a_combined_factor_that_cannot_be_one_is_refused_at_its_field(work, factor):
    """The reciprocal of a factor, or parts per million in its place, lies near no 1."""
    before = work.crew.get(f"/jobs/{work.job}")
    ground = {"origin_name": "A", "combined_factor": factor, "east_m": "703400", "north_m": "629800"}
    wish = {"replaces_id": before["settings_id"], "changes": {"ground": ground}}
    assert work.post("settings", wish, 422)["field"] == "combined_factor"
    assert work.crew.get(f"/jobs/{work.job}") == before


def test_an_assumed_local_system_has_no_combined_factor(work):
    """Its distances are on the ground by definition: a factor would take them there twice."""
    before = work.crew.get(f"/jobs/{work.job}")
    ground = {"origin_name": "A", "combined_factor": "0.9999", "east_m": "5000", "north_m": "5000"}
    wish = {"replaces_id": before["settings_id"], "changes": {"system": {"kind": "local"}, "ground": ground}}
    refused = work.post("settings", wish, 422)
    assert refused["field"] and refused["detail"].endswith("."), refused
    assert work.crew.get(f"/jobs/{work.job}") == before


# --- who is told ---


def test_browsers_are_told_of_a_control_list_that_was_taken(work):
    hub, topics = work.crew.program.context.hub, (f"job:{work.job}",)
    before = next(hub.stream(0, topics)).id
    more = "name,east,north,ellipsoidal height\nV4,703500.000,629900.000,62.500\n"
    work.crew.post(f"/jobs/{work.job}/control/accept", as_file(more))
    assert next(hub.stream(0, topics)).id > before


# --- take home ---


def test_a_day_sheet_has_the_points_of_its_day_and_no_others(work):
    def measured(filling):
        base = filling.base(0, filling.marks[0], ends=False)
        filling.shots(*base, 4, epochs=5, as_points=True)
        filling.now += 86_400.0
        filling.shots(*base, 2, epochs=5, as_points=True)

    work.filled(measured)
    days = work.get("book/days")["days"]
    assert len(days) >= 2
    counts = {}
    for item in days:
        counts[item["day"]] = {part["title"]: part["lines"] for part in work.get(f"book/days/{item['day']}")["parts"]}
    told = [parts.get("Checks", []) for parts in counts.values()]
    # Each shot's line stands on the sheet of its own day, four on the first and two on the next (by hand).
    assert sorted(len(lines) for lines in told if lines) == [2, 4]


# --- free of GNSS ---


def on_the_ground_m(grid_m, east_m, north_m, height_m):
    """Return a distance of EPSG:2157 on the ground there: by PROJ's scale, and by the height over the Earth's radius."""
    longitude_deg, latitude_deg = pyproj.Transformer.from_crs(2157, 4173, always_xy=True).transform(east_m, north_m)
    scale = pyproj.Proj(2157).get_factors(longitude_deg, latitude_deg).meridional_scale
    return grid_m / scale * (1.0 + height_m / 6.38e6)


def measured_from(*numbers, off_m=(0.0, 0.0, 0.0)):
    """Return what writes a base on each of these marks and a shot on every mark from it; `off_m` is that of the last."""

    def write(filling):
        for number in numbers:
            made = filling.base(number, filling.marks[number], ends=number != numbers[-1])
            filling.shots(*made, 3, epochs=5, off_m=off_m if number == numbers[-1] else (0.0, 0.0, 0.0))

    return write


def test_a_tape_and_a_level_are_set_beside_the_shots_on_the_ground(work):
    """Noise of 6 mm a component over five epochs, twice: 4 mm a coordinate difference; bounds of four sigmas."""
    work.filled(measured_from(0))
    grid_m, rise_m = np.hypot(703_950.0 - 704_000.0, 630_400.0 - 629_850.0), 63.1 - 61.2
    ground_m = on_the_ground_m(grid_m, 704_000.0, 630_100.0, 62.0)
    ends = {"from_name": "V2", "to_name": "V3"}

    def add(**wish):
        return work.post("ground", ends | wish)["measures"][0]

    taped = add(kind="horizontal", measured=f"{ground_m - 0.060:.3f}")
    assert taped["observed_m"] == pytest.approx(ground_m, abs=0.016)
    assert taped["difference_m"] == pytest.approx(0.060, abs=0.017) and taped["measured_m"] == round(ground_m - 0.060, 3)
    assert (taped["from_name"], taped["to_name"], taped["agrees"]) == ("V2", "V3", False)
    assert taped["grid_m"] == pytest.approx(grid_m, abs=0.016)
    assert taped["grid_ppm"] == pytest.approx(1e6 * (grid_m / ground_m - 1.0), abs=1.0)
    # Two shots of 6 and 5 mm and their poles, and a tape: some centimetres at 95 %, and never less than the shots alone.
    assert 1.96 * np.sqrt(2.0) * 0.005 < taped["limit_95_m"] < 0.06
    assert add(kind="horizontal", measured=f"{ground_m:.3f}")["agrees"]

    levelled = add(kind="levelled", measured=f"{rise_m:.3f}")
    assert levelled["observed_m"] == pytest.approx(rise_m, abs=0.018) and levelled["agrees"]
    back = add(kind="levelled", measured=f"{-rise_m:.3f}", from_name="V3", to_name="V2")
    assert back["observed_m"] == pytest.approx(-levelled["observed_m"], abs=1e-9)
    # Along the slope from a tripod of 1.5 m to a rod of 0.5 m.
    slope_m = np.hypot(ground_m, rise_m + 0.5 - 1.5)
    sloped = add(kind="slope", measured=f"{slope_m:.3f}", from_above="1.5", to_above="0.5")
    assert sloped["observed_m"] == pytest.approx(slope_m, abs=0.016) and sloped["agrees"]
    assert len(work.get("ground")["measures"]) == 5 and work.get("ground")["doubles"] == []

    work.post("ground/drop", {"measure_id": taped["id"]})
    assert taped["id"] not in [item["id"] for item in work.get("ground")["measures"]]
    work.post("ground/drop", {"measure_id": taped["id"]}, 409)


@pytest.mark.parametrize(
    ("wish", "field"),
    [
        ({"to_name": "V2"}, "to_name"),
        ({"to_name": "V9"}, "to_name"),
        ({"from_name": ""}, "from_name"),
        ({"measured": ""}, "measured"),
        ({"measured": "0"}, "measured"),
        ({"measured": "-3"}, "measured"),
        ({"measured": "far"}, "measured"),
        ({"measured": "100000000"}, "measured"),
        ({"sigma": "0"}, "sigma"),
        ({"sigma": "1.1"}, "sigma"),
    ],
)
def test_a_measure_that_cannot_be_is_refused_at_its_field(work, wish, field):
    work.filled(measured_from(0))
    whole = {"kind": "horizontal", "from_name": "V2", "to_name": "V3", "measured": "552.30"}
    assert work.post("ground", whole | wish, 422)["field"] == field
    assert work.get("ground")["measures"] == []


@pytest.mark.parametrize(("off_m", "agrees"), [(0.0, True), (0.100, False)])
def test_a_point_that_two_set_ups_have_says_whether_they_agree(work, off_m, agrees):
    """The second base was 0.100 m too high, say: half of it is each set-up's distance from the mean of both."""
    work.filled(measured_from(0, 1, off_m=(0.0, 0.0, off_m)))
    doubles = {item["name"]: item for item in work.get("ground")["doubles"]}
    assert set(doubles) == {"V1", "V2", "V3"}
    for double in doubles.values():
        first, second = double["set_ups"]
        assert (first["base"], second["base"], first["shots"], second["shots"]) == ("V1", "V2", 1, 1)
        assert double["agrees"] is agrees and double["finding"]["is_stop"] is not agrees
        assert second["height_m"] - first["height_m"] == pytest.approx(off_m, abs=0.018)
        assert first["off_up_m"] + second["off_up_m"] == pytest.approx(0.0, abs=0.02)
        assert second["off_up_m"] - first["off_up_m"] == pytest.approx(second["height_m"] - first["height_m"], abs=1e-9)


# --- the day's ends ---


def test_what_only_the_crew_knows_of_closing_is_ticked_and_unticked_and_the_rest_is_not(work):
    work.filled(measured_from(0))
    before = {item["key"]: item for item in work.get("closing")["items"]}
    assert before["base"]["state"] == "due" and before["base"]["known"], "it runs"
    assert before["recording"]["state"] == before["raw"]["state"] == "done"
    due = work.get("closing")["due"]
    ticked = work.post("closing", {"key": "power", "done": True})
    assert {item["key"]: item["state"] for item in ticked["items"]}["power"] == "done" and ticked["due"] == due - 1
    back = work.post("closing", {"key": "power", "done": False})
    assert {item["key"]: item["state"] for item in back["items"]}["power"] == "due" and back["due"] == due
    for key in ("base", "nothing"):
        work.post("closing", {"key": key, "done": True}, 404)


@pytest.mark.parametrize(
    ("kind", "words"), [("battery", "a battery was changed"), ("channel", "the channel was changed"), ("restart", "the base was restarted")]
)
def test_what_is_changed_at_the_base_makes_every_check_due_again(work, kind, words):
    def write(filling):
        filling.now = work.crew.clock.now() - 3600.0  # an hour ago
        measured_from(0)(filling)

    work.filled(write)
    before = work.get("checks/plan")
    assert before["plan"]["due_again"] == "" and {item["kind"] for item in before["changes"]} >= {kind}
    after = work.post("checks/changes", {"kind": kind})["plan"]
    assert words in after["due_again"] and after["due_again_s"] == pytest.approx(work.crew.clock.now(), abs=5.0)
    assert not after["fulfilled"]
    assert words in work.get("book")["lines"][0]["sentence"].lower()


def test_a_base_that_sends_another_position_was_restarted_and_its_first_one_was_not(work):
    def write(filling):
        filling.now = work.crew.clock.now() - 3600.0
        made = filling.base(0, filling.marks[0], ends=False)
        filling.shots(*made, 3, epochs=5)
        return made[2].id

    reference_id = work.filled(write)
    assert work.get("checks/plan")["plan"]["due_again"] == ""

    def heard_again(filling):
        first = filling.session.get(Reference, reference_id)
        values = {column.name: getattr(first, column.name) for column in Reference.__table__.columns}
        filling.session.add(Reference(**values | {"id": new_id(), "x_m": first.x_m + 0.1, "heard_s": work.crew.clock.now() - 60.0}))

    work.filled(heard_again)
    assert "the base was restarted" in work.get("checks/plan")["plan"]["due_again"]


def test_a_profile_that_is_taken_out_is_in_no_list_and_its_versions_stay(work):
    made = work.crew.post("/profiles", {"values": work.crew.get("/profiles/new?role=rover")["values"] | {"name": "Spare rover"}})
    assert "Spare rover" in [item["name"] for item in work.get("profiles")["profiles"]]
    work.crew.send("DELETE", f"/profiles/{made['id']}")
    assert "Spare rover" not in [item["name"] for item in work.get("profiles")["profiles"]]
    assert [item["version"] for item in work.crew.get(f"/profiles/{made['line_id']}/versions")["profiles"]]
    work.crew.send("DELETE", f"/profiles/{made['id']}", status=409)


# --- marks ---


def test_between_two_marks_stand_distance_bearing_and_rise_and_between_a_mark_and_itself_nothing(work):
    """By hand: 600 m east and 50 m north; the ground is longer than the grid by PROJ's scale and by the height."""
    first, second = work.mark("V1"), work.mark("V2")
    found = work.get(f"between?from_id={first}&to_id={second}")
    assert found["distance_m"] == pytest.approx(np.hypot(600.0, 50.0), abs=1e-9)
    assert found["bearing_deg"] == pytest.approx(np.degrees(np.arctan2(600.0, 50.0)), abs=1e-9)
    assert found["rise_m"] == pytest.approx(61.2 - 62.0, abs=1e-9)
    expected_m = on_the_ground_m(found["distance_m"], 703_700.0, 629_825.0, 61.6)
    assert found["ground_distance_m"] == pytest.approx(expected_m, abs=0.0005)
    back = work.get(f"between?from_id={second}&to_id={first}")
    assert (back["distance_m"], back["rise_m"]) == (found["distance_m"], -found["rise_m"])
    assert back["bearing_deg"] == pytest.approx(found["bearing_deg"] + 180.0, abs=1e-9)
    itself = work.get(f"between?from_id={first}&to_id={first}")
    assert itself["distance_m"] == 0.0 and itself["ground_distance_m"] is None


def test_jobs_say_how_many_marks_they_hold_and_are_found_by_every_word(work):
    job = work.crew.get(f"/jobs/{work.job}")
    assert job["marks"] == 3
    listed = {item["id"]: item["marks"] for item in work.crew.get("/jobs")["jobs"]}
    assert listed[work.job] == 3
    bare = work.crew.post("/jobs", {"name": f"Bare {next(NUMBERS)}", "system": {"kind": "code", "code": 2157}, "length_unit": "m"})
    assert bare["marks"] == 0 == work.crew.get(f"/jobs/{bare['id']}")["marks"]
    words = bare["name"].lower().split()
    assert [item["id"] for item in work.crew.get(f"/jobs?text={'+'.join(reversed(words))}")["jobs"]] == [bare["id"]]
    assert work.crew.get(f"/jobs?text={words[0]}+nowhere")["jobs"] == []


@pytest.mark.parametrize(("seconds", "said"), [(12, "stand still for 20 s to see the scatter"), (60, "seen over 59 s")])
def test_the_scatter_beside_a_claim_is_said_once_it_was_seen_long_enough(seconds, said):
    watch, random = RoverWatch(), np.random.default_rng(3)
    for second, place in enumerate(random.normal(0.0, 0.004, (seconds, 3))):
        watch.add(epoch(float(second), place, speed_mps=0.01))
    beside = instrument.claim_beside(watch.state(), "m")

    assert said in beside.seen_words and (beside.seen is None) == (seconds < 20)


def test_a_control_list_that_is_taken_home_names_its_system(work):
    """LandXML 1.2, CoordinateSystem: a reader that does not know what the numbers are in must not guess."""
    content = work.crew.file(f"/jobs/{work.job}/control.landxml").decode()
    assert "IRENET95 / Irish Transverse Mercator" in content and all(f'name="V{n}"' in content for n in (1, 2, 3))


def test_a_height_that_a_fixed_rod_cannot_have_is_asked_at_once(own_office):
    """2026-11: 1.800 m on a rod called "fixed 2.000 m" was taken, and two of two such errors were blamed on the base."""
    work = Work(own_office)
    work.filled(lambda filling: filling.shots(*filling.base(0, filling.marks[0], ends=False), 1, 3)[0].id)
    shot = work.get("checks")["checks"][0]["id"]
    seen = work.get(f"shots/{shot}/height")["readings"][0]["id"]
    wish = {"replaces_id": seen, "reason": "read again", "reading": "1.800 m", "feature": "rod"}
    refused = work.post(f"shots/{shot}/height", wish, 422)
    assert refused["field"] == "reading" and "2.000 m" in refused["detail"] and "telescopic" in refused["detail"]
    work.post(f"shots/{shot}/height", wish | {"feature": "pole"})
