"""Job and kit in a real browser: a job in feet on an assumed system, an import with errors, the plan, a profile made and exported."""

import json
import re
import urllib.request

import pytest
from selenium.webdriver.common.action_chains import ActionChains

from openstake.wire.profile import read_profile

pytestmark = [pytest.mark.browser, pytest.mark.slow]

# A closed lot in feet about an assumed corner, with a swapped line, a name given twice and a foot that does not say which.
LOT = """point,northing (ft),easting (ft),elev (ft),remark
1,5000.00,5000.00,100.00,iron pipe
2,5000.00,5120.00,101.25,stone
3,5160.00,5120.00,102.50,rebar
3,5160.00,5000.00,103.75,the same name again
4,five,5000.00,103.75,no number
"""


def number_of(page, testid):
    text = page.driver.find_element("css selector", f"[data-testid={testid}]").text
    return float(re.search(r"\d+\.\d+", text)[0])


def pick(page, label, name):
    page.choose(label, name)


def test_a_job_in_feet_on_an_assumed_system_from_import_with_errors_to_plan(page, tmp_path):
    page.open()
    page.press("New job")
    page.type("name", "Quarry lane lot")
    page.choose("Lengths are typed", "international foot")
    page.choose("Coordinate system", "Assumed local")
    page.press("Use an assumed system")
    page.sees("not placed on Earth yet")
    page.press("Make the job")
    page.sees("No control yet")
    page.sees("international foot")

    # A file of garbage is a sentence, and the list with errors is asked about and read line by line.
    garbage = tmp_path / "garbage.csv"
    garbage.write_bytes(b"\x00\x01\x02garbage")
    page.give_file("Control list file", garbage)
    page.sees("it holds zero bytes")
    page.press("Back")
    file = tmp_path / "lot.csv"
    file.write_text(LOT)
    page.give_file("Control list file", file)
    page.sees("The file says feet, but not which")
    page.sees("stands on line 4 already, with other coordinates")
    page.sees("'five' is not a number of north")
    page.choose("Numbers are in", "international feet")
    page.sees("3 lines can be taken")
    page.press("Take 3 marks")
    page.sees("iron pipe")
    page.sees("5120.00")

    page.view("Plan")
    page.sees("3 marks, 0 points")
    pick(page, "Find a mark", "1")
    page.press("Measure from here")
    pick(page, "Find a mark", "3")
    # 3-4-5 by hand: 120 and 160 ft are 200 ft apart, at atan(120/160) = 36.8699 degrees.
    page.until(lambda: page.driver.find_elements("css selector", "[data-testid=between]"))
    assert number_of(page, "between") == 200.00
    page.sees("grid bearing 36.8699")
    page.view("System")
    page.sees("nobody has said where on Earth it lies")


def test_a_mark_is_picked_on_the_plan_where_it_stands(visit):
    visit.open()
    visit.press("Carrow Sluice", tag="a")
    visit.go("Job")
    visit.sees("nail in the sluice apron")
    visit.view("Plan")
    visit.until(lambda: visit.driver.find_elements("css selector", "[data-testid=plan] canvas"))
    pick(visit, "Find a mark", "CS6")
    visit.until(lambda: "CS6" in visit.driver.find_element("css selector", "[data-testid=picked]").text)
    visit.shot("plan")
    # Walk out to CS6 alone, let go of it, and press it on the plan: the plan was centred on it, far enough in.
    for _ in range(7):
        visit.driver.find_element("css selector", "[aria-label='Closer']").click()
    visit.driver.find_element("css selector", "[aria-label='Deselect the mark']").click()
    assert not visit.driver.find_elements("css selector", "[data-testid=picked]")
    pick(visit, "Find a mark", "CS6")
    visit.driver.find_element("css selector", "[aria-label='Deselect the mark']").click()
    plan = visit.driver.find_element("css selector", "[data-testid=plan]")

    def pressed():
        ActionChains(visit.driver).move_to_element(plan).click().perform()
        return visit.driver.find_elements("css selector", "[data-testid=picked]")

    visit.until(pressed)
    assert "704388.740" in visit.driver.find_element("css selector", "[data-testid=picked]").text


def test_a_profile_is_made_from_the_kit_exported_and_gives_the_packing_list(page):
    page.open()
    page.press("Carrow Sluice", tag="a")
    page.go("Kit")
    page.sees("Creek base, UHF")
    page.press("Base", tag="footer//button")
    page.sees("New profile")
    page.press("Save the profile")
    page.sees("Name is missing")
    page.type("name", "Ridge base")
    page.type("link.frequency_mhz", "461.05 kHz")
    page.press("Save the profile")
    page.sees("is a number in MHz")
    page.type("link.frequency_mhz", "461,05 MHz")
    page.choose("Receiver", "Heron")
    page.press("Save the profile")
    page.sees("461.05 MHz")

    link = page.driver.find_element("css selector", "a[aria-label='Save Ridge base as a file']").get_attribute("href")
    with urllib.request.urlopen(link) as answer:
        profile = read_profile(answer.read())
    assert (profile.name, profile.link.frequency_mhz, profile.receiver) == ("Ridge base", 461.05, "Heron")

    page.driver.find_element("css selector", "[aria-label='Use Ridge base in this job']").click()
    page.view("Packing")
    page.sees("Radio antenna for 461.05 MHz")
    page.shot("packing")
    page.driver.find_elements("css selector", "[role=checkbox]")[0].click()
    page.until(lambda: page.driver.find_element("css selector", "[data-testid=packed]").text.startswith("1 of"))
    page.view("Gear")
    page.sees("Mast radio")


def test_settings_and_marks_are_changed_and_what_they_were_stays(page, tmp_path):
    page.open()
    page.press("Carrow Sluice", tag="a")
    page.go("Job")
    page.sees("nail in the sluice apron")
    page.press("CS4")
    page.sees("A correction is added")
    page.type("east_m", "703871.195")
    page.press("Correct the mark")
    page.sees("Say in a few words why the mark is changed")
    page.type("reason", "typing error in the list")
    page.press("Correct the mark")
    page.sees("703871.195")

    page.view("System")
    page.sees("Combined factor")
    page.shot("system")
    bad = tmp_path / "grid.gtx"
    bad.write_bytes(b"garbage" * 100)
    page.give_file("Geoid grid file", bad)
    page.sees("neither a .gtx nor a GeoTIFF")
    page.type("frame_epoch", "last year")
    page.press("Change the settings")
    page.sees("is not an epoch")
    page.type("frame_epoch", "2010.0")
    page.choose("Geoid grid", "none")
    page.press("Change the settings")
    page.until(lambda: "The job's geoid grid is for training only" not in page.text())
    page.go("Book")
    page.sees("Mark CS4 corrected, moved by 0.100 m: typing error in the list")
    page.sees("Job settings changed: epoch, geoid grid")
    job = re.search(r"/job/([^/]+)/", page.driver.current_url)[1]
    with urllib.request.urlopen(f"{page.url}/api/jobs/{job}/marks?text=CS4") as answer:
        mark = json.load(answer)["marks"][0]
    assert (mark["east_m"], mark["elevation_m"]) == (703871.195, None)
