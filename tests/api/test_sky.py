"""The Sky page's data: the sky of a day, skylines as rows, expected against seen, elements loaded and heard."""

import gzip
from dataclasses import replace
from datetime import datetime
from io import BytesIO
from pathlib import Path

import numpy as np
import pytest
from astral import Observer
from astral.sun import sunrise, sunset
from PIL import Image

from openstake.core.geodesy.ellipsoid import ecef_from_geodetic
from openstake.core.sky.constellations import nominal_orbits
from openstake.core.sky.expected import directions_of
from openstake.core.time_scales import gps_from_unix_s
from openstake.live.ephemerides import HeardEphemerides
from openstake.standin.world import Obstruction, read_world, write_world
from openstake.store.models import HeardEphemeris, SkylineRow
from openstake.wire.rtcm3.frame import frame_bytes
from openstake.workflow.sky.expected import SkyFiles, orbits_of
from tests.conftest import as_file, start_wish
from tests.wire.test_ephemeris import NAV, sent

DATA = Path(__file__).parents[1] / "data" / "rinex"
TREES = [(200, 0), (200, 35), (290, 35), (290, 0)]


def step(program, job):
    return next(item for item in program.get(f"/jobs/{job}/steps")["steps"] if item["step"] == "sky")


def sky(program, job, **query):
    asked = "&".join(f"{name}={value}" for name, value in query.items())
    return program.get(f"/jobs/{job}/sky?{asked}")["shown"]


def draw(program, job, mark, corners, replaces_id=None, status=200, **more):
    wish = {
        "mark_id": program.mark(job, mark),
        "azimuths_deg": [corner[0] for corner in corners],
        "elevations_deg": [corner[1] for corner in corners],
        "replaces_id": replaces_id,
    }
    return program.post(f"/jobs/{job}/sky/skyline", wish | more, status)


# What hides the sky in the stand-ins' world: a wood at the base, a bank at the rover.
WOOD, BANK = [(215, 0), (215, 18), (260, 18), (260, 0)], [(25, 0), (25, 24), (75, 24), (75, 0)]


def compared(program, job):
    """Start the base over CS1 and hold the sky against what is seen, the rover on CS2, under the skylines as they are; return both marks."""
    program.start_base(job)
    program.walk_to(job, "CS2")
    draw(program, job, "CS1", WOOD)
    draw(program, job, "CS2", BANK)
    program.wait_fixed(job)
    cs2 = program.mark(job, "CS2")
    program.wait_for(lambda: program.get(f"/jobs/{job}/sky/seen?rover_mark_id={cs2}")["shown"]["may_compare"], 20)
    assert link_of_sky(program, job)["state"] == "entered"
    return program.post(f"/jobs/{job}/sky/compare", {"rover_mark_id": cs2})["shown"], cs2


def line_at(program, job, mark_id):
    return sky(program, job, rover_mark_id=mark_id)["rover"]["skyline"]["id"]


def link_of_sky(program, job):
    return next(item for item in program.get(f"/jobs/{job}/chain")["links"] if item["name"] == "sky")


def test_the_sky_is_checked_by_what_is_seen_and_out_of_date_after_a_skyline_changes(own_program):
    job = own_program.job()
    assert step(own_program, job)["state"] == "entered"
    own_program.post(f"/jobs/{job}/sky/compare", {}, 409)

    found, cs2 = compared(own_program, job)

    # The stand-ins see the same nominal sky, behind the same wood and bank: all that is expected is used.
    assert found["last_words"].endswith(": as expected.") and not found["last_is_open"] and found["used"] == found["expected"] > 10
    assert link_of_sky(own_program, job)["state"] == "checked" and step(own_program, job)["state"] == "checked"
    assert [item for item in found["satellites"] if item["unexpected"]] == []

    # A tree line up to 60° that is not there: what is seen through it says so.
    draw(own_program, job, "CS2", [(0, 60), (360, 60)], line_at(own_program, job, cs2))
    assert link_of_sky(own_program, job)["state"] == "out of date"
    through = own_program.post(f"/jobs/{job}/sky/compare", {"rover_mark_id": cs2})["shown"]
    assert {item["defies"] for item in through["satellites"] if item["unexpected"]} == {"skyline"}
    assert (
        through["last_words"].endswith(": not as expected.")
        and through["last_is_open"]
        and link_of_sky(own_program, job)["state"] == "disagrees"
    )
    assert "sky-not-as-expected" in [item["code"] for item in own_program.get(f"/jobs/{job}/steps")["findings"]]
    own_program.post(f"/jobs/{job}/sky/skyline/undo", {"mark_id": cs2, "replaces_id": line_at(own_program, job, cs2)})
    # Compared under the trees, and they are gone again.
    assert link_of_sky(own_program, job)["state"] == "out of date"
    own_program.post(f"/jobs/{job}/sky/compare", {"rover_mark_id": cs2})
    assert link_of_sky(own_program, job)["state"] == "checked"
    kinds = [line["kind"] for line in own_program.get(f"/jobs/{job}/book")["lines"]]
    assert kinds.count("sky-compared") == 3 and kinds.count("skyline") == 4


