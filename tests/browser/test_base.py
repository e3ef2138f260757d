"""A whole occupation in a real browser: set up, a swapped digit caught and mended, on the air, closed, looked at again."""

import re
import struct
import urllib.error
import urllib.request
import zlib

import pytest
from selenium.webdriver.common.by import By

from tests.browser.test_walk import axe

pytestmark = [pytest.mark.browser, pytest.mark.slow]


def photo():
    """Return a grey picture of 40 by 30 (PNG, ISO/IEC 15948)."""

    def chunk(name, data):
        return struct.pack(">I", len(data)) + name + data + struct.pack(">I", zlib.crc32(name + data))

    rows = b"".join(b"\0" + bytes((x * 5 + y * 3) % 200 for x in range(40)) for y in range(30))
    head = chunk(b"IHDR", struct.pack(">IIBBBBB", 40, 30, 8, 0, 0, 0, 0))
    return b"\x89PNG\r\n\x1a\n" + head + chunk(b"IDAT", zlib.compress(rows)) + chunk(b"IEND", b"")


def test_a_whole_occupation_with_a_swapped_digit_caught(page, tmp_path):
    # Site: what matters is looked at, a photo is kept, garbage is not
    page.open()
    page.press("Carrow Sluice", tag="a")
    page.go("Base")
    page.sees("Open sky all round")
    for what in ("Open sky", "Firm ground", "Away from walls", "A clear line", "Safe from traffic"):
        page.press(what)
    page.sees("5 of 5 looked at")
    (tmp_path / "notes.png").write_bytes(b"not a picture at all")
    page.give_file("Photo of the set-up", tmp_path / "notes.png")
    page.sees("notes.png is not a JPEG, PNG, WebP or GIF picture")
    (tmp_path / "tripod.png").write_bytes(photo())
    page.give_file("Photo of the set-up", tmp_path / "tripod.png")
    page.until(lambda: page.driver.find_elements(By.CSS_SELECTOR, "img[alt='tripod.png']"))
    assert axe(page) == []

    # Mark: the tripod stands on it
    page.press("Next: Mark")
    page.choose("Mark under the antenna", "CS1")
    page.press("Set it up here")
    page.sees("The tape reads 1.546 m")
    page.press("Level and plumb after setting up")
    assert axe(page) == []

    # Height: 1.546 read, then 1.564 typed: two digits changed places
    page.press("Next: Height")
    page.type("reading", "1.5x46")
    page.sees("is not a length")
    page.type("reading", "1.546")
    page.type("who", "ab")
    page.sees("as typed now")
    page.press("Add 1.546 m")
    page.sees("one reading")
    page.type("reading", "1.564")
    page.press("Add 1.564 m")
    page.sees("likely 1.546 in place of '1.564' or 1.564 in place of '1.546'")
    page.sees("1 stop")
    page.shot("base-start")
    assert axe(page) == []

    # It is asked for before the start, and mended here: read again in feet
    page.press("Next: Coordinate")
    page.press("Known mark", tag="*[@role='radio']")
    page.sees("Taken:")
    assert axe(page) == []
    page.press("Next: On the air")
    start = page.until(lambda: page.driver.find_elements(By.XPATH, "//footer//button[contains(., 'Start anyway')]"))
    assert not start[0].is_enabled()
    # Who goes on all the same says why, and on whose word.
    page.press("I have read this: start anyway")
    page.type("despite_reason", "taped twice")
    assert not start[0].is_enabled()
    page.type("despite_who", "MK")
    page.until(lambda: start[0].is_enabled())
    assert axe(page) == []
    page.step("Height")
    page.driver.find_elements(By.XPATH, "//tr//button[contains(., 'Correct')]")[1].click()
    page.until(lambda: len(page.driver.find_elements(By.NAME, "reading")) == 2)
    correction = page.driver.find_elements(By.NAME, "reading")[1]
    correction.send_keys("5.072ft")
    page.type("reason", "tape misread, read again in feet")
    page.press("Put 1.546 m in its place")
    page.sees("mean of 2, spread 0.1 mm")
    page.until(lambda: "stop" not in page.driver.find_element(By.TAG_NAME, "header").text)

    # Level again, then on the air: what is meant is what is sent
    page.step("On the air")
    page.press("Level again, with radio")
    page.press("Level again, just before")
    page.press("Start the base")
    page.sees("The base sends what is meant", 30)
    page.sees("The base reports single: right for a base", 30)
    page.until(lambda: "not heard" not in page.driver.find_element(By.TAG_NAME, "ol").text, 30)
    page.shot("base-running")
    assert axe(page) == []

    # Raw data for later, and the closing height
    page.step("Raw data")
    page.press("Start a log")
    page.sees("to now")
    link = page.until(lambda: page.driver.find_elements(By.LINK_TEXT, "RINEX 3"))[0].get_attribute("href")
    page.until(lambda: epochs_at(link) >= 3, 30)
    page.end_base()

    # What ran is kept, and the mark remembers its coordinate
    page.press("Earlier", tag="button[@role='tab']")
    page.sees("in force: the known mark CS1")
    assert axe(page) == []
    page.press("Put in a coordinate", tag="summary")
    page.field("frame")
    area = page.driver.find_element(By.CSS_SELECTOR, "textarea[name='pasted']")
    area.send_keys("52 24 35.9137 N\n6 28 48.0102 E\n62.417 m")
    page.type("frame", "IRENET95")
    page.choose("The solution is of", "the mark")
    page.press("Look at what moves")
    page.sees("sign of the longitude")
    page.go("Base")
    page.press("This base", tag="button[@role='tab']")
    page.step("Mark")
    page.choose("Mark under the antenna", "CS1")
    page.step("Coordinate")
    page.sees("Earlier on this mark")
    page.press("Use it again")
    page.sees("the earlier one again")
    page.go("Book")
    page.sees("The Book is whole")
    page.sees("Base height '1.564' (1.564 m) corrected to '5.072ft'")


def epochs_at(link):
    try:
        with urllib.request.urlopen(re.sub(r"interval=\d+", "interval=1", link)) as answer:
            return sum(line.startswith(b">") for line in answer)
    except urllib.error.HTTPError:
        return 0
