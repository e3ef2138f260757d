"""What goes wrong in the field, through the stand-ins over sockets: the truth is known, and the program must say it."""

import numpy as np
import pytest

from openstake.workflow.practice.field import PASSWORD


def codes(crew, job, rover=""):
    shown = crew.get(f"/jobs/{job}/instrument?rover_id={rover}")["instrument"]
    return {item["code"]: item for item in shown["findings"]} if shown else {}


def instrument(crew, job, rover=""):
    return crew.get(f"/jobs/{job}/instrument?rover_id={rover}")["instrument"]


def point(crew, job, kind="topo", seconds=2, **more):
    """Record a point and return it once it is stored."""
    before = {item["id"] for item in crew.get(f"/jobs/{job}/points")["points"]}
    wish = {"kind": kind, "reading": "2.000 m", "feature": "rod"} | ({} if kind == "quick" else {"seconds": seconds})
    crew.post(f"/jobs/{job}/points", wish | more)
    crew.wait_for(lambda: {item["id"] for item in crew.get(f"/jobs/{job}/points")["points"]} - before, 40)
    return crew.get(f"/jobs/{job}/points")["points"][0]


def book(crew, job):
    return [line["sentence"] for line in crew.get(f"/jobs/{job}/book")["lines"]]


def test_another_channel_is_silence_and_the_settings_are_named(own_program):
    job, practice = own_program.job(), own_program.program.context.practice
    practice.rover.listen_to(f"ntrip://crew@127.0.0.1:{practice.caster.port}/OTHER-CHANNEL", PASSWORD)
    own_program.walk_to(job, "CS2")
    own_program.start_base(job)

    own_program.wait_for(lambda: "corrections-never-heard" in codes(own_program, job), 40)

    found = codes(own_program, job)["corrections-never-heard"]
    assert "channel, spacing, modulation or protocol" in found["cause"]
    assert "At this listener the base is heard" in found["sentence"], "the laptop's stream is not the rover's radio"
    assert instrument(own_program, job)["fix"]["fix_ratio"] == 0.0


@pytest.mark.slow
def test_a_base_that_stops_is_seen_in_the_age_before_the_fix_is_lost(own_program):
    job, practice = own_program.job(), own_program.program.context.practice
    own_program.walk_to(job, "CS2")
    own_program.start_base(job)
    own_program.wait_fixed(job)
    practice.base.silence()

    slopes = []

    def climbs():
        found = codes(own_program, job).get("age-climbs")
        slopes.extend([found["numbers"]["slope_per_s"]] if found else [])
        return "corrections-lost" in codes(own_program, job)

    own_program.wait_for(climbs, 60)
    # A base that is silent lets the age rise by a second a second; what was level before flattens it at first.
    assert slopes and max(slopes) > 0.5 and max(slopes) <= 1.01
    lost = codes(own_program, job)["corrections-lost"]
    assert "base itself has stopped" in lost["cause"]
    assert "the base was started" in lost["sentence"], "what changed last is said"
    assert any("the fix was lost" in sentence for sentence in book(own_program, job))


def test_a_false_fix_is_found_by_initialising_anew(own_program):
    job, practice = own_program.job(), own_program.program.context.practice
    practice.rover.fix_falsely(0.31, -0.12, 0.42)
    own_program.walk_to(job, "CS2")
    own_program.start_base(job)
    own_program.wait_fixed(job)
    own_program.wait_for(lambda: (instrument(own_program, job)["fix"]["held_for_s"] or 0) > 8, 20)
    false = point(own_program, job, name="F1")

    said = own_program.post(f"/jobs/{job}/rovers/initialise", {})
    assert "compared when it is back" in said["words"]
    own_program.wait_for(lambda: "initialisations-disagree" in codes(own_program, job), 60)

    found = codes(own_program, job)["initialisations-disagree"]
    assert found["numbers"]["horizontal_m"] == pytest.approx(np.hypot(0.31, 0.12), abs=0.03)
    assert abs(found["numbers"]["up_m"]) == pytest.approx(0.42, abs=0.04)
    assert found["severity"] == "stop"
    right = point(own_program, job, name="F2")
    assert [item["code"] for item in right["findings"]] == ["shots-disagree"], "the shots are compared by themselves"
    assert right["east_m"] - false["east_m"] == pytest.approx(-0.31, abs=0.03)
    assert any("Two initialisations at one place differ" in sentence for sentence in book(own_program, job))


