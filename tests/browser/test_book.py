"""Book in a real browser: what the crew adds in a few taps, a correction opened, a day signed off, points taken home, a backup told."""

import urllib.request

import pytest

from tests.browser.test_walk import axe
from tests.browser.test_watch import Api

pytestmark = [pytest.mark.browser, pytest.mark.slow]


def test_a_day_is_written_signed_off_and_taken_home(page):
    api = Api(page.url)
    job = next(item["id"] for item in api("GET", "/jobs")["jobs"] if item["name"] == "Alder Ford Footbridge")
    page.open(f"/job/{job}/book")
    page.press("Weather")
    page.press("overcast")
    page.press("strong wind")
    page.type("degrees", "eight")
    page.press("Write it")
    page.sees("'eight' is not a number of degrees Celsius")
    page.type("degrees", "8")
    assert axe(page) == []
    page.press("Write it")
    page.sees("Weather: overcast, strong wind, 8 °C.")
    page.press("On site")
    page.press("Write it")
    page.sees("Name who is on site")
    page.type("people", "A. B., C. D.")
    page.press("Write it")
    page.sees("On site: A. B., C. D.")
    page.press("Note", tag="footer//button")
    page.type("book_note", "Fence moved")
    page.press("Write it")
    page.sees("Fence moved.")

    page.type("find_line", "tape straight")
    page.until(lambda: "Fence moved" not in page.text())
    page.press("corrected to '1.487 m'")
    page.sees("Before")
    page.sees("Base height read before the session: '1.485 m'")
    assert axe(page) == []
    page.type("find_line", "no such words")
    page.sees("No line matches")

    page.view("Days")
    page.press("Sign the day off")
    page.sees("Say who signs")
    page.type("signer", "A. B.")
    page.press("Sign the day off")
    page.sees("Signed off by A. B.")
    page.sees("The frozen copy is whole")
    api("POST", f"/jobs/{job}/book/notes", {"words": "One more thing"})
    page.sees("1 line after sign-off")
    assert axe(page) == []

    page.view("Take home")
    page.press("Name, north, east, elevation, code")
    page.press("code", tag="ol//button")
    page.until(lambda: len(page.driver.find_elements("css selector", "ol[aria-label=Columns] li")) == 4)
    assert axe(page) == []
    page.press("Points as CSV")
    path = page.until(lambda: page.driver.find_elements("css selector", "footer a[download]"))[0].get_attribute("href")
    with urllib.request.urlopen(path) as answer:
        assert answer.read().decode().split("\r\n")[0] == "name,north_m,east_m,elevation_m"

    page.open("/")
    page.sees("Last backup")
    page.press("Back up now")
    page.until(lambda: api("GET", "/backups")["kept"] == 2)
    assert axe(page) == []
