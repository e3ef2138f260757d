"""Jobs, systems, geoid grids and control lists over the API; nothing that was set is lost."""

import io
import struct

import ezdxf
import numpy as np
import pytest

from tests.conftest import as_file

ITM = {"kind": "code", "code": 2157}
SURVEY_FOOT = 1200 / 3937
# ITM metres; the second list in the US survey feet of the Vermont grid.
LIST = "name,east,north,elevation,note\nA,703412.361,629805.118,6.5,nail\nB,703478.902,629861.447,6.1,pin\nC,703655.274,629990.63,4.9,\n"
VERMONT = "name,east_sft,north_sft\nA,1592310.75,612480.22\nB,1592498.13,612655.9\nC,1592101.88,612219.47\n"


def make(office, name, system=ITM, unit="m", text=None, **more):
    job = office.post("/jobs", {"name": name, "system": system, "length_unit": unit} | more)
    if text:
        office.post(f"/jobs/{job['id']}/control/accept", as_file(text))
    return job["id"]


def change(office, job, status=200, **changes):
    settings = office.get(f"/jobs/{job}")["settings_id"]
    return office.post(f"/jobs/{job}/settings", {"replaces_id": settings, "changes": changes}, status)


def codes(findings):
    return [item["code"] for item in findings]


def marks(office, job):
    return {mark["name"]: mark for mark in office.get(f"/jobs/{job}/marks")["marks"]}


def given(office, job):
    return {name: {key: value for key, value in mark.items() if key != "id"} for name, mark in marks(office, job).items()}


def test_a_job_in_feet_on_an_assumed_system_takes_marks_and_lies_nowhere_until_it_is_placed(shared_program):
    job = make(shared_program, "Corner lot", {"kind": "local"}, "ft", "name,east,north\nP1,5000,5000\nP2,5000,5100\n")

    assert marks(shared_program, job)["P2"]["north_m"] == pytest.approx(5100 * 0.3048)
    assert marks(shared_program, job)["P2"]["latitude_deg"] is None
    assert codes(shared_program.get(f"/jobs/{job}/system")["findings"]) == ["system-lies-nowhere"]
    geodetic = as_file("name,latitude,longitude\nG,44.0,-72.6\n")
    preview = shared_program.post(f"/jobs/{job}/control/preview", geodetic)
    assert preview["accepted"] == 0 and "nowhere on Earth yet" in preview["rows"][0]["refusal"]

    anchor = {"latitude_deg": "44 N", "longitude_deg": "72.6 W", "height_m": "1000", "east_m": "5000", "north_m": "5000"}
    change(shared_program, job, system={"kind": "local", "anchor": anchor})

    placed = marks(shared_program, job)["P2"]
    # By hand: 100 ft = 30.48 m north on a ground 304.8 m up is 30.48 / 1.0000478 / 111.11 km = 0.00027432 degrees.
    assert placed["latitude_deg"] == pytest.approx(44.0 + 0.00027432, abs=2e-8)
    assert placed["longitude_deg"] == pytest.approx(-72.6, abs=1e-9)
    between = shared_program.get(f"/jobs/{job}/between?from_id={marks(shared_program, job)['P1']['id']}&to_id={placed['id']}")
    assert (between["distance_m"], between["bearing_deg"]) == pytest.approx((30.48, 0.0), abs=1e-9)


def test_settings_are_added_and_the_ones_before_stay_in_the_book(shared_program):
    job = make(shared_program, "Settings", text=LIST)
    before = shared_program.get(f"/jobs/{job}")

    after = change(
        shared_program,
        job,
        name="Settings, renamed",
        client="Board",
        time_zone="Europe/Dublin",
        frame_name="ETRF2000",
        frame_epoch="2010.0",
    )

    assert (after["name"], after["client"], after["time_zone"]) == ("Settings, renamed", "Board", "Europe/Dublin")
    shared_program.post(f"/jobs/{job}/settings", {"replaces_id": before["settings_id"], "changes": {"client": "x"}}, 409)
    assert "name, client, time zone, frame, epoch" in shared_program.get(f"/jobs/{job}/book")["lines"][0]["sentence"]
    assert [found["name"] for found in shared_program.get("/jobs?text=board%20renamed")["jobs"]] == ["Settings, renamed"]
    change(shared_program, job, archived=True)
    assert "Settings, renamed" not in [found["name"] for found in shared_program.get("/jobs")["jobs"]]
    assert "Settings, renamed" in [found["name"] for found in shared_program.get("/jobs?archived=true")["jobs"]]


