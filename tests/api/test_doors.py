"""What comes in over HTTP: strangers, garbage, and problems as documents."""

import pytest

from tests.conftest import as_file, start_wish


def raw(office, method="GET", path="/api/health", host="127.0.0.1:8420", **more):
    return office.program.app.test_client().open(path, method=method, base_url=f"http://{host}", **more)


def test_the_program_says_that_it_runs(shared_office):
    assert shared_office.get("/health")["status"] == "ok"


@pytest.mark.parametrize("host", ["evil.example", "127.0.0.1.evil.example:8420", "192.168.1.5:8420"])
def test_another_host_name_is_refused(shared_office, host):
    assert raw(shared_office, host=host).status_code == 403


def test_another_site_cannot_change_anything(shared_office):
    body = {"name": "x", "system": {"kind": "code", "code": 2157}, "length_unit": "m"}
    for headers in ({"Origin": "http://evil.example"}, {"Sec-Fetch-Site": "cross-site"}):
        assert raw(shared_office, "POST", "/api/jobs", json=body, headers=headers).status_code == 403
    form = raw(shared_office, "POST", "/api/jobs", data="name=x", headers={"Content-Type": "text/plain"})
    assert form.status_code == 415


def test_every_answer_carries_the_policy_and_loads_nothing_from_elsewhere(shared_office):
    policy = raw(shared_office).headers["Content-Security-Policy"]

    assert "default-src 'none'" in policy and "http" not in policy
    assert "frame-ancestors 'none'" in policy


@pytest.mark.parametrize(
    ("body", "status", "words"),
    [
        (b"{not json", 400, "not valid JSON"),
        (b"[]", 422, ""),
        (b'{"name": "x"}', 422, "length_unit"),
        (b'{"name": "", "system": {"kind": "code", "code": 2157}, "length_unit": "m"}', 422, "needs a name"),
        (b'{"name": "x", "system": {"kind": "code", "code": 4326}, "length_unit": "m"}', 422, "not a projected system"),
        (b'{"name": "x", "system": {"kind": "code", "code": 99999}, "length_unit": "m"}', 422, "not in the database"),
        (b'{"name": "x", "system": {"kind": "code", "code": 2157}, "length_unit": "cubit"}', 422, "length_unit"),
        (b'{"name": "Carrow Sluice", "system": {"kind": "code", "code": 2157}, "length_unit": "m"}', 409, "exists already"),
    ],
)
def test_a_bad_request_is_a_problem_document_with_a_sentence(shared_office, body, status, words):
    answer = raw(shared_office, "POST", "/api/jobs", data=body, headers={"Content-Type": "application/json"})

    assert answer.status_code == status
    assert answer.mimetype == "application/problem+json"
    assert words in answer.get_json()["detail"]


@pytest.mark.parametrize(
    "path", ["/jobs/nothing", "/jobs/nothing/base", "/jobs/nothing/checks", "/jobs/nothing/points.csv", "/jobs/nothing/events"]
)
def test_what_is_not_there_is_a_404(shared_office, path):
    assert shared_office.get(path, status=404)["detail"]


def test_control_is_previewed_without_being_stored_and_the_file_is_kept_when_taken(shared_office):
    job = shared_office.post("/jobs", {"name": "Preview", "system": {"kind": "code", "code": 2157}, "length_unit": "m"})["id"]
    file = as_file("name,east,north,h\nA,703412.361,629805.118,62.4\nB,629805,703412,60\nC,7034123,6298051,60\n")

    preview = shared_office.post(f"/jobs/{job}/control/preview", file)
    assert (preview["accepted"], preview["refused"]) == (2, 1)
    assert "ellipsoidal or elevations" in preview["questions"][0]
    assert shared_office.get(f"/jobs/{job}/marks")["marks"] == []
    shared_office.post(f"/jobs/{job}/control/accept", file, status=422)

    assert shared_office.post(f"/jobs/{job}/control/accept", file | {"height_kind": "elevation"})["accepted"] == 2
    marks = shared_office.get(f"/jobs/{job}/marks")["marks"]
    assert [mark["height_kind"] for mark in marks] == ["elevation"] * 2
    again = shared_office.post(f"/jobs/{job}/control/preview", file | {"height_kind": "elevation"})
    assert "in the job already" in again["rows"][0]["refusal"]


