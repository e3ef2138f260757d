"""A whole day in a real browser, from the packing list to the signed Book, with two mistakes that a crew makes: swapped digits of the
base height, and a rover height that the pole did not have."""

import io
import re
import urllib.request

import pypdf
import pytest

from tests.browser.test_chain import arrived
from tests.browser.test_check import site  # noqa: F401 - the demo's job is found the same way
from tests.browser.test_watch import fixed, keys

pytestmark = [pytest.mark.browser, pytest.mark.slow]


def stand(page, api, job, marks, name):
    api("POST", f"/jobs/{job}/stand", {"who": "rover", "mark_id": marks[name]})
    arrived(page, api, job, name)


def checked(page, api, job, mark):
    """Record a check of ten seconds on a mark and return what it says."""
    before = len(api("GET", f"/jobs/{job}/checks")["checks"])
    page.go("Check")
    page.until(lambda: page.heading() == "Check")
    page.choose("Mark under the pole", mark)
    page.type("seconds", "10")
    page.driver.find_element("css selector", "h1").click()
    keys(page, "r")
    page.until(lambda: len(api("GET", f"/jobs/{job}/checks")["checks"]) > before, 60)
    said = "[data-testid=verdict]"
    page.until(lambda: any(mark in item.text for item in page.driver.find_elements("css selector", said)), 20)
    return api("GET", f"/jobs/{job}/checks")["checks"][0]


def test_a_day_with_two_mistakes_ends_in_a_signed_book(page, site):  # noqa: F811
    api, job, marks = site

    # In the yard: everything is packed, both ends of the link agree.
    page.open(f"/job/{job}/kit")
    page.view("Packing")
    page.sees("Receiver Heron")
    for item in api("GET", f"/jobs/{job}/packing")["items"]:
        if not item["done"]:
            api("POST", f"/jobs/{job}/packing", {"key": item["key"], "done": True})
    page.go("Link")
    page.sees("461.025")
    states = {step["step"]: step["why"] for step in api("GET", f"/jobs/{job}/steps")["steps"]}
    assert (states["kit"], states["link"]) == ("everything ticked off", "both ends planned alike")

    # At the base: the tape shows 1.546 m, 1.456 is typed.
    page.set_up_base("CS1", "1.456")
    page.press("Start the base")
    page.sees("sends what is meant", 30)
    page.go("Watch")
    fixed(page)

    # At the first mark: the height is off by what two swapped digits make, and that is said.
    stand(page, api, job, marks, "CS2")
    first = checked(page, api, job, "CS2")
    assert first["up_m"] == pytest.approx(-0.090, abs=0.040) and not first["agrees"]
    page.sees("'1.546' does, two digits exchanged")
    page.correct_base_height("1.546", "1.546 m", "digits swapped, read again")
    page.until(lambda: api("GET", f"/jobs/{job}/checks")["checks"][0]["agrees"], 30)
    fixed(page)

    # At the second: the pole stands at 2.000 m, 1.900 is typed.
    stand(page, api, job, marks, "CS3")
    page.go("Check")
    features = {item["name"]: item["label"] for item in api("GET", f"/jobs/{job}/heights")["rover_features"]}
    page.choose("Measured on", features["pole"])
    page.type("rover_height", "1.900 m")
    second = checked(page, api, job, "CS3")
    assert second["up_m"] == pytest.approx(0.100, abs=0.040) and not second["agrees"]
    page.press("Correct the rover height")
    page.type("corrected_height", "2.000 m")
    page.type("height_reason", "clamp read wrongly")
    page.press("Correct it")
    page.until(lambda: api("GET", f"/jobs/{job}/checks")["checks"][0]["agrees"], 30)
    page.sees("CS3 agrees")
    page.type("rover_height", "2.000 m")
    assert checked(page, api, job, "CS3")["agrees"]

    # A point, the closing height, the end.
    page.go("Watch")
    page.view("Points")
    before = len(api("GET", f"/jobs/{job}/points")["points"])
    keys(page, "r")
    page.until(lambda: len(api("GET", f"/jobs/{job}/points")["points"]) > before, 60)
    page.go("Base")
    page.end_base()

    # In the truck: a note, the signature, the day on paper.
    page.go("Book")
    page.press("Note", tag="footer//button")
    page.type("book_note", "Two heights corrected, both read again")
    page.press("Write it")
    page.sees("Two heights corrected, both read again.")
    page.view("Days")
    page.type("signer", "A. Moss")
    page.press("Sign the day off")
    page.sees("Signed off by A. Moss")
    page.view("Take home")
    page.press("Day sheet")
    page.sees("day.pdf")
    path = page.until(lambda: page.driver.find_elements("link text", "Open it"))[0].get_attribute("href")
    with urllib.request.urlopen(path) as answer:
        text = " ".join(" ".join(p.extract_text() for p in pypdf.PdfReader(io.BytesIO(answer.read())).pages).split())
    for said in ("digits swapped, read again", "clamp read wrongly", "Signed off by A. Moss", "1.547"):
        assert said in text, said
    book = api("GET", f"/jobs/{job}/book")
    assert book["verification"]["whole"] and sum(line["corrects"] for line in book["lines"]) >= 2
    assert re.search(r"CS3", text)