def test_a_comparison_holds_again_where_the_skyline_is_as_it_was(own_program):
    job = own_program.job()
    _, cs2 = compared(own_program, job)
    draw(own_program, job, "CS2", TREES, line_at(own_program, job, cs2))
    assert link_of_sky(own_program, job)["state"] == "out of date"
    own_program.post(f"/jobs/{job}/sky/skyline/undo", {"mark_id": cs2, "replaces_id": line_at(own_program, job, cs2)})
    assert link_of_sky(own_program, job)["state"] == "checked"
    # A mask is part of what was compared.
    rover = next(item for item in own_program.get(f"/jobs/{job}/profiles")["profiles"] if item["role"] == "rover" and item["chosen"])
    own_program.post("/profiles", {"values": rover["data"] | {"elevation_mask_deg": 30.0}, "replaces_id": rover["id"]})
    assert link_of_sky(own_program, job)["state"] == "out of date"
    masks = own_program.get(f"/jobs/{job}/sky/seen?rover_mark_id={cs2}")["shown"]
    assert {"mask-differs", "mask-not-kept"} <= {item["code"] for item in masks["findings"]}
    assert [row["degrees"] for row in masks["masks"] if row["words"].startswith("mask")] == [10.0, 30.0]


def test_what_is_listed_and_never_heard_is_offered_as_a_line_and_can_be_taken(own_program):
    """A wall all round the pole, up to 30°: behind it some satellites are whatever the hour is."""
    job = own_program.job()
    own_program.start_base(job)
    own_program.wait_fixed(job)
    own_program.walk_to(job, "CS2")
    practice = own_program.program.context.practice
    world = read_world(practice.world_path)
    write_world(practice.world_path, replace(world, rover=replace(world.rover, obstructions=(Obstruction(0.0, 359.9, 30.0),))))
    own_program.wait_for(lambda: sky(own_program, job)["rover"]["offered"], 120)
    shown = sky(own_program, job)
    # Nobody named a mark: the rover is heard beside CS2.
    assert shown["rover"]["name"] == "CS2" and shown["base"]["name"] == "CS1"
    offered = shown["rover"]["offered"]
    corners = list(zip(offered["azimuths_deg"], offered["elevations_deg"], strict=True))
    assert 10 < max(offered["elevations_deg"]) <= 30 and "pieces of the sky" in offered["words"]
    draw(own_program, job, "CS2", corners, origin="seen")
    said = f"skyline taken from what was not heard, up to {max(offered['elevations_deg']):.0f}°"
    assert said in sky(own_program, job)["rover"]["words"]