@pytest.mark.parametrize(
    ("changes", "field"),
    [
        ({"name": " "}, "name"),
        ({"time_zone": "Mars/Olympus"}, "time_zone"),
        ({"time_zone": "../../etc/passwd"}, "time_zone"),
        ({"frame_epoch": "last year"}, "frame_epoch"),
        ({"frame_epoch": "2026-02-30"}, "frame_epoch"),
        ({"project_height": "5 cubits"}, "project_height"),
        ({"latitude": "91", "longitude": "0"}, "latitude"),
        ({"latitude": "53"}, "longitude"),
        ({"geoid_id": "nothing"}, "geoid_id"),
        ({"system": {"kind": "code", "code": 4326}}, "system"),
        ({"system": {"kind": "text", "text": "hello"}}, "system"),
        ({"system": {"kind": "own", "own": {"name": "x", "scale": "400"}}}, "scale"),
        ({"ground": {"origin_name": "A", "east_m": "1", "north_m": "2", "combined_factor": "2"}}, "combined_factor"),
        ({"operation": {"source": "WGS 84", "name": "of my own"}}, "operation"),
    ],
)
def test_a_setting_that_cannot_be_is_a_sentence_at_its_field_and_changes_nothing(shared_program, changes, field):
    job = next((found["id"] for found in shared_program.get("/jobs?text=refusals")["jobs"]), None) or make(shared_program, "Refusals")
    before = shared_program.get(f"/jobs/{job}")

    problem = change(shared_program, job, 422, **changes)

    assert problem["field"] == field and problem["detail"].endswith(".")
    assert shared_program.get(f"/jobs/{job}") == before


def test_a_copy_has_the_settings_and_the_profiles_and_the_list_only_where_wished(shared_program):
    job = shared_program.job()

    bare = shared_program.post(f"/jobs/{job}/copy", {"name": "Carrow again"})
    full = shared_program.post(f"/jobs/{job}/copy", {"name": "Carrow with control", "with_control": True})

    assert (bare["marks"], full["marks"]) == (0, 9)
    assert bare["system_code"] == 2157 and bare["geoid_id"] == shared_program.get(f"/jobs/{job}")["geoid_id"]
    chosen = [profile["name"] for profile in shared_program.get(f"/jobs/{bare['id']}/profiles")["profiles"] if profile["chosen"]]
    assert len(chosen) == 2
    assert {name: mark["east_m"] for name, mark in marks(shared_program, full["id"]).items()} == {
        name: mark["east_m"] for name, mark in marks(shared_program, job).items()
    }
    shared_program.post(f"/jobs/{job}/copy", {"name": "Carrow Sluice"}, 409)


def test_a_system_of_one_s_own_is_tried_on_the_marks_before_it_is_taken(shared_program):
    job = make(shared_program, "Own projection", text=LIST)
    own = {
        "name": "Own ITM",
        "method": "transverse-mercator",
        "latitude_of_origin_deg": "53 30 N",
        "scale": "0.99982",
        "central_meridian_deg": "8 W",
        "false_east_m": "600000",
        "false_north_m": "750000 m",
    }

    same = shared_program.post("/systems/try", {"system": {"kind": "own", "own": own}, "job_id": job})
    other = shared_program.post("/systems/try", {"system": {"kind": "code", "code": 32633}, "job_id": job})

    # The parameters are those of EPSG:2157: the marks do not move.
    assert same["marks"][0]["latitude_deg"] == pytest.approx(marks(shared_program, job)["A"]["latitude_deg"], abs=1e-10)
    assert not other["marks"][0]["inside"] or abs(other["marks"][0]["longitude_deg"]) > 9
    change(shared_program, job, system={"kind": "own", "own": own})
    assert shared_program.get(f"/jobs/{job}")["system_name"] == "Own ITM"
    assert marks(shared_program, job)["A"]["latitude_deg"] == pytest.approx(same["marks"][0]["latitude_deg"], abs=1e-12)


