"""An assumed local job gets its place on Earth from the first base that starts on an average."""

import pytest

from tests.conftest import as_file, start_wish

LOT = "name,east_ift,north_ift,elevation_ift\nP1,5000,5000,100\nP2,5000,5200,101\n"


def test_the_first_average_places_an_assumed_system_and_the_rover_is_placed_in_it(own_program):
    practice = own_program.program.context.practice
    job = own_program.post("/jobs", {"name": "Assumed", "system": {"kind": "local"}, "length_unit": "ft"})["id"]
    own_program.post(f"/jobs/{job}/control/accept", as_file(LOT))
    demo = own_program.job()
    own_program.post(f"/jobs/{demo}/stand", {"who": "base", "mark_id": own_program.mark(demo, "CS1")})
    own_program.walk_to(demo, "CS2")
    wish = start_wish(
        mark_id=own_program.mark(job, "P1"),
        reading="5 ft 0 7/8 in",
        feature="bottom",
        source="mark",
        station_id=17,
        base_url=practice.base_stream_url,
        rover_url=practice.rover_url,
    )
    refusal = own_program.post(f"/jobs/{job}/base/start", wish, 422)["detail"]
    assert "elevation" in refusal, "an elevation without a geoid carries no base"

    own_program.post(f"/jobs/{job}/base/average", {"url": practice.base_receiver_url, "seconds": 6})
    own_program.wait_for(lambda: not own_program.get(f"/jobs/{job}/base")["average"]["running"], 20)
    own_program.post(f"/jobs/{job}/base/start", wish | {"source": "average"})

    placed = own_program.get(f"/jobs/{job}")
    assert placed["anchored"]
    # The anchor is the mark the base stands on, by its local coordinates and the averaged place.
    assert (placed["anchor"]["east_m"], placed["anchor"]["north_m"]) == pytest.approx((1524.0, 1524.0))
    truth = practice.world.base
    assert placed["anchor"]["latitude_deg"] == pytest.approx(truth.latitude_deg, abs=0.0001)
    plan = own_program.get(f"/jobs/{job}/plan")
    assert (plan["base"]["east_m"], plan["base"]["north_m"]) == pytest.approx((1524.0, 1524.0), abs=1e-4)
    assert "placed by the base's average on P1" in " ".join(line["sentence"] for line in own_program.get(f"/jobs/{job}/book")["lines"])
