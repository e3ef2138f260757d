"""The local fit of a job: marks brought in, both schools, undone, compared, applied, out of date, written."""

import csv
import io
import json

import numpy as np
import pypdf
import pytest
from pyproj import Transformer

from openstake.core.geodesy.frames import job_frame
from tests.conftest import as_file
from tests.filled import Filling

# Six marks around a site of 600 m, ITM metres; the local grid is turned by −30° and in ground distances.
MARKS = {
    "Q0": (703400.0, 629800.0, 62.0),
    "Q1": (704000.0, 629850.0, 61.2),
    "Q2": (703950.0, 630400.0, 63.1),
    "Q3": (703420.0, 630350.0, 60.4),
    "Q4": (703700.0, 630050.0, 61.9),
    "Q5": (703650.0, 630420.0, 62.6),
}
SCALE, TURN = 1.0000576, np.radians(-30.0)
EPOCHS = 8


def local(name, scale=SCALE, turn=TURN):
    """Return a mark's local coordinate, by hand: turned and stretched about Q0, which is 5000, 5000, 10."""
    east, north, height = (here - there for here, there in zip(MARKS[name], MARKS["Q0"], strict=True))
    a, b = scale * np.cos(turn), scale * np.sin(turn)
    return 5000.0 + a * east - b * north, 5000.0 + b * east + a * north, 10.0 + height


def local_list(**off):
    """Return a list of local coordinates as a crew gets it; `off` puts blunders (east, north, height) into it."""
    lines = ["name,east,north,height"]
    for name in MARKS:
        place = np.array(local(name)) + off.get(name, (0.0, 0.0, 0.0))
        lines.append(f"{name},{place[0]:.3f},{place[1]:.3f},{place[2]:.3f}")
    return "\n".join(lines) + "\n"


class Site:
    """A job with shots on its marks, from one base; and the way to its fit."""

    def __init__(self, crew, name, source="mark", marks=MARKS, measured=6):
        self.crew = crew
        wish = {"name": name, "system": {"kind": "code", "code": 2157}, "length_unit": "m"}
        self.job = crew.post("/jobs", wish)["id"]
        control = "name,east,north,ellipsoidal height\n" + "".join(
            f"{mark},{east},{north},{height}\n" for mark, (east, north, height) in marks.items()
        )
        crew.post(f"/jobs/{self.job}/control/accept", as_file(control))
        self.database = crew.program.context.database
        if measured:
            self.database.write(lambda session: self._measure(session, source, measured))

    def _measure(self, session, source, count):
        filling = Filling(session, self.job)
        self.base = filling.base(0, filling.marks[0], source=source, ends=False)
        filling.shots(*self.base, count, EPOCHS)

    def get(self, path="fit", status=200):
        return self.crew.get(f"/jobs/{self.job}/{path}", status)

    def post(self, path, body, status=200):
        return self.crew.post(f"/jobs/{self.job}/{path}", body, status)

    def give(self, text, name="local.csv", **more):
        return self.post("fit/file", as_file(text, name, keep=True) | more)

    def choose(self, fit=None, status=200, **wish):
        fit = fit or self.get()
        return self.post("fit", {"replaces_id": fit["chosen_id"], **wish}, status)

    def follow(self, fit):
        """Do what the page says is next."""
        return self.choose(fit, uses={fit["next"]["line_id"]: fit["next"]["use"]})

    def apply(self, fit=None, status=200, **more):
        fit = fit or self.get()
        wish = {"chosen_id": fit["chosen_id"], "replaces_id": fit["applied"] and fit["applied"]["id"], **more}
        return self.post("fit/apply", wish, status)

    def step(self):
        return next(step for step in self.get("steps")["steps"] if step["step"] == "fit")

    def correct_height(self, text):
        """Correct the base's first reading, or the one that was corrected before."""
        readings = self.get("base")["heights"]["readings"]
        first = next((item for item in readings if item["corrected"]), readings[0])
        wish = {"replaces_id": first["id"], "reading": text, "feature": "bottom", "reason": "misread"}
        self.post("base/height", wish)


def mark(fit, name):
    return next(item for item in fit["marks"] if item["name"] == name)


def codes(fit):
    return [item["code"] for item in fit["findings"]]


@pytest.fixture
def site(own_office):
    found = Site(own_office, "Fitted")
    found.give(local_list())
    return found