def test_a_datum_operation_is_chosen_by_name_and_said(shared_program):
    # EPSG dataset: OSGB36 to WGS 84 (6), operation 1314, good to 2 m; the grid of the better one is not here.
    job = make(shared_program, "Operation", {"kind": "code", "code": 27700}, latitude="52", longitude="1 W")
    found = shared_program.get(f"/jobs/{job}/operations?source=WGS%2084")
    names = {item["name"]: item["accuracy_m"] for item in found["operations"]}
    assert names["Inverse of OSGB36 to WGS 84 (6)"] == 2.0 and found["without_grid"]

    change(shared_program, job, operation={"source": "WGS 84", "name": "Inverse of OSGB36 to WGS 84 (6)"})

    notes = shared_program.get(f"/jobs/{job}/system")["findings"]
    assert codes(notes) == ["datum-operation-chosen"] and "good to 2 m" in notes[0]["sentence"]
    change(
        shared_program, job, operation={"shift": {"x_m": "446.448", "y_m": "-125.157", "z_m": "542.06", "convention": "position-vector"}}
    )
    assert "3 parameters" in shared_program.get(f"/jobs/{job}")["operation"]
    # Another system drops what belonged to the one before.
    assert change(shared_program, job, system=ITM)["operation"] is None


def test_zone_edges_outside_and_old_codes_are_said(shared_program):
    def tried(code, latitude, longitude):
        body = {"system": {"kind": "code", "code": code}, "latitude": latitude, "longitude": longitude}
        return codes(shared_program.post("/systems/try", body)["findings"])

    # EPSG dataset: UTM 30N is used from 6 W to 0; 2157 in Ireland; 2085 (Cuba) is deprecated.
    assert tried(32630, "53", "3 W") == []
    assert tried(32630, "53", "0.1 W") == ["system-near-edge"]
    assert tried(32630, "53", "2 E") == ["system-outside-area"]
    assert "projection-not-conformal" in tried(3857, "53", "3 W")
    assert "system-deprecated" in tried(2085, "22.5", "80 W")


MIXED_LINES = "name,east,north,ellipsoidal height\nA,703412,629805,62.4\nB,629861,703478,63.1\nC,703500,629900,61.0\nC,703600,629950,61.2\nD,east?,629999,60.0\n"


def test_single_lines_of_a_list_are_exchanged_corrected_and_left_out(shared_program):
    """Line 3 has its coordinates exchanged, line 5 repeats a name, line 6 is no number: each is mended by itself."""
    job = make(shared_program, "Lines")
    read = shared_program.post(f"/jobs/{job}/control/preview", as_file(MIXED_LINES))
    shown = next(row["typed"] for row in read["rows"] if row["line"] == 6)
    assert shown == {"name": "D", "east_m": "east?", "north_m": "629999 m", "height_m": "60.0 m", "height_kind": "ellipsoidal"}
    assert (read["accepted"], read["refused"]) == (3, 2), "both places of B lie in Ireland: nobody but a person can tell"
    corrected = {"name": "D", "east_m": "703650 m", "north_m": "629999 m", "height_m": "60 m", "height_kind": "ellipsoidal"}
    said = [{"line": 3, "wish": "exchange"}, {"line": 4, "wish": "leave out"}, {"line": 6, "wish": "correct", "values": corrected}]

    mended = shared_program.post(f"/jobs/{job}/control/preview", as_file(MIXED_LINES) | {"lines": said})
    taken = shared_program.post(f"/jobs/{job}/control/accept", as_file(MIXED_LINES) | {"lines": said})

    assert {row["line"]: row["said"] for row in mended["rows"]} == {2: "", 3: "exchange", 4: "leave out", 5: "", 6: "correct"}
    assert taken == {"accepted": 4, "refused": 1}
    marks = {mark["name"]: (mark["east_m"], mark["north_m"]) for mark in shared_program.get(f"/jobs/{job}/marks")["marks"]}
    # With the first C left out the second one is the only C there is.
    assert marks == {"A": (703412, 629805), "B": (703478, 629861), "C": (703600, 629950), "D": (703650, 629999)}
    told = shared_program.get(f"/jobs/{job}/book")["lines"][0]["sentence"]
    assert "3 lines mended by hand" in told


