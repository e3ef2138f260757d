"""A base's coordinate computed later, out of a file or a mail: read, asked about, looked at, locked, and the way back."""

import base64

import numpy as np
import pyproj
import pytest

from tests.wire.test_solution import SINEX

JOB = "Alder Ford Footbridge"


@pytest.fixture
def base(own_office):
    crew, job = own_office, own_office.job(JOB)
    occupation = crew.get(f"/jobs/{job}/base")["occupation"]
    mark = next(item for item in crew.get(f"/jobs/{job}/marks")["marks"] if item["id"] == occupation["mark_id"])
    return crew, job, occupation, mark


def sent(text, name="mail.txt", **more):
    return {"name": name, "content_base64": base64.b64encode(text.encode()).decode()} | more


def wish_of(found, **more):
    values = {value["field"]: value["text"] for value in found["file"]["values"]}
    places = {name: values[name] for name in ("latitude", "longitude", "height", "frame", "epoch") if name in values}
    return places | ({"pasted": "; ".join(values[axis] for axis in "xyz")} if "x" in values else {}) | more


def test_a_mail_of_the_arp_is_lowered_to_the_mark(base):
    crew, job, occupation, mark = base
    height = crew.get(f"/jobs/{job}/base")["occupation"]
    arp_m = height["arp_ellipsoidal_height_m"]
    mail = f"Latitude: {mark['latitude_deg']:.10f}\nLongitude: {mark['longitude_deg']:.10f}\nEllipsoidal height: {arp_m:.4f} m\nFrame: ETRS89\n"

    found = crew.post(f"/jobs/{job}/bases/{occupation['id']}/solution/read", sent(mail))
    assert "above the mark" in found["antenna"]
    wish = wish_of(found, occupation_id=occupation["id"])
    look = f"/jobs/{job}/base/solution/preview"
    asked = crew.post(look, wish, status=422)
    assert asked["field"] == "refers_to" and "mark or of the antenna" in asked["detail"]
    of_mark, of_arp = (crew.post(look, wish | {"refers_to": what}) for what in ("mark", "arp"))
    assert of_mark["up_m"] == pytest.approx(arp_m - mark["ellipsoidal_height_m"], abs=0.001)
    assert abs(of_arp["up_m"]) < 0.001 and np.hypot(of_arp["east_m"], of_arp["north_m"]) < 0.001

    before = crew.get(f"/jobs/{job}/points")["points"]
    crew.post(f"/jobs/{job}/base/solution", wish | {"refers_to": "arp"} | sent(mail))
    coordinates = crew.get(f"/jobs/{job}/base")["occupation"]["coordinates"]
    assert coordinates[0]["locked"] and "of the ARP, lowered by" in coordinates[0]["detail"] and "mail.txt" in coordinates[0]["detail"]
    crew.post(
        f"/jobs/{job}/base/coordinate",
        {"occupation_id": occupation["id"], "coordinate_id": coordinates[1]["id"], "reason": "tried", "unlock": True},
    )
    after = crew.get(f"/jobs/{job}/points")["points"]
    assert [[point[name] for name in ("east_m", "north_m", "height_m")] for point in after] == [
        [point[name] for name in ("east_m", "north_m", "height_m")] for point in before
    ], "old values are one press away, to the last bit"


@pytest.mark.slow
def test_another_frame_needs_an_operation_that_somebody_names(base):
    crew, job, occupation, mark = base
    # The mark in ITRF2020 at 2026.9042, by PROJ from the ETRS89 realisation that the operation names.
    to_ecef = pyproj.Transformer.from_crs("EPSG:4937", "EPSG:4936")
    place = to_ecef.transform(mark["latitude_deg"], mark["longitude_deg"], mark["ellipsoidal_height_m"])
    x, y, z, _ = pyproj.Transformer.from_crs("EPSG:8401", "EPSG:9988", only_best=True, allow_ballpark=False).transform(*place, 2026.9055)
    text = SINEX
    for old, new in (("3.87487241234500E+06", x), ("-4.39974567890000E+05", y), ("5.03108912345600E+06", z)):
        text = text.replace(old, f"{new:.14E}")
    found = crew.post(f"/jobs/{job}/bases/{occupation['id']}/solution/read", sent(text, "day331.snx"))
    wish = wish_of(found, occupation_id=occupation["id"], refers_to="mark")
    look = f"/jobs/{job}/base/solution/preview"

    asked = crew.post(look, wish, status=422)
    assert asked["field"] == "operation" and "name the operation" in asked["detail"]
    step = crew.post(f"/jobs/{job}/base/solution/frame", {"occupation_id": occupation["id"], "frame": "ITRF2020", "epoch": wish["epoch"]})
    named = next(item["name"] for item in step["changes"] if item["name"].startswith("ITRF2020 to ETRF2014"))
    seen = crew.post(look, wish | {"operation": named})
    assert np.hypot(seen["east_m"], seen["north_m"]) < 0.002 and abs(seen["up_m"]) < 0.002
    unmoved = crew.post(look, wish | {"frame": "ETRS89"})
    assert 0.6 < np.hypot(unmoved["east_m"], unmoved["north_m"]) < 1.0, "said to be in the job's frame it is 0.8 m off"
    assert unmoved["finding"]["code"] == "solution-slip"
    assert crew.post(look, wish | {"operation": "ballpark"}, status=422)["field"] == "operation"
    assert "Say the epoch" in crew.post(look, wish | {"epoch": ""}, status=422)["detail"]
    assert crew.post(look, wish | {"frame": "somewhere"}, status=422)["field"] == "frame"


def test_garbage_says_what_it_is_and_changes_nothing(base):
    crew, job, occupation, _ = base
    read = f"/jobs/{job}/bases/{occupation['id']}/solution/read"
    assert "names no latitude" in crew.post(read, sent("GARBAGE"), status=422)["detail"]
    assert crew.post(read, {"name": "x", "content_base64": "%%%"}, status=422)["field"] == "content_base64"
    crew.post(f"/jobs/{job}/bases/none/solution/read", sent("GARBAGE"), status=404)
    assert len(crew.get(f"/jobs/{job}/base")["occupation"]["coordinates"]) == 1