def test_a_list_and_the_checks_of_the_same_names_make_the_fit(own_office):
    site = Site(own_office, "Listed")
    assert site.step()["why"] == "no local grid: the job works in its projection"

    read = site.post("fit/file", as_file(local_list(), "local.csv"))
    assert (read["accepted"], read["kept"], site.get()["marks"]) == (6, False, []), "only read"
    site.give(local_list())
    fit = site.get()

    assert fit["state"] == "entered" and "not applied" in fit["why"]
    assert fit["horizontal"]["scale"] == pytest.approx(SCALE, abs=2e-5), "6 mm of noise over 600 m"
    assert fit["horizontal"]["rotation_deg"] == pytest.approx(-30.0, abs=0.001)
    assert fit["expected"]["scale"] == pytest.approx(SCALE, abs=1e-6), "1 / combined factor of ITM here"
    assert fit["expected_words"] == f"Expected here: scale {fit['expected']['scale']:.7f}."
    assert [item["origin"] for item in fit["marks"]] == ["1 shot"] * 6
    assert fit["headline"]["value_m"] < 0.015 and fit["next"]["kind"] == "apply"
    # By hand: the list's 5 mm, the claim of 5 and 6 mm (their mean square), the pole's 3 mm.
    sigma = (0.005**2 + (0.006**2 + 0.005**2) / 2 + 0.003**2) ** 0.5
    assert fit["marks"][0]["sigma_h_m"] == pytest.approx(sigma)


def test_dropping_the_bad_ends_where_the_truth_is(own_office):
    site = Site(own_office, "Dropped")
    site.give(local_list(Q2=(0.27, 0.0, 0.0), Q3=(0.0, 0.0, -0.18)))
    fit = site.get()
    assert fit["state"] == "disagrees" and (fit["headline"]["name"], fit["next"]["use"]) == ("Q2", "v")
    assert fit["headline"]["value_m"] == pytest.approx(0.27, abs=0.02)

    fit = site.follow(fit)
    assert (fit["next"]["name"], fit["next"]["use"]) == ("Q3", "h")
    fit = site.follow(fit)
    assert fit["next"]["kind"] == "apply" and fit["headline"]["value_m"] < 0.02
    assert not [code for code in codes(fit) if code.startswith("fit-suspect")]
    assert mark(fit, "Q2")["words"] == "in, height only" and mark(fit, "Q2")["off_m"] == pytest.approx(0.27, abs=0.02)
    site.apply(fit)
    assert site.step()["state"] == "checked"


def test_growing_shows_the_third_as_a_check_before_it_changes_anything(own_office):
    site = Site(own_office, "Grown", measured=4)
    site.give(local_list(Q2=(0.27, 0.0, 0.0)))
    fit = site.choose(school="grow")
    assert fit["next"]["kind"] == "take-in" and fit["horizontal"] is None
    fit = site.follow(site.follow(fit))
    two = fit["horizontal"]
    assert two["redundancy"] == 0 and fit["marks"][0]["point"]["residual_e_m"] is None
    # Q2 is next: measured, and 0.27 m off by the two that are in.
    assert (fit["next"]["kind"], fit["next"]["name"]) == ("decide", "Q2")
    assert "0.2" in fit["next"]["words"] and fit["horizontal"]["a"] == two["a"]
    # Two alone claim little: with given sigmas the difference is beyond what they explain.
    assert "fit-check-differs" in codes(fit)

    fit = site.choose(fit, uses={mark(fit, "Q2")["line_id"]: "out"})
    assert (fit["next"]["kind"], fit["next"]["name"]) == ("decide", "Q3")
    fit = site.follow(fit)
    assert fit["horizontal"]["redundancy"] == 2 and fit["next"]["kind"] == "measure", "Q4 and Q5 are not measured yet"
    assert fit["headline"]["value_m"] < 0.03