def test_what_stands_in_the_west_takes_satellites_from_those_in_common_and_is_never_overwritten(shared_office):
    job = shared_office.job()
    before = sky(shared_office, job)
    base = before["base"]["name"]
    draw(shared_office, job, base, TREES)
    after = sky(shared_office, job)

    assert sum(after["hours"]["common"]) < sum(before["hours"]["common"])
    letters = {arc["satellite"]: set(arc["seen_by"]) for arc in after["arcs"]}
    assert any("r" in seen for seen in letters.values()), "hidden from the base alone"
    # Each arc's letters are those of its places: behind the trees the base sees nothing.
    for arc in after["arcs"]:
        for azimuth, elevation, seen in zip(arc["azimuths_deg"], arc["elevations_deg"], arc["seen_by"], strict=True):
            if 205 < azimuth < 285 and elevation < 34:
                assert seen in "rn"
            if not 195 < azimuth < 295 and elevation > 10.2:
                assert seen == "c"
    line = after["base"]["skyline"]
    assert (line["azimuths_deg"], line["elevations_deg"]) == ([200, 200, 290, 290], [0, 35, 35, 0])
    assert "mask 10°, GPS, GLONASS, Galileo, BeiDou; skyline drawn, up to 35°" in after["base"]["words"]
    assert "no skyline drawn" in before["base"]["words"]
    # Who looked at the line before that does not overwrite this one.
    assert "in the meantime" in draw(shared_office, job, base, [(0, 5)], None, 409)["detail"]
    draw(shared_office, job, base, [(0, 5)], line["id"])
    with shared_office.program.context.database.read() as session:
        assert session.query(SkylineRow).count() == 2
    now = sky(shared_office, job)["base"]["skyline"]
    shared_office.post(f"/jobs/{job}/sky/skyline/undo", {"mark_id": shared_office.mark(job, base), "replaces_id": now["id"]})
    again = sky(shared_office, job)
    assert again["base"]["skyline"]["elevations_deg"] == [0, 35, 35, 0] and again["hours"] == after["hours"]


@pytest.mark.parametrize(("corners", "words"), [([(370, 5)], "between 0 and 360"), ([(10, 95)], "0 to 90"), ([(10, -1)], "0 to 90")])
def test_a_line_that_cannot_be_is_refused_with_its_limit(shared_office, corners, words):
    job = shared_office.job()
    assert words in draw(shared_office, job, "CS3", corners, None, 422)["detail"]
    assert sky(shared_office, job, base_mark_id=shared_office.mark(job, "CS3"))["base"]["skyline"]["id"] is None


def test_lists_of_two_lengths_and_marks_of_other_jobs_are_refused(shared_office):
    job = shared_office.job()
    wish = {"mark_id": shared_office.mark(job, "CS3"), "azimuths_deg": [1.0, 2.0], "elevations_deg": [1.0], "replaces_id": None}
    shared_office.post(f"/jobs/{job}/sky/skyline", wish, 422)
    other = shared_office.job("Nettle Brook Culvert")
    wish = {"mark_id": shared_office.mark(job, "CS3"), "azimuths_deg": [], "elevations_deg": [], "replaces_id": None}
    shared_office.post(f"/jobs/{other}/sky/skyline", wish, 404)


def test_a_day_and_its_night_begin_when_they_do_in_the_job_s_zone_and_the_sun_is_astral_s(shared_office):
    job = shared_office.job()
    day = sky(shared_office, job, day="2026-06-17")
    # Dublin keeps summer time then: midnight is 23:00 UTC.
    assert day["from_s"] == datetime.fromisoformat("2026-06-16T23:00:00+00:00").timestamp()
    assert (day["steps"], day["step_s"], day["now"]) == (145, 600.0, None)
    marks = {item["id"]: item for item in shared_office.get(f"/jobs/{job}/marks")["marks"]}
    mark = marks[day["rover"]["mark_id"]]
    observer = Observer(mark["latitude_deg"], mark["longitude_deg"])
    for key, of_day in (("rise_s", sunrise), ("set_s", sunset)):
        assert day["sun"][key] == pytest.approx(of_day(observer, datetime(2026, 6, 17)).timestamp(), abs=60)
    night = sky(shared_office, job, day="2026-06-17", night="true")
    assert night["from_s"] == day["from_s"] + 12 * 3600 and night["sun"]["set_s"] < night["sun"]["rise_s"]
    assert shared_office.get(f"/jobs/{job}/sky?day=soon", 422)["field"] == "day"