def test_a_jump_while_fixed_is_told_with_its_size(own_program):
    job, practice = own_program.job(), own_program.program.context.practice
    own_program.walk_to(job, "CS2")
    own_program.start_base(job)
    own_program.wait_fixed(job)
    own_program.wait_for(lambda: (instrument(own_program, job)["fix"]["held_for_s"] or 0) > 6, 20)
    practice.rover.fix_falsely(0.0, 0.9, -0.5)

    own_program.wait_for(lambda: "position-jumped" in codes(own_program, job), 20)

    assert codes(own_program, job)["position-jumped"]["numbers"]["size_m"] == pytest.approx(np.hypot(0.9, 0.5), abs=0.04)
    steps = {step["step"]: step for step in own_program.get(f"/jobs/{job}/steps")["steps"]}
    assert steps["watch"]["state"] == "disagrees"


@pytest.mark.slow
def test_walking_from_mark_to_mark_is_no_jump(own_program):
    job = own_program.job()
    own_program.walk_to(job, "CS2")
    own_program.start_base(job)
    own_program.wait_fixed(job)
    for mark in ("CS3", "CS1", "CS9", "CS2"):
        own_program.walk_to(job, mark)
        own_program.check(job, mark)

    assert own_program.get(f"/jobs/{job}/watch")["live"]["jumps"] == 0


@pytest.mark.slow
def test_network_lost_base_over_its_point_and_on_by_radio_in_one_frame(own_program):
    """The guided path: two marks by network, the base over one of them, the other proves the frame to 15 mm."""
    job, crew = own_program.job(), own_program
    for mark in ("CS2", "CS1"):
        crew.walk_to(job, mark)
        crew.post(f"/jobs/{job}/base/setup", {"mark_id": crew.mark(job, mark), "source": "network"})
        average = {"purpose": "mark", "seconds": 4, "reading": "2.000 m", "feature": "rod"}
        crew.post(f"/jobs/{job}/base/average", average)
        crew.wait_for(lambda: not crew.get(f"/jobs/{job}/base")["average"]["running"], 90)
    steps = {step["key"]: step for step in crew.get(f"/jobs/{job}/handover")["steps"]}
    assert steps["measured"]["state"] == "checked" and steps["set up"]["state"] == "missing"

    crew.start_base(job, mark="CS1", source="network", accepted=True)
    crew.walk_to(job, "CS2")
    crew.wait_for(lambda: crew.get(f"/jobs/{job}/handover")["steps"][2]["state"] == "checked", 60)
    crew.wait_fixed(job)
    crew.check(job, "CS2", seconds=4)

    handover = crew.get(f"/jobs/{job}/handover")
    assert [step["state"] for step in handover["steps"]] == ["checked", "entered", "checked", "checked"]
    found = handover["findings"][0]
    assert found["code"] == "sources-agree"
    assert found["numbers"]["horizontal_m"] <= 0.015 and abs(found["numbers"]["up_m"]) <= 0.030


def test_a_base_typed_wrongly_after_the_network_is_stopped_before_work_goes_on(own_program):
    job, crew = own_program.job(), own_program
    for mark in ("CS2", "CS1"):
        crew.walk_to(job, mark)
        crew.post(f"/jobs/{job}/base/setup", {"mark_id": crew.mark(job, mark), "source": "network"})
        crew.post(f"/jobs/{job}/base/average", {"purpose": "mark", "seconds": 4, "reading": "2.000 m", "feature": "rod"})
        crew.wait_for(lambda: not crew.get(f"/jobs/{job}/base")["average"]["running"], 90)
    crew.start_base(job, reading="1.646 m", mark="CS1", source="network", accepted=True)
    crew.walk_to(job, "CS2")
    crew.wait_for(lambda: crew.get(f"/jobs/{job}/handover")["steps"][2]["state"] == "checked", 60)
    crew.wait_fixed(job)
    crew.check(job, "CS2", seconds=4)

    handover = crew.get(f"/jobs/{job}/handover")
    assert handover["steps"][3]["state"] == "disagrees"
    assert handover["findings"][0]["code"] == "sources-disagree"
    assert handover["findings"][0]["numbers"]["up_m"] == pytest.approx(0.100, abs=0.03)


