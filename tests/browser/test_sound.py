"""What a hurried hand and a broken page may do: a double click is one reading, a page that breaks leaves the others."""

import pytest
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By

from tests.browser.test_walk import axe

pytestmark = [pytest.mark.browser, pytest.mark.slow]


def readings(page):
    return page.driver.find_elements(By.XPATH, "//button[normalize-space(.)='Correct']")


# 2026-12-01: the same reading is asked about for 15 s, which a busy machine had let pass at four times the host's speed.
@pytest.mark.speed(0.1)
def test_a_double_click_is_one_reading_and_a_second_look_is_asked_for(page):
    page.open()
    page.press("Carrow Sluice", tag="a")
    page.go("Base")
    page.step("Height")
    page.type("reading", "1.546")
    page.sees("as typed now")
    add = page.driver.find_element(By.XPATH, "//button[contains(., 'Add 1.546 m')]")

    ActionChains(page.driver).double_click(add).perform()
    page.sees("one reading")
    # As fast as a browser can, twice in one turn of its loop, on the other button too.
    page.type("reading", "5.072 ft")
    page.sees("as typed now")
    page.driver.execute_script(
        "const b = [...document.querySelectorAll('button')].find((x) => x.textContent.includes('Add the reading')); b.click(); b.click();"
    )
    page.sees("mean of 2")
    assert len(readings(page)) == 2

    page.type("reading", "5.072 ft")
    page.press("Add the reading")
    page.sees("Is this a second look at the tape?")
    assert axe(page) == []
    page.press("A second look: add it")
    page.sees("mean of 3")
    assert "of 2 looks at the tape" in page.text()

    # While two contradict each other there is no height: neither a mean nor a stack.
    page.type("reading", "1.564")
    page.press("Add 1.564 m")
    page.sees("The readings disagree: not a height yet")
    page.sees("1.546 m to 1.564 m")
    page.sees("no standard deviation")
    assert not page.driver.find_elements(By.CSS_SELECTOR, "svg[aria-label*='to scale']")
    assert "1.550" not in page.text(), "the mean of two that contradict each other stands nowhere"
    assert axe(page) == []


def test_an_import_shows_its_table_and_a_height_in_feet_among_metres(page, tmp_path):
    page.open()
    page.press("Carrow Sluice", tag="a")
    page.go("Job")
    rows = "".join(f"Q{n},70391{n}.0,60912{n}.0,{height}\n" for n, height in enumerate(("60.2", "61.0", "204.5", "62.1", "60.9")))
    (tmp_path / "list.csv").write_text("name,east,north,ellipsoidal height\n" + rows + "R,609123.0,703913.0,61.0\n")

    page.give_file("Control list file", tmp_path / "list.csv")

    page.sees("5 lines can be taken")
    page.sees("fits if it is in feet")
    table = page.driver.find_element(By.CSS_SELECTOR, "table")
    assert table.location["y"] < 480, "what the findings say is one line each: the table is on the screen"
    page.press("Line 4", tag="summary")
    page.sees("One height in feet among metres")
    page.sees("Take 5 marks")
    assert axe(page) == []