def test_places_on_the_panorama_are_those_of_the_nominal_orbits_and_say_so(shared_office):
    job = shared_office.job()
    day = sky(shared_office, job, day="2026-06-17")
    assert day["elements"]["nominal"] and "nominal" in day["elements"]["words"]
    assert "sky-nominal" in [item["code"] for item in day["findings"]]
    assert {arc["satellite"] for arc in day["arcs"]} <= {orbit.satellite for orbit in nominal_orbits()}


def test_a_base_with_two_constellations_says_what_it_costs(own_office):
    job = own_office.job()
    base = next(item for item in own_office.get(f"/jobs/{job}/profiles")["profiles"] if item["role"] == "base" and item["chosen"])
    whole = sky(own_office, job)
    legacy = [{"number": 1004, "interval_s": 1.0}, {"number": 1012, "interval_s": 1.0}, {"number": 1006, "interval_s": 10.0}]
    own_office.post("/profiles", {"values": base["data"] | {"messages": legacy}, "replaces_id": base["id"]})
    old = sky(own_office, job)

    assert {item["constellation"] for item in old["hours"]["by_constellation"]} == {"GPS", "GLONASS"}
    lost = next(item for item in old["findings"] if item["code"] == "constellations-lost")
    assert "Galileo, BeiDou" in lost["sentence"]
    middle = sorted(whole["hours"]["common"])[72]
    assert lost["numbers"]["with_all"] == pytest.approx(middle, abs=1.0) and lost["numbers"]["now"] < 0.65 * middle


def test_the_load_on_the_air_takes_the_most_that_the_base_will_see(own_office):
    job = own_office.job()
    day = sky(own_office, job)
    found = own_office.get(f"/jobs/{job}/link")
    counts = {part[0]: int(part[1:]) for part in found["satellites"].split(",")}
    both = {item["constellation"][0]: max(item["counts"]) for item in day["hours"]["by_constellation"]}
    assert "most that the base will see" in found["satellites_words"]
    # Base and rover two kilometres apart see the same under no skyline; G and G(LONASS) are told apart by their letters.
    assert counts["G"] >= max(item["counts"][0] for item in day["hours"]["by_constellation"] if item["constellation"] == "GPS")
    assert sum(counts.values()) >= max(day["hours"]["common"]) and set(both) <= {"G", "E", "B", "R"}
    draw(own_office, job, day["base"]["name"], [(0, 40)])
    fewer = own_office.get(f"/jobs/{job}/link")
    assert fewer["air"]["share"] < found["air"]["share"]
    hint = next(item for item in own_office.get(f"/jobs/{job}/packing")["items"] if item["key"] == "look:hours of the sky")
    assert "nominal" in hint["why"] and ("ood" in hint["why"] or "oor" in hint["why"])


# --- a job that counts ---

CONTROL = "name,east,north,ellipsoidal height\nR1,703412.361,629805.118,62.4\nR2,704312.361,630105.118,63.1\n"


def take_profiles(program, job):
    """Choose for a job the profiles that the demo's has."""
    for item in program.get(f"/jobs/{program.job()}/profiles")["profiles"]:
        if item["chosen"]:
            program.post(f"/jobs/{job}/profiles", {"line_id": item["line_id"], "chosen": True})


def test_a_job_that_lies_nowhere_is_not_told_to_load_what_gives_it_no_hours(own_office):
    """2026-12-02: it was sent to Sky for elements, and no hours would have come of them."""
    job = own_office.post("/jobs", {"name": "Corner lot", "system": {"kind": "local"}, "length_unit": "m"})["id"]
    take_profiles(own_office, job)

    def hint():
        return next(item["why"] for item in own_office.get(f"/jobs/{job}/packing")["items"] if item["key"] == "look:hours of the sky")

    assert "Load the elements" not in hint()
    own_office.post(f"/jobs/{job}/control/accept", as_file("name,east,north\nP1,5000,5000\nP2,5000,5100\n"))
    assert "Load the elements" not in hint(), "marks of an assumed system lie nowhere either"