@pytest.mark.parametrize(("said", "words"), [({"line": 99, "wish": "leave out"}, "no line 99"), ({"line": 2, "wish": "turn"}, "wish")])
def test_what_is_said_of_a_line_that_cannot_be_is_a_sentence(shared_program, said, words):
    job = make(shared_program, f"No line {words}")
    assert words in str(shared_program.post(f"/jobs/{job}/control/preview", as_file(MIXED_LINES) | {"lines": [said]}, 422))


def test_a_line_corrected_into_nonsense_is_refused_by_itself(shared_program):
    job = make(shared_program, "Nonsense")
    said = {"line": 2, "wish": "correct", "values": {"name": "A", "east_m": "12 elephants", "north_m": "5"}}
    read = shared_program.post(f"/jobs/{job}/control/preview", as_file(MIXED_LINES) | {"lines": [said]})
    row = next(row for row in read["rows"] if row["line"] == 2)
    assert not row["accepted"] and row["refusal"].startswith("As corrected: ") and read["accepted"] == 2


def test_elevations_are_refused_without_a_geoid_and_follow_one_that_is_chosen(shared_program):
    job = make(shared_program, "Heights", text=LIST)
    assert marks(shared_program, job)["A"]["ellipsoidal_height_m"] is None
    assert "geoid-missing" in codes(shared_program.get(f"/jobs/{job}/system")["findings"])
    start = {
        "mark_id": marks(shared_program, job)["A"]["id"],
        "reading": "1.5 m",
        "feature": "bottom",
        "source": "mark",
        "station_id": 1,
        "listen": {"rover_url": "tcp://127.0.0.1:1"},
    }
    assert "no geoid grid" in shared_program.post(f"/jobs/{job}/base/start", start, 422)["detail"]

    # A small grid around the site that is 50 m everywhere: h = H + N by hand.
    grid = struct.pack(">ddddii", 52.0, -7.0, 0.5, 0.5, 4, 4) + np.full(16, 50.0, ">f4").tobytes()
    added = (
        shared_program.program.app.test_client()
        .post(
            "/api/geoids?name=site.gtx", data=grid, headers={"Content-Type": "application/octet-stream"}, base_url="http://127.0.0.1:8420"
        )
        .get_json()
    )
    assert (added["west_deg"], added["north_deg"], added["latitude_step_min"]) == pytest.approx((-7.0, 53.5, 30.0))
    change(shared_program, job, geoid_id=added["id"])

    assert marks(shared_program, job)["A"]["ellipsoidal_height_m"] == pytest.approx(56.5, abs=1e-9)
    assert marks(shared_program, job)["A"]["elevation_m"] == 6.5
    # The training grid is never chosen by itself, and stops a job that counts.
    training = next(grid for grid in shared_program.get("/geoids")["geoids"] if grid["training_only"])
    assert shared_program.get(f"/jobs/{make(shared_program, 'Fresh')}")["geoid_id"] is None
    change(shared_program, job, geoid_id=training["id"])
    stop = next(item for item in shared_program.get(f"/jobs/{job}/system")["findings"] if item["code"] == "geoid-training-only")
    assert stop["severity"] == "stop"


@pytest.mark.parametrize("content", [b"", b"garbage" * 100, b"II*\0garbage"])
def test_a_file_that_is_no_grid_is_refused_and_leaves_nothing_behind(shared_program, content):
    answer = shared_program.program.app.test_client().post(
        "/api/geoids?name=x.gtx", data=content, headers={"Content-Type": "application/octet-stream"}, base_url="http://127.0.0.1:8420"
    )

    assert answer.status_code == 422 and answer.get_json()["detail"].endswith(".")
    assert not list((shared_program.program.context.data_dir / "geoid").glob("part-*"))


