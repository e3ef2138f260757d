"""The Sky page in a real browser: a skyline drawn and taken back, an hour chosen, the sky held against what is seen, a photo laid under."""

import re
from pathlib import Path

import pytest
from PIL import Image
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By

from tests.browser.conftest import LAPTOP, PHONE, TABLET, resize
from tests.browser.test_walk import axe
from tests.browser.test_watch import Api, fixed, running

pytestmark = [pytest.mark.browser, pytest.mark.slow]

MIXED = Path(__file__).parents[1] / "data" / "rinex" / "mixed-six-hours.rnx.gz"
__all__ = ["running"]


def draw(page, *places):
    """Go over the picture from place to place, parts of its width and height."""
    svg = page.driver.find_element(By.CSS_SELECTOR, "svg[role=application]")
    page.driver.execute_script("arguments[0].scrollIntoView({block: 'center'})", svg)
    wide, high = svg.rect["width"], svg.rect["height"]
    moves = [(int((x - 0.5) * wide), int((y - 0.5) * high)) for x, y in places]
    chain = ActionChains(page.driver).move_to_element_with_offset(svg, *moves[0]).click_and_hold()
    for move in moves[1:]:
        chain = chain.move_to_element_with_offset(svg, *move)
    chain.release().perform()


def lines_of(page):
    return [item.get_attribute("data-skyline") for item in page.driver.find_elements(By.CSS_SELECTOR, "[data-skyline]")]


def hour(page):
    return page.driver.find_element(By.CSS_SELECTOR, "[role=slider]").get_attribute("aria-valuetext")


def common(page):
    """How many satellites are in common at the hour shown; 0 while the page is being drawn."""
    numbers = page.driver.find_elements(By.CSS_SELECTOR, "[data-big]")
    return int(re.match(r"\d+", numbers[2].text)[0]) if len(numbers) == 3 else 0


def sky_state(api, job):
    return next(item["state"] for item in api("GET", f"/jobs/{job}/chain")["links"] if item["name"] == "sky")


def test_a_skyline_is_drawn_and_taken_back_and_the_sky_is_held_against_what_is_seen(page, running):
    api, job = running
    # The wood and the bank of the stand-ins' world.
    marks = {mark["name"]: mark["id"] for mark in api("GET", f"/jobs/{job}/marks")["marks"]}
    for mark, azimuths, height in (("CS1", [215, 260], 18), ("CS2", [25, 75], 24)):
        line = {"azimuths_deg": [azimuths[0], *azimuths, azimuths[1]], "elevations_deg": [0, height, height, 0]}
        api("POST", f"/jobs/{job}/sky/skyline", line | {"mark_id": marks[mark], "replaces_id": None})
    page.open(f"/job/{job}/sky")
    page.sees("nominal, to practise")
    page.until(lambda: lines_of(page) == ["the base", "the rover"])
    assert axe(page) == []
    fixed(page)

    # The hour is chosen by dragging over the strip, and by keys.
    slider = page.driver.find_element(By.CSS_SELECTOR, "[role=slider]")
    ActionChains(page.driver).move_to_element_with_offset(slider, -100, 0).click_and_hold().move_by_offset(200, 0).release().perform()
    chosen = hour(page)
    slider.send_keys("\ue014")  # right
    assert hour(page) != chosen and f"H 95 % at {hour(page)}" in page.text()

    page.view("Expected, seen")
    page.until(lambda: page.driver.find_element(By.XPATH, "//button[contains(., 'Compare now')]").is_enabled(), 60)
    page.press("Compare now")
    page.until(lambda: sky_state(api, job) == "checked", 20)
    page.until(lambda: "checked" in page.driver.find_element(By.XPATH, "//nav//a[contains(., 'Sky')]").text)

    page.view("Panorama")
    page.until(lambda: common(page) > 0)
    before = common(page)
    page.press("Rover skyline")
    page.sees("Skyline, rover")
    draw(page, (0.3, 0.75), (0.4, 0.2), (0.6, 0.2), (0.7, 0.75))
    page.press("Keep the skyline")
    page.until(lambda: 0 < common(page) < before)
    page.shot("sky")
    page.go("Chain")
    page.until(lambda: sky_state(api, job) == "out of date")
    page.sees("out of date")

    page.go("Sky")
    page.press("Rover skyline")
    page.press("As it was before")
    page.until(lambda: common(page) > 10 and sky_state(api, job) == "checked")


