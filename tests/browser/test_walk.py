"""The whole slice in a real browser: job, control, base, watch, check, book, with a base height typed 0.100 m too large."""

import re
import urllib.request
from pathlib import Path

import pytest

pytestmark = [pytest.mark.browser, pytest.mark.slow]

# One mark is on the base's own list already, one has its columns exchanged, one no number.
CONTROL = """name,east,north,height,note
T1,703420.100,629812.400,62.110,
T2,703455.700,629840.900,61.800,
CS1,703412.361,629805.118,62.417,
T3,629900.000,703500.000,60.000,exchanged
T4,seven,629900.0,60.0,
"""


def test_a_base_height_typed_a_decimetre_too_large_is_seen_and_explained(page, tmp_path):
    # 1 Job: open the demo job, import a list with refused lines
    page.open()
    page.sees("Carrow Sluice")
    page.shot("jobs")
    page.press("Carrow Sluice", tag="a")
    page.go("Job")
    page.sees("nail in the sluice apron")
    page.shot("job")
    file = tmp_path / "extra.csv"
    file.write_text(CONTROL)
    page.driver.find_element("css selector", "input[type=file]").send_keys(str(file))
    page.sees("The file does not say whether its heights are ellipsoidal or elevations")
    page.choose("Heights are", "ellipsoidal")
    page.sees("2 lines can be taken")
    page.sees("CS1 is in the job already")
    page.sees("swap the two")
    page.sees("'seven' is not a number of east")
    page.press("Take 2 marks")
    page.sees("T2")

    # 2 Base: the tape says 1.546, 1.646 is typed
    page.set_up_base("CS1", "1646mm")
    page.press("Start the base")
    page.sees("sends what is meant", 30)

    # 3 and 4 Watch: real protocols on the loopback, until fixed
    page.go("Check")
    page.choose("Mark under the pole", "CS2")
    page.press("Walk it here")
    page.sees("stands on CS2")
    page.go("Watch")
    page.until(lambda: page.driver.find_element("css selector", "[data-testid=status]").text == "FIXED", 60)
    page.sees("At this listener")
    page.sees("claimed")

    # 5 Check: record with the key
    page.go("Check")
    page.sees("Stand on a mark you know: does the rover agree?")
    page.choose("Mark under the pole", "CS2")
    page.type("seconds", "5")
    page.driver.find_element("tag name", "h1").click()
    page.driver.find_element("tag name", "body").send_keys("r")
    page.until(lambda: page.driver.find_elements("css selector", "[data-testid=verdict]"), 60)
    verdict = page.driver.find_element("css selector", "[data-testid=verdict]").text
    # Truth is 1.546 m, typed was 1.646 m: 0.100 m, within four sigmas of the stand-in's noise.
    height = float(re.search(r"rover is (0\.\d+) m high", verdict)[1])
    assert height == pytest.approx(0.100, abs=0.040)
    assert "the base height was typed" in verdict and "1646mm" in verdict
    assert page.driver.find_element("css selector", "[data-testid=difference-up]").text.startswith("+0.")
    page.shot("check")
    page.press("stop")
    page.sees("check-height-off")
    page.go("Watch")
    page.sees("Age of corrections")

    # The mend: correct the height, every point follows
    page.correct_base_height("1.546", "1.546 m", "measured again: tape misread")
    page.go("Check")
    page.sees("CS2 agrees")
    page.sees("Recomputed")

    # 6 Book
    page.go("Book")
    page.sees("Base height '1646mm' (1.646 m) corrected to '1.546'")
    page.sees("The Book is whole")
    page.shot("book")
    job = re.search(r"/job/([^/]+)/", page.driver.current_url)[1]
    with urllib.request.urlopen(f"{page.url}/api/jobs/{job}/points.csv") as answer:
        assert answer.read().decode().splitlines()[1].startswith("CS2,7034")


def test_a_job_is_made_with_a_system_found_by_part_of_its_name(visit):
    visit.open()
    visit.press("New job")
    visit.type("name", "Alder Weir")
    visit.choose("Lengths are typed", "US survey foot")
    visit.type("system", "vermont ftUS")
    visit.sees("NAD83(2011) / Vermont")
    visit.press("NAD83(2011) / Vermont")
    visit.press("Make the job")
    visit.sees("No control yet")
    visit.sees("US survey foot")


def test_the_page_survives_a_killed_program_and_says_so(page, demo):
    page.open()
    page.press("Carrow Sluice", tag="a")
    page.set_up_base("CS1", "1.546")
    page.press("Start the base")
    page.sees("sends what is meant", 30)

    demo.process.kill()
    demo.process.wait()
    page.sees("NO PROGRAM", 30)
    page.sees("Cut off since")
    page.sees("the program does not answer")

    demo.start()
    page.go("Watch")
    page.sees("Base stream: receiving", 60)
    page.sees("Rover NMEA: receiving", 60)
    page.go("Book")
    page.sees("The program is listening again after a restart")
    page.sees("The Book is whole")


AXE = Path(__file__).parent.parent.parent / "web" / "node_modules" / "axe-core" / "axe.min.js"
RUN_AXE = """
const done = arguments[arguments.length - 1];
axe.run(document, { resultTypes: ['violations'] }).then((result) => done(
  result.violations.filter((item) => ['serious', 'critical'].includes(item.impact))
    .map((item) => item.id + ': ' + item.nodes.map((node) => node.target.join(' ')).slice(0, 3).join(' | '))
));
"""


@pytest.mark.parametrize("theme", ["paper", "sun", "dusk"])
def test_axe_finds_nothing_serious_on_any_page(visit, theme):
    visit.open()
    visit.driver.execute_script(f"localStorage.setItem('theme', '{theme}')")
    visit.open()
    visit.sees("Carrow Sluice")
    found = {"jobs": axe(visit)}
    visit.press("Carrow Sluice", tag="a")
    for step in ("Job", "Base", "Watch", "Check", "Book"):
        visit.go(step)
        visit.until(lambda: visit.driver.find_elements("tag name", "h1"))
        found[step] = axe(visit)
    for step, views in (
        ("Job", ("Plan", "System", "About")),
        ("Kit", ("Profiles", "Packing", "Gear")),
        ("Link", ("On the air", "Caster", "Reach", "Setup card")),
    ):
        visit.go(step)
        for view in views:
            visit.press(view, tag="button[@role='tab']")
            visit.until(lambda view=view: view in visit.heading() or view == "About")
            found[view] = axe(visit)

    assert {name: rules for name, rules in found.items() if rules} == {}
    visit.driver.execute_script("localStorage.removeItem('theme')")


def axe(page):
    if not page.driver.execute_script("return 'axe' in window"):
        page.driver.execute_script(AXE.read_text())
    return page.driver.execute_async_script(RUN_AXE)


def test_every_step_is_reached_by_keys_and_the_list_of_keys_is_shown(visit):
    visit.open()
    visit.press("Carrow Sluice", tag="a")
    visit.go("Job")
    visit.sees("nail in the sluice apron")
    for keys, words in (
        ("g6", "Nothing is listened to"),
        ("g2", "The job uses those that are ticked"),
        ("g9", "The Book is whole"),
        ("g5", "Open sky all round"),
        ("r", "No point yet."),
    ):
        visit.driver.find_element("tag name", "body").send_keys(keys)
        visit.sees(words)
    visit.driver.find_element("tag name", "body").send_keys("?")
    visit.sees("Take the last point back")