def test_ground_distances_stretch_the_grid_about_the_origin_and_a_reciprocal_is_noticed(shared_program):
    geodetic = "name,latitude,longitude\nO,52.4,-6.5\nE,52.4,-6.48\n"
    job = make(shared_program, "Ground", text=geodetic)
    grid = marks(shared_program, job)
    ground = {
        "origin_name": "O",
        "combined_factor": "0.9999",
        "east_m": f"{grid['O']['east_m']!r} m",
        "north_m": f"{grid['O']['north_m']!r} m",
    }

    change(shared_program, job, ground=ground)

    stretched = marks(shared_program, job)
    assert stretched["O"]["east_m"] == pytest.approx(grid["O"]["east_m"], abs=1e-6)
    step = grid["E"]["east_m"] - grid["O"]["east_m"]
    assert stretched["E"]["east_m"] - stretched["O"]["east_m"] == pytest.approx(step / 0.9999, abs=1e-6)
    assert "ground-factor-differs" in codes(shared_program.get(f"/jobs/{job}/system")["findings"])


@pytest.mark.parametrize(
    ("line", "code", "words"),
    [
        ("X,629900,703500,1", "control-axes-swapped", "swap the two columns"),
        ("X,2307783,2066290,1", "control-unit-mixed", "are feet"),
        ("A,703412.361,629805.118,1", "control-duplicate-name", "at the same place"),
        ("A,703413.361,629805.118,1", "control-duplicate-name", "1.000 m away"),
        ("X,903412,629805,1", "control-outside-area", "Outside the area"),
        ("X,603412,529805,1", "control-outside-area", "from the middle"),
    ],
)
def test_a_list_s_mistakes_are_found_and_named(shared_program, line, code, words):
    job = next((found["id"] for found in shared_program.get("/jobs?text=mistakes")["jobs"]), None) or make(
        shared_program, "Mistakes", text=LIST
    )

    preview = shared_program.post(f"/jobs/{job}/control/preview", as_file(f"name,east,north,elevation\n{line}\nOK,703500,629900,5\n"))

    assert (preview["accepted"], preview["refused"]) == (1, 1)
    assert words in preview["rows"][0]["refusal"]
    assert codes(preview["findings"]) == [code]


def test_a_dropped_sign_of_the_longitude_is_named(shared_program):
    job = make(shared_program, "Sign", text=LIST)

    preview = shared_program.post(f"/jobs/{job}/control/preview", as_file("name,latitude,longitude\nX,52.41,6.47\nY,-6.47,52.41\n"))

    assert codes(preview["findings"]) == ["control-longitude-sign", "control-axes-swapped"]


def test_the_wrong_foot_is_named_by_the_two_parts_in_a_million_it_moves_the_marks(shared_program):
    job = make(shared_program, "Feet", {"kind": "code", "code": 6590}, "sft", VERMONT)

    preview = shared_program.post(f"/jobs/{job}/control/preview", as_file(VERMONT.replace("_sft", "")) | {"unit": "ft"})

    assert set(codes(preview["findings"])) == {"control-foot-differs"}
    # 1 592 310.75 ft x 2 ppm = 3.18 ft, and north 612 480 x 2 ppm = 1.22 ft: 3.41 ft together.
    assert "3.41 ft away: 2 ppm" in preview["rows"][0]["refusal"]
    change(shared_program, job, length_unit="ft")
    assert "foot-differs" in codes(shared_program.get(f"/jobs/{job}/system")["findings"])