def test_undo_goes_back_step_by_step_to_the_same_bits(site):
    begun = site.get()
    line = mark(begun, "Q1")["line_id"]
    one = site.choose(begun, uses={line: "check"})
    two = site.choose(one, models={"horizontal": "rotation", "vertical": "plane"})
    assert two["horizontal"]["scale"] == two["expected"]["scale"], "held at the expected scale"

    back = site.post("fit/undo", {"replaces_id": two["chosen_id"]})
    assert (back["horizontal"], back["vertical"]) == (one["horizontal"], one["vertical"])
    assert back["undo_words"] == "Q1 kept as a check"
    first = site.post("fit/undo", {"replaces_id": back["chosen_id"]})
    assert first["horizontal"] == begun["horizontal"] and first["undo_words"] == ""
    site.post("fit/undo", {"replaces_id": first["chosen_id"]}, 409)
    again = site.choose(first, uses={line: "check"})
    assert again["horizontal"] == one["horizontal"]
    assert site.post("fit/undo", {"replaces_id": again["chosen_id"]})["horizontal"] == begun["horizontal"]

    history = site.get("fit/history")["fits"]
    assert [item["words"] for item in history][:2] == ["undone: Q1 kept as a check", "Q1 kept as a check"]
    compared = site.get(f"fit/compare?one={history[-1]['id']}&other={history[-2]['id']}")
    by_hand = one["horizontal"]["scale_ppm"] - begun["horizontal"]["scale_ppm"]
    assert compared["scale_ppm"] == pytest.approx(by_hand, abs=1e-6)
    assert 0.0 < compared["largest_m"] < 0.02 and len(compared["marks"]) == 6


def test_what_is_changed_in_a_model_is_said_as_the_form_has_it(site):
    fit = site.get()
    changed = site.choose(fit, models=fit["models"] | {"vertical": "none", "held_scale": "one"})

    assert changed["undo_words"] == "held scale one, vertical model none"


def test_who_chose_by_an_older_fit_is_told(site):
    begun = site.get()
    site.choose(begun, school="grow")
    answer = site.choose(begun, status=409, school="all")
    assert "changed in the meantime" in answer["detail"]
    assert site.choose(school="grow")["chosen_id"] == site.get()["chosen_id"], "what changes nothing is no step"


def test_an_applied_fit_stays_as_it_was_and_says_what_has_changed(site):
    assert "local_east_m" not in site.get("points.csv")
    fit = site.apply()
    assert fit["state"] == "checked" and fit["applied"]["changed"] == []
    both = site.get("fit/use")["points"]
    q4 = next(item for item in both if item["name"] == "Q4")
    assert (q4["local_e_m"], q4["local_n_m"], q4["local_h_m"]) == pytest.approx(local("Q4"), abs=0.02)
    assert q4["inside"] and 0.0 < q4["fit_95_m"] < 0.02
    rows = list(csv.DictReader(io.StringIO(site.get("points.csv"))))
    assert {float(row["local_east_m"]) for row in rows if row["name"] == "Q4"} == {round(q4["local_e_m"], 4)}
    # The budget in the local grid: what the fit gives there, and all else but what its shift took up (centring, height of the base).
    chain = site.get("chain")["budget"]
    terms = {term["name"]: term for term in chain["terms"]}
    assert chain["against"].startswith("in the local grid") and terms["local_fit"]["horizontal_m"] > 0.0
    assert terms["base_centring"]["horizontal_m"] == terms["base_height"]["vertical_m"] == 0.0
    row = next(row for row in rows if row["name"] == "Q4")
    alone = (float(row["horizontal_95_m"]) / 2.4477) ** 2 - 0.001**2 + (q4["fit_95_m"] / 2.4477) ** 2
    assert float(row["local_horizontal_95_m"]) == pytest.approx(2.4477 * alone**0.5, abs=1e-4)
    before = site.get("fit/use")["once"][0]

    site.correct_height("1.600 m")
    fit = site.get()
    assert fit["state"] == "out of date" and fit["applied"]["changed"] == ["a height"]
    assert "fit-out-of-date" in codes(fit) and not fit["applied"]["is_shown"]
    assert site.get("fit/use")["once"][0] == before, "its numbers are kept"
    later = next(item for item in site.get("fit/use")["points"] if item["name"] == "Q4")
    assert later["fit_95_m"] == pytest.approx(q4["fit_95_m"], rel=1e-6), "and how far they can be trusted"
    site.correct_height("1.500 m")
    assert site.get()["state"] == "checked", "the height is back, and so is the fit"


def test_a_later_shot_is_no_change_of_an_applied_fit_and_one_that_is_left_out_is(site):
    fit = site.apply()

    def again(session):
        filling = Filling(session, site.job)
        filling.now += 1e5
        filling.shots(*site.base, 3, EPOCHS)

    site.database.write(again)
    later = site.get()
    assert mark(later, "Q1")["origin"] == "2 shots, 2 initialisations"
    assert later["applied"]["changed"] == [] and not later["applied"]["is_shown"]
    q1 = mark(fit, "Q1")
    wish = {"line_id": q1["line_id"], "shot_id": q1["shots"][0]["id"], "used": False}
    assert site.post("fit/shots", wish)["applied"]["changed"] == ["a shot"]