def test_a_skyline_is_drawn_on_every_screen_by_hand_and_by_keys(page):
    api = Api(page.url)
    job = next(job for job in api("GET", "/jobs")["jobs"] if job["name"] == "Carrow Sluice")["id"]
    try:
        for size in (TABLET, PHONE):
            resize(page.driver, size)
            page.open(f"/job/{job}/sky")
            page.sees("nominal, to practise")
            page.driver.find_element(By.XPATH, "//button[contains(., 'Base skyline')]").click()
            page.sees("Skyline, base")
            draw(page, (0.2, 0.7), (0.3, 0.4))
            page.press("Keep the skyline")
            page.until(lambda: lines_of(page) == ["the base"])
    finally:
        resize(page.driver, LAPTOP)
    page.open(f"/job/{job}/sky")
    page.press("Rover skyline")
    svg = page.driver.find_element(By.CSS_SELECTOR, "svg[role=application]")
    svg.send_keys("\ue013" * 3)  # up, three degrees at the cursor
    page.press("Keep the skyline")
    page.until(lambda: lines_of(page) == ["the base", "the rover"])
    # 180° is where the cursor begins.
    shown = api("GET", f"/jobs/{job}/sky")["shown"]["rover"]["skyline"]
    assert dict(zip(shown["azimuths_deg"], shown["elevations_deg"], strict=True))[180] == 3


def test_elements_are_loaded_garbage_is_refused_and_a_photo_is_laid_under(page, tmp_path):
    api = Api(page.url)
    job = next(job for job in api("GET", "/jobs")["jobs"] if job["name"] == "Carrow Sluice")["id"]
    page.open(f"/job/{job}/sky?view=elements")
    page.sees("Load elements")
    garbage = tmp_path / "garbage.nav"
    garbage.write_bytes(bytes(range(256)) * 20)
    page.give_file("File of elements", garbage)
    page.until(lambda: page.driver.find_elements(By.CSS_SELECTOR, "[role=alert]"))
    page.sees("96 satellites, nominal")
    page.give_file("File of elements", MIXED)
    page.sees("broadcast ephemerides of")
    page.press("Take out")
    page.sees("96 satellites, nominal")

    picture = tmp_path / "south.png"
    Image.new("RGB", (800, 600), "#7799bb").save(picture)
    page.view("Panorama")
    page.press("Rover skyline")
    page.give_file("Photo of the sky", picture)
    page.sees("Press the horizon")
    photo = page.driver.find_element(By.CSS_SELECTOR, "section[aria-label=Photo] img")
    page.driver.execute_script("arguments[0].scrollIntoView({block: 'center'})", photo)
    page.until(lambda: photo.rect["height"] > 100)
    wide, high = photo.rect["width"], photo.rect["height"]
    for x, y in ((0.0, 0.1), (-0.45, 0.1), (0.45, 0.1)):
        ActionChains(page.driver).move_to_element_with_offset(photo, int(x * wide), int(y * high)).click().perform()
    page.type("first", "140")
    page.type("second", "200")
    page.press("Lay it under")
    page.sees("It looks to 170°")
    assert page.driver.find_elements(By.CSS_SELECTOR, "svg image")
    draw(page, (0.45, 0.7), (0.5, 0.6))
    page.press("Keep the skyline")
    page.until(lambda: lines_of(page) == ["the rover"])
    assert api("GET", f"/jobs/{job}/sky")["shown"]["rover"]["skyline"]["photo"]["azimuth_deg"] == pytest.approx(170, abs=1)