@pytest.mark.parametrize("kind", ["csv", "geojson", "landxml"])
@pytest.mark.parametrize("unit", ["m", "sft"])
def test_import_export_import_is_the_identity(shared_program, kind, unit):
    system = ITM if unit == "m" else {"kind": "code", "code": 6590}
    text = (
        VERMONT
        if unit == "sft"
        else LIST.replace("note\n", "note,order,source,check only\n")
        .replace("nail", "nail,2nd,county,yes")
        .replace("pin", "pin,,,")
        .replace("4.9,", "4.9,,,,")
    )
    first = make(shared_program, f"First {kind} {unit}", system, unit, text)

    file = shared_program.program.app.test_client().get(f"/api/jobs/{first}/control.{kind}", base_url="http://127.0.0.1:8420")
    second = make(shared_program, f"Second {kind} {unit}", system, unit)
    taken = shared_program.post(f"/jobs/{second}/control/accept", as_file(file.get_data()))

    assert taken["refused"] == 0
    assert given(shared_program, second) == given(shared_program, first)


def test_kml_and_dxf_hold_every_mark(shared_program):
    job = shared_program.job("Nettle Brook Culvert")

    kml, dxf = shared_program.get(f"/jobs/{job}/control.kml"), shared_program.get(f"/jobs/{job}/control.dxf")

    assert kml.count("<Placemark") == 4
    points = ezdxf.read(io.StringIO(dxf)).modelspace().query("POINT")
    assert sorted(point.dxf.location.x for point in points)[0] == pytest.approx(1592101.88, abs=1e-6)


def test_a_file_in_another_system_is_not_taken_for_this_one(shared_program):
    source = make(shared_program, "Vermont source", {"kind": "code", "code": 6590}, "sft", VERMONT)
    file = shared_program.get(f"/jobs/{source}/control.geojson")
    job = make(shared_program, "Not Vermont")
    content = (
        shared_program.program.app.test_client().get(f"/api/jobs/{source}/control.geojson", base_url="http://127.0.0.1:8420").get_data()
    )

    assert file["system"] == "EPSG:6590"
    problem = shared_program.post(f"/jobs/{job}/control/preview", as_file(content), 422)
    assert "EPSG:6590" in problem["detail"] and "No datum shift" in problem["detail"]


@pytest.mark.parametrize("kind", ["geojson", "landxml"])
def test_ground_coordinates_are_not_taken_for_grid_ones_of_the_same_system(shared_program, kind):
    source = make(shared_program, f"On the ground {kind}", text=LIST)
    ground = {"origin_name": "A", "combined_factor": "0.99994", "east_m": "703412.361", "north_m": "629805.118"}
    change(shared_program, source, ground=ground)
    client = shared_program.program.app.test_client()
    content = client.get(f"/api/jobs/{source}/control.{kind}", base_url="http://127.0.0.1:8420").get_data()

    grid, same = (make(shared_program, f"In the grid {kind}"), make(shared_program, f"The same ground {kind}", ground=ground))

    assert "in ground distances" in shared_program.post(f"/jobs/{grid}/control/preview", as_file(content), 422)["detail"]
    assert shared_program.post(f"/jobs/{same}/control/preview", as_file(content))["accepted"] == 3


def test_a_stop_in_the_settings_shows_on_the_job_s_step(shared_program):
    job = make(shared_program, "Wrong zone", {"kind": "code", "code": 32630}, latitude="53", longitude="8 W")

    step = shared_program.get(f"/jobs/{job}/steps")["steps"][0]

    assert (step["step"], step["state"]) == ("job", "disagrees") and "outside the area" in step["why"]


def test_a_mark_is_corrected_taken_out_and_brought_back_without_losing_what_it_was(shared_program):
    job = make(shared_program, "Marks", text=LIST)
    first = marks(shared_program, job)["A"]
    values = {"name": "A", "east_m": "703412.400", "north_m": "629805.118", "height_m": "6.5 m", "height_kind": "elevation"}

    shared_program.post(f"/jobs/{job}/marks/{first['id']}", {"values": values, "reason": ""}, 422)
    second = shared_program.post(f"/jobs/{job}/marks/{first['id']}", {"values": values, "reason": "typing error"})
    shared_program.post(f"/jobs/{job}/marks/{first['id']}", {"values": values, "reason": "again"}, 409)
    assert "moved by 0.039 m" in shared_program.get(f"/jobs/{job}/book")["lines"][0]["sentence"]
    third = shared_program.post(f"/jobs/{job}/marks/{second['id']}", {"reason": "destroyed", "withdraw": True})
    assert "A" not in marks(shared_program, job)
    assert [mark["name"] for mark in shared_program.get(f"/jobs/{job}/marks?withdrawn=true")["marks"]] == ["A"]
    shared_program.post(f"/jobs/{job}/marks/{third['id']}", {"values": values | {"east_m": first["typed"]["east_m"]}, "reason": "found"})

    versions = shared_program.get(f"/jobs/{job}/marks/{marks(shared_program, job)['A']['id']}")["versions"]
    assert [round(version["mark"]["east_m"], 3) for version in versions] == [703412.361, 703412.4, 703412.4, 703412.361]
    assert [version["withdrawn"] for version in versions] == [False, True, False, False]