def test_nominal_satellites_say_nothing_of_a_real_sky(own_office):
    """2026-12-02: a real base would have been compared with satellites of the design, and its load taken from them."""
    practice = own_office.job()
    job = own_office.post("/jobs", {"name": "Real", "system": {"kind": "code", "code": 2157}, "length_unit": "m"})["id"]
    own_office.post(f"/jobs/{job}/control/accept", as_file(CONTROL))
    take_profiles(own_office, job)

    assert sky(own_office, job)["elements"]["nominal"], "drawn, and marked"
    seen = own_office.get(f"/jobs/{job}/sky/seen")["shown"]
    assert seen["satellites"] == [] and "No elements of these days" in seen["words"] and not seen["may_compare"]
    assert own_office.get(f"/jobs/{job}/link")["satellites"] == "G10,R8,E9,C12"
    hint = next(item for item in own_office.get(f"/jobs/{job}/packing")["items"] if item["key"] == "look:hours of the sky")
    assert hint["why"].startswith("Load the elements")
    # With elements of the day they do; in a job to practise the nominal ones are what stand-ins see.
    assert own_office.get(f"/jobs/{practice}/sky/seen")["shown"]["satellites"]
    assert own_office.get(f"/jobs/{practice}/link")["satellites"] != "G10,R8,E9,C12"


# --- elements ---


def navigation():
    return (DATA / "mixed-six-hours.rnx.gz").read_bytes()


def test_a_navigation_file_gives_the_day_its_satellites_and_can_be_taken_out(own_office):
    job = own_office.job()
    said = own_office.upload(f"/jobs/{job}/sky/elements", navigation(), name="mixed.rnx.gz")
    assert "broadcast ephemerides" in said["words"]
    day = sky(own_office, job, day="2024-01-10")
    assert not day["elements"]["nominal"] and day["elements"]["words"] == "broadcast ephemerides"
    assert {arc["satellite"][0] for arc in day["arcs"]} >= {"G", "E"}
    # By the terminal's own function over the same file, to the tenth of a degree that is sent.
    arc = max(day["arcs"], key=lambda item: len(item["seen_by"]))
    marks = {item["id"]: item for item in own_office.get(f"/jobs/{job}/marks")["marks"]}
    mark = marks[day["rover"]["mark_id"]]
    moments = np.array([gps_from_unix_s(day["from_s"] + 600.0 * (arc["first"] + n)) for n in range(len(arc["seen_by"]))])
    orbits, _ = orbits_of(SkyFiles(navigation=[DATA / "mixed-six-hours.rnx.gz"]), float(moments[0]))
    orbit = next(item for item in orbits["broadcast"] if item.satellite == arc["satellite"])
    place = ecef_from_geodetic(mark["latitude_deg"], mark["longitude_deg"], 0.0)
    (seen,) = directions_of([orbit], [place], moments)
    np.testing.assert_allclose(arc["elevations_deg"], seen.elevation_deg[0], atol=0.06)
    # Of today they are too old: no satellite stands anywhere, and each is named.
    today = sky(own_office, job)
    assert today["arcs"] == [] and today["elements"]["satellites"] == 0
    # Not known is not poor.
    assert today["glance"] == "No elements of this day: its sky is not known." and today["hours"]["poor"] == []
    missing = next(item for item in today["findings"] if item["code"] == "elements-missing")
    assert {"G05", "E01"} & set(missing["numbers"]["satellites"])
    file = day["elements"]["files"][0]
    own_office.send("DELETE", f"/jobs/{job}/sky/elements/{file['id']}")
    own_office.send("DELETE", f"/jobs/{job}/sky/elements/{file['id']}", status=409)
    assert sky(own_office, job)["elements"]["nominal"]


def test_more_sets_of_one_satellite_than_anybody_plans_by_are_refused(shared_office):
    """2026-12-02: twenty thousand sets of one satellite took eight seconds a day that was looked at."""
    job = shared_office.job()
    one = [line for line in (DATA.parent / "gnss_tle_jan2018.txt").read_text().splitlines() if line.strip()][:3]
    said = shared_office.upload(f"/jobs/{job}/sky/elements", "\n".join(one * 101).encode(), 422, name="many.tle")
    assert "101 element sets" in said["detail"] and "at most 100" in said["detail"]