def test_an_elevation_is_never_broadcast_as_an_ellipsoidal_height(shared_office):
    job = shared_office.post("/jobs", {"name": "No geoid", "system": {"kind": "code", "code": 2157}, "length_unit": "m"})["id"]
    file = as_file("name,east,north,elevation\nA,703412.361,629805.118,5.0\n")
    shared_office.post(f"/jobs/{job}/control/accept", file)
    wish = {
        "mark_id": shared_office.mark(job, "A"),
        "reading": "1.5",
        "feature": "bottom",
        "source": "mark",
        "station_id": 1,
        "rover_url": "tcp://127.0.0.1:9",
    }

    assert "no ellipsoidal height" in shared_office.post(f"/jobs/{job}/base/start", start_wish(**wish), status=422)["detail"]
    assert shared_office.get(f"/jobs/{job}/base")["occupation"] is None


@pytest.mark.parametrize(
    ("change", "field", "words"),
    [
        ({"reading": "1.5x"}, "reading", "not a unit of length"),
        ({"reading": "15 m"}, "reading", "0 to 12 m"),
        ({"station_id": 5000}, "station_id", "4095"),
        ({"rover_url": "http://x"}, "rover_url", "not an address of a feed"),
        ({"rover_url": "tcp://x:99999"}, "rover_url", "valid port"),
        ({"base_url": "ntrip://u@h:2101"}, "base_url", "no mountpoint"),
        ({"rover_url": None}, "rover_url", "Give the address"),
        ({"feature": "elbow"}, "feature", "Choose the feature"),
    ],
)
def test_a_base_is_not_started_with_what_cannot_be(shared_office, change, field, words):
    job = shared_office.job()
    wish = {
        "mark_id": shared_office.mark(job, "CS1"),
        "reading": "1.5",
        "feature": "bottom",
        "source": "mark",
        "station_id": 1,
        "rover_url": "tcp://127.0.0.1:9",
    } | change

    refusal = shared_office.post(f"/jobs/{job}/base/start", start_wish(**wish), status=422)

    assert refusal["field"] == field and words in refusal["detail"]
    assert shared_office.get(f"/jobs/{job}/base")["occupation"] is None


def test_a_height_in_a_foot_job_reads_metres_as_metres(shared_office):
    job = shared_office.job("Nettle Brook Culvert")

    height = shared_office.post(f"/jobs/{job}/height", {"reading": "2m", "feature": "bottom"})

    assert height["arp_height_m"] == 2.0
    assert height["text"] == "6.56 ft"  # NIST: 2 m = 6.5617 ft
    assert shared_office.post(f"/jobs/{job}/height", {"reading": "6.5617", "feature": "bottom"})["arp_height_m"] == pytest.approx(
        2.0, abs=2e-5
    )


def test_the_api_s_documents_name_every_route(shared_office):
    with shared_office.program.app.app_context():
        document = shared_office.program.app.extensions["spec"].spec
    described = {path.replace("{", "<").replace("}", ">") for path in document["paths"]}
    rules = {rule.rule for rule in shared_office.program.app.url_map.iter_rules() if rule.rule.startswith("/api/")}

    # The event stream and files to save are no JSON documents; docs/workflow names them.
    assert rules - described <= {
        "/api/jobs/<job_id>/events",
        "/api/jobs/<job_id>/points.csv",
        "/api/jobs/<job_id>/control.<kind>",
        "/api/profiles/<profile_id>.json",
        "/api/jobs/<job_id>/link/card.pdf",
    }