@pytest.mark.parametrize(
    ("values", "field"),
    [
        ({"name": "", "east_m": "703500", "north_m": "629900"}, "name"),
        ({"name": "N", "east_m": "703500"}, "north_m"),
        ({"name": "N", "east_m": "703500", "north_m": "629900", "latitude_deg": "52", "longitude_deg": "6 W"}, "latitude_deg"),
        ({"name": "N", "east_m": "703500", "north_m": "629900", "height_m": "5"}, "height_kind"),
        ({"name": "A", "east_m": "703500", "north_m": "629900"}, "name"),
        ({"name": "N", "east_m": "629900", "north_m": "703500"}, "east_m"),
        ({"name": "N", "east_m": "703,500.0", "north_m": "629900"}, "east_m"),
        ({"name": "N", "latitude_deg": "6 W", "longitude_deg": "52"}, "latitude_deg"),
    ],
)
def test_a_mark_that_cannot_be_is_a_sentence_at_its_field(shared_program, values, field):
    job = next((found["id"] for found in shared_program.get("/jobs?text=typed%20marks")["jobs"]), None) or make(
        shared_program, "Typed marks", text=LIST
    )

    assert shared_program.post(f"/jobs/{job}/marks", {"values": values}, 422)["field"] == field
    assert len(marks(shared_program, job)) == 3


def test_a_distance_is_given_in_the_grid_and_on_the_ground(shared_program):
    job = make(
        shared_program,
        "Distance",
        text="name,east,north,ellipsoidal height\nA,700000,600000,100\nB,700300,600400,112\nC,700000,600100,100\n",
    )
    found = marks(shared_program, job)

    between = shared_program.get(f"/jobs/{job}/between?from_id={found['A']['id']}&to_id={found['B']['id']}")

    # 3-4-5: 500 m, bearing atan2(300, 400) = 36.8699 degrees.
    assert (between["distance_m"], between["bearing_deg"], between["rise_m"]) == pytest.approx((500.0, 36.869898, 12.0), abs=1e-6)
    # ITM at E 700 000: 0.99982 x (1 + x2/2R2) with x = 100 km and R = 6380 km, less 100/6380000 for height: 0.99992716.
    assert between["ground_distance_m"] == pytest.approx(500.0 / 0.99992716, abs=0.0005)


def test_a_length_is_read_while_it_is_typed(shared_program):
    assert shared_program.get("/length?text=2m&length_unit=ft") == {"metres": 2.0, "words": "2.000 m"}
    assert shared_program.get("/length?text=6.5&length_unit=sft")["metres"] == pytest.approx(6.5 * SURVEY_FOOT)
    assert "decimal mark" in shared_program.get("/length?text=1%2C532.5%20m", status=422)["detail"]


def test_the_plan_holds_every_mark_and_the_turn_to_true_north(shared_program):
    plan = shared_program.get(f"/jobs/{shared_program.job()}/plan")

    assert len(plan["marks"]["id"]) == 9 and sum(plan["marks"]["check_only"]) == 2
    # By hand: (longitude difference to 8 W) x sin(latitude) = 1.527 x sin 52.41 = 1.210 degrees, east of the meridian: positive.
    assert plan["convergence_deg"] == pytest.approx(1.210, abs=0.002)
    assert plan["base"] is None