def test_two_rovers_on_one_base_keep_their_names_their_epochs_and_their_shots(own_program):
    job, crew = own_program.job(), own_program
    crew.walk_to(job, "CS2")
    crew.start_base(job)
    second = crew.post(f"/jobs/{job}/rovers", {"name": "Dunlin"})["rover_id"]
    crew.post(f"/jobs/{job}/rovers", {"name": "Dunlin"}, status=409)
    crew.wait_fixed(job)
    crew.wait_for(lambda: crew.get(f"/jobs/{job}/watch?rover_id={second}")["live"]["status"] == "fixed", 60)
    listed = crew.get(f"/jobs/{job}/instrument")["rovers"]
    assert [(rover["name"], rover["further"]) for rover in listed] == [("Wagtail", False), ("Dunlin", True)]

    wish = {"kind": "topo", "reading": "2.000 m", "feature": "rod", "seconds": 3}
    crew.post(f"/jobs/{job}/points", wish)
    crew.post(f"/jobs/{job}/points", wish | {"rover_id": second})
    crew.wait_for(lambda: len(crew.get(f"/jobs/{job}/points")["points"]) == 2, 30)

    both = crew.get(f"/jobs/{job}/points")["points"]
    assert {item["name"] for item in both} == {"P1", "P2"}, "two who record at once never collide"
    # The second stand-in stands 25 m east of the first.
    apart = np.hypot(both[0]["east_m"] - both[1]["east_m"], both[0]["north_m"] - both[1]["north_m"])
    assert apart == pytest.approx(25.0, abs=0.3)
    own = [crew.get(f"/jobs/{job}/history?seconds=60&rover_id={rover['id']}") for rover in listed]
    assert all(history["runs"] for history in own) and own[0]["runs"] != own[1]["runs"]

    crew.post(f"/jobs/{job}/rovers/drop", {"rover_id": second})
    assert [rover["name"] for rover in crew.get(f"/jobs/{job}/instrument")["rovers"]] == ["Wagtail"]
    assert len(crew.get(f"/jobs/{job}/points")["points"]) == 2, "what it brought stays"


@pytest.mark.slow
def test_nmea_alone_is_enough_to_work_and_what_is_unchecked_is_said(own_program):
    """By radio the tablet at the rover hears no base stream."""
    job, crew = own_program.job(), own_program
    crew.walk_to(job, "CS2")
    crew.start_base(job, base_url=None)
    crew.wait_fixed(job)
    shown = instrument(crew, job)

    assert shown["link"]["share"] is None and "not listened to here" in shown["link"]["words"]
    assert shown["meant"]["vector_m"] is None and shown["meant"]["meant_m"] == pytest.approx(87.19, abs=0.05)
    assert shown["sky"]["used"] > 10 and all(item["sent"] is None for item in shown["sky"]["satellites"])
    measured = point(crew, job)
    mark = next(item for item in crew.get(f"/jobs/{job}/marks")["marks"] if item["name"] == "CS2")
    assert measured["east_m"] == pytest.approx(mark["east_m"], abs=0.03)
    assert {line["name"] for line in crew.get(f"/jobs/{job}/steps")["links"]} >= {"broadcast", "link"}


def test_the_bench_test_of_the_pair(own_program):
    job, crew = own_program.job(), own_program
    crew.post(f"/jobs/{job}/bench", {"tape": "9 miles"}, status=422)
    crew.post(f"/jobs/{job}/bench", {"tape": "1.800 m"})
    crew.post(f"/jobs/{job}/bench", {"tape": "1.800 m"}, status=409)
    crew.wait_for(lambda: crew.get(f"/jobs/{job}/bench")["results"], 90)

    result = crew.get(f"/jobs/{job}/bench")["results"][0]
    assert result["agrees"] and result["measured_m"] == pytest.approx(1.8, abs=0.02)
    assert result["findings"][0]["code"] == "bench-agrees"
    assert (result["base"], result["rover"]) == ("Heron", "Wagtail")
    packed = next(item for item in crew.get(f"/jobs/{job}/packing")["items"] if "Bench test" in item["what"])
    assert "agrees" in packed["why"]


def test_the_pole_of_a_stand_in_is_where_the_marks_axes_say(own_program):
    """The way to a mark: CS2 to CS3 as the list has them."""
    job, crew = own_program.job(), own_program
    crew.walk_to(job, "CS2")
    crew.start_base(job)
    crew.wait_fixed(job)
    marks = {item["name"]: item for item in crew.get(f"/jobs/{job}/marks")["marks"]}
    query = f"mark_id={marks['CS3']['id']}&reading=2.000 m&feature=rod"
    way = crew.get(f"/jobs/{job}/goto?{query}")["way"]

    assert way["east_m"] == pytest.approx(marks["CS3"]["east_m"] - marks["CS2"]["east_m"], abs=0.03)
    assert way["north_m"] == pytest.approx(marks["CS3"]["north_m"] - marks["CS2"]["north_m"], abs=0.03)
    assert way["words"] == "129 m north, 176 m east"