def test_a_mark_that_is_none_of_the_list_is_not_taken_for_another(shared_office):
    job = shared_office.job()
    for path in ("sky?base_mark_id=x", "sky?rover_mark_id=x", "sky/seen?rover_mark_id=x"):
        assert shared_office.get(f"/jobs/{job}/{path}", 404)["field"] == "mark_id"


def test_coefficients_of_the_ionosphere_give_its_day(own_office):
    job = own_office.job()
    assert sky(own_office, job)["ionosphere"]["overhead_m"] == []
    own_office.upload(f"/jobs/{job}/sky/elements", navigation(), name="mixed.rnx.gz")
    found = sky(own_office, job, day="2024-01-10")["ionosphere"]
    # Two years later they say nothing.
    assert sky(own_office, job)["ionosphere"]["overhead_m"] == []
    # The bulge stands over two in the afternoon, local solar time (IS-GPS-200, 20.3.3.5.2.5); this job lies some 7° west.
    largest = max(range(145), key=lambda n: found["overhead_m"][n])
    assert largest * 600 == pytest.approx(14.0 * 3600 + 7 * 240, abs=3600)
    # 5 ns at night, and the obliquity of the model overhead is 1.0 to the third digit.
    assert min(found["overhead_m"]) == pytest.approx(5e-9 * 299_792_458.0, rel=0.01)


@pytest.mark.parametrize(
    ("content", "words"),
    [
        (b"", "empty"),
        (b"what is this\n", ""),
        (gzip.compress(b"#dP2024", mtime=0)[:-4], "damaged"),
        (b"\x00\xff" * 400, ""),
        (b"     3.04           N: GNSS NAV DATA    M: MIXED            RINEX VERSION / TYPE\n", ""),
    ],
    ids=["empty", "words", "cut", "noise", "head alone"],
)
def test_garbage_is_refused_with_a_sentence_and_changes_nothing(shared_office, content, words):
    job = shared_office.job()
    said = shared_office.upload(f"/jobs/{job}/sky/elements", content, 422, name="thing.bin")
    assert words in said["detail"] and len(said["detail"]) > 10
    assert sky(shared_office, job)["elements"]["files"] == []