def test_a_corrected_local_coordinate_is_named_and_re_applied(site):
    fit = site.apply()
    q3 = mark(fit, "Q3")
    wish = {"replaces_id": q3["id"], "values": {"name": "Q3", **q3["typed"], "east": "4000"}, "reason": "another list"}
    changed = site.post(f"fit/marks/{q3['line_id']}", wish)
    assert changed["applied"]["changed"] == ["Q3"]
    assert site.post(f"fit/marks/{q3['line_id']}", wish, 409)["status"] == 409, "somebody else was faster"

    dropped = site.post("fit/drop", {"replaces_id": changed["applied"]["id"]})
    assert dropped["applied"] is None and "local_east_m" not in site.get("points.csv")
    once = site.get("fit/use")["once"]
    again = site.post("fit/reapply", {"applied_id": once[-1]["id"]})
    assert again["applied"]["changed"] == ["Q3"] and site.get("fit/use")["by"] == "the fit in use"


def test_a_fit_that_disagrees_is_applied_only_where_one_says_so(own_office):
    site = Site(own_office, "Bad")
    site.give(local_list(Q2=(0.27, 0.0, 0.0)))
    assert "anyway" in site.apply(status=409)["detail"]
    assert site.apply(accepted=True)["applied"] is not None
    assert site.step()["state"] == "disagrees"


def test_one_mark_at_the_base_with_true_north_says_what_it_leaves_unproven(own_office):
    site = Site(own_office, "One mark", measured=1)
    fit = site.post("fit/marks", {"values": {"name": "B", "east": "5000", "north": "5000", "height": "10"}, "at_base": True})
    assert fit["problem"].startswith("A similarity takes at least 2 marks")
    assert site.choose(fit, 422, models={"horizontal": "shift"})["field"] == "north"
    fit = site.choose(fit, models={"horizontal": "shift", "north": "true"})

    assert "fit-one-mark" in codes(fit) and mark(fit, "B")["origin"] == "the base's own mark"
    frame = job_frame(2157)
    latitude, longitude = frame.geodetic_from_grid(703400.0, 629800.0)
    assert fit["horizontal"]["rotation_deg"] == pytest.approx(-frame.convergence_deg(latitude, longitude), abs=1e-9)
    assert fit["horizontal"]["scale"] == pytest.approx(SCALE, abs=1e-6)
    place = frame.grid_from_geodetic(latitude + 1e-4, longitude)
    fit = site.apply(fit)
    assert fit["state"] == "entered" and "too few marks" in fit["why"]
    answer = json.loads(site.crew.file(f"/jobs/{site.job}/fit.json"))["parameters"]
    north = answer["b"] * place[0] + answer["a"] * place[1] + answer["shift_n_m"]
    # 1e-4 degrees of the meridian are 11.13 m at 53.4° N (its radius is 6 376.6 km), and 57 ppm hardly show.
    assert north - 5000.0 == pytest.approx(11.129, abs=0.002)


def test_an_autonomous_base_is_told_and_two_of_them_are_a_stop(own_office):
    site = Site(own_office, "Autonomous", source="average")
    site.give(local_list())
    fit = site.get()
    assert "fit-autonomous" in codes(fit) and fit["state"] == "entered"
    # Every mark is 1.5 m off in X, Y and Z, and the fit takes it up.
    assert fit["headline"]["value_m"] < 0.015

    def another(session):
        filling = Filling(session, site.job)
        filling.now += 1e5
        filling.shots(*filling.base(1, filling.marks[1], source="mark"), 2, EPOCHS)

    site.database.write(another)
    assert "fit-set-ups-mixed" in codes(site.get())