def ephemeris_of(now_s, satellite="G05", **changed):
    """A message of a real satellite with its elements of two years ago, moved to now: as a base would send it, by pyrtcm's table."""
    message = NAV.ephemerides[satellite][0]
    at = (gps_from_unix_s(now_s) // 16.0) * 16.0
    return sent(replace(message, orbit_time_s=at, clock_time_s=at, **changed))


def test_one_message_of_a_satellite_is_kept_for_half_an_hour_and_a_change_of_health_at_once(own_office):
    now = own_office.program.context.now(own_office.job())
    heard = HeardEphemerides()
    assert [heard.is_new(ephemeris_of(now), now + second) for second in (0, 30, 60)] == [True, False, False]
    assert not heard.is_new(ephemeris_of(now + 600), now + 600) and heard.is_new(ephemeris_of(now + 1900), now + 1900)
    assert heard.is_new(ephemeris_of(now + 1932, health=63.0), now + 1932)
    # Of another time, cut short, empty: not taken.
    fresh = HeardEphemerides()
    assert not any(fresh.is_new(item, now) for item in (ephemeris_of(now - 63_000_000), ephemeris_of(now)[:20], b""))


def test_what_the_base_itself_sends_is_its_almanac(own_office, tmp_path):
    job, now = own_office.job(), own_office.program.context.now(own_office.job())
    satellites = [name for name in NAV.ephemerides if name[0] == "G"][:6]
    frames = b"".join(frame_bytes(ephemeris_of(now, name)) for name in satellites)
    capture = tmp_path / "base.rtcm"
    capture.write_bytes(3 * frames + (b"\xd3" + b"\x00" * 20) * 5)
    wish = {
        "mark_id": own_office.mark(job, "CS1"),
        "reading": "1.546 m",
        "feature": "bottom",
        "source": "mark",
        "station_id": 17,
        "base_url": f"replay://{capture}",
    }
    own_office.post(f"/jobs/{job}/base/start", start_wish(**wish))
    own_office.wait_for(lambda: sky(own_office, job)["elements"]["heard"] == len(satellites), 20)

    day = sky(own_office, job)
    assert day["elements"]["words"] == "broadcast ephemerides" and not day["elements"]["nominal"]
    assert {arc["satellite"] for arc in day["arcs"]} == set(satellites)
    # Of what rises later nothing is known yet: nobody is told hours, or a load, by it.
    assert "elements-partial" in [item["code"] for item in day["findings"]] and day["glance"].startswith("By what was heard so far")
    assert own_office.get(f"/jobs/{job}/link")["satellites"] == "G10,R8,E9,C12"
    with own_office.program.context.database.read() as session:
        assert {row.number for row in session.query(HeardEphemeris)} == {1019}


def test_kp_is_noted_with_what_it_means(shared_office):
    job = shared_office.job()
    # NOAA's scale: Kp 5 is G1, Kp 9 is G5 (from memory).
    assert "G1" in shared_office.post(f"/jobs/{job}/sky/kp", {"kp": "5o"})["words"]
    assert "unsettled" in shared_office.post(f"/jobs/{job}/sky/kp", {"kp": "5-"})["words"], "a third below"
    assert "G2" in shared_office.post(f"/jobs/{job}/sky/kp", {"kp": "6"})["words"]
    assert "G5" in shared_office.post(f"/jobs/{job}/sky/kp", {"kp": "9"})["words"]
    assert "quiet" in shared_office.post(f"/jobs/{job}/sky/kp", {"kp": "2+"})["words"]
    for bad in ("ten", "9.5", "-1", ""):
        assert shared_office.post(f"/jobs/{job}/sky/kp", {"kp": bad}, 422)["field"] == "kp"


# --- a photo under it ---


def test_a_photo_is_laid_under_by_its_horizon_and_two_directions(own_office):
    job = own_office.job()
    # Red in its left half, blue in its right one, 90° wide and level: the left edge looks to 135°, the right one to 225°.
    picture = Image.new("RGB", (400, 300), "blue")
    picture.paste("red", (0, 0, 200, 300))
    sent = BytesIO()
    picture.save(sent, "PNG")
    photo = own_office.upload(f"/jobs/{job}/sky/photos/{own_office.mark(job, 'CS3')}", sent.getvalue(), name="south.png")
    assert not photo["sweep"]
    wish = {
        "photo_id": photo["id"],
        "first": {"x": 0.0, "y": 0.5, "azimuth": "135"},
        "second": {"x": 1.0, "y": 0.5, "azimuth": "225"},
        "horizon_y": 0.5,
    }
    found = own_office.post(f"/jobs/{job}/sky/aim", wish)["aim"]
    assert (found["azimuth_deg"], found["pitch_deg"], found["width_deg"]) == pytest.approx((180.0, 0.0, 90.0), abs=1e-6)
    query = "&".join(f"{name}={found[name]}" for name in ("photo_id", "azimuth_deg", "pitch_deg", "width_deg"))
    under = Image.open(BytesIO(own_office.file(f"/jobs/{job}/sky/under?{query}&sweep=false")))
    assert under.size == (1440, 360)
    red, _, blue, alpha = under.getpixel((4 * 160, 360 - 4 * 10))
    assert red > 200 and blue < 60 and alpha == 255
    assert under.getpixel((4 * 200, 360 - 4 * 10))[2] > 200 and under.getpixel((4 * 90, 350))[3] == 0
    draw(own_office, job, "CS3", TREES, photo=found)
    assert sky(own_office, job, base_mark_id=own_office.mark(job, "CS3"))["base"]["skyline"]["photo"] == found
    wish["second"]["azimuth"] = "136"
    assert own_office.post(f"/jobs/{job}/sky/aim", wish, 422)["field"] == "right"
    wish["second"]["azimuth"] = "south"
    assert own_office.post(f"/jobs/{job}/sky/aim", wish, 422)["field"] == "azimuth"
    other = own_office.job("Nettle Brook Culvert")
    own_office.post(f"/jobs/{other}/sky/aim", wish, 404)