def test_heights_by_the_geoid_leave_less_than_a_constant_alone(own_office):
    site = Site(own_office, "Geoid")
    settings = own_office.get(f"/jobs/{site.job}")
    grid = next(item for item in own_office.get("/geoids")["geoids"] if item["training_only"])
    site.give(local_list())
    assert "no geoid grid" in site.choose(models={"geoid": True})["up_problem"]
    site.post("settings", {"replaces_id": settings["settings_id"], "changes": {"geoid_id": grid["id"]}})

    through = site.get()
    plain = site.choose(through, models={"geoid": False})
    # The undulation of the training grid near there is about 57 m (EGM96): the constants differ by it.
    apart = through["vertical"]["constant_m"] - plain["vertical"]["constant_m"]
    assert apart == pytest.approx(57.0, abs=2.0)
    assert plain["vertical"]["constant_m"] == pytest.approx(10.0 - 62.0, abs=0.02)
    plane = site.choose(plain, models={"geoid": True, "vertical": "plane"})
    assert plane["vertical"]["redundancy"] == 3


def test_what_scale_to_expect_is_not_said_before_a_mark_is_measured(own_office):
    """2026-12-01: it said 1.0000000 to local distances on the ground, 57 ppm from what the place gives."""
    site = Site(own_office, "Unmeasured", measured=0)
    site.give(local_list())

    assert site.get()["expected_words"] == "What scale to expect here is known once a mark is measured."


def test_without_a_projection_a_plane_is_laid_at_the_site(site):
    fit = site.choose(models={"projection": "site"})

    # The plane lies at the site's height, so ground distances are its own: scale 1, and north is true north there.
    assert fit["expected"]["scale"] == pytest.approx(1.0, abs=1e-7)
    frame = job_frame(2157)
    turn = frame.convergence_deg(*frame.geodetic_from_grid(703700.0, 630100.0))
    assert fit["horizontal"]["rotation_deg"] == pytest.approx(-30.0 + turn, abs=0.003)
    assert fit["headline"]["value_m"] < 0.015
    site.apply(fit)
    q5 = next(item for item in site.get("fit/use")["points"] if item["name"] == "Q5")
    assert (q5["local_e_m"], q5["local_n_m"]) == pytest.approx(local("Q5")[:2], abs=0.02)
    assert "transverse Mercator about" in site.crew.file(f"/jobs/{site.job}/fit.proj").decode()


def test_marks_of_another_job_come_with_the_coordinates_they_have_there(site):
    other = Site(site.crew, "Next year", measured=0)
    taken = other.post("fit/from-job", {"job_id": site.job})

    assert [item["origin"] for item in taken["marks"]] == ["imported"] * 6
    mine = site.get()["horizontal"]
    assert taken["horizontal"]["scale"] == pytest.approx(mine["scale"], rel=1e-9)
    assert "has local coordinates already" in other.post("fit/from-job", {"job_id": site.job}, 409)["detail"]
    assert other.post("fit/from-job", {"job_id": other.job}, 422)["field"] == "job_id"


def test_the_pipeline_the_table_and_the_sheet_say_what_the_page_says(site):
    fit = site.choose(models={"vertical": "plane"})
    text = site.crew.file(f"/jobs/{site.job}/fit.proj").decode()
    step = Transformer.from_pipeline(next(line for line in text.splitlines() if not line.startswith("#")))
    rows = {row["name"]: row for row in csv.DictReader(io.StringIO(site.crew.file(f"/jobs/{site.job}/fit.csv").decode()))}
    for item in fit["marks"]:
        place = step.transform(item["gnss_e_m"], item["gnss_n_m"], item["gnss_h_m"])
        given = (item["local_e_m"], item["local_n_m"], item["local_h_m"])
        point = item["point"]
        off = (point["residual_e_m"], point["residual_n_m"], point["residual_h_m"])
        assert np.array(place) - np.array(given) == pytest.approx(off, abs=1e-6)
        assert float(rows[item["name"]]["residual_north_m"]) == round(point["residual_n_m"], 4)

    pages = pypdf.PdfReader(io.BytesIO(site.crew.file(f"/jobs/{site.job}/reports/fit.pdf"))).pages
    text = " ".join(" ".join(page.extract_text() for page in pages).split())
    assert f"{fit['horizontal']['scale']:.9f}" in text and "judgement of the licensed surveyor" in text
    assert f"{mark(fit, 'Q2')['point']['left_out_n_m']:+.3f}" in text and "times as long as the plan" in text
    assert "Measured with" in text and "What the numbers are in" in text
    site.get("fit.xlsx", 422)


@pytest.mark.parametrize(
    ("content", "words"),
    [
        (b"\x00\xff\x00\x01garbage" * 50, ""),
        (b"", "empty"),
        (b"name,east,north\nA,one,two\n", "No line of the file can be taken"),
        (b"name,latitude,longitude\nA,53.4,-6.4\n", "No line of the file can be taken"),
    ],
)
def test_garbage_is_refused_with_a_sentence_and_nothing_is_stored(own_office, content, words):
    site = Site(own_office, "Garbage", measured=0)
    answer = site.post("fit/file", as_file(content, "x.csv", keep=True), 422)
    assert words in answer["detail"] and answer["detail"].endswith(".")
    assert site.get()["marks"] == []


def test_a_table_of_pairs_says_what_each_is_for(own_office):
    site = Site(own_office, "Pairs", measured=0)
    rows = ["name,local_e_m,local_n_m,local_h_m,gnss_e_m,gnss_n_m,gnss_h_m,use,sigma_h_m,sigma_v_m"]
    for name, use in zip(MARKS, ("hv", "hv", "hv", "hv", "check", "v"), strict=True):
        rows.append(",".join(map(str, (name, *local(name), *MARKS[name], use, 0.008, 0.012))))
    site.give("\n".join(rows))
    fit = site.get()

    assert [item["use"] for item in fit["marks"]] == ["hv", "hv", "hv", "hv", "check", "v"]
    assert fit["horizontal"]["redundancy"] == 4 and fit["vertical"]["redundancy"] == 4
    assert fit["horizontal"]["scale"] == pytest.approx(SCALE, abs=1e-9), "no noise"
    assert {item["sigma_h_m"] for item in fit["marks"]} == {0.008}, "said of both sides"


def test_names_taken_twice_and_feet_unsaid_are_said(site):
    again = site.post("fit/file", as_file(local_list(), "local.csv"))
    assert again["accepted"] == 0 and "already" in again["rows"][0]["refusal"]
    feet = site.post("fit/file", as_file("name,east (ft),north (ft)\nZ,1,2\n", "feet.csv"))
    assert feet["questions"] and site.post("fit/file", as_file("name,east (ft),north (ft)\nZ,1,2\n", "f.csv", keep=True), 422)
    taken = site.post("fit/file", as_file("name,east (ft),north (ft)\nZ,5000,5000\n", "f.csv", keep=True, unit="sft"))
    # 5000 US survey feet of 1200/3937 m.
    assert taken["rows"][0]["local_e_m"] == pytest.approx(5000.0 * 1200.0 / 3937.0, rel=1e-12)


def test_two_shots_of_a_mark_far_apart_are_a_stop_and_never_averaged_in_silence(site):
    """2026-11: two shots of one mark 918 m apart were averaged, and nothing said so."""

    def again(session):
        filling = Filling(session, site.job)
        filling.now = site.base[3].created_s + 5000.0
        filling.shots(*site.base, 1, EPOCHS, off_m=(918.0, 0.0, 0.0))

    site.database.write(again)
    found = next(item for item in site.get()["findings"] if item["code"] == "fit-shots-apart")
    assert found["severity"] == "stop" and found["numbers"]["apart_m"] == pytest.approx(918.0, abs=0.02)


def test_a_shot_that_is_left_out_is_not_averaged_and_stays_listed(site):
    q1 = mark(site.get(), "Q1")
    shot = q1["shots"][0]
    fit = site.post("fit/shots", {"line_id": q1["line_id"], "shot_id": shot["id"], "used": False})

    assert mark(fit, "Q1")["words"] == "not measured" and mark(fit, "Q1")["shots"][0]["why_not"] == "left out"
    fit = site.post("fit/shots", {"line_id": q1["line_id"], "shot_id": shot["id"], "used": True})
    assert mark(fit, "Q1")["gnss_e_m"] == q1["gnss_e_m"]
    site.post("fit/shots", {"line_id": q1["line_id"], "shot_id": "no shot", "used": True}, 404)
    site.post("fit/shots", {"line_id": "no mark", "shot_id": shot["id"], "used": True}, 404)


def test_a_mark_taken_out_is_in_no_fit_and_what_it_was_stays_in_the_book(site):
    q5 = mark(site.get(), "Q5")
    fit = site.post(f"fit/marks/{q5['line_id']}", {"replaces_id": q5["id"], "withdraw": True, "reason": "destroyed"})

    assert len(fit["marks"]) == 5
    assert any(line["sentence"] == "Q5 taken out of the local fit: destroyed." for line in site.get("book")["lines"])
